"""Takes of any rate on a reel of its own rate: at the speed at which they were shot, or every frame of them."""

from bisect import bisect_right
from collections import OrderedDict
from dataclasses import dataclass
from fractions import Fraction
from math import ceil
from threading import Lock

from clevrin.core.document import Project, Shot, Take


@dataclass(frozen=True, kw_only=True)
class Placed:
    """A shot where it stands on the reel: frames `start` up to, not including, `end`.

    `rate`: how many frames of the take go by in a second of the reel, which has `reel_rate` of its own.
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

    def steps_to(self, frame: int) -> int:
        """How many frames of the take go by in the shot before this one; negative for one outside its start."""
        return self.shot.first_shown - frame if self.shot.reverse else frame - self.shot.first_shown


def played_rate(take: Take, reel_rate: Fraction) -> Fraction:
    """How many frames of a take go by in a second of the reel."""
    return reel_rate if take.conform == "every frame" else take.facts.rate


def speed(take: Take, reel_rate: Fraction) -> Fraction:
    """How fast a take plays on the reel: 1 as it was shot, 1/2 at half the speed."""
    return played_rate(take, reel_rate) / take.facts.rate


def shot_frames(shot: Shot, take: Take, reel_rate: Fraction) -> int:
    """How many reel frames a shot lasts: at least one."""
    rate = played_rate(take, reel_rate)
    # round(span.frames * reel_rate / rate) in whole numbers: Fraction takes ten times as long.
    return max(
        1, _rounded(shot.span.frames * reel_rate.numerator * rate.denominator, reel_rate.denominator * rate.numerator)
    )


def _rounded(numerator: int, denominator: int) -> int:
    """The nearest whole number, of two the even one."""
    whole, rest = divmod(numerator, denominator)
    return whole + (2 * rest > denominator or (2 * rest == denominator and whole % 2 == 1))


class _Rows:
    """The rows of the last few projects: a row of 300 shots costs a millisecond, and every frame asks for it."""

    def __init__(self) -> None:
        self._rows: OrderedDict[int, tuple[Project, tuple[Placed, ...]]] = OrderedDict()
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


_ROWS_KEPT = 6
_rows = _Rows()


def placed_shots(project: Project) -> tuple[Placed, ...]:
    """All shots of the reel in a row without gaps; remembered for the last few projects."""
    return _rows.of(project)


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


def reel_frames(project: Project) -> int:
    """The length of the reel in frames."""
    placed = placed_shots(project)
    return placed[-1].end if placed else 0


def shot_at(project: Project, frame: int) -> Placed | None:
    """The shot that a frame of the reel belongs to."""
    row = placed_shots(project)
    index = bisect_right(row, frame, key=lambda placed: placed.start) - 1
    return row[index] if index >= 0 and frame < row[index].end else None


def source_position(placed: Placed, frame: int, reel_rate: Fraction) -> Fraction:
    """How far into the take's own frames a reel frame reaches, counted from the start of the shot's span.

    Frames before or behind the shot are handles: they give positions outside 0 to `span.frames`.
    """
    return (frame - placed.start) * placed.rate / reel_rate


def nominal_frame(placed: Placed, frame: int, reel_rate: Fraction) -> int:
    """The frame of the take that stands at a frame of the reel, by even time; within the take."""
    return _played(placed, int(source_position(placed, frame, reel_rate) // 1))


def reel_frame(placed: Placed, frame: int, reel_rate: Fraction) -> int:
    """The first frame of the reel at which a frame of the take stands, by even time: turns `nominal_frame` round.

    A frame outside the shot's span gives the nearest frame of the shot.
    """
    at = placed.start + ceil(placed.steps_to(frame) * reel_rate / placed.rate)
    return min(max(at, placed.start), placed.end - 1)


def stamped_frame(placed: Placed, frame: int, reel_rate: Fraction, times_s: tuple[float, ...] | None) -> int:
    """The same by the film's own time stamps, in seconds, for takes of variable rate (None: even time).

    The span keeps the length that it has by even time; inside it every frame is shown at its own instant.
    """
    position = source_position(placed, frame, reel_rate)
    span = placed.shot.span
    if times_s is None or len(times_s) < 2 or not 0 <= position < span.frames:
        return _played(placed, int(position // 1))
    last = len(times_s) - 1
    start = times_s[span.first]
    end = times_s[span.end] if span.end <= last else times_s[last] + (times_s[last] - times_s[0]) / last
    share = float(position / span.frames)
    instant = end - share * (end - start) if placed.shot.reverse else start + share * (end - start)
    low, high = span.first, span.end - 1
    while low < high:  # the last frame that is on the screen at the instant
        middle = (low + high + 1) // 2
        if times_s[middle] <= instant + 1e-6:
            low = middle
        else:
            high = middle - 1
    return low


def _played(placed: Placed, steps: int) -> int:
    span = placed.shot.span
    frame = span.end - 1 - steps if placed.shot.reverse else span.first + steps
    return min(max(frame, 0), placed.take.facts.frames - 1)
