"""The next picture pushes this one out, in the direction of the pan."""

from math import copysign

from clevrin.core.join.kinds.kind import (
    DIRECTION,
    EASE,
    LENGTH,
    MOVES_WIDTHS_PER_S,
    PEAK,
    SHUTTER,
    Edge,
    Fit,
    Kind,
    Made,
    Matrix,
    Part,
    Seen,
    as_usual,
    shift,
)

_HARD = 1e-3
_SLOW = 0.6
"""Up to this speed, in widths a second, a camera follows something calmly."""


def _part(made: Made, at: float, leaving: bool) -> Part:
    x, y = made.direction
    # It goes along one side of the picture: that which the direction is next to.
    across = abs(x) >= abs(y)
    way = (copysign(1.0, x), 0.0) if across else (0.0, copysign(1.0, y))
    long = 1.0 if across else made.sides.aspect
    course = made.course

    def move(time: float) -> Matrix:
        gone = long * made.away(time, leaving)
        return shift(gone * way[0], gone * way[1])

    where = long * (0.5 - course.gone(at))
    soft = max(_HARD, long * course.speed(at) * made.shutter_deg / 360)
    edge = Edge(normal=way, at=where, soft=soft)
    if leaving:
        edge = Edge(normal=(-way[0], -way[1]), at=-where, soft=soft)
    return Part(share=1.0, move=move, edge=edge)


def _fits(seen: Seen) -> Fit:
    if seen.before.widths_per_s < MOVES_WIDTHS_PER_S:
        return Fit(score=38, why="The next picture pushes this one out.")
    slow = 1 if seen.before.widths_per_s < _SLOW else 0.5
    return Fit(score=46 + 14 * slow * (1 - seen.apart), why="The next picture comes along with the pan.")


SLIDE = Kind(
    id="slide",
    help="The next picture pushes this one out, in the direction of the pan",
    long=True,
    overlaps=True,
    settings=(as_usual(LENGTH, 12.0), DIRECTION, PEAK, EASE, SHUTTER),
    part=_part,
    fits=_fits,
)
