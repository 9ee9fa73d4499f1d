"""Films of places with depth before a camera that travels, with the truth of every plane."""
