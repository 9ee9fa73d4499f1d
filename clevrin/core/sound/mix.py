"""What the reel sounds like: its three lanes (the takes' own sound, music, the swishes of joins), mixed.

One mixer serves playing and rendering: the same instants are the same samples, in whatever pieces they are read.
"""

from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass, replace
from functools import cached_property, partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Music, Project
from clevrin.core.join.between import CourseOf, made_join
from clevrin.core.join.kinds.kind import Course, Made
from clevrin.core.media.sound_reading import SoundReader
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Progress, check
from clevrin.core.sound.levels import faded, scaled
from clevrin.core.sound.loudness import TENTHS, LoudnessCourse, loudness_course
from clevrin.core.sound.lowering import Lowering
from clevrin.core.sound.swish import swish
from clevrin.core.sound.takes import TakesSound, shot_samples, sound_setting, sounds

Sound = NDArray[np.float32]

_SHORT_FRAMES = 6
"""How long to either side a move is heard where none is made, as in a whip cut."""


def has_sound(project: Project) -> bool:
    """Whether anything of the reel is heard."""
    row, mix = placed_shots(project), project.mix
    takes = mix.takes.gain > 0 and any(sounds(placed, project) for placed in row)
    swishes = mix.swishes.gain > 0 and any(sound_setting(placed, "swish") > 0 for placed in row[:-1])
    return takes or swishes or (mix.music.gain > 0 and project.music is not None)


def reel_loudness(project: Project, progress: Progress, course_of: CourseOf = lambda _: None) -> LoudnessCourse:
    """How loud a reel is as it goes on. Raises as reading it does; costs what mixing costs, and 25 ms a second."""
    with closing(ReelSound(project, None, course_of)) as sound:
        shares: list[NDArray[np.float32]] = []

        def blocks() -> Iterator[Sound]:
            at = 0
            for block in sound.blocks(0, sound.samples):
                check(progress)
                if sound.makes_room:
                    shares.append(sound.music_share(at, len(block)))
                yield block
                at += len(block)

        course = loudness_course(blocks())
        return replace(course, music_share=np.concatenate(shares)) if shares else course


