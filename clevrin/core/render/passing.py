"""Which shots show at a frame of the reel, and how the joins between them have them show. Pure."""

from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from clevrin.core.document import Shot
from clevrin.core.document.joining import LONGEST_DISSOLVE
from clevrin.core.join.kinds import kind_of
from clevrin.core.join.kinds.kind import After, Edge, Made, Move, Sides
from clevrin.core.motion.trace import Trace
from clevrin.core.pace import Placed

Row = tuple[Placed, ...]
CourseOf = Callable[[Shot], Trace | None]
"""How the camera of a shot moved, as far as that is known."""

_NEAR = LONGEST_DISSOLVE + 1
"""How many shots before or behind one, each a frame long, may show in a dissolve with it."""
_MOVES_WIDTHS_PER_S = 0.1


@dataclass(frozen=True, kw_only=True, eq=False)
class Passing:
    """A shot that shows at a frame: its share of the picture, and what a join does to it.

    `move`: by the time from the middle of the frame, in frames; seen through a shutter. `edge`: it shows behind that.
    """

    placed: Placed
    share: float
    move: Move | None = None
    edge: Edge | None = None
    shutter_deg: float = 0.0


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
    return Passed(shots=tuple(Passing(placed=each, share=share) for each, share in _mix(row, middle, frame)))


def made_join(row: Row, number: int, aspect: float, course_of: CourseOf) -> Made | None:
    """The join by which a shot of a row leaves, between its sides; None for one that takes no time.

    A shot that is joined so at both of its ends gives either the half of itself: they do not overlap.
    """
    before, after = row[number], row[number + 1]
    kind = kind_of(before.shot.leave)
    if not kind.long:
        return None
    sides = Sides(
        before=_room(row, number, leaving=True),
        after=_room(row, number + 1, leaving=False),
        aspect=aspect,
        leaving_deg=_direction_deg(before, course_of(before.shot), leaving=True),
        arriving_deg=_direction_deg(after, course_of(after.shot), leaving=False),
    )
    return kind.made(before.shot.leave, sides)


def what_is_short(row: Row, number: int, made: Made) -> list[str]:
    """What a join has to do without, in sentences: frames of its length, and what its sides show beyond their cuts."""
    before, after = row[number], row[number + 1]
    sentences = []
    wanted = round(float(made.values["length"]))
    if made.before + made.after < wanted:
        lasts = made.before + made.after
        sentences.append(f"The {made.kind.id} lasts {lasts} frames instead of {wanted}: its shots are short.")
    if made.kind.overlaps:
        beyond = _beyond(before, made.after, leaving=True), _beyond(after, made.before, leaving=False)
        for placed, missing in zip((before, after), beyond, strict=True):
            if missing:
                name = placed.take.name
                sentences.append(f"{name} has nothing beyond its cut for {missing} frames: it stands still there.")
    return sentences


def _beyond(placed: Placed, frames: int, *, leaving: bool) -> int:
    """For how many of some frames beyond its cut a shot has nothing of its take to show."""
    shot = placed.shot
    at = placed.end - 1 if leaving else placed.start
    forward = leaving != shot.reverse
    left = placed.take.facts.frames - shot.span.end if forward else shot.span.first
    per_frame = max(1e-6, abs(float(placed.rate_at(at))) / float(placed.reel_rate))
    return max(0, frames - int(left / per_frame + 1e-6))


def _room(row: Row, number: int, *, leaving: bool) -> int:
    """How many of its frames a shot has for a join at one of its ends."""
    other = number - 1 if leaving else number
    shared = 0 <= other < len(row) - 1 and kind_of(row[other].shot.leave).long
    frames = row[number].frames
    return frames // 2 if shared else frames - 1


def _joined(row: Row, number: int, made: Made, frame: int) -> Passed:
    before, after = row[number], row[number + 1]
    at = frame + 0.5 - before.end
    shots = []
    for placed, leaving in ((before, True), (after, False)):
        part = made.part(at, leaving=leaving)
        share = part.share
        if not made.kind.overlaps and before.shot.leave.dissolve_frames:
            arrived = _arrived(before, frame)
            share = 1 - arrived if leaving else arrived
        if share > 0:
            own = part.move
            move = None if own is None else lambda later, own=own: own(at + later)
            shots.append(Passing(placed=placed, share=share, move=move, edge=part.edge, shutter_deg=made.shutter_deg))
    return Passed(shots=tuple(shots), effects=made.effects(at))


def _direction_deg(placed: Placed, course: Trace | None, *, leaving: bool) -> float | None:
    """Where the camera of a shot goes at a cut, as the reel shows it; None where it hardly does, or is not known."""
    if course is None:
        return None
    shot = placed.shot
    frame = shot.last_shown if leaving else shot.first_shown
    at = placed.end - 1 if leaving else placed.start
    # What is seen to move goes the other way; y is down in pictures.
    x, y = course.velocity_px[frame] * (-1, 1) / course.width * float(placed.rate_at(at))
    if shot.reverse:
        x, y = -x, -y
    if shot.mirror in ("horizontal", "both"):
        x = -x
    if shot.mirror in ("vertical", "both"):
        y = -y
    return None if np.hypot(x, y) < _MOVES_WIDTHS_PER_S else float(np.degrees(np.arctan2(y, x)))


def _mix(row: Row, middle: int, frame: int) -> list[tuple[Placed, float]]:
    """Which shots show at a frame, and with which weights: two during a dissolve, more where dissolves overlap.

    Each dissolve lays what comes on all that was there before it.
    """
    first, end = max(0, middle - _NEAR), min(len(row), middle + _NEAR + 1)
    shown: list[tuple[Placed, float]] = []
    rest = 1.0
    for number in range(end - 1, first - 1, -1):
        share = rest * (_arrived(row[number - 1], frame) if number > first else 1.0)
        if share > 0:
            shown.append((row[number], share))
        rest -= share
    return shown[::-1]


def _arrived(before: Placed, frame: int) -> float:
    """How far what follows a shot has come in at a frame, 0 to 1."""
    length = before.shot.leave.dissolve_frames
    step = frame - (before.end - length // 2) + 1
    return min(max(step / (length + 1), 0.0), 1.0)
