"""A join between two shots of a reel: how much room it has, where its cameras go, and what it has to do without."""

from collections.abc import Callable

import numpy as np

from clevrin.core.document import Shot
from clevrin.core.join.kinds import kind_of
from clevrin.core.join.kinds.kind import Made, Sides
from clevrin.core.motion.trace import Trace
from clevrin.core.pace import Placed

Row = tuple[Placed, ...]
CourseOf = Callable[[Shot], Trace | None]
"""How the camera of a shot moved, as far as that is known."""

_MOVES_WIDTHS_PER_S = 0.1


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
