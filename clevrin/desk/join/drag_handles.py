"""What of a join is dragged in its picture: an arrow for where and how far it is thrown, a point, an arc for a roll."""

from collections.abc import Callable
from math import atan2, cos, degrees, hypot, radians, sin

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from clevrin.core.document.joining import Setting as Value
from clevrin.core.join.kinds.kind import AUTO
from clevrin.desk.widgets import theme

_WIDTHS_SHOWN = 0.16
"""How long an arrow is drawn for each picture width that it goes, as a share of the picture's width."""
_LEAST_PX = 14.0
_HEAD_PX, _NEAR_PX = 9.0, 14.0
_ARC_SHARE = 0.32
_QUARTER_DEG = 90.0

Change = Callable[[dict[str, Value], str], None]
"""Changes settings by name, as one gesture."""


class JoinHand:
    """Draws what can be dragged of the kind that is chosen, and says what the drag does."""

    def __init__(self, change: Change, ended: Callable[[], None]) -> None:
        self._change, self._ended = change, ended
        self._values: dict[str, Value] = {}
        self._auto_deg = 0.0

    def show_values(self, values: dict[str, Value], auto_deg: float | None) -> None:
        """The settings of the join; `auto_deg`: where it goes by itself."""
        self._values, self._auto_deg = values, auto_deg or 0.0

    @property
    def _what(self) -> str:
        return next((each for each in ("direction", "turns", "out_x") if each in self._values), "")

    def tip(self, rect: QRect) -> QPointF:
        """Where what is dragged stands in the widget."""
        middle = QPointF(rect.center())
        if self._what == "direction":
            given = self._values["direction"]
            angle = radians(self._auto_deg if given == AUTO else float(given))
            long = max(_LEAST_PX, float(self._values.get("distance", 1.0)) * _WIDTHS_SHOWN * rect.width())
            return middle + QPointF(cos(angle) * long, -sin(angle) * long)
        if self._what == "turns":
            angle = radians(90 + _QUARTER_DEG * float(self._values["turns"]))
            return middle + QPointF(cos(angle), -sin(angle)) * (_ARC_SHARE * rect.height())
        x, y = float(self._values["out_x"]), float(self._values["out_y"])
        return QPointF(rect.left() + x * rect.width(), rect.top() + y * rect.height())

    def paint(self, painter: QPainter, rect: QRect) -> None:
        if not self._what:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, tip = QPointF(rect.center()), self.tip(rect)
        for colour, width in (("sunk", 5.0), ("ember", 2.5)):
            painter.setPen(QPen(theme.colour(colour), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if self._what == "direction":
                painter.drawLine(middle, tip)
                painter.setBrush(theme.colour(colour))
                painter.drawPolygon(_head(middle, tip))
            elif self._what == "turns":
                radius = _ARC_SHARE * rect.height()
                box = QRectF(middle.x() - radius, middle.y() - radius, 2 * radius, 2 * radius)
                painter.drawArc(box, 90 * 16, round(_QUARTER_DEG * float(self._values["turns"]) * 16))
                painter.setBrush(theme.colour(colour))
                painter.drawEllipse(tip, 4, 4)
            else:
                painter.drawEllipse(tip, 8, 8)
                painter.drawPoint(tip)

    def press(self, at: QPointF, rect: QRect) -> bool:
        return bool(self._what) and self._near(at, rect)

    def drag(self, at: QPointF, rect: QRect) -> None:
        x, y = at.x() - rect.center().x(), at.y() - rect.center().y()
        if self._what == "direction":
            changed: dict[str, Value] = {"direction": float(round(degrees(atan2(-y, x))))}
            if "distance" in self._values:
                widths = hypot(x, y) / (_WIDTHS_SHOWN * rect.width())
                changed["distance"] = min(max(round(widths, 2), 0.25), 6.0)
        elif self._what == "turns":
            now = float(self._values["turns"]) * _QUARTER_DEG
            angle = degrees(atan2(-y, x)) - 90
            nearest = angle + 360 * round((now - angle) / 360)
            changed = {"turns": float(min(max(round(nearest / _QUARTER_DEG), -8), 8))}
        else:
            share = (at.x() - rect.left()) / rect.width(), (at.y() - rect.top()) / rect.height()
            changed = {
                name: min(max(round(each, 3), 0.0), 1.0) for name, each in zip(("out_x", "out_y"), share, strict=True)
            }
        self._change(changed, "hand")

    def release(self, at: QPointF, rect: QRect) -> None:
        self._ended()

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape:
        near = bool(self._what) and self._near(at, rect)
        return Qt.CursorShape.SizeAllCursor if near else Qt.CursorShape.ArrowCursor

    def _near(self, at: QPointF, rect: QRect) -> bool:
        return (at - self.tip(rect)).manhattanLength() <= _NEAR_PX


def _head(start: QPointF, tip: QPointF) -> QPolygonF:
    """The head of an arrow."""
    angle = atan2(tip.y() - start.y(), tip.x() - start.x())
    sides = [tip - QPointF(cos(angle + turn), sin(angle + turn)) * _HEAD_PX for turn in (0.5, -0.5)]
    return QPolygonF([tip, *sides])
