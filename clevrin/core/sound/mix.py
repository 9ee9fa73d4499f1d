"""What the reel sounds like: its takes' own sound, cut where the picture is cut, and the music under it."""

from bisect import bisect_right
from collections import OrderedDict
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Music, Project, Span, Take
from clevrin.core.media.index import index_frames
from clevrin.core.media.sound_reading import SoundReader
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import Placed, placed_shots, speed
from clevrin.core.sound.paced import PacedSound

Sound = NDArray[np.float32]

_RAMP_SAMPLES = 480
"""10 ms at either end of a shot, so that no cut clicks."""
_MOST_PACED = 4


def has_sound(project: Project) -> bool:
    return project.music is not None or any(sounds(placed, project) for placed in placed_shots(project))


def sounds(placed: Placed, project: Project) -> bool:
    """Whether a shot has sound: its take has, and it plays as it was shot, at speeds of its own, or with its pitch."""
    pitch = placed.shot.pace.pitch
    if not placed.take.facts.sound or pitch == "silent":
        return False
    return not placed.even or pitch == "kept" or speed(placed.take, project.reel.rate) == 1


def shot_samples(placed: Placed, project: Project) -> tuple[int, int]:
    """First sample of a shot on the reel and the one behind its last, at 48,000 per second."""
    rate = project.reel.rate
    return round(placed.start * SOUND_RATE / rate), round(placed.end * SOUND_RATE / rate)


class ReelSound:
    """The sound of a reel, read piece by piece from films that stay open; for one thread at a time.

    The same instants sound the same in whatever pieces they are read. Sentences about damaged sound are added to
    `troubles`. What cannot be opened raises `MediaError` when it is read.
    """

    def __init__(self, project: Project, troubles: set[str] | None = None) -> None:
        self._project = project
        self._row = placed_shots(project)
        self._edges = [shot_samples(placed, project) for placed in self._row]
        self._reader = SoundReader(troubles)
        self._paced: OrderedDict[int, PacedSound] = OrderedDict()

    def close(self) -> None:
        self._reader.close()

    @property
    def samples(self) -> int:
        """How long the reel is."""
        return self._edges[-1][1] if self._edges else 0

    def read(self, first: int, count: int) -> Sound:
        """(count, 2) float32 from a sample of the reel; silence behind its end. What is too loud is left so."""
        result = np.zeros((count, 2), np.float32)
        index = max(0, bisect_right(self._edges, (first, self.samples + 1)) - 1)
        for number in range(index, len(self._row)):
            start, stop = self._edges[number]
            if start >= first + count:
                break
            low, high = max(first, start), min(first + count, stop)
            if low < high:
                result[low - first : high - first] = self.of_shot(number, low - start, high - start)
        music = self._project.music
        if music is not None:
            self._add_music(music, result, first)
        return result

    def of_shot(self, number: int, first: int = 0, end: int | None = None) -> Sound:
        """The takes' own sound under a shot of the reel, or some of its samples; silence where it has none.

        Of a take of varying rate it begins at the first frame's own instant.
        """
        placed = self._row[number]
        start, stop = self._edges[number]
        total = stop - start
        end = total if end is None else min(end, total)
        if not sounds(placed, self._project) or end <= first:
            return np.zeros((max(0, end - first), 2), np.float32)
        if not placed.even or placed.shot.pace.pitch == "kept":
            return _faded(self._paced_sound(number, total).read(first, end), first, total)
        begins_s, ends_s = _instants(placed.take, placed.shot.span)
        start_s = ends_s - end / SOUND_RATE if placed.shot.reverse else begins_s + first / SOUND_RATE
        sound = self._reader.read(Path(placed.take.path), start_s, end - first)
        if placed.shot.reverse:
            sound = sound[::-1].copy()
        return _faded(sound, first, total)

    def _paced_sound(self, number: int, total: int) -> PacedSound:
        there = self._paced.pop(number, None)
        if there is None:
            placed = self._row[number]
            stamps = _stamps(placed.take.path, placed.take.fingerprint) if placed.take.facts.variable else None
            there = PacedSound(placed=placed, stamps_s=stamps, total=total, reader=self._reader)
        self._paced[number] = there
        if len(self._paced) > _MOST_PACED:
            self._paced.popitem(last=False)
        return there

    def _add_music(self, music: Music, result: Sound, first: int) -> None:
        """Adds what of the music lies under some samples of the reel; it ends with the reel."""
        begins = round(music.start_s * SOUND_RATE)
        starts, ends = max(0, begins), min(self.samples, begins + round(music.seconds * SOUND_RATE))
        low, high = max(first, starts), min(first + len(result), ends)
        if low < high:
            sound = self._reader.read(Path(music.path), (low - begins) / SOUND_RATE, high - low)
            result[low - first : high - first] += music.gain * _faded(sound, low - starts, ends - starts)


def _faded(sound: Sound, first: int, total: int) -> Sound:
    """Some samples, from the `first` on, of so many in `total`, faded at their ends."""
    end = first + len(sound)
    at = np.arange(first, end)
    ramp = min(_RAMP_SAMPLES, total // 2)
    if ramp and (first < ramp or end > total - ramp):
        level = np.minimum(np.minimum(at, total - 1 - at) / ramp, 1).astype(np.float32)
        sound *= level[:, None]
    return sound


def _instants(take: Take, span: Span) -> tuple[float, float]:
    """When a span of a take begins and ends, in seconds from its first frame."""
    rate = take.facts.rate
    if not take.facts.variable:
        return float(span.first / rate), float(span.end / rate)
    stamps = _stamps(take.path, take.fingerprint)
    after = float(stamps[-1] + 1 / rate)
    begins, ends = (float(stamps[at]) if at < len(stamps) else after for at in (span.first, span.end))
    return begins, ends


@lru_cache(maxsize=16)
def _stamps(path: str, fingerprint: str) -> NDArray[np.float64]:
    return index_frames(Path(path)).times_s
