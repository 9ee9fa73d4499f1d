"""Takes of any rate on a reel of its own rate: which frame of which take stands at which frame of the reel."""

from bisect import bisect_right
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from math import ceil
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Project, Shot, Span, Take
from clevrin.core.document.joining import Join
from clevrin.core.document.pacing import SLOWEST
from clevrin.core.pace.curve import instant_of, progress_of
from clevrin.core.pace.time_map import EvenTime, TimeMap, frame_of, instant_at, time_map


@dataclass(frozen=True, kw_only=True)
class Placed:
    """A shot where it stands on the reel: frames `start` up to, not including, `end`.

    `rate`: how many frames of the take go by in a second of the reel where no speed is set; `reel_rate`: the reel's.
    """

    shot: Shot
    take: Take
    start: int
    end: int
    rate: Fraction
    reel_rate: Fraction

    @property
    def frames(self) -> int:
        return self.end - self.start

    @cached_property
    def time(self) -> TimeMap:
        """The map between its frames, counted from its first one, and instants of its take."""
        return time_map(self.shot, self.take.facts.rate, self.rate, self.reel_rate)

    def speed_at(self, frame: int | Fraction) -> Fraction:
        """How fast it plays at a frame of the reel: 1 as it was shot, below 0 against its direction of play."""
        return self.rate_at(frame) / self.take.facts.rate

    def rate_at(self, frame: int | Fraction) -> Fraction:
        """How many frames of the take go by in a second of the reel at a frame of it, along the direction of play."""
        return self.time.speed(frame - self.start) * self.reel_rate

    @property
    def even(self) -> bool:
        """Whether it plays at one rate throughout."""
        return isinstance(self.time, EvenTime)

    @cached_property
    def course(self) -> NDArray[np.float64]:
        """(frames + 1,): how many frames of its span have gone by at the beginning of each of its reel's frames."""
        edges = self.time.seen(np.arange(-0.5, self.frames, dtype=np.float64)).progress
        edges[[0, -1]] = np.where(edges[[0, -1]] < self.shot.span.frames / 2, 0.0, self.shot.span.frames)
        return np.clip(edges, 0.0, self.shot.span.frames)


def played_rate(take: Take, reel_rate: Fraction) -> Fraction:
    """How many frames of a take go by in a second of the reel where no speed is set."""
    return reel_rate if take.conform == "every frame" else take.facts.rate


def speed(take: Take, reel_rate: Fraction) -> Fraction:
    """How fast a take plays on the reel where no speed is set: 1 as it was shot, 1/2 at half the speed."""
    return played_rate(take, reel_rate) / take.facts.rate


def rates_along(placed: Placed) -> NDArray[np.float64]:
    """(frames of its take,): how many frames go by in a second of the reel where the shot shows each of them.

    Beyond its span as where it begins or ends, for there it would be cut anew; where it stands, as slowly as can be.
    """
    take, shot = placed.take, placed.shot
    frames = take.facts.frames
    if placed.even:
        return np.full(frames, float(abs(placed.rate)))
    whole = time_map(shot.changed(span=take.whole), take.facts.rate, placed.rate, placed.reel_rate)
    seen = whole.seen(np.arange(-0.5, whole.frames, 0.5))
    gone = np.maximum.accumulate(seen.progress)
    rates = np.maximum(np.abs(seen.speed) * float(placed.reel_rate), SLOWEST * float(take.facts.rate))
    at = np.interp(np.arange(frames) + 0.5, gone, rates)
    return np.asarray(at[::-1] if shot.reverse else at)


def shot_frames(shot: Shot, take: Take, reel_rate: Fraction) -> int:
    """How many reel frames a shot lasts: at least one."""
    return time_map(shot, take.facts.rate, played_rate(take, reel_rate), reel_rate).frames


class _Rows:
    """The rows of the last few projects: a row of 300 shots costs a millisecond, and every frame asks for it."""

    def __init__(self) -> None:
        self._rows: OrderedDict[int, tuple[Project, tuple[Placed, ...]]] = OrderedDict()
        self._numbers: OrderedDict[int, tuple[Project, dict[str, int]]] = OrderedDict()
        self._lock = Lock()

    def of(self, project: Project) -> tuple[Placed, ...]:
        with self._lock:
            known = self._rows.get(id(project))
        if known is not None:  # it holds its project: no other one can have the same identity
            return known[1]
        with self._lock:
            newest = next(reversed(self._rows.values()), None)
        row = _row(project, newest[1] if newest is not None else ())
        with self._lock:
            self._rows[id(project)] = project, row
            while len(self._rows) > _ROWS_KEPT:
                self._rows.popitem(last=False)
        return row

    def numbers(self, project: Project) -> dict[str, int]:
        """Where on the reel each shot stands, by its id."""
        with self._lock:
            known = self._numbers.get(id(project))
        if known is not None:
            return known[1]
        numbers = {shot.id: number for number, shot in enumerate(project.reel.shots)}
        with self._lock:
            self._numbers[id(project)] = project, numbers
            while len(self._numbers) > _ROWS_KEPT:
                self._numbers.popitem(last=False)
        return numbers


