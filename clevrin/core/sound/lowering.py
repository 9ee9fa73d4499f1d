"""Music that makes room: by how much it is lowered at each instant, as the takes' own sound is loud about it.

The takes' sound is heard in cells of 50 ms. Music begins to go down a moment before it is loud, and comes back some
time after: each cell counts what is about it, near and wide, with finite reach, so that any second can be made alone.
"""

from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.media.writing import SOUND_RATE

Sound = NDArray[np.float32]
Numbers = NDArray[np.float64]

_CELL = SOUND_RATE // 20
_CELLS = SOUND_RATE // _CELL
"""Cells in a second."""
_QUIET_DB, _LOUD_DB = -45.0, -30.0
"""Under the one music stays as it is, over the other it is lowered by all of it: wind, and a voice."""
_BEFORE, _AFTER = 4, 12
"""Cells by which music is down before it is loud, and stays down after."""
_SOFT = 8
"""Cells over which it goes down and comes back, to either side."""
_SMALLEST = 1e-9


class Lowering:
    """By how much music is lowered: `read` gives the takes' sound, (count, 2) from a sample on; for one thread."""

    def __init__(self, read: Callable[[int, int], Sound], by_db: float) -> None:
        self._read, self._by_db = read, by_db
        self._kept = ByteCache()

    def level(self, first: int, count: int) -> Numbers:
        """(count,) what the music's samples are multiplied by from a sample of the reel on."""
        numbers = range(first // SOUND_RATE, (first + count - 1) // SOUND_RATE + 1)
        seconds = [self._kept.once(("level", number), partial(self._level_in, number)) for number in numbers]
        at = first - numbers.start * SOUND_RATE
        return np.concatenate(seconds)[at : at + count]

    def _level_in(self, number: int) -> Numbers:
        """Over one second of the reel, always made from the same cells."""
        reach = max(_BEFORE, _AFTER) + _SOFT + 1
        wide = -(-reach // _CELLS)
        loud = np.concatenate([self._loud_in(number + off) for off in range(-wide, wide + 1)])
        first = wide * _CELLS
        held = np.array(
            [loud[k - _AFTER : k + _BEFORE + 1].max() for k in range(first - _SOFT - 1, first + _CELLS + _SOFT + 1)]
        )
        window = np.hanning(2 * _SOFT + 3)[1:-1]
        share = np.convolve(held, window / window.sum(), mode="valid")  # one cell before the second to one behind it
        at = (np.arange(-1, _CELLS + 1) + 0.5) * _CELL
        between = np.interp(np.arange(SOUND_RATE) + 0.5, at, share)
        return np.asarray(10 ** (-self._by_db * between / 20))

    def _loud_in(self, number: int) -> Numbers:
        """(cells of a second,) 0 to 1: whether the takes are loud."""
        if number < 0:
            return np.zeros(_CELLS)
        return self._kept.once(("loud", number), partial(self._heard_in, number))

    def _heard_in(self, number: int) -> Numbers:
        sound = self._read(number * SOUND_RATE, SOUND_RATE).astype(np.float64)
        power = (sound**2).mean(axis=1).reshape(_CELLS, _CELL).mean(axis=1)
        level_db = 10 * np.log10(np.maximum(power, _SMALLEST))
        return np.asarray(np.clip((level_db - _QUIET_DB) / (_LOUD_DB - _QUIET_DB), 0, 1))
