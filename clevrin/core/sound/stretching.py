"""Sound at other speeds with the pitch that it was recorded with.

Short pieces of the recording are laid one over the other at the places that the map of time gives, each moved by a few
milliseconds to where it goes on best from the one before it (WSOLA: Verhelst and Roelands 1993,
doi:10.1109/ICASSP.1993.319366). It is done here because a library stretches by one factor, and loses the places of a
ramp by and by; here each piece stands where the map has it, so that nothing drifts.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy.signal import fftconvolve

Sound = NDArray[np.float32]
Numbers = NDArray[np.float64]

HOP = 480
"""Samples between pieces; each is four times as long, so that up to four times as fast nothing falls between them."""
_HALF = 2 * HOP
REACH = 240
"""How far a piece may be moved, in samples: half a period of the deepest tone that goes on without a break, 100 Hz."""
MARGIN = _HALF + HOP + 2 * REACH
"""So many samples before the first and behind the last place are read."""
_STANDS = 1 / 64
"""Slower than this, nothing is heard: a piece would be said over and over."""

Read = Callable[[int, int], Sound]
"""Samples of the recording: (count, 2) float32 from a sample on, counted from its first picture."""


def stretched(places: Numbers, speeds: Numbers, read: Read) -> Sound:
    """The pieces at `places` of the recording, in samples, laid one after the other: ((n - 1) HOP, 2) float32.

    Piece k stands over the sample k HOP of the result; the first and the last two lie over its ends. `speeds`: samples
    of the recording a sample there, below 0 where it is heard backward. At a speed of 1 throughout it is the recording
    itself. Costs half a millisecond a piece.
    """
    count = len(places)
    made = np.zeros(((count - 1) * HOP + 2 * _HALF, 2))
    window = 0.5 * np.hanning(2 * _HALF + 1)[:-1, None]
    follows: Numbers | None = None  # what would go on best from the last piece
    before = 0
    for k in range(count):
        place, way = round(float(places[k])), 1 if speeds[k] >= 0 else -1
        # REACH more on either side: to look for the best place, and behind, to know what goes on from there.
        around = read(place - _HALF - REACH, 2 * (_HALF + REACH)).astype(np.float64)[::way]
        shift = 0 if follows is None or way != before else _best_shift(around, follows)
        piece = around[REACH + shift : REACH + shift + 2 * _HALF]
        heard = min(1.0, max(0.0, abs(float(speeds[k])) / _STANDS - 1))
        made[k * HOP : k * HOP + 2 * _HALF] += heard * window * piece
        moved = place + way * shift
        follows = read(moved + way * HOP - _HALF, 2 * _HALF).astype(np.float64)[::way].sum(axis=1)
        before = way
    return made[_HALF : _HALF + (count - 1) * HOP].astype(np.float32)


def _best_shift(around: Numbers, follows: Numbers) -> int:
    """By how many samples a piece lies best over what should be there, by normalised correlation; 0 in silence."""
    mono = around.sum(axis=1)
    agree = fftconvolve(mono, follows[::-1], mode="valid")
    sums = np.concatenate([[0.0], np.cumsum(mono**2)])
    power = sums[len(follows) :] - sums[: -len(follows)]
    scores = agree / np.sqrt(np.maximum(power, 1e-6 * float(power.max()) + 1e-12))
    best = int(np.argmax(scores))
    return 0 if scores[best] <= scores[REACH] + 1e-9 * abs(scores[REACH]) else best - REACH