_HALF = Fraction(1, 2)
_ROWS_KEPT = 6
_rows = _Rows()


def placed_shots(project: Project) -> tuple[Placed, ...]:
    """All shots of the reel in a row without gaps; remembered for the last few projects."""
    return _rows.of(project)


def arrives_by(project: Project, shot_id: str) -> Join | None:
    """The join by which a shot of the reel arrives; None for the first one, and for one that is not on it."""
    number = _rows.numbers(project).get(shot_id, 0)
    return project.reel.shots[number - 1].leave if number else None


def _row(project: Project, known: tuple[Placed, ...] = ()) -> tuple[Placed, ...]:
    """The row of a project; where the `known` row of another one agrees with it, its values are shared."""
    takes = {take.id: take for take in project.takes}
    rate = project.reel.rate
    row, at = [], 0
    for index, shot in enumerate(project.reel.shots):
        take = takes[shot.take_id]
        before = known[index] if index < len(known) else None
        if (
            before is not None
            and before.shot is shot
            and before.take is take
            and before.start == at
            and before.reel_rate == rate
        ):
            row.append(before)
        else:
            end = at + shot_frames(shot, take, rate)
            row.append(Placed(shot=shot, take=take, start=at, end=end, rate=played_rate(take, rate), reel_rate=rate))
        at = row[-1].end
    return tuple(row)


def placed_shot(project: Project, shot_id: str) -> Placed | None:
    """A shot where it stands on the reel; None for one that does not."""
    return next((placed for placed in placed_shots(project) if placed.shot.id == shot_id), None)


def reel_frames(project: Project) -> int:
    """The length of the reel in frames."""
    placed = placed_shots(project)
    return placed[-1].end if placed else 0


def shot_at(project: Project, frame: int) -> Placed | None:
    """The shot that a frame of the reel belongs to."""
    row = placed_shots(project)
    index = bisect_right(row, frame, key=lambda placed: placed.start) - 1
    return row[index] if index >= 0 and frame < row[index].end else None


def reel_position(placed: Placed, frame: int | Fraction) -> Fraction:
    """Where on the reel, in frames of it, an instant of the take stands first by even time; may lie outside."""
    return placed.start + frame_of(placed.time, frame)


def reel_instant(placed: Placed, frame: int | Fraction) -> Fraction:
    """The instant of the take that a frame of the reel stands for by even time; may lie outside of the take."""
    return instant_at(placed.time, frame - placed.start)


def nominal_frame(placed: Placed, frame: int) -> int:
    """The frame of the take that stands at a frame of the reel, by even time; within the take.

    It is the one on the screen at the middle of the reel's frame. What was matched at a shot's ends is seen. Frames
    before or behind the shot are handles: they give frames outside of its span.
    """
    at = frame - placed.start
    steps = placed.time.step(at)
    if 0 <= at < placed.frames:
        steps = min(max(steps, 0), placed.shot.span.frames - 1)
    return _played(placed, steps)


def reel_frame(placed: Placed, frame: int) -> int:
    """The first frame of the reel at which a frame of the take stands, or the next one that is shown, by even time.

    A frame outside the shot's span gives the nearest frame of the shot.
    """
    wanted = ceil(progress_of(placed.shot, frame)) - 1
    at = min(max(ceil(reel_position(placed, frame)) - 2, placed.start), placed.end - 1)
    while at < placed.end - 1 and placed.time.step(at - placed.start) < wanted:
        at += 1
    return at


def stamped_frame(placed: Placed, frame: int, times_s: tuple[float, ...] | None) -> int:
    """The same as `nominal_frame` by the film's own time stamps, in seconds, for takes of variable rate.

    `times_s` None: even time. The span keeps the length that it has by even time. Inside it every frame is shown,
    nearest to its own instant, as long as there are as many frames of the reel; what the camera left out is filled by
    the nearer neighbour. A shot with speeds of its own plays at them by its take's own clock.
    """
    at, span = frame - placed.start, placed.shot.span
    if times_s is None or not _has_own_clock(placed, times_s) or not 0 <= at < placed.frames:
        return nominal_frame(placed, frame)
    if placed.shot.pace.points:
        return round(stamped_instant(placed, frame, times_s))
    return _played(placed, _stamped.of(times_s, span, placed.frames, reverse=placed.shot.reverse)[at])


def stamped_instants(placed: Placed, times_s: tuple[float, ...] | None) -> NDArray[np.float64]:
    """(frames,): the moments that all frames of a shot show, as `stamped_instant` says of one; for drawing."""
    u = placed.time.seen(np.arange(placed.frames, dtype=float)).moment
    instants = placed.shot.span.end - 0.5 - u if placed.shot.reverse else placed.shot.span.first + u - 0.5
    if times_s is not None and _has_own_clock(placed, times_s):
        instants = _by_own_clock(placed, times_s, instants)
    return np.clip(instants, 0, placed.take.facts.frames - 1)


