"""A whip that was not shot: the camera is thrown from one picture over to the next."""

from math import pi, sin

from clevrin.core.join.kinds.kind import (
    DIRECTION,
    EASE,
    LENGTH,
    PEAK,
    SHUTTER,
    JoinSetting,
    Kind,
    Made,
    Matrix,
    Part,
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
)
