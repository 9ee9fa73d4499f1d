"""Which other frames of a take see what lies beyond the edge of one."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import apply, pixel_corners, translation
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.render.plan import Borrowed, Wider, row9

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
_WIDEST = 0.75
"""By what share of itself a picture is made wider on each side, at most."""
_LEAST_PX = 16
_AS_BLURRED = 1.2
_MOST_WIDER, _EVERY_WIDER = 2, 12
"""Fewer than where a picture stands: each has to be found in its film, and is seen for a few frames only."""


def borrowed_frames(
    trace: Trace,
    chain: Matrix,
    frame: int,
    src_from_out: Matrix,
    size: tuple[int, int],
    *,
    most: int = _MOST,
    blur_px: float = 0.0,
    every: int = _EVERY,
    missing: NDArray[np.bool_] | None = None,
) -> tuple[Borrowed, ...]:
    """Frames that between them see most of what an output of a size shows beyond the picture of one.

    `chain` (frames, 3, 3): from the take's first frame to each.
    Greedy: the frame that adds most is taken next, near ones before far ones, none that is blurred, or more than the
    output is anyway (`blur_px` of the source). `missing`: what is asked for, of the points of the grid. Costs about a
    millisecond.
    """
    points = _grid(size)
    if missing is None:
        missing = ~_seen(src_from_out[None], points, trace)[0]
    if not missing.any():
        return ()
    reach = round(_REACH_S * float(trace.rate))
    first = -(-max(0, frame - reach) // every) * every
    end = min(trace.frames, frame + reach + 1)
    others = np.arange(first, end, every)
    if end == trace.frames:  # what is seen last
        others = np.union1d(others, [end - 1])
    others = others[(others != frame) & (trace.blur_px[others] < max(blur_px, _BLUR_PX * trace.width / 1280))]
    if len(others) == 0:
        return ()
    maps = chain[others] @ np.linalg.inv(chain[frame]) @ src_from_out
    covers = _seen(maps, points, trace)
    far = 1 + np.abs(others - frame) / max(1, reach)
    chosen: list[Borrowed] = []
    while len(chosen) < most:
        gains = (covers & missing).mean(axis=1)
        best = int(np.argmax(gains / far))
        if gains[best] < _LEAST_GAIN:
            break
        chosen.append(Borrowed(frame=int(others[best]), src_from_out=row9(maps[best])))
        missing = missing & ~covers[best]
    return tuple(chosen)


def wider_picture(
    trace: Trace, chain: Matrix, frame: int, shown: Sequence[Matrix], size: tuple[int, int], blur_px: float
) -> Wider | None:
    """How far the picture of a frame goes on, in a rectangle about it, where maps of an output of a size show more.

    `blur_px`: how long it is blurred beside, in pixels of the source. None where nobody saw what lies there. Costs
    about two milliseconds.
    """
    corners = np.array(pixel_corners(*size), np.float64)
    places = np.concatenate([apply(each, corners) for each in shown])
    whole = np.array([trace.width, trace.height])
    most = np.array(whole * _WIDEST)
    low = np.floor(np.clip(places.min(axis=0), -most, 0) / 2).astype(int) * 2
    high = np.ceil(np.clip(places.max(axis=0) + 1, whole, whole + most) / 2).astype(int) * 2
    if (low > -_LEAST_PX).all() and (high < whole + _LEAST_PX).all():
        return None
    wide = int(high[0] - low[0]), int(high[1] - low[1])
    blurred = max(blur_px, _AS_BLURRED * float(trace.blur_px[frame]))
    points = _grid(wide)
    in_it = points[:, :2] + low
    beyond = ((in_it < -1) | (in_it > whole)).any(axis=1)
    lenders = borrowed_frames(
        trace,
        chain,
        frame,
        translation(*low),
        wide,
        most=_MOST_WIDER,
        blur_px=blurred,
        every=_EVERY_WIDER,
        missing=beyond,
    )
    if not lenders:
        return None
    maps = np.array([each.matrix for each in lenders])
    there = np.asarray(_seen(maps, points, trace).any(axis=0) | ~beyond).reshape(_GRID[::-1])
    left, top, right, bottom = _whole_part(there)
    # Between two points of the grid, of which one is not there, nothing is.
    step = np.array(wide) / (np.array(_GRID) - 1)
    inner_low = np.minimum(0, low + np.ceil(np.array([left, top]) * step / 2).astype(int) * 2)
    inner_high = np.maximum(whole, low + np.floor(np.array([right, bottom]) * step / 2).astype(int) * 2)
    margins = [int(each) if each >= _LEAST_PX else 0 for each in (*-inner_low, *(inner_high - whole))]
    if not any(margins):
        return None
    inner = translation(*(-np.array(margins[:2]) - low))
    return Wider(
        left=margins[0],
        top=margins[1],
        right=margins[2],
        bottom=margins[3],
        lenders=tuple(Borrowed(frame=each.frame, src_from_out=row9(each.matrix @ inner)) for each in lenders),
    )


def _whole_part(there: NDArray[np.bool_]) -> tuple[int, int, int, int]:
    """First column and row, and the last ones, of a large part that is wholly there: the worst side gives way."""
    left, top, right, bottom = 0, 0, there.shape[1] - 1, there.shape[0] - 1
    while left < right and top < bottom:
        inner = ~there[top : bottom + 1, left : right + 1]
        missing = (inner[:, 0].mean(), inner[0].mean(), inner[:, -1].mean(), inner[-1].mean())
        worst = int(np.argmax(missing))
        if missing[worst] == 0:
            break
        left, top = left + (worst == 0), top + (worst == 1)
        right, bottom = right - (worst == 2), bottom - (worst == 3)
    return left, top, right, bottom


def _grid(size: tuple[int, int]) -> Matrix:
    """Points all over an output, homogeneous."""
    shares = np.stack(np.meshgrid(np.linspace(0, 1, _GRID[0]), np.linspace(0, 1, _GRID[1])), axis=-1).reshape(-1, 2)
    return np.column_stack([shares * (size[0] - 1, size[1] - 1), np.ones(len(shares))])


def _seen(maps: Matrix, points: Matrix, trace: Trace) -> NDArray[np.bool_]:
    """(maps, points): which points of the output lie within the source picture."""
    at = points @ maps.transpose(0, 2, 1)
    place = at[..., :2] / at[..., 2:]
    low, high = _INSET_PX, np.array([trace.width, trace.height]) - 1 - _INSET_PX
    inside = (place >= low) & (place <= high)
    return np.asarray(inside.all(axis=-1) & (at[..., 2] > 0))
