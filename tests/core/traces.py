"""Traces made from a wished-for course, without any film."""

from fractions import Fraction

import numpy as np

from clevrin.core.motion.trace.trace import Trace


def trace_of(
    course: np.ndarray,
    *,
    rate: int = 30,
    width: int = 1280,
    height: int = 720,
    shutter_deg: float | None = 180.0,
    confidence: float = 1.0,
    roll_deg: np.ndarray | None = None,
) -> Trace:
    """A trace whose camera follows `course` (frames, 2): px to the right and up."""
    frames = len(course)
    motions = np.repeat(np.eye(3)[None], frames, axis=0)
    steps = np.diff(course, axis=0)
    centre = np.array([(width - 1) / 2, (height - 1) / 2])
    for k, (right, up) in enumerate(steps, start=1):
        motions[k, :2, 2] = -right, up  # the picture moves against the camera, and y points down
        if roll_deg is not None:
            turn = np.radians(roll_deg[k] - roll_deg[k - 1])
            c, s = np.cos(turn), np.sin(turn)
            rotation = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
            move = np.eye(3)
            move[:2, 2] = centre
            motions[k] = motions[k] @ move @ rotation @ np.linalg.inv(move)
    return Trace(
        width=width,
        height=height,
        rate=Fraction(rate),
        times_s=np.arange(frames) / rate,
        model="similarity",
        motions=motions,
        confidence=np.full(frames, confidence),
        shutter_deg=shutter_deg,
    )


def whip_course(
    frames: int,
    peak: float,
    reach_px: float,
    width: float = 3.0,
    angle_deg: float = 0.0,
    shake_px: float = 1.5,
    seed: int = 1,
) -> np.ndarray:
    """A hand-held course with one whip of `reach_px` towards `angle_deg`, fastest at `peak`."""
    t = np.arange(frames)
    along = reach_px / 2 * np.tanh((t - peak) / width)
    rng = np.random.default_rng(seed)
    shake = sum(
        shake_px * np.stack([np.sin(f * t + rng.uniform(0, 6)), np.sin(f * 1.1 * t + rng.uniform(0, 6))], axis=1)
        for f in (0.11, 0.23, 0.41)
    )
    direction = np.array([np.cos(np.radians(angle_deg)), np.sin(np.radians(angle_deg))])
    return along[:, None] * direction + shake
