"""The reel: always there, under every bench."""
