"""The takes' own sound under the reel, cut where the picture is cut, or passing over as joins say."""

from bisect import bisect_right
from dataclasses import dataclass
from functools import lru_cache
from math import ceil
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Project, Span, Take
from clevrin.core.document.sounding import gain_of
from clevrin.core.join.kinds import kind_of
from clevrin.core.media.index import index_frames
from clevrin.core.media.sound_reading import SoundReader
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import Placed, placed_shots, speed
from clevrin.core.sound.levels import faded, scaled
from clevrin.core.sound.paced import PacedSound

Sound = NDArray[np.float32]


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


@dataclass(frozen=True, kw_only=True)
class HeardShot:
    """Where a shot is heard: from one sample of the reel up to another, crossing into its neighbours about its ends.

    `crosses_in`, `crosses_out`: over so many samples to either side of an end; 0: it is cut there.
    """

    begins: int
    ends: int
    crosses_in: int = 0
    crosses_out: int = 0


def heard_shot(row: tuple[Placed, ...], project: Project, number: int) -> HeardShot:
    """Where a shot of a row is heard, as the joins before and behind it say; none reaches beyond its two shots."""
    begins, ends = shot_samples(row[number], project)
    crosses_in = crosses_out = 0
    if number > 0:
        at, crosses_in = _crossing(row, project, number - 1)
        begins = at - crosses_in
    if number < len(row) - 1:
        at, crosses_out = _crossing(row, project, number)
        ends = at + crosses_out
    last = shot_samples(row[-1], project)[1]
    return HeardShot(begins=max(0, begins), ends=min(last, ends), crosses_in=crosses_in, crosses_out=crosses_out)


def _crossing(row: tuple[Placed, ...], project: Project, number: int) -> tuple[int, int]:
    """The sample at which the sound of a shot passes into that of the next one, and over how many to each side."""
    per_frame = float(SOUND_RATE / project.reel.rate)
    start, end = shot_samples(row[number], project)
    _, stop = shot_samples(row[number + 1], project)
    at = round(end + sound_setting(row[number], "sound_later") * per_frame)
    at = min(max(at, (start + end) // 2), (end + stop) // 2)
    half = round(sound_setting(row[number], "sound_length") * per_frame / 2)
    return at, max(0, min(half, (end - start) // 2 - abs(at - end), (stop - end) // 2 - abs(at - end)))


class TakesSound:
    """The first lane: each shot's own sound, cut where the picture is cut, or passing over as its join says.

    Read piece by piece from films that stay open; for one thread at a time. The same instants sound the same in
    whatever pieces they are read.
    """

    def __init__(self, project: Project, troubles: set[str] | None = None) -> None:
        """Sentences about damaged sound are added to `troubles`."""
        self._project = project
        self._row = placed_shots(project)
        self._edges = [shot_samples(placed, project) for placed in self._row]
        self._per_frame = float(SOUND_RATE / project.reel.rate)
        farthest = max(
            (
                abs(sound_setting(placed, "sound_later")) + sound_setting(placed, "sound_length") / 2
                for placed in self._row[:-1]
            ),
            default=0.0,
        )
        self._reach = ceil(farthest * self._per_frame)
        """No shot is heard farther beyond its picture."""
        self._reader = SoundReader(troubles)
        self._cells = ByteCache()

    def close(self) -> None:
        self._reader.close()

    @property
    def samples(self) -> int:
        """How long the reel is."""
        return self._edges[-1][1] if self._edges else 0

    def read(self, first: int, count: int) -> Sound:
        """(count, 2) float32 from a sample of the reel; silence behind its end."""
        result = np.zeros((count, 2), np.float32)
        index = max(0, bisect_right(self._edges, (first - self._reach, self.samples + 1)) - 1)
        for number in range(index, len(self._row)):
            start, _ = self._edges[number]
            if start - self._reach >= first + count:
                break
            heard = heard_shot(self._row, self._project, number)
            low, high = max(first, heard.begins), min(first + count, heard.ends)
            if low < high:
                result[low - first : high - first] += self.of_shot(number, low - start, high - start)
        return result

    def of_shot(self, number: int, first: int = 0, end: int | None = None) -> Sound:
        """The takes' own sound under a shot of the reel, or some of its samples; silence where it has none.

        Where its sound goes on beyond its picture, that of its take does: samples may be below 0 and beyond its last.
        Of a take of varying rate it begins at the first frame's own instant.
        """
        placed = self._row[number]
        start, stop = self._edges[number]
        total = stop - start
        end = total if end is None else end
        if not sounds(placed, self._project) or end <= first:
            return np.zeros((max(0, end - first), 2), np.float32)
        if not placed.even or placed.shot.pace.pitch == "kept":
            return self._levelled(self._paced_sound(placed, total).read(first, end), number, first)
        begins_s, ends_s = _instants(placed.take, placed.shot.span)
        start_s = ends_s - end / SOUND_RATE if placed.shot.reverse else begins_s + first / SOUND_RATE
        sound = self._reader.read(Path(placed.take.path), start_s, end - first)
        if placed.shot.reverse:
            sound = sound[::-1].copy()
        return self._levelled(sound, number, first)

    def _levelled(self, sound: Sound, number: int, first: int) -> Sound:
        """Some samples of a shot from the `first` on, as loud as crossings leave them."""
        heard = heard_shot(self._row, self._project, number)
        own = self._row[number].shot.sound
        fades = round(own.fade_in * self._per_frame), round(own.fade_out * self._per_frame)
        halves = heard.crosses_in, heard.crosses_out
        made = faded(sound, self._edges[number][0] + first, (heard.begins, heard.ends), halves, fades)
        return scaled(made, gain_of(own.level_db))

    def _paced_sound(self, placed: Placed, total: int) -> PacedSound:
        stamps = _stamps(placed.take.path, placed.take.fingerprint) if placed.take.facts.variable else None
        return PacedSound(placed=placed, stamps_s=stamps, total=total, reader=self._reader, cells=self._cells)


def sound_setting(placed: Placed, name: str) -> float:
    """A setting of the join by which a shot leaves."""
    if not placed.shot.leave.settings:
        return 0.0
    value = kind_of(placed.shot.leave).values(placed.shot.leave).get(name, 0.0)
    return 0.0 if isinstance(value, str) else float(value)


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
