"""Held paths at every rate and settle: all are found, and how long that takes."""

import time
from fractions import Fraction

import numpy as np

from bench.rows import Row
from clevrin.core.document import Hold, Span
from clevrin.core.hold import held_path
from clevrin.core.motion.trace.trace import Trace

RATES = (24, 30, 50, 60, 120, 240, 600, 1000)
SETTLES = (0.0, 0.4, 1.6, 5.0, 10.0, 20.0)
KEEPS = (0.85, 0.95)
_MOST_FRAMES = 2400


def solving_rows() -> list[Row]:
    """A row for each rate: of how many settles and budgets a path within the budget was found, and the longest time."""
    rows = []
    for rate in RATES:
        trace = _swinging(rate)
        found, longest = 0, 0.0
        for settle in SETTLES:
            for keep in KEEPS:
                begun = time.perf_counter()
                path = held_path(trace, Span(first=0, end=trace.frames), Hold(how="float", settle_s=settle, keep=keep))
                longest = max(longest, time.perf_counter() - begun)
                found += path is not None and path.least_kept >= keep
        total = len(SETTLES) * len(KEEPS)
        figures = f"{found} of {total}, {trace.frames} frames, {longest:.2f} s at most"
        rows.append(Row(f"{rate} frames/s, settle 0 to 20 s", f"{total} of {total}", figures, found == total))
    return rows


def _swinging(rate: int) -> Trace:
    frames = min(20 * rate, _MOST_FRAMES)
    t = np.arange(frames) / rate
    rng = np.random.default_rng(5)
    place = np.stack([300 * np.sin(0.4 * t), np.zeros(frames)], axis=1)
    for hz, size in ((0.3, 25.0), (0.7, 12.0), (1.9, 6.0), (4.3, 2.0)):
        place += size * np.sin(2 * np.pi * hz * t[:, None] + rng.uniform(0, 6.3, 2))
    motions = np.repeat(np.eye(3)[None], frames, axis=0)
    motions[1:, :2, 2] = np.diff(place, axis=0)
    return Trace(
        width=1280,
        height=720,
        rate=Fraction(rate),
        times_s=t,
        model="similarity",
        motions=motions,
        confidence=np.ones(frames),
        shutter_deg=180.0,
    )
