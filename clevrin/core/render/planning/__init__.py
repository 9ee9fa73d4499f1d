"""From what a frame of the reel shows to its plan. Pure: looks nothing up and touches no pixel."""
