"""What the reel sounds like: its takes' own sound, cut where the picture is cut, and the music under it."""

from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Music, Project, Span, Take
from clevrin.core.join.between import CourseOf, made_join
from clevrin.core.join.kinds import kind_of
from clevrin.core.join.kinds.kind import Course
from clevrin.core.media.index import index_frames
from clevrin.core.media.sound_reading import SoundReader
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import Placed, placed_shots, speed
from clevrin.core.remembered import Remembered
from clevrin.core.sound.paced import PacedSound
from clevrin.core.sound.swish import swish

Sound = NDArray[np.float32]

_RAMP_SAMPLES = 480
"""10 ms at either end of a shot, so that no cut clicks."""
_SHORT_FRAMES = 6
"""How long to either side a move is heard where none is made, as in a whip cut."""


def has_sound(project: Project) -> bool:
    row = placed_shots(project)
    swishes = any(_number(placed, "swish") > 0 for placed in row[:-1])
    return project.music is not None or swishes or any(sounds(placed, project) for placed in row)


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
class _Crossing:
    """Where the sound of a shot passes into that of the next one: about a sample of the reel, over `half` to each side.

    `half` 0: it is cut there.
    """

    at: int
    half: int


class ReelSound:
    """The sound of a reel, read piece by piece from films that stay open; for one thread at a time.

    The same instants sound the same in whatever pieces they are read. Sentences about damaged sound are added to
    `troubles`. What cannot be opened raises `MediaError` when it is read.
    """

    def __init__(
        self, project: Project, troubles: set[str] | None = None, course_of: CourseOf = lambda _: None
    ) -> None:
        """`course_of`: how the cameras move, for what is made in the direction in which they go."""
        self._course_of = course_of
        self._project = project
        self._row = placed_shots(project)
        self._edges = [shot_samples(placed, project) for placed in self._row]
        self._crossings = _crossings(self._row, self._edges, project)
        self._reach = max(
            (abs(each.at - end) + each.half for each, (_, end) in zip(self._crossings, self._edges, strict=False)),
            default=0,
        )
        self._reader = SoundReader(troubles)
        self._kept = Remembered()

    def close(self) -> None:
        self._reader.close()

    @property
    def samples(self) -> int:
        """How long the reel is."""
        return self._edges[-1][1] if self._edges else 0

    def read(self, first: int, count: int) -> Sound:
        """(count, 2) float32 from a sample of the reel; silence behind its end. What is too loud is left so."""
        result = np.zeros((count, 2), np.float32)
        index = max(0, bisect_right(self._edges, (first - self._reach, self.samples + 1)) - 1)
        for number in range(index, len(self._row)):
            start, _ = self._edges[number]
            if start - self._reach >= first + count:
                break
            begins, ends = self._heard(number)
            low, high = max(first, begins), min(first + count, ends)
            if low < high:
                result[low - first : high - first] += self.of_shot(number, low - start, high - start)
            self._add_swish(number, result, first)
        music = self._project.music
        if music is not None:
            self._add_music(music, result, first)
        return result

    def blocks(self, first: int, end: int) -> Iterator[Sound]:
        """The sound from one sample of the reel up to another, a second at a time."""
        for at in range(first, end, SOUND_RATE):
            yield self.read(at, min(SOUND_RATE, end - at))

    def _heard(self, number: int) -> tuple[int, int]:
        """The samples of the reel in which a shot is heard."""
        begins, ends = 0, self.samples
        if number > 0:
            before = self._crossings[number - 1]
            begins = before.at - before.half
        if number < len(self._crossings):
            after = self._crossings[number]
            ends = after.at + after.half
        return max(0, begins), min(self.samples, ends)

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
        before = self._crossings[number - 1].half if number > 0 else 0
        after = self._crossings[number].half if number < len(self._crossings) else 0
        return _faded(sound, self._edges[number][0] + first, self._heard(number), (before, after))

    def _add_swish(self, number: int, result: Sound, first: int) -> None:
        """Adds what of the sound of the move behind a shot lies in some samples of the reel."""
        if number >= len(self._row) - 1 or _number(self._row[number], "swish") <= 0:
            return
        begins, sound = self._kept.once(("swish", number), partial(self._swish, number))
        low, high = max(first, begins), min(first + len(result), begins + len(sound))
        if low < high:
            result[low - first : high - first] += sound[low - begins : high - begins]

    def _swish(self, number: int) -> tuple[int, Sound]:
        """The sound of the move behind a shot, and the sample of the reel at which it begins."""
        reel = self._project.reel
        made = made_join(self._row, number, reel.height / reel.width, self._course_of)
        course = made.course if made is not None else Course(before=_SHORT_FRAMES, after=_SHORT_FRAMES)
        across = made.direction[0] if made is not None and "direction" in made.values else 0.0
        per_frame = float(SOUND_RATE / reel.rate)
        whole = course.before + course.after
        sound = swish(
            round(whole * per_frame),
            lambda share: course.strength(share * whole - course.before),
            across,
            _number(self._row[number], "swish"),
            seed=number,
        )
        return round(self._edges[number][1] - course.before * per_frame), sound

    def _paced_sound(self, placed: Placed, total: int) -> PacedSound:
        stamps = _stamps(placed.take.path, placed.take.fingerprint) if placed.take.facts.variable else None
        return PacedSound(placed=placed, stamps_s=stamps, total=total, reader=self._reader, cells=self._kept)

    def _add_music(self, music: Music, result: Sound, first: int) -> None:
        """Adds what of the music lies under some samples of the reel; it ends with the reel."""
        begins = round(music.start_s * SOUND_RATE)
        starts, ends = max(0, begins), min(self.samples, begins + round(music.seconds * SOUND_RATE))
        low, high = max(first, starts), min(first + len(result), ends)
        if low < high:
            sound = self._reader.read(Path(music.path), (low - begins) / SOUND_RATE, high - low)
            result[low - first : high - first] += music.gain * _faded(sound, low, (starts, ends))


