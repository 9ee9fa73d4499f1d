"""Sound at other speeds with the pitch that it was recorded with.

Short pieces of the recording are laid one over the other at the places that the map of time gives. Each is turned, tone
by tone, to go on where the one before it would have gone (phase vocoder); what lies about a tone is turned with it
(identity phase locking, Laroche and Dolson 1999, doi:10.1109/89.759041), which keeps clicks sharp. It is done here
because a library stretches by one factor throughout; here each piece stands where the map has it, so that nothing
drifts, and on a ramp the pitch does not move.
"""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from clevrin.core.importing import importing

Sound = NDArray[np.float32]
Numbers = NDArray[np.float64]
Spectrum = NDArray[np.complex128]

HOP = 480
"""Samples between pieces; each is four times as long, so that up to four times as fast nothing falls between them."""
_LONG = 4 * HOP
_HALF = _LONG // 2
_OVERLAP = 1.5
"""What squared windows add up to."""
MARGIN = _HALF + HOP
"""So many samples before the first and behind the last place are read."""
_STANDS = 1 / 64
"""Slower than this, nothing is heard: a piece would be said over and over."""
_SILENT = 1e-12

Read = Callable[[int, int], Sound]
"""Samples of the recording: (count, 2) float32 from a sample on, counted from its first picture."""


def stretched(places: Numbers, speeds: Numbers, read: Read) -> Sound:
    """The pieces at `places` of the recording, in samples, laid one after the other: ((n - 1) HOP, 2) float32.

    Piece k stands over the sample k HOP of the result; the first and the last two lie over its ends. `speeds`: samples
    of the recording a sample there, below 0 where it is heard backward. At a speed of 1 throughout it is the recording
    itself. Both sides are turned alike. Costs a third of a millisecond a piece.
    """
    with importing:
        from scipy.fft import irfft, rfft

    count = len(places)
    made = np.zeros(((count - 1) * HOP + _LONG, 2))
    window = np.hanning(_LONG + 1)[:-1]

    def spectrum(place: int, way: int) -> Spectrum:
        piece = read(place - _HALF, _LONG).astype(np.float64)[::way]
        return np.asarray(rfft(piece * window[:, None], axis=0))

    turn: Spectrum | None = None
    before = np.zeros(0, complex), 0
    for k in range(count):
        place, way = round(float(places[k])), 1 if speeds[k] >= 0 else -1
        both = spectrum(place, way)
        here = both.sum(axis=1)
        if turn is None or way != before[1]:
            turn = np.ones(len(here), complex)
        else:
            turn = _going_on(turn * before[0], here, spectrum(place - way * HOP, way).sum(axis=1))
        heard = min(1.0, max(0.0, abs(float(speeds[k])) / _STANDS - 1)) / _OVERLAP
        piece = irfft(both * turn[:, None], _LONG, axis=0)
        made[k * HOP : k * HOP + _LONG] += heard * window[:, None] * piece
        before = here, way
    return made[_HALF : _HALF + (count - 1) * HOP].astype(np.float32)


def _going_on(said: Spectrum, here: Spectrum, just_before: Spectrum) -> Spectrum:
    """By how much each tone is turned to go on from what was `said`, a piece ago, as it does in the recording.

    There it goes on to `here` from what is `just_before`. Each tone takes what lies about it along.
    """
    turn = said * np.conj(just_before)
    size = np.abs(turn)
    turn = np.where(size > _SILENT, turn / np.maximum(size, _SILENT), 1.0)
    loud = np.abs(here)
    inner = loud[2:-2]
    tones = np.flatnonzero((inner > loud[1:-3]) & (inner > loud[:-4]) & (inner >= loud[3:-1]) & (inner >= loud[4:])) + 2
    if not len(tones):
        return np.asarray(turn)
    between = (tones[1:] + tones[:-1]) / 2
    return np.asarray(turn[tones[np.searchsorted(between, np.arange(len(here)))]])
