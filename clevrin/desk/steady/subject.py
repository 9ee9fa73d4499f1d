"""The subject of an anchor over the pictures: clicked in the one as shot, dragged in the held one."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, Qt
from PySide6.QtGui import QPainter, QPen

from clevrin.desk.marks.painting import paint_kite
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.viewer import Drawing

Matrix = NDArray[np.float64]
Place = tuple[float, float]


class SubjectPicker:
    """An overlay on the picture as shot: a click says which point is held.

    `where` gives the point on the frame looked at as shares of the picture, or None; `pick` takes a click likewise.
    """

    def __init__(self, where: Callable[[], Place | None], pick: Callable[[Place], None]) -> None:
        self._where, self._pick = where, pick
        self._pressed: QPointF | None = None

    def paint(self, painter: QPainter, rect: QRect) -> None:
        place = self._where()
        if place is not None:
            paint_kite(painter, _at(place, rect), theme.colour("ember"), filled=True, dashed=False, large=True)

    def press(self, at: QPointF, rect: QRect) -> bool:
        inside = QRect(rect).contains(at.toPoint())
        self._pressed = at if inside else None
        return inside

    def drag(self, at: QPointF, rect: QRect) -> None:
        self._pressed = at

    def release(self, at: QPointF, rect: QRect) -> None:
        if self._pressed is not None and rect.contains(at.toPoint()):
            self._pick(_share(at, rect))
        self._pressed = None

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape:
        return Qt.CursorShape.CrossCursor


class PlaceDragger:
    """An overlay on the held picture: where the point stands in the gate, to be dragged; thirds are drawn beside."""

    def __init__(
        self, where: Callable[[], Place | None], moving: Callable[[Place], None], moved: Callable[[], None]
    ) -> None:
        self._where, self._moving, self._moved = where, moving, moved
        self._dragging: Place | None = None

    def paint(self, painter: QPainter, rect: QRect) -> None:
        place = self._dragging or self._where()
        if self._dragging is not None:
            painter.setPen(QPen(theme.colour("text"), 1, Qt.PenStyle.DotLine))
            for third in (1 / 3, 2 / 3):
                x, y = rect.left() + third * rect.width(), rect.top() + third * rect.height()
                painter.drawLine(QPointF(x, rect.top()), QPointF(x, rect.bottom()))
                painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y))
        if place is not None:
            paint_kite(painter, _at(place, rect), theme.colour("ember"), filled=False, dashed=False, large=True)

    def press(self, at: QPointF, rect: QRect) -> bool:
        place = self._where()
        if place is None or (at - _at(place, rect)).manhattanLength() > _NEAR_PX:
            return False
        self._dragging = place
        return True

    def drag(self, at: QPointF, rect: QRect) -> None:
        x, y = _share(at, rect)
        self._dragging = float(np.clip(x, 0, 1)), float(np.clip(y, 0, 1))
        self._moving(self._dragging)

    def release(self, at: QPointF, rect: QRect) -> None:
        self._dragging = None
        self._moved()

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape:
        place = self._where()
        near = place is not None and (at - _at(place, rect)).manhattanLength() <= _NEAR_PX
        return Qt.CursorShape.OpenHandCursor if near else Qt.CursorShape.ArrowCursor


class MeshDrawing(Drawing):
    """An overlay on the held picture: the grid of a mesh, its displacements drawn larger than they are.

    `knots` gives places (rows, columns, 2) as shares of the held picture, or None.
    """

    def __init__(self, knots: Callable[[], NDArray[np.float64] | None]) -> None:
        self._knots = knots

    def paint(self, painter: QPainter, rect: QRect) -> None:
        knots = self._knots()
        if knots is None:
            return
        shade = theme.colour("text")
        shade.setAlpha(150)
        painter.setPen(QPen(shade, 1))
        places = [[_at((float(x), float(y)), rect) for x, y in row] for row in knots]
        for row in places:
            painter.drawPolyline(row)
        for column in zip(*places, strict=True):
            painter.drawPolyline(list(column))


_NEAR_PX = 24


def _at(place: Place, rect: QRect) -> QPointF:
    return QPointF(rect.left() + place[0] * rect.width(), rect.top() + place[1] * rect.height())


def _share(at: QPointF, rect: QRect) -> Place:
    return (at.x() - rect.left()) / max(1, rect.width()), (at.y() - rect.top()) / max(1, rect.height())
