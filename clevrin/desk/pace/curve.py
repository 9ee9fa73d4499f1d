"""The curve of speeds: how fast the shot plays over the frames of the reel, with points that can be dragged.

The middle of the height that is for playing forward is the speed at which it was shot; each line up is twice as fast,
each line down half as fast. On the ground the picture stands still, and under it the shot plays against its direction.
"""

from bisect import bisect_left

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.document import PacePoint
from clevrin.core.document.pacing import bounded_speed
from clevrin.desk.pace.axis import TimedLane
from clevrin.desk.pace.paced_shot import PacedShot
from clevrin.desk.widgets import theme

_SLOWEST, _FASTEST = -4.0, 5.0
"""Twofold steps from the speed as shot."""
_BACKWARD_SHARE, _GROUND_PX = 0.24, 8.0
_NEAR_PX, _SNAP_PX = 9.0, 4.0
_HANDLE_PX = 46.0
_MARKED = (-2, 0, 2, 4)


class PaceCurve(TimedLane):
    """Draws the speeds of a shot. Points are dragged up and down and along; a double click sets one."""

    point_changing = Signal(object, object)
    """The number of a point (None: a new one), and the point as it is to be."""
    point_changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._grabbed: tuple[str, int, PacePoint, QPointF] | None = None
        self._backward = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(theme.scaled(84))
        self.setToolTip(
            "How fast the shot plays: each line up is twice as fast. Double click: set a point. Drag it up and down "
            "for its speed, along for its place. The bar beside the point that is looked at: how soft its ramp is."
        )

    def sizeHint(self) -> QSize:
        return QSize(600, 200)

    @property
    def grabbing(self) -> bool:
        return self._grabbed is not None

    def show_shot(self, shown: PacedShot | None, *, held: bool = False) -> None:
        if shown is not None and not held:
            self._backward = bool((shown.speeds < 0).any()) or any(point.speed < 0 for point in shown.pace.points)
        super().show_shot(shown, held=held)

    def put_back(self) -> bool:
        """Drops what is being dragged; whether there was any."""
        was = self._grabbed is not None
        self._grabbed = None
        return was

    # Where things are

    def y_of(self, speed: float) -> float:
        """How high a speed is drawn."""
        ground = self._ground
        if abs(speed) < 1e-9:
            return ground
        steps = (float(np.clip(np.log2(abs(speed)), _SLOWEST, _FASTEST)) - _SLOWEST) / (_FASTEST - _SLOWEST)
        if speed > 0:
            return ground - _GROUND_PX - steps * (ground - _GROUND_PX - 6)
        return ground + _GROUND_PX + steps * max(1.0, self.height() - ground - _GROUND_PX - 4)

    def speed_at(self, y: float) -> float:
        """The speed that is drawn at a height; as shot, or none, where it is near."""
        ground = self._ground
        if abs(y - self.y_of(1.0)) <= _SNAP_PX:
            return 1.0
        if abs(y - ground) < _GROUND_PX / 2 + 1:
            return 0.0
        if y < ground:
            steps = (ground - _GROUND_PX - y) / max(1.0, ground - _GROUND_PX - 6)
            return _read(2 ** np.clip(_SLOWEST + steps * (_FASTEST - _SLOWEST), _SLOWEST, _FASTEST))
        steps = (y - ground - _GROUND_PX) / max(1.0, self.height() - ground - _GROUND_PX - 4)
        return _read(-(2 ** np.clip(_SLOWEST + steps * (_FASTEST - _SLOWEST), _SLOWEST, _FASTEST)))

    @property
    def _ground(self) -> float:
        return self.height() * (1 - _BACKWARD_SHARE) if self._backward else self.height() - 10.0

    def place_of(self, number: int) -> QPointF | None:
        """Where the dot of a point is; None for one that the shot never comes to."""
        assert self.shown is not None
        at = self.shown.places[number]
        point = self.shown.pace.points[number]
        return None if at is None else QPointF(self.x_of(at), self.y_of(point.speed))

    def handle_of(self, number: int) -> QPointF | None:
        """Where the end of the bar is that says how soft the ramp behind a point is."""
        assert self.shown is not None
        place = self.place_of(number)
        if place is None or number + 1 >= len(self.shown.pace.points):
            return None
        return place + QPointF(10 + self.shown.pace.points[number].ease * _HANDLE_PX, 0)

    # Drawing

    def paint(self, painter: QPainter) -> None:
        assert self.shown is not None
        area = self.area()
        self._paint_lines(painter, area)
        self.paint_beats(painter)
        self._paint_whips(painter)
        x = [self.x_of(k) for k in range(self.shown.frames)]
        y = [self.y_of(float(speed)) for speed in self.shown.speeds]
        line = [
            QPointF(area.left(), y[0]),
            *(QPointF(*p) for p in zip(x, y, strict=True)),
            QPointF(area.right(), y[-1]),
        ]
        self._fill(painter, line)
        painter.setPen(QPen(theme.colour("ember"), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(line))
        for number in range(len(self.shown.pace.points)):
            self._paint_point(painter, number)
        row = int(np.clip(round(self.playhead), 0, self.shown.frames - 1))
        locked = "\nlength locked" if self.shown.pace.length_frames else ""
        frames, seconds = self.shown.frames, self.shown.frames / float(self.shown.placed.reel_rate)
        self.label(painter, f"{self.shown.speeds[row]:.3g}×", f"{frames} frames\n{seconds:.2f} s{locked}")

    def _fill(self, painter: QPainter, line: list[QPointF]) -> None:
        """What is between the curve and the ground, forward and backward each in a colour."""
        ground = self._ground
        painter.setPen(Qt.PenStyle.NoPen)
        for token, bound in (("ember", min), ("kelp", max)):
            fill = theme.colour(token)
            fill.setAlpha(70)
            painter.setBrush(fill)
            edge = [QPointF(each.x(), bound(each.y(), ground)) for each in line]
            foot = [QPointF(line[-1].x(), ground), QPointF(line[0].x(), ground)]
            painter.drawPolygon(QPolygonF([*edge, *foot]))

    def _paint_lines(self, painter: QPainter, area: QRectF) -> None:
        painter.setFont(theme.font(10))
        marks = [2.0**k for k in _MARKED] + [0.0] + ([-1.0] if self._backward else [])
        for speed in marks:
            y = self.y_of(speed)
            painter.setPen(QPen(theme.colour("line"), 1.5 if speed in (0.0, 1.0) else 0.6))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            words = "stands" if not speed else "as shot" if speed == 1 else "back" if speed < 0 else f"{speed:g}×"
            painter.setPen(theme.colour("quiet"))
            side = Qt.AlignmentFlag.AlignRight if speed > 0 else Qt.AlignmentFlag.AlignLeft  # whips stand on the ground
            box = QRectF(area.left() + 4, y - 13, area.width() - 8, 12)
            painter.drawText(box, side | Qt.AlignmentFlag.AlignBottom, words)

    def _paint_whips(self, painter: QPainter) -> None:
        """Where the whips of the take are on the reel: small arrows on the ground."""
        assert self.shown is not None
        painter.setFont(theme.font(theme.SMALL_PX, strong=True))
        for whip in self.shown.whips:
            if whip.peak in self.shown.shot.span:
                x = min(self.x_of(self.shown.reel_place(whip.peak)), self.area().right() - 16)
                painter.setPen(theme.direction_colour(whip.angle_deg))
                painter.drawLine(QPointF(x, self._ground), QPointF(x, self._ground - 14))
                box = QRectF(x + 2, self._ground - 16, 14, 14)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, theme.direction_arrow(whip.angle_deg))

    def _paint_point(self, painter: QPainter, number: int) -> None:
        assert self.shown is not None
        place = self.place_of(number)
        if place is None:
            return
        point = self.shown.pace.points[number]
        chosen = self.shown.point_near(self.playhead, 0.75) == number
        if point.stays_s:
            end = self.x_of((self.shown.places[number] or 0) + point.stays_s * float(self.shown.placed.reel_rate))
            painter.setPen(QPen(theme.colour("quiet"), 4))
            painter.drawLine(place, QPointF(end, place.y()))
        handle = self.handle_of(number)
        if chosen and handle is not None:
            painter.setPen(QPen(theme.colour("text"), 2))
            painter.drawLine(place, handle)
            painter.drawLine(handle + QPointF(0, -4), handle + QPointF(0, 4))
        painter.setPen(QPen(theme.colour("sunk"), 1))
        painter.setBrush(theme.colour("text" if chosen else "ember"))
        size = 5.5 if chosen else 4.5
        painter.drawEllipse(place, size, size)

    # Dragging

    def _what(self, at: QPointF) -> tuple[str, int, PacePoint, QPointF] | None:
        """What is grabbed at a place: a point, or the bar of the one that is looked at."""
        assert self.shown is not None
        chosen = self.shown.point_near(self.playhead, 0.75)
        if chosen is not None:
            handle = self.handle_of(chosen)
            if handle is not None and (at - handle).manhattanLength() < _NEAR_PX:
                return "ease", chosen, self.shown.pace.points[chosen], at
        for number, point in enumerate(self.shown.pace.points):
            place = self.place_of(number)
            if place is not None and (at - place).manhattanLength() < _NEAR_PX:
                return "point", number, point, at
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.shown is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._grabbed = self._what(event.position())
        if self._grabbed is None:
            super().mousePressEvent(event)
            return
        place = self.shown.places[self._grabbed[1]]
        if place is not None:
            self.place_requested.emit(place)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.shown is None or event.button() != Qt.MouseButton.LeftButton or self._what(event.position()):
            return
        at = self.at(event.position().x())
        self.place_requested.emit(at)
        point = self.shown.point_here(at)
        self.point_changing.emit(None, point.changed(speed=self.speed_at(event.position().y())))
        self.point_changed.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.shown is None:
            return
        at = event.position()
        if self._grabbed is None:
            if not event.buttons():
                found = self._what(at)
                shape = Qt.CursorShape.ArrowCursor if found is None else Qt.CursorShape.SizeAllCursor
                self.setCursor(shape if found is None or found[0] == "point" else Qt.CursorShape.SizeHorCursor)
            super().mouseMoveEvent(event)
            return
        what, number, point, begun = self._grabbed
        if what == "ease":
            place = self.place_of(number)
            if place is None:
                return
            ease = float(np.clip((at.x() - place.x() - 10) / _HANDLE_PX, 0, 1))
            changed = point.changed(ease=round(ease, 2))
        else:
            along = self.at(at.x()) - self.at(begun.x())
            span = self.shown.shot.span
            way = -1 if self.shown.shot.reverse else 1
            moved = round(point.frame + way * along * max(0.25, abs(point.speed)) * self._per_reel_frame)
            frame = self._between_others(number, min(max(moved, span.first), span.end - 1))
            speed = self.speed_at(at.y())
            stays = point.stays_s if speed == 0 else 0.0
            changed = point.changed(speed=speed, frame=frame, stays_s=stays)
            mark = None if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else self.mark_near(at.x())
            if mark is not None and along:
                changed = changed.changed(frame=self._on_mark(number, changed, mark))
        self.point_changing.emit(number, changed)

    @property
    def _per_reel_frame(self) -> float:
        """How many frames of the take go by in one of the reel at the speed as shot."""
        assert self.shown is not None
        return float(self.shown.take.facts.rate / self.shown.placed.reel_rate)

    def _on_mark(self, number: int, point: PacePoint, mark: float) -> int:
        """The frame with which a point comes to stand on a mark of the reel, or next to it."""
        shown = self.shown
        assert shown is not None
        span = shown.shot.span
        low, high = (self._between_others(number, each) for each in (span.first, span.end - 1))
        frames = range(low, high + 1)[:: -1 if shown.shot.reverse else 1]

        def place(frame: int) -> float:
            return shown.place_with(number, point.changed(frame=frame))

        at = bisect_left(frames, mark, key=place)
        near = frames[max(0, at - 1) : at + 1]
        return min(near, key=lambda frame: abs(place(frame) - mark), default=point.frame)

    def _between_others(self, number: int, frame: int) -> int:
        """A frame for a point that does not pass its neighbours."""
        assert self.shown is not None
        points = self.shown.pace.points
        beside = [points[k].frame for k in (number - 1, number + 1) if 0 <= k < len(points)]
        old = points[number].frame
        low = max((each for each in beside if each < old), default=-1)
        high = min((each for each in beside if each > old), default=10**9)
        return min(max(frame, low + 1), high - 1) if low + 1 <= high - 1 else old

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._grabbed is not None and event.button() == Qt.MouseButton.LeftButton:
            self._grabbed = None
            self.point_changed.emit()


def _read(speed: float) -> float:
    """A speed as it is read off the curve, within those that there are: a sixteenth has more than three digits."""
    return bounded_speed(round(float(speed), 3))
