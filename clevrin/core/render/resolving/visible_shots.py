"""Which shots show at a frame of the reel, and how the joins between them have them show. Pure."""

from bisect import bisect_right
from dataclasses import dataclass

from clevrin.core.document.joining import LONGEST_DISSOLVE
from clevrin.core.join.balancing import EVEN, Gains, gains_at
from clevrin.core.join.between import CourseOf, Row, made_join
from clevrin.core.join.kinds import kind_of
from clevrin.core.join.kinds.kind import After, AreaOf, Door, Edge, Made, Move
from clevrin.core.pace import Placed

_NEAR = LONGEST_DISSOLVE + 1
"""How many shots before or behind one, each a frame long, may show in a dissolve with it."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Passing:
    """A shot that shows at a frame: its share of the picture, and what a join does to it.

    `move`: by the time from the middle of the frame, in frames; seen through a shutter. `edge`: it shows behind that.
    `gains` of its red, green and blue light. `door`: the surface that it is seen in, or that the other one is seen in,
    `at` this time from the cut; `area`: it is seen there; the `rest`: where the other one is not; `front`: what of it
    stands before the other one.
    """

    placed: Placed
    share: float
    move: Move | None = None
    edge: Edge | None = None
    shutter_deg: float = 0.0
    gains: Gains = EVEN
    door: Door | None = None
    area: AreaOf | None = None
    rest: bool = False
    front: AreaOf | None = None
    at: float = 0.0


@dataclass(frozen=True, kw_only=True, eq=False)
class Passed:
    """All that shows at a frame, and what is done to the whole picture."""

    shots: tuple[Passing, ...]
    effects: tuple[After, ...] = ()


def passed(row: Row, frame: int, aspect: float, course_of: CourseOf) -> Passed:
    """What shows at a frame of a reel; `aspect`: its height by its width. Nothing beyond its ends."""
    if not row or not 0 <= frame < row[-1].end:
        return Passed(shots=())
    middle = bisect_right(row, frame, key=lambda placed: placed.start) - 1
    for number in (middle, middle - 1):
        made = made_join(row, number, aspect, course_of) if 0 <= number < len(row) - 1 else None
        if made is None:
            continue
        cut = row[number].end
        if cut - made.before <= frame < cut + made.after:
            return _joined(row, number, made, frame)
    shots = _mix(row, middle, frame)
    return Passed(shots=tuple(Passing(placed=row[n], share=share, gains=_gains(row, n, frame)) for n, share in shots))


def _gains(row: Row, number: int, frame: int) -> Gains:
    """What of the balancing of the join by which a shot arrives is left at a frame."""
    join = row[number - 1].shot.leave if number else None
    if join is None or not join.settings:
        return EVEN
    given = {name: float(value) for name, value in kind_of(join).values(join).items() if name.startswith("balance")}
    return gains_at(given, frame + 0.5 - row[number].start)


def _joined(row: Row, number: int, made: Made, frame: int) -> Passed:
    before, after = row[number], row[number + 1]
    at = frame + 0.5 - before.end
    shots = []
    for placed, leaving in ((before, True), (after, False)):
        gains = _gains(row, number + (not leaving), frame)
        part = made.part(at, leaving=leaving)
        share = part.share
        if not made.kind.overlaps and before.shot.leave.dissolve_frames:
            arrived = _arrived(before, frame)
            share = 1 - arrived if leaving else arrived
        if share > 0:
            own = part.move
            move = None if own is None else lambda later, own=own: own(at + later)
            shots.append(
                Passing(
                    placed=placed,
                    share=share,
                    move=move,
                    edge=part.edge,
                    shutter_deg=made.shutter_deg,
                    gains=gains,
                    door=part.door,
                    area=part.area,
                    rest=part.rest,
                    front=part.front,
                    at=at,
                )
            )
    return Passed(shots=tuple(shots), effects=made.effects(at))


def _mix(row: Row, middle: int, frame: int) -> list[tuple[int, float]]:
    """Which shots of a row show at a frame, and with which weights: two in a dissolve, more where dissolves overlap.

    Each dissolve lays what comes on all that was there before it.
    """
    first, end = max(0, middle - _NEAR), min(len(row), middle + _NEAR + 1)
    shown: list[tuple[int, float]] = []
    rest = 1.0
    for number in range(end - 1, first - 1, -1):
        share = rest * (_arrived(row[number - 1], frame) if number > first else 1.0)
        if share > 0:
            shown.append((number, share))
        rest -= share
    return shown[::-1]


def _arrived(before: Placed, frame: int) -> float:
    """How far what follows a shot has come in at a frame, 0 to 1."""
    length = before.shot.leave.dissolve_frames
    step = frame - (before.end - length // 2) + 1
    return min(max(step / (length + 1), 0.0), 1.0)
