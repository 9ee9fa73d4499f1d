"""Which other frames of a take see what lies beyond the edge of one."""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.trace import Trace
from clevrin.core.render.plan import Borrowed, row9

Matrix = NDArray[np.float64]

_GRID = (40, 23)
_EVERY = 6
"""Only every so many frames are borrowed from, so that a film's neighbours share what they borrow."""
_REACH_S = 3.0
_MOST = 5
_INSET_PX = 3.0
_LEAST_GAIN = 0.004
"""A frame that covers less of the picture than this is not worth decoding."""
_BLUR_PX = 4.0


def borrowed_frames(
    trace: Trace, chain: Matrix, frame: int, src_from_out: Matrix, size: tuple[int, int]
) -> tuple[Borrowed, ...]:
    """Frames that between them see most of what an output of a size shows beyond the picture of one.

    `chain` (frames, 3, 3): from the take's first frame to each.
    Greedy: the frame that adds most is taken next, near ones before far ones, none that is blurred. Costs about a
    millisecond.
    """
    shares = np.stack(np.meshgrid(np.linspace(0, 1, _GRID[0]), np.linspace(0, 1, _GRID[1])), axis=-1).reshape(-1, 2)
    points = np.column_stack([shares * (size[0] - 1, size[1] - 1), np.ones(len(shares))])
    missing = ~_seen(src_from_out[None], points, trace)[0]
    if not missing.any():
        return ()
    reach = round(_REACH_S * float(trace.rate))
    first = -(-max(0, frame - reach) // _EVERY) * _EVERY
    others = np.arange(first, min(trace.frames, frame + reach + 1), _EVERY)
    others = others[(others != frame) & (trace.blur_px[others] < _BLUR_PX * trace.width / 1280)]
    if len(others) == 0:
        return ()
    maps = chain[others] @ np.linalg.inv(chain[frame]) @ src_from_out
    covers = _seen(maps, points, trace)
    far = 1 + np.abs(others - frame) / max(1, reach)
    chosen: list[Borrowed] = []
    while len(chosen) < _MOST:
        gains = (covers & missing).mean(axis=1)
        best = int(np.argmax(gains / far))
        if gains[best] < _LEAST_GAIN:
            break
        chosen.append(Borrowed(frame=int(others[best]), src_from_out=row9(maps[best])))
        missing = missing & ~covers[best]
    return tuple(chosen)


def _seen(maps: Matrix, points: Matrix, trace: Trace) -> NDArray[np.bool_]:
    """(maps, points): which points of the output lie within the source picture."""
    at = points @ maps.transpose(0, 2, 1)
    place = at[..., :2] / at[..., 2:]
    low, high = _INSET_PX, np.array([trace.width, trace.height]) - 1 - _INSET_PX
    inside = (place >= low) & (place <= high)
    return np.asarray(inside.all(axis=-1) & (at[..., 2] > 0))
