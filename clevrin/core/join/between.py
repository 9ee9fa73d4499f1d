"""A join between two shots of a reel: how much room it has, where its cameras go, and what it has to do without."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from math import floor

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Shot
from clevrin.core.document.model import mirror_signs, turned
from clevrin.core.join.kinds import kind_of
from clevrin.core.join.kinds.kind import MOVES_WIDTHS_PER_S, SHORT_BLUR, WIDE_BEYOND, Made, Move, Sides
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.pace import Placed, nominal_frame

Row = tuple[Placed, ...]
CourseOf = Callable[[Shot], Trace | None]
"""How the camera of a shot moved, as far as that is known."""

_AROUND = 3
"""Frames that are told before a join begins and after it ends."""
COMPARED_WIDTHS_PER_S = 0.25
"""Under this speed the sides of a cut move too little to be compared."""
DISAGREES = 0.08
"""Of the motion: from this mismatch on the sides of a cut are seen to differ."""


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
        rate=float(before.reel_rate),
        going_deg=cache(lambda: _going_deg(before, after, course_of)),
    )
    return kind.made(before.shot.leave, sides)


def what_is_short(row: Row, number: int, made: Made) -> list[str]:
    """What a join has to do without, in sentences: frames of its length, what its sides show beyond cuts and edges."""
    before, after = row[number], row[number + 1]
    lacks = next(
        (each.names for each in made.kind.settings if each.names and not each.optional and not made.values[each.id]), ""
    )
    if lacks:
        return [f"The {made.kind.id} has no {lacks} to go by: it is a cut."]
    sentences = []
    wanted = round(float(made.values["length"]))
    lasts = made.before + made.after
    if lasts + made.gave_way < wanted:
        sentences.append(
            f"The {made.kind.id} lasts {lasts + made.gave_way} frames instead of {wanted}: its shots are short."
        )
    if made.gave_way:
        sentences.append(
            f"The {made.kind.id} moves for {lasts} of its frames: more slowly, what is mirrored beyond the edge would "
            "be seen."
        )
    noticed = 0 if made.kind.overlaps else seen_mirrored(made)
    if noticed:
        frames = f"{noticed} frame{'s' if noticed > 1 else ''}"
        sentences.append(f"What is mirrored beyond the edge can be seen for {frames}: a shorter join goes by faster.")
    if made.kind.overlaps:
        beyond = _beyond(before, made.after, leaving=True), _beyond(after, made.before, leaving=False)
        for placed, missing in zip((before, after), beyond, strict=True):
            if missing:
                name = placed.take.name
                sentences.append(f"{name} has nothing beyond its cut for {missing} frames: it stands still there.")
    return sentences


def seen_mirrored(made: Made) -> int:
    """For how many frames so much of what a join shows beyond its pictures' edges is seen so slowly that it is noticed.

    What lies there is mirrored: a subject near the edge stands there twice. It is noticed where it is wider than 3 % of
    the picture and blurred over less than 2 %.
    """
    corners = np.array([[x, y * made.sides.aspect, 1.0] for x in (-0.5, 0.5) for y in (-0.5, 0.5)])
    half = np.array([0.5, made.sides.aspect / 2])
    noticed = 0
    for frame in range(-made.before, made.after):
        at, leaving = frame + 0.5, frame < 0
        move = made.part(at, leaving=leaving).move
        if move is None:
            continue
        places = corners @ move(at).T
        beyond = float((np.abs(places[:, :2] / places[:, 2:]) - half).max())
        blurred = float(np.hypot(*_gone(move, at, corners).T).max()) * made.shutter_deg / 360
        noticed += beyond > WIDE_BEYOND and blurred < SHORT_BLUR
    return noticed


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


def _going_deg(before: Placed, after: Placed, course_of: CourseOf) -> float | None:
    """Where the camera of the side that is left goes at a cut, else that of the next; None where both hardly do."""
    for placed, leaving in ((before, True), (after, False)):
        course = course_of(placed.shot)
        if course is not None:
            x, y = velocity_at_cut(placed, course, leaving=leaving)
            if np.hypot(x, y) >= MOVES_WIDTHS_PER_S:
                return float(np.degrees(np.arctan2(y, x)))
    return None


@dataclass(frozen=True, kw_only=True, eq=False)
class OnScreen:
    """How fast the picture moves round a cut, with what a join makes of it: arrays (n,).

    `times_s` from the cut, below 0 before it, `widths_per_s` there; at the cut there are two values, one of either
    side.
    """

    times_s: NDArray[np.float64]
    widths_per_s: NDArray[np.float64]


def on_screen(row: Row, number: int, made: Made, course_of: CourseOf) -> OnScreen:
    """The speed on the screen while a join lasts and a little around it.

    It is the mean over the picture's corners and its middle, at each of which what the cameras did and what is made
    are added as velocities.
    """
    rate = float(row[number].reel_rate)
    aspect = made.sides.aspect
    points = np.array([[x, y * aspect, 1.0] for x, y in ((0, 0), (-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5))])
    times, speeds = [], []
    for leaving in (True, False):
        placed = row[number if leaving else number + 1]
        course = course_of(placed.shot)
        first, last = (-made.before - _AROUND, 0) if leaving else (0, made.after + _AROUND)
        for at in np.linspace(first, last, 2 * (last - first) + 1):
            inside = at + (-1e-6 if leaving else 1e-6)
            frame = min(max((placed.end - 1 if leaving else placed.start) + floor(at), placed.start), placed.end - 1)
            shot = np.zeros(2) if course is None else _velocity(placed, course, nominal_frame(placed, frame), frame)
            move = made.part(inside, leaving=leaving).move
            made_px = np.zeros((len(points), 2)) if move is None else _gone(move, inside, points) * rate
            times.append(at / rate)
            speeds.append(float(np.hypot(*(made_px + shot * [1, -1]).T).mean()))
    return OnScreen(times_s=np.array(times), widths_per_s=np.array(speeds))


def _gone(move: Move, at: float, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far a move takes points of the picture in a frame, in widths."""
    about = np.linalg.inv(move(at))
    before, after = (points @ (about @ move(at + half)).T for half in (-0.5, 0.5))
    return np.asarray(after[:, :2] / after[:, 2:] - before[:, :2] / before[:, 2:])


