"""What is pinned to a shot, as it is worked on: made, dragged in the picture, and set in a sheet."""
