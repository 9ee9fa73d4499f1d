"""The sound of the reel."""
