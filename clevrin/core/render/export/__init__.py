"""Writing the reel: in segments, here, in a child process or on other machines."""
