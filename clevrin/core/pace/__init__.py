"""Time: which frame of a take stands at which frame of the reel."""

from clevrin.core.pace.conform import (
    Placed,
    nominal_frame,
    placed_shot,
    placed_shots,
    played_rate,
    rates_along,
    reel_frame,
    reel_frames,
    reel_instant,
    reel_position,
    shot_at,
    shot_frames,
    speed,
    stamped_frame,
    stamped_instant,
    stamped_instants,
)

__all__ = [
    "Placed",
    "nominal_frame",
    "placed_shot",
    "placed_shots",
    "played_rate",
    "rates_along",
    "reel_frame",
    "reel_frames",
    "reel_instant",
    "reel_position",
    "shot_at",
    "shot_frames",
    "speed",
    "stamped_frame",
    "stamped_instant",
    "stamped_instants",
]
