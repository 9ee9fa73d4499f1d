"""A roll that was not shot: the picture turns over into the next."""

from clevrin.core.join.kinds.kind import (
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
    as_usual,
    turn_and_grow,
)

_QUARTER_DEG = 90.0


def _part(made: Made, at: float, leaving: bool) -> Part:
    degrees = _QUARTER_DEG * made.number("turns")

    def move(time: float) -> Matrix:
        return turn_and_grow(degrees * made.away(time, leaving), 1.0)

    return all_of_it(at, leaving, move)


ROLL_OVER = Kind(
    id="roll-over",
    help="A roll that was not shot: the picture turns over into the next",
    long=True,
    settings=(
        as_usual(LENGTH, 14.0),
        JoinSetting(
            id="turns",
            title="Quarter turns",
            help="How far it turns; below 0 clockwise",
            default=2.0,
            low=-8,
            high=8,
            step=1,
        ),
        PEAK,
        EASE,
        SHUTTER,
    ),
    part=_part,
)
