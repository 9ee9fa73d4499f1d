"""What leaves the house: a reel handed on to others, and a report of it."""
