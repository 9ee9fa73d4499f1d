"""The next picture pushes this one out, in the direction of the pan."""

from math import copysign

from clevrin.core.join.kinds.kind import (
    DIRECTION,
    EASE,
    LENGTH,
    PEAK,
    SHUTTER,
    Edge,
    Kind,
    Made,
    Matrix,
    Part,
    as_usual,
    shift,
)

_HARD = 1e-3


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


SLIDE = Kind(
    id="slide",
    help="The next picture pushes this one out, in the direction of the pan",
    long=True,
    overlaps=True,
    settings=(as_usual(LENGTH, 12.0), DIRECTION, PEAK, EASE, SHUTTER),
    part=_part,
)
