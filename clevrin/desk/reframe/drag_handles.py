"""The gate over the whole picture: dimmed outside, with corners to size it, a stalk to turn it, and its trail.

Also what else is done in that picture: a subject is clicked, a line is drawn that should be level.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, Qt
from PySide6.QtGui import QPainter, QPainterPath, QPen, QPolygonF

from clevrin.core.document import Pose
from clevrin.core.document.gating import LEAST_GATE_PX
from clevrin.desk.reframe.gate_trail import paint_trail
from clevrin.desk.widgets import theme

Numbers = NDArray[np.float64]
Place = tuple[float, float]
Doing = Literal["gate", "subject", "level"]

_NEAR_PX = 14
_CORNER_PX = 9
_STALK_PX = 26
_DIM = 150
_STANDS_PX = 1


@dataclass(frozen=True, kw_only=True, eq=False)
class GateView:
    """What is drawn: the source's size, the gate's corners on it (4, 2), its pose, and whether that stands here.

    `trail` (n, 2): its middle at every frame; `posed` (m, 2): those at which poses stand; `subject`: where what is
    followed is, if it is seen.
    """

    size: tuple[int, int]
    corners: Numbers
    pose: Pose
    stands: bool
    trail: Numbers
    posed: Numbers
    subject: Place | None = None


class GateHands:
    """An overlay on the whole source picture. `view` gives what is drawn; None: nothing can be done here."""

    def __init__(
        self,
        view: Callable[[], GateView | None],
        posing: Callable[[Pose], None],
        posed: Callable[[], None],
        picked: Callable[[Place], None],
        levelled: Callable[[float], None],
    ) -> None:
        """`posing` takes each pose of a drag, `posed` ends it; `picked` a place on the source, `levelled` degrees."""
        self._view, self._posing, self._posed = view, posing, posed
        self._picked, self._levelled = picked, levelled
        self.doing: Doing = "gate"
        self._grabbed: str | None = None
        self._start: tuple[Place, Pose] | None = None
        self._line: tuple[Place, Place] | None = None

    @property
    def dragging(self) -> bool:
        return self._grabbed is not None or self._line is not None

    def paint(self, painter: QPainter, rect: QRect) -> None:
        view = self._view()
        if view is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(rect)
        quad = [_on(corner, view, rect) for corner in view.corners]
        self._dim(painter, rect, quad)
        moves = len(view.trail) and np.ptp(view.trail, axis=0).max() > _STANDS_PX
        trail = [_on(place, view, rect) for place in view.trail] if moves else []
        paint_trail(painter, trail, [_on(place, view, rect) for place in view.posed])
        painter.setClipping(False)  # handles at the picture's edge are whole
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("ember"), 2))
        painter.drawPolygon(quad)
        if self.doing == "gate":
            self._paint_handles(painter, view, quad, rect)
        if view.subject is not None:
            at = _on(np.array(view.subject), view, rect)
            painter.setPen(QPen(theme.colour("kelp"), 2))
            painter.drawLine(at + QPointF(-9, 0), at + QPointF(9, 0))
            painter.drawLine(at + QPointF(0, -9), at + QPointF(0, 9))
        if self._line is not None:
            painter.setPen(QPen(theme.colour("sky"), 2, Qt.PenStyle.DashLine))
            painter.drawLine(*(_on(np.array(end), view, rect) for end in self._line))

    def _dim(self, painter: QPainter, rect: QRect, quad: Sequence[QPointF]) -> None:
        around = QPainterPath()
        around.addRect(rect)
        inner = QPainterPath()
        inner.addPolygon(QPolygonF(quad))
        inner.closeSubpath()
        shade = theme.colour("surround")
        shade.setAlpha(_DIM)
        painter.fillPath(around.subtracted(inner), shade)

    def _paint_handles(self, painter: QPainter, view: GateView, quad: Sequence[QPointF], rect: QRect) -> None:
        painter.setPen(QPen(theme.colour("ember"), 2))
        painter.drawLine(_top(quad), _knob(quad))
        painter.setBrush(theme.colour("ember" if view.stands else "sunk"))
        painter.drawEllipse(_knob(quad), 5, 5)
        for corner in quad:
            half = _CORNER_PX / 2
            painter.drawRect(int(corner.x() - half), int(corner.y() - half), _CORNER_PX, _CORNER_PX)

    def press(self, at: QPointF, rect: QRect) -> bool:
        view = self._view()
        if view is None:
            return False
        place = _off(at, view, rect)
        if self.doing == "subject":
            if rect.contains(at.toPoint()):
                self._picked(place)
            return True
        if self.doing == "level":
            self._line = place, place
            return True
        self._grabbed = self._what(at, view, rect)
        self._start = place, view.pose
        return self._grabbed is not None

    def drag(self, at: QPointF, rect: QRect) -> None:
        view = self._view()
        if view is None:
            return
        place = _off(at, view, rect)
        if self._line is not None:
            self._line = self._line[0], place
            return
        if self._grabbed is None or self._start is None:
            return
        begun, pose = self._start
        if self._grabbed == "move":
            pose = pose.changed(x=pose.x + place[0] - begun[0], y=pose.y + place[1] - begun[1])
        elif self._grabbed == "size":
            far, near = (np.hypot(p[0] - pose.x, p[1] - pose.y) for p in (place, begun))
            pose = pose.changed(width=max(LEAST_GATE_PX, pose.width * far / max(1.0, near)))
        else:
            before, now = (np.degrees(np.arctan2(-(p[1] - pose.y), p[0] - pose.x)) for p in (begun, place))
            turn = (now - before + 180) % 360 - 180
            pose = pose.changed(turn_deg=round(pose.turn_deg + turn, 2))
        self._posing(pose)

    def release(self, at: QPointF, rect: QRect) -> None:
        if self._line is not None:
            (x0, y0), (x1, y1) = self._line
            self._line = None
            if np.hypot(x1 - x0, y1 - y0) > 20:
                angle = float(np.degrees(np.arctan2(-(y1 - y0), x1 - x0)))
                # The nearest of level and upright is meant.
                self._levelled((angle + 45) % 90 - 45)
        elif self._grabbed is not None:
            self._grabbed = self._start = None
            self._posed()

    def put_back(self) -> bool:
        """Drops what is being dragged; whether there was any."""
        was = self.dragging
        self._grabbed = self._start = self._line = None
        return was

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape:
        view = self._view()
        if view is None:
            return Qt.CursorShape.ArrowCursor
        if self.doing != "gate":
            return Qt.CursorShape.CrossCursor
        shapes = {
            "move": Qt.CursorShape.SizeAllCursor,
            "size": Qt.CursorShape.SizeFDiagCursor,
            "turn": Qt.CursorShape.PointingHandCursor,
        }
        return shapes.get(self._what(at, view, rect) or "", Qt.CursorShape.ArrowCursor)

    def _what(self, at: QPointF, view: GateView, rect: QRect) -> str | None:
        quad = [_on(corner, view, rect) for corner in view.corners]
        if _away(at, _knob(quad)) < _NEAR_PX:
            return "turn"
        if min(_away(at, corner) for corner in quad) < _NEAR_PX:
            return "size"
        return "move" if QPolygonF(quad).containsPoint(at, Qt.FillRule.OddEvenFill) else None


def _top(quad: Sequence[QPointF]) -> QPointF:
    return (quad[0] + quad[1]) / 2


def _knob(quad: Sequence[QPointF]) -> QPointF:
    """The end of the stalk: inside of the gate, so that it can be reached where the gate is as high as the picture."""
    down = (quad[3] + quad[2]) / 2 - _top(quad)
    length = max(1.0, float(np.hypot(down.x(), down.y())))
    return _top(quad) + down * (min(_STALK_PX, length / 3) / length)


def _away(a: QPointF, b: QPointF) -> float:
    return float(np.hypot(a.x() - b.x(), a.y() - b.y()))


def _on(place: Numbers, view: GateView, rect: QRect) -> QPointF:
    """A place of the source in the widget."""
    x, y = (np.asarray(place) + 0.5) / view.size
    return QPointF(rect.left() + x * rect.width(), rect.top() + y * rect.height())


def _off(at: QPointF, view: GateView, rect: QRect) -> Place:
    x = (at.x() - rect.left()) / max(1, rect.width()) * view.size[0] - 0.5
    y = (at.y() - rect.top()) / max(1, rect.height()) * view.size[1] - 0.5
    return float(x), float(y)
