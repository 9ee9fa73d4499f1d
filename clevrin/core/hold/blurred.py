"""Blur that remains: frames whose motion blur shows once their motion is gone, and how much hold they can bear."""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Hold, Span
from clevrin.core.hold.held import HeldPath
from clevrin.core.hold.report import calm_frames, course
from clevrin.core.motion.trace import Trace
from clevrin.core.motion.whips import Whip

SHOWS_SHARE = 0.004
"""Blur longer than what the held motion explains by this share of the width is seen (5 px of 1280)."""
_LEAST_SETTLE_S = 0.1
_STEPS = 12


def blurred_frames(trace: Trace, span: Span, path: HeldPath, whips: tuple[Whip, ...]) -> tuple[int, ...]:
    """Frames of a take that are blurred by more than what their held motion explains; whips are meant to be."""
    held = course(trace, span, path)
    steps = np.hypot(np.diff(held.pan, prepend=held.pan[0]), np.diff(held.tilt, prepend=held.tilt[0]))
    explained = steps * trace.open_share
    rest = trace.blur_px[span.first : span.end] - explained
    shows = calm_frames(trace, span, whips) & (rest > SHOWS_SHARE * trace.width)
    return tuple(int(k) + span.first for k in np.flatnonzero(shows))


def trial_settles(settle_s: float) -> NDArray[np.float64]:
    """Settles to try for a hold that is just enough: from the present one down to nearly none."""
    return np.geomspace(max(settle_s, _LEAST_SETTLE_S), _LEAST_SETTLE_S, _STEPS)


def with_less(hold: Hold, settle_s: float) -> Hold:
    """The hold with another settle, rounded as people would set it."""
    return hold.changed(settle_s=round(float(settle_s), 2), ease_blurred=False)
