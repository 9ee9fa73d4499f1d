"""A roll that was not shot: the picture turns over into the next."""

from clevrin.core.join.kinds.kind import (
    EASE,
    LENGTH,
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
    as_usual,
    turn_and_grow,
)

_QUARTER_DEG = 90.0


def _part(made: Made, at: float, leaving: bool) -> Part:
    degrees = _QUARTER_DEG * made.number("turns")

    def move(time: float) -> Matrix:
        return turn_and_grow(degrees * made.away(time, leaving), 1.0)

    return all_of_it(at, leaving, move)


def _fits(seen: Seen) -> Fit:
    both = seen.before.turns + seen.after.turns
    if not both:
        return Fit(score=36, why="The picture turns over into the next.")
    faster = max(abs(seen.before.turn_deg), abs(seen.after.turn_deg))
    turns = ("turns", 2.0 if both > 0 else -2.0)
    return Fit(score=60 + min(32.0, faster / 6), why="It goes on with the roll.", settings=(turns,))


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
    fits=_fits,
)
