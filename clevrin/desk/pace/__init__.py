"""The Pace bench: how fast a shot plays, and what is made of what was not shot."""
