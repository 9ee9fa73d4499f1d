"""Guides over the result: lines to compose by, which never render."""

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from clevrin.desk import theme
from clevrin.desk.viewer import Drawing

GUIDES: tuple[tuple[str, str, str], ...] = (
    ("middle", "middle", "A cross in the middle"),
    ("thirds", "thirds", "Lines at the thirds"),
    ("diagonals", "diagonals", "From corner to corner"),
    ("safe", "safe area", "What no screen cuts off: ninety per cent of each side"),
)
OVERLAYS: tuple[tuple[str, str, str], ...] = (
    ("", "nothing", "The result alone"),
    ("before", "shot before", "The last frame of the shot before, half through"),
    ("after", "shot after", "The first frame of the shot after, half through"),
    ("differs-before", "differs, before", "Where it differs from the last frame of the shot before"),
    ("differs-after", "differs, after", "Where it differs from the first frame of the shot after"),
)
"""What of the neighbours is laid over the result, to lay a subject on a subject; none of it renders."""
_SAFE = 0.9


class Guides(Drawing):
    """An overlay that draws the guides that are on."""

    def __init__(self) -> None:
        self.on: set[str] = set()

    def paint(self, painter: QPainter, rect: QRect) -> None:
        shade = theme.colour("text")
        shade.setAlpha(150)
        painter.setPen(QPen(shade, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        box = QRectF(rect)
        if "thirds" in self.on:
            _lines(painter, box, (1 / 3, 2 / 3))
        if "middle" in self.on:
            _lines(painter, box, (0.5,))
        if "diagonals" in self.on:
            painter.drawLine(box.topLeft(), box.bottomRight())
            painter.drawLine(box.bottomLeft(), box.topRight())
        if "safe" in self.on:
            x, y = box.width() * (1 - _SAFE) / 2, box.height() * (1 - _SAFE) / 2
            painter.drawRect(box.adjusted(x, y, -x, -y))


def _lines(painter: QPainter, box: QRectF, shares: tuple[float, ...]) -> None:
    for share in shares:
        x, y = box.left() + share * box.width(), box.top() + share * box.height()
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