def _crossings(row: tuple[Placed, ...], edges: list[tuple[int, int]], project: Project) -> list[_Crossing]:
    """How the sound of each shot but the last passes into the next one's; none reaches beyond its two shots."""
    per_frame = float(SOUND_RATE / project.reel.rate)
    found = []
    for number, (start, end) in enumerate(edges[:-1]):
        stop = edges[number + 1][1]
        at = round(end + _number(row[number], "sound_later") * per_frame)
        at = min(max(at, (start + end) // 2), (end + stop) // 2)
        half = round(_number(row[number], "sound_length") * per_frame / 2)
        found.append(
            _Crossing(
                at=at, half=max(0, min(half, (end - start) // 2 - abs(at - end), (stop - end) // 2 - abs(at - end)))
            )
        )
    return found


def _number(placed: Placed, name: str) -> float:
    """A setting of the join by which a shot leaves."""
    if not placed.shot.leave.settings:
        return 0.0
    value = kind_of(placed.shot.leave).values(placed.shot.leave).get(name, 0.0)
    return 0.0 if isinstance(value, str) else float(value)


def _faded(sound: Sound, first: int, heard: tuple[int, int], halves: tuple[int, int] = (0, 0)) -> Sound:
    """Samples from the `first` on of what is `heard` from one sample of the reel up to another, faded at both ends.

    `halves`: over how many to either side of an end it crosses into something else; 0: it only must not click.
    """
    (begins, ends), at = heard, first + np.arange(len(sound))
    ramp = min(_RAMP_SAMPLES, (ends - begins) // 2)
    level = np.ones(len(sound))
    for half, since in zip(halves, (at - begins, ends - 1 - at), strict=True):
        if half:  # as loud together as either alone
            level *= np.sin(np.clip((since + 0.5) / (2 * half), 0, 1) * np.pi / 2)
        elif ramp:
            level *= np.clip(since / ramp, 0, 1)
    return sound if (level == 1).all() else np.asarray(sound * level[:, None].astype(np.float32))


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
