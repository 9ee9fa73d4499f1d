"""Sound at other speeds than it was recorded at: read along the shot's own map of time."""

from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.media.sound_reading import SoundReader
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import Placed
from clevrin.core.sound.stretching import HOP, MARGIN, stretched

Sound = NDArray[np.float32]
Numbers = NDArray[np.float64]

_KNOT_SAMPLES = 480
"""The map is asked for every 10 ms; between, time goes on evenly."""
_MARGIN = 8
_MOST_AT_ONCE_S = 600.0
_CELL_PIECES = 400
"""So many pieces with a pitch that is kept hang together from the first one on: any four seconds can be made alone."""


@dataclass(frozen=True, kw_only=True, eq=False)
class PacedSound:
    """The sound under one shot along its map: `total` samples of 48,000 a second.

    `stamps_s`: when the frames of the take stand, if they vary. `cells`: where those of pitch that is kept are kept.
    For one thread at a time.
    """

    placed: Placed
    stamps_s: Numbers | None
    total: int
    reader: SoundReader
    cells: ByteCache

    def read(self, first: int, end: int) -> Sound:
        """Samples `first` to `end`: (count, 2) float32, with their pitch going along, or kept.

        Silence where the picture stands still. At the speed of the recording it is the recording, bit for bit.
        """
        if self.placed.shot.pace.pitch == "kept":
            return self._kept(first, end)
        return self._along(first, end)

    def _along(self, first: int, end: int) -> Sound:
        """Each sample is the mean of what goes by in it (the difference of the running sum at its two ends), so that
        nothing beats where the shot is fast.
        """
        edges = self._source_s(np.arange(first, end + 1)) * SOUND_RATE
        low, high = float(edges.min()), float(edges.max())
        if high - low > _MOST_AT_ONCE_S * SOUND_RATE or high - low < 0.5:
            return np.zeros((end - first, 2), np.float32)
        start = int(np.floor(low)) - _MARGIN
        return resampled(self._recorded(start, int(np.ceil(high)) + _MARGIN), edges - start)

    def _kept(self, first: int, end: int) -> Sound:
        """Made in cells, each from its own beginning, that go over into each other within 10 ms."""
        length = _CELL_PIECES * HOP
        made = np.zeros((end - first, 2), np.float32)
        for number in range(first // length, (end - 1 + HOP) // length + 1):
            cell = self.cells.once((self.placed.shot.id, number), partial(self._cell, number))
            at = number * length - HOP
            low, high = max(first, at), min(end, at + len(cell))
            if low >= high:
                continue
            places = np.arange(low, high) - at
            level = np.minimum(1.0, places / HOP) * np.clip((len(cell) - places) / HOP, 0, 1)
            made[low - first : high - first] += cell[low - at : high - at] * level[:, None].astype(np.float32)
        return made

    def _cell(self, number: int) -> Sound:
        """The samples of a cell, from one piece before it on."""
        at = np.arange(number * _CELL_PIECES - 2, (number + 1) * _CELL_PIECES + 2) * HOP
        edges = self._source_s(np.stack([at - HOP // 2, at, at + HOP // 2])) * SOUND_RATE
        places, speeds = edges[1], (edges[2] - edges[0]) / HOP
        low = int(np.floor(places.min())) - MARGIN
        sound = self._recorded(low, int(np.ceil(places.max())) + MARGIN)
        made = stretched(places, speeds, lambda first, count: sound[first - low : first - low + count])
        return made[HOP:-HOP]

    def _recorded(self, first: int, end: int) -> Sound:
        return self.reader.read(Path(self.placed.take.path), first / SOUND_RATE, end - first)

    def _source_s(self, samples: NDArray[np.int64]) -> Numbers:
        """Seconds of the take at the beginnings of samples of the shot; before and behind it time goes on as there."""
        total = self.total
        low, high = min(0, int(samples.min())), max(total, int(samples.max()))
        first, end = min(total, max(0, int(samples.min()))), max(0, min(total, int(samples.max())))
        knots = np.arange(first // _KNOT_SAMPLES, -(-end // _KNOT_SAMPLES) + 2) * _KNOT_SAMPLES
        seconds = self._at_knots(knots)
        inside = np.interp(np.clip(samples, 0, total), knots, seconds)
        if low == 0 and high == total:
            return inside
        begins, ends = self._at_knots(np.array([0, _KNOT_SAMPLES])), self._at_knots(np.array([total - 1, total]))
        inside = inside + np.minimum(samples, 0) * ((begins[1] - begins[0]) / _KNOT_SAMPLES)
        return np.asarray(inside + np.maximum(samples - total, 0) * (ends[1] - ends[0]))

    def _at_knots(self, knots: NDArray[np.int64]) -> Numbers:
        placed, frames = self.placed, self.placed.shot.span.frames
        at = np.asarray(knots * (placed.frames / self.total) - 0.5, np.float64)
        gone = np.clip(placed.time.seen(at).progress, 0.0, frames)
        place = placed.shot.span.end - gone if placed.shot.reverse else placed.shot.span.first + gone
        if self.stamps_s is None:
            return np.asarray(place / float(placed.take.facts.rate))
        marks = np.append(self.stamps_s, self.stamps_s[-1] + 1 / float(placed.take.facts.rate))
        return np.asarray(np.interp(place, np.arange(len(marks)), marks))


def resampled(sound: Sound, edges: Numbers) -> Sound:
    """The means of a sound (n, 2) between places in it, in samples, one after the other: (len(edges) - 1, 2).

    Backward where they fall; nothing where they stand.
    """
    sums = np.vstack([np.zeros((1, 2)), np.cumsum(sound, axis=0, dtype=np.float64)])
    marks = np.arange(len(sums))
    at = np.column_stack([np.interp(edges, marks, sums[:, side]) for side in range(2)])
    widths = np.diff(edges)
    moving = np.abs(widths) > 1e-9
    made = np.zeros((len(widths), 2))
    made[moving] = np.diff(at, axis=0)[moving] / widths[moving, None]
    # What hardly moves is not heard; it fades there, so that a sound does not hang in the air.
    made *= np.clip(np.abs(widths) * 32, 0, 1)[:, None]
    return made.astype(np.float32)
