"""Blur that remains: frames whose motion blur shows once their motion is gone."""

import numpy as np

from clevrin.core.document import Span
from clevrin.core.hold.held import HeldPath
from clevrin.core.hold.report import calm_frames, course, residual_px
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.whips import Whip

_SHOWS_SHARE = 0.004
"""Blur longer than what the held motion explains by this share of the width is seen (5 px of 1280)."""


def blurred_frames(trace: Trace, span: Span, path: HeldPath, whips: tuple[Whip, ...]) -> tuple[int, ...]:
    """Frames of a take that are blurred by more than what their held motion explains; whips are meant to be."""
    explained = residual_px(course(trace, span, path)) * trace.open_share
    rest = trace.blur_px[span.first : span.end] - explained
    shows = calm_frames(trace, span, whips) & (rest > _SHOWS_SHARE * trace.width)
    return tuple(int(k) + span.first for k in np.flatnonzero(shows))