def velocity_at_cut(placed: Placed, course: Trace, *, leaving: bool) -> NDArray[np.float64]:
    """The camera's velocity at a cut in widths a second (x right, y up), as the reel shows it."""
    frame = placed.shot.last_shown if leaving else placed.shot.first_shown
    return _velocity(placed, course, frame, placed.end - 1 if leaving else placed.start)


def at_cut(
    before: Placed, after: Placed, leaving: Trace | None, arriving: Trace | None
) -> tuple[NDArray[np.float64] | None, NDArray[np.float64] | None, float]:
    """The velocities of both sides of a cut (None: not measured), and by which share of the motion they differ.

    A join that lasts makes a move of its own: then, and where a side is not measured, nothing differs.
    """
    out = None if leaving is None else velocity_at_cut(before, leaving, leaving=True)
    in_ = None if arriving is None else velocity_at_cut(after, arriving, leaving=False)
    return out, in_, 0.0 if kind_of(before.shot.leave).long else mismatch(out, in_)


def mismatch(out: NDArray[np.float64] | None, in_: NDArray[np.float64] | None) -> float:
    """By which share of the motion two velocities, in widths a second, differ: 0 to 1; 0 where neither moves much."""
    if out is None or in_ is None:
        return 0.0
    larger = max(float(np.hypot(*out)), float(np.hypot(*in_)))
    return min(1.0, float(np.hypot(*(out - in_))) / larger / 2) if larger > COMPARED_WIDTHS_PER_S else 0.0


def _velocity(placed: Placed, course: Trace, frame: int, at: int) -> NDArray[np.float64]:
    """The same at a frame of the take, which stands at one of the reel."""
    shot = placed.shot
    velocity = course.velocity_px[frame] * [-1, 1] / course.width * float(placed.rate_at(at))
    if shot.reverse:
        velocity = -velocity
    wide = course.width / course.height if shot.turns % 2 else 1.0  # it fills the reel, and is as much larger
    velocity = wide * np.array(turned(velocity, shot.turns))
    return np.asarray(velocity * mirror_signs(shot.mirror))
