"""Models of motion as mathematics: homographies, what a lens tells of them, meshes, smears."""
