"""The Finish bench: the reel is watched, what is not right is found, and it is delivered."""