def stamped_instant(placed: Placed, frame: int | Fraction, times_s: tuple[float, ...] | None) -> Fraction:
    """The moment of the take that a frame of the reel shows where moments are made, by the film's own time stamps.

    It lies within the take. What the camera left out is between two frames, as long as it lasted.
    """
    instant = instant_of(placed.shot, placed.time.moment(frame - placed.start))
    if times_s is not None and _has_own_clock(placed, times_s):
        (found,) = _by_own_clock(placed, times_s, np.array([float(instant)]))
        instant = Fraction(float(found)).limit_denominator(10**6)
    return min(max(instant, Fraction(0)), Fraction(placed.take.facts.frames - 1))


def _has_own_clock(placed: Placed, times_s: tuple[float, ...]) -> bool:
    """Whether a shot plays by the time stamps of its take."""
    return placed.take.conform == "as shot" and 1 < len(times_s) >= placed.shot.span.end


def _by_own_clock(placed: Placed, times_s: tuple[float, ...], instants: NDArray[np.float64]) -> NDArray[np.float64]:
    """Instants (n,) of even time, by the stamps of the take; its span keeps the length that it has by even time."""
    span = placed.shot.span
    share = (np.clip(instants + 0.5 - span.first, 0.0, span.frames) - 0.5) / span.frames
    at_s = times_s[span.first] + share * (_end_s(times_s, span) - times_s[span.first])
    return np.interp(at_s, times_s, np.arange(len(times_s)))


class _Stamped:
    """Which frame of a span, counted in the order of play, stands at each frame of the reel; the last few spans."""

    def __init__(self) -> None:
        self._known: OrderedDict[object, tuple[tuple[float, ...], tuple[int, ...]]] = OrderedDict()
        self._lock = Lock()

    def of(self, times_s: tuple[float, ...], span: Span, frames: int, *, reverse: bool) -> tuple[int, ...]:
        key = id(times_s), span.first, span.end, frames, reverse
        with self._lock:
            found = self._known.get(key)
        if found is not None:  # it holds its stamps: no other ones can have the same identity
            return found[1]
        steps = _placed_by_stamps(np.array(times_s), span, frames, reverse=reverse)
        with self._lock:
            self._known[key] = times_s, steps
            while len(self._known) > _SPANS_KEPT:
                self._known.popitem(last=False)
        return steps


_SPANS_KEPT = 64
_stamped = _Stamped()


def _end_s(times_s: Sequence[float] | NDArray[np.float64], span: Span) -> float:
    """When a span ends: when what comes behind it begins, or a frame's usual time after its last one."""
    last = len(times_s) - 1
    return float(times_s[span.end] if span.end <= last else times_s[last] + (times_s[last] - times_s[0]) / last)


def _placed_by_stamps(times_s: NDArray[np.float64], span: Span, frames: int, *, reverse: bool) -> tuple[int, ...]:
    starts = np.append(times_s[span.first : span.end], _end_s(times_s, span))
    if reverse:
        starts = (-starts)[::-1]
    # When each is shown, in frames of the reel, and when the last one ends.
    at = (starts - starts[0]) / max(1e-9, starts[-1] - starts[0]) * frames
    count = span.frames
    if count > frames:
        spread = np.linspace(0, at[count - 1], frames)
        after = np.clip(np.searchsorted(at[:count], spread), 1, count - 1)
        nearer = spread - at[after - 1] <= at[after] - spread
        return tuple(int(step) for step in np.where(nearer, after - 1, after))
    slots = _slots(at[:count], frames)
    gaps = np.diff(np.append(slots, frames))
    usual = float(np.median(np.diff(at)))
    shown = np.repeat(np.arange(count), gaps)
    shown = np.concatenate([np.zeros(frames - len(shown), np.int64), shown])
    for step in np.flatnonzero((gaps[:-1] > 1) & (np.diff(at[:count]) > 1.5 * usual)):
        # The camera left something out: the second half of the gap is nearer to what comes next.
        shown[slots[step] + gaps[step] // 2 + 1 : slots[step] + gaps[step]] = step + 1
    return tuple(int(step) for step in shown)


def _slots(at: NDArray[np.float64], frames: int) -> NDArray[np.int64]:
    """A frame of the reel of its own for each instant, the nearest that is free, in their order."""
    turns = np.exp(2j * np.pi * at)
    phase = float(np.angle(turns.mean())) / (2 * np.pi)  # jitter of the first one must not shift all others
    slots = np.round(at - phase).astype(np.int64)
    order = np.arange(len(slots))
    slots = np.maximum.accumulate(np.maximum(slots, 0) - order) + order
    room = frames - len(slots)
    return np.minimum.accumulate(np.minimum(slots - order, room)[::-1])[::-1] + order


def _played(placed: Placed, steps: int) -> int:
    frame = int(instant_of(placed.shot, steps + _HALF))
    return min(max(frame, 0), placed.take.facts.frames - 1)