class ReelSound:
    """The sound of a reel, read piece by piece from films that stay open; for one thread at a time.

    Sentences about damaged sound are added to `troubles`. What cannot be opened raises `MediaError` when it is read.
    """

    def __init__(
        self, project: Project, troubles: set[str] | None = None, course_of: CourseOf = lambda _: None
    ) -> None:
        """`course_of`: how the cameras move, for what is made in the direction in which they go."""
        mix = project.mix
        self._mix = mix
        self._takes = TakesSound(project, troubles)
        self._swishes = _Swishes(project, course_of)
        self._music = None
        if project.music is not None and mix.music.gain > 0:
            self._music = _MusicSound(project.music, self.samples, troubles)
        self._lowering: Lowering | None = None
        if self._music is not None and mix.lowered_db > 0 and mix.takes.gain > 0:
            # By films of its own: it reads ahead of what is heard.
            self._ahead = TakesSound(project)
            self._lowering = Lowering(
                lambda first, count: scaled(self._ahead.read(first, count), mix.takes.gain), mix.lowered_db
            )

    def close(self) -> None:
        self._takes.close()
        if self._music is not None:
            self._music.close()
        if self._lowering is not None:
            self._ahead.close()

    @property
    def samples(self) -> int:
        """How long the reel is."""
        return self._takes.samples

    def read(self, first: int, count: int) -> Sound:
        """(count, 2) float32 from a sample of the reel; silence behind its end. What is too loud is left so."""
        result = np.zeros((count, 2), np.float32)
        mix = self._mix
        if mix.takes.gain > 0:
            result += scaled(self._takes.read(first, count), mix.takes.gain)
        if mix.swishes.gain > 0:
            self._swishes.add(result, first, mix.swishes.gain)
        if self._music is not None:
            self._add_music(self._music, result, first)
        return result

    @property
    def makes_room(self) -> bool:
        """Whether the music goes down where the takes are loud."""
        return self._lowering is not None

    def music_share(self, first: int, count: int) -> NDArray[np.float32]:
        """(tenths,) float32: what music that makes room is multiplied by in each tenth of a second from a sample on."""
        assert self._lowering is not None, "it makes room"
        every = SOUND_RATE // TENTHS
        return self._lowering.level(first, count)[every // 2 :: every].astype(np.float32)

    def blocks(self, first: int, end: int) -> Iterator[Sound]:
        """The sound from one sample of the reel up to another, a second at a time."""
        for at in range(first, end, SOUND_RATE):
            yield self.read(at, min(SOUND_RATE, end - at))

    def _add_music(self, music: "_MusicSound", result: Sound, first: int) -> None:
        low, sound = music.read(first, len(result))
        if not len(sound):
            return
        sound = scaled(sound, self._mix.music.gain)
        if self._lowering is not None:
            sound = scaled(sound, self._lowering.level(low, len(sound)))
        result[low - first : low - first + len(sound)] += sound


class _MusicSound:
    """The second lane: the music where it lies under the reel; it ends with the reel."""

    def __init__(self, music: Music, samples: int, troubles: set[str] | None) -> None:
        self._music, self._reader = music, SoundReader(troubles)
        self._begins = round(music.start_s * SOUND_RATE)
        self._heard = max(0, self._begins), min(samples, self._begins + round(music.seconds * SOUND_RATE))
        self._fades = round(music.fade_in_s * SOUND_RATE), round(music.fade_out_s * SOUND_RATE)

    def close(self) -> None:
        self._reader.close()

    def read(self, first: int, count: int) -> tuple[int, Sound]:
        """What of it lies in some samples of the reel, and the first of these at which it does."""
        low, high = max(first, self._heard[0]), min(first + count, self._heard[1])
        if low >= high:
            return first, np.zeros((0, 2), np.float32)
        sound = self._reader.read(Path(self._music.path), (low - self._begins) / SOUND_RATE, high - low)
        return low, scaled(faded(sound, low, self._heard, fades=self._fades), self._music.gain)


@dataclass(frozen=True, kw_only=True)
class _Swish:
    """Where the move behind a shot is heard: from one sample of the reel up to another; None made: a plain cut."""

    number: int
    begins: int
    ends: int
    course: Course
    made: Made | None


class _Swishes:
    """The third lane: the sound of the moves that joins make."""

    def __init__(self, project: Project, course_of: CourseOf) -> None:
        self._project, self._course_of = project, course_of
        self._row = placed_shots(project)
        self._kept = ByteCache()

    def add(self, result: Sound, first: int, gain: float) -> None:
        """Adds what of them lies in some samples of the reel from the `first` on."""
        for each in self._all:
            low, high = max(first, each.begins), min(first + len(result), each.ends)
            if low < high:
                sound = self._kept.once(each.number, partial(self._sound, each))
                result[low - first : high - first] += scaled(sound[low - each.begins : high - each.begins], gain)

    @cached_property
    def _all(self) -> list[_Swish]:
        wanted = [number for number, each in enumerate(self._row[:-1]) if sound_setting(each, "swish") > 0]
        return [self._placed(number) for number in wanted]

    def _placed(self, number: int) -> _Swish:
        reel = self._project.reel
        made = made_join(self._row, number, reel.aspect, self._course_of)
        course = made.course if made is not None else Course(before=_SHORT_FRAMES, after=_SHORT_FRAMES)
        per_frame = float(SOUND_RATE / reel.rate)
        _, cut = shot_samples(self._row[number], self._project)
        begins = round(cut - course.before * per_frame)
        ends = begins + round((course.before + course.after) * per_frame)
        return _Swish(number=number, begins=begins, ends=ends, course=course, made=made)

    def _sound(self, each: _Swish) -> Sound:
        made, course = each.made, each.course
        whole = course.before + course.after
        return swish(
            each.ends - each.begins,
            lambda share: course.strength(share * whole - course.before),
            made.direction[0] if made is not None and "direction" in made.values else 0.0,
            sound_setting(self._row[each.number], "swish"),
            seed=each.number,
        )
