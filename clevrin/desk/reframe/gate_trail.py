"""The gate's trail: a dot for its middle at every frame, so that their spacing is its speed; larger ones for poses."""

from collections.abc import Sequence

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPen

from clevrin.desk.widgets import theme

_DOT_PX, _POSE_PX = 1.4, 4.5


def paint_trail(painter: QPainter, trail: Sequence[QPointF], posed: Sequence[QPointF]) -> None:
    """Draws the middles of the gate, and on them those at which poses stand."""
    shade = theme.colour("text")
    shade.setAlpha(190)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(shade)
    for at in trail:
        painter.drawEllipse(at, _DOT_PX, _DOT_PX)
    painter.setBrush(theme.colour("ember"))
    painter.setPen(QPen(theme.colour("sunk"), 1))
    for at in posed:
        painter.drawEllipse(at, _POSE_PX, _POSE_PX)
