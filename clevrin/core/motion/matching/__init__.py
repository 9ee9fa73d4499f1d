"""From picture to picture: working pictures, corners followed between two of them, motions fitted to those."""
