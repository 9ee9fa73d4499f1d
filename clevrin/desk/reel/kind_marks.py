"""The marks of made joins in their knots: strokes in a square from (-1, -1) to (1, 1), y down."""

from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainterPath

Stroke = tuple[tuple[float, float], ...]

_NEAR, _FAR = 0.35, 1.0
_ROUND = ((0.7, 0.7), (0, 1), (-0.7, 0.7), (-1, 0), (-0.7, -0.7), (0, -1), (0.7, -0.7), (1, 0))

MARKS: dict[str, tuple[Stroke, ...]] = {
    "thrown whip": (((-1, 0), (1, 0)), ((0.3, -0.7), (1, 0), (0.3, 0.7))),
    "push-through": tuple(
        ((x * _FAR, y * _FAR), (x * _NEAR, y * _NEAR)) for x, y in ((-1, -1), (1, -1), (-1, 1), (1, 1))
    ),
    "roll-over": (_ROUND, ((0.2, -1.0), (0.7, -0.7), (0.75, -1.2))),
    "slide": (((-1, -0.8), (-1, 0.8)), ((1, -0.8), (1, 0.8)), ((0, -0.8), (0, 0.8))),
    "flash": (((0, -1), (0, 1)), ((-1, 0), (1, 0)), ((-0.6, -0.6), (0.6, 0.6)), ((-0.6, 0.6), (0.6, -0.6))),
    "dip": (((-1, -0.7), (0, 0.8), (1, -0.7)),),
    "fracture": (((-1, 0.5), (-0.4, -0.6), (0, 0.4), (0.4, -0.4), (1, 0.6)),),
    "soft dissolve": (((-1, -0.7), (1, 0.7)), ((-1, 0.7), (1, -0.7))),
    "passing edge": (((-0.2, -1), (0.2, 0), (-0.2, 1)), ((0.3, -1), (0.7, 0), (0.3, 1))),
    "match cut": (_ROUND, ((-0.25, 0), (0.25, 0)), ((0, -0.25), (0, 0.25))),
    "doorway": (((-0.8, 1), (-0.8, -0.8), (0.2, -1), (0.2, 1)), ((0.2, -0.8), (0.9, -0.8), (0.9, 1))),
}
"""By the names of kinds; one that has none here is drawn as a cut."""


def mark_of(kind: str, x: float, y: float, size: float) -> QPainterPath:
    """The mark of a kind about a place, `size` pixels to each side."""
    path = QPainterPath()
    for stroke in MARKS[kind]:
        places = [QPointF(x + size * across, y + size * down) for across, down in stroke]
        path.moveTo(places[0])
        for place in places[1:]:
            path.lineTo(place)
    return path
