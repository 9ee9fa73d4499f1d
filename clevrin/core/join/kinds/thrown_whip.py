"""A whip that was not shot: the camera is thrown from one picture over to the next."""

from functools import lru_cache
from math import pi, sin

from clevrin.core.join.kinds.kind import (
    DIRECTION,
    EASE,
    LENGTH,
    MOVES_WIDTHS_PER_S,
    PEAK,
    SHORT_BLUR,
    SHUTTER,
    WIDE_BEYOND,
    Course,
    Fit,
    JoinSetting,
    Kind,
    Made,
    Matrix,
    Part,
    Seen,
    Values,
    all_of_it,
    shift,
)

_BEYOND = 0.12
_SHORTEST = 4


def _part(made: Made, at: float, leaving: bool) -> Part:
    distance, beyond = made.number("distance"), made.number("overshoot")
    x, y = made.direction
    after = made.after

    def move(time: float) -> Matrix:
        way = distance * made.away(time, leaving)
        if not leaving and after:
            way += distance * _BEYOND * beyond * sin(pi * min(max(time / after, 0.0), 1.0)) ** 2
        return shift(way * x, way * y)

    return all_of_it(at, leaving, move)


def _lasts(values: Values, before: int, after: int) -> tuple[int, int]:
    """As many frames as let nothing mirrored be seen; all of them where none do."""
    if values["reach"] == "whole":
        return before, after
    distance, ease, shutter = (float(values[name]) for name in ("distance", "ease", "shutter"))
    return _unseen(before, after, distance, ease, shutter / 360)


@lru_cache(maxsize=256)
def _unseen(before: int, after: int, distance: float, ease: float, open_share: float) -> tuple[int, int]:
    for length in range(before + after, _SHORTEST - 1, -1):
        first = round(length * before / (before + after))
        course = Course(before=first, after=length - first, ease=ease)
        middles = [k + 0.5 for k in range(-first, length - first)]
        beyond = [distance * min(course.gone(at), 1 - course.gone(at)) for at in middles]
        blurred = [distance * course.speed(at) * open_share for at in middles]
        if not any(b > WIDE_BEYOND and s < SHORT_BLUR for b, s in zip(beyond, blurred, strict=True)):
            return first, length - first
    return before, after


def _fits(seen: Seen) -> Fit:
    leaves, arrives = seen.before.widths_per_s, seen.after.widths_per_s
    if max(leaves, arrives) < MOVES_WIDTHS_PER_S and not (seen.before.still and seen.after.still):
        return Fit(score=50, why="The camera is thrown from one shot to the other.")
    if max(leaves, arrives) < MOVES_WIDTHS_PER_S:
        return Fit(score=62, why="Both shots stand still: the camera is thrown from one to the other.")
    if leaves >= MOVES_WIDTHS_PER_S:
        with_it = 1 - seen.apart if arrives >= MOVES_WIDTHS_PER_S else 0.5
        return Fit(
            score=64 + 12 * with_it + min(10.0, 4 * leaves), why="It goes on where the first shot's camera is going."
        )
    return Fit(score=60 + min(14.0, 6 * arrives), why="It goes where the next shot's camera is going.")


THROWN_WHIP = Kind(
    id="thrown whip",
    help="A whip that was not shot: the camera is thrown over to the next picture",
    long=True,
    settings=(
        LENGTH,
        DIRECTION,
        JoinSetting(
            id="distance",
            title="Distance",
            help="How far the camera goes",
            default=1.5,
            unit="widths",
            low=0.25,
            high=6,
            step=0.05,
        ),
        PEAK,
        EASE,
        JoinSetting(
            id="reach",
            title="Beyond the edge",
            help="least: it stays until it is so fast that what is mirrored there is not seen; whole: it does not wait",
            default="least",
            options=("least", "whole"),
        ),
        JoinSetting(
            id="beyond",
            title="Goes on with",
            help="seen: what other frames saw beyond the edge, and what is mirrored behind that; mirrored: that alone",
            default="seen",
            options=("seen", "mirrored"),
        ),
        JoinSetting(id="overshoot", title="Overshoot", help="How far it swings beyond, and back", default=0.0),
        SHUTTER,
    ),
    part=_part,
    lasts=_lasts,
    fits=_fits,
)
