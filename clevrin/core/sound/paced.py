"""Sound at other speeds than it was recorded at: read along the shot's own map of time."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.sound_reading import read_sound
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import Placed

Sound = NDArray[np.float32]
Numbers = NDArray[np.float64]

_KNOT_SAMPLES = 480
"""The map is asked for every 10 ms; between, time goes on evenly."""
_MARGIN = 8
_MOST_AT_ONCE_S = 600.0


def paced_sound(
    placed: Placed, stamps_s: Numbers | None, first: int, end: int, total: int, troubles: set[str] | None
) -> Sound:
    """Samples `first` to `end` of the `total` of a shot: (count, 2) float32 at 48,000 a second, its pitch going along.

    Each sample is the mean of what goes by in it (the difference of the running sum at its two ends), so that nothing
    beats where the shot is fast; at the speed of the recording it is the recording, bit for bit. `stamps_s`: when the
    frames of the take stand, if they vary. Silence where the picture stands still.
    """
    edges = _source_s(placed, stamps_s, first, end, total)
    low, high = float(edges.min()), float(edges.max())
    count = end - first
    if high - low > _MOST_AT_ONCE_S or high - low < 0.5 / SOUND_RATE:
        return np.zeros((count, 2), np.float32)
    start = int(np.floor(low * SOUND_RATE)) - _MARGIN
    samples = int(np.ceil(high * SOUND_RATE)) + _MARGIN - start
    sound = read_sound(Path(placed.take.path), start / SOUND_RATE, samples, troubles)
    return resampled(sound, edges * SOUND_RATE - start)


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


def _source_s(placed: Placed, stamps_s: Numbers | None, first: int, end: int, total: int) -> Numbers:
    """Seconds of the take at the beginnings of samples `first` to `end`, and at the end of the last one."""
    knots = np.arange(first // _KNOT_SAMPLES, -(-end // _KNOT_SAMPLES) + 1) * _KNOT_SAMPLES
    span, frames = placed.shot.span, placed.shot.span.frames
    at = np.asarray(knots * (placed.frames / total) - 0.5, np.float64)
    gone = np.clip(placed.time.seen(at).progress, 0.0, frames)
    place = span.end - gone if placed.shot.reverse else span.first + gone
    seconds = place / float(placed.take.facts.rate)
    if stamps_s is not None:
        marks = np.append(stamps_s, stamps_s[-1] + 1 / float(placed.take.facts.rate))
        seconds = np.interp(place, np.arange(len(marks)), marks)
    return np.interp(np.arange(first, end + 1), knots, seconds)
