"""Time: which frame of a take stands at which frame of the reel."""

from clevrin.core.pace.conform import Placed, nominal_frame, placed_shots, reel_frames, shot_at, shot_frames

__all__ = ["Placed", "nominal_frame", "placed_shots", "reel_frames", "shot_at", "shot_frames"]
