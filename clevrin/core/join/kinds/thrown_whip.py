"""A whip that was not shot: the camera is thrown from one picture over to the next."""

from math import pi, sin

from clevrin.core.join.kinds.kind import (
    DIRECTION,
    EASE,
    LENGTH,
    MOVES_WIDTHS_PER_S,
    PEAK,
    SHUTTER,
    Fit,
    JoinSetting,
    Kind,
    Made,
    Matrix,
    Part,
    Seen,
    all_of_it,
    shift,
)

_BEYOND = 0.12


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
        JoinSetting(id="overshoot", title="Overshoot", help="How far it swings beyond, and back", default=0.0),
        SHUTTER,
    ),
    part=_part,
    fits=_fits,
)
