"""Motion over the reel: what lies over which stretch, and the sheet in which it is set."""
