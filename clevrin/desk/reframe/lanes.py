"""The lanes under the pictures of the Reframe bench: where the gate is across and down, its size, turn and speed.

Poses are dots that can be dragged to another frame or value; the bars at the sides of the chosen one are its easing.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.document import Pose
from clevrin.desk.widgets import theme

Numbers = NDArray[np.float64]

LANES = (("across", "ember", "px"), ("down", "sky", "px"), ("size", "kelp", "px"), ("turn", "plum", "°"))
_FIELDS = ("x", "y", "width", "turn_deg")
_LEAST_RANGE = (40.0, 40.0, 40.0, 2.0)
_LABEL_PX = 128
_MARGIN_PX = 7
_NEAR_PX = 9.0
_HANDLE_PX = 46.0
_SPEED_SHARE = 0.18
"""Of the height, the ridge of the gate's own speed, under which that of the camera hangs."""


@dataclass(frozen=True, kw_only=True, eq=False)
class GateLanes:
    """What is drawn: the gate's states (frames, 4), its poses, the frame of the chosen one, and two speeds.

    `gate_speed` and `camera_speed` (frames,): in picture widths per second; the latter None while it is not measured.
    """

    first: int
    states: Numbers
    poses: tuple[Pose, ...]
    gate_speed: Numbers
    camera_speed: Numbers | None


class PoseLanes(QWidget):
    """Draws the lanes over one time axis. Dots are dragged; elsewhere drags move the playhead."""

    frame_requested = Signal(int)
    pose_changing = Signal(int, object)
    """A pose is dragged: the frame on which it stands, and the pose as it is to be."""
    pose_changed = Signal()
    pose_chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._shown: GateLanes | None = None
        self._words = ""
        self.playhead = 0
        self._grabbed: tuple[str, float, Pose, int] | None = None  # what, from which height, the pose, its lane
        self._at = 0  # the frame on which the grabbed pose stands now
        self._ranges: list[tuple[float, float]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(5 * theme.scaled(22) + 16)
        self.setMouseTracking(True)
        self.setToolTip(
            "Dots: poses; drag them to another frame, or up and down. Squares: poses of the scene. "
            "Bars beside the pose that is looked at: its easing, longer is straighter. "
            "Below: the speed of the gate, and under it that of the camera."
        )

    def sizeHint(self) -> QSize:
        return QSize(600, 260)

    def show_gate(self, shown: GateLanes) -> None:
        self._shown, self._words = shown, ""
        if self._grabbed is None:
            self._ranges = [self._range(k) for k in range(len(LANES))]
        self.update()

    def show_words(self, words: str) -> None:
        self._shown, self._words = None, words
        self.update()

    def show_playhead(self, frame: int) -> None:
        if frame != self.playhead:
            self.playhead = frame
            self.update()

    def put_back(self) -> bool:
        """Drops what is being dragged; whether there was any."""
        was = self._grabbed is not None
        self._grabbed = None
        return was

    # Where things are

    def place_of(self, pose: Pose, lane: int) -> QPointF:
        """Where a pose's dot lies in a lane."""
        area = self._area(lane)
        low, high = self._ranges[lane]
        value = self._value(pose, lane)
        share = (value - low) / (high - low)
        return QPointF(self.x_of(pose.frame), area.bottom() - 7 - share * (area.height() - 14))

    def _value(self, pose: Pose, lane: int) -> float:
        """Where the line of a lane is at a pose: on the picture as it is held."""
        assert self._shown is not None
        row = int(np.clip(pose.frame - self._shown.first, 0, len(self._shown.states) - 1))
        return float(self._shown.states[row, lane])

    def x_of(self, frame: float) -> float:
        assert self._shown is not None
        area = self._area(0)
        return area.left() + (frame - self._shown.first + 0.5) / max(1, len(self._shown.states)) * area.width()

    def handle_of(self, pose: Pose, side: int) -> QPointF:
        """Where the end of a pose's easing bar is, before it (-1) or behind it (1)."""
        flow = pose.arrive if side < 0 else pose.leave
        return self.place_of(pose, 0) + QPointF(side * (10 + flow * _HANDLE_PX), 0)

    def _area(self, lane: int) -> QRectF:
        lanes = self.height() * (1 - _SPEED_SHARE) - 4
        height = (lanes - 4 * (len(LANES) - 1)) / len(LANES)
        left = theme.scaled(_LABEL_PX)
        return QRectF(left, lane * (height + 4), self.width() - left - _MARGIN_PX, height)

    def _speed_area(self) -> QRectF:
        top = self.height() * (1 - _SPEED_SHARE)
        left = theme.scaled(_LABEL_PX)
        return QRectF(left, top, self.width() - left - _MARGIN_PX, self.height() - top)

    def _range(self, lane: int) -> tuple[float, float]:
        assert self._shown is not None
        values = self._shown.states[:, lane]
        low, high = float(values.min()), float(values.max())
        spread = max(_LEAST_RANGE[lane], (high - low) * 1.2)
        return float((low + high - spread) / 2), float((low + high + spread) / 2)

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:  # whatever happens, it is let go of
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        if self._shown is None:
            painter.fillRect(self.rect(), theme.colour("surround"))
            painter.setPen(theme.colour("quiet"))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.rect().adjusted(20, 4, -20, -4), flags, self._words)
            return
        for lane in range(len(LANES)):
            self._paint_lane(painter, lane)
        self._paint_speeds(painter)
        painter.setPen(QPen(theme.colour("text"), 1.5))
        x = self.x_of(self.playhead)
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))

    def _paint_lane(self, painter: QPainter, lane: int) -> None:
        assert self._shown is not None
        name, token, unit = LANES[lane]
        area = self._area(lane)
        painter.fillRect(QRectF(0, area.top(), self.width(), area.height()), theme.colour("surround"))
        tint = theme.colour(token)
        row = int(np.clip(self.playhead - self._shown.first, 0, len(self._shown.states) - 1))
        value = self._shown.states[row, lane]
        painter.setPen(tint)
        painter.setFont(theme.font(theme.BODY_PX, strong=True))
        label = QRectF(8, area.top(), area.left() - 14, area.height())
        painter.drawText(label, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
        painter.setPen(theme.colour("quiet"))
        painter.setFont(theme.font(theme.SMALL_PX))
        figure = f"{value + 0.0:.1f}{unit}" if unit == "°" else f"{value:.0f} {unit}"
        painter.drawText(label, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, figure)
        painter.save()
        painter.setClipRect(area)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        low, high = self._ranges[lane]
        y = area.bottom() - 7 - (self._shown.states[:, lane] - low) / (high - low) * (area.height() - 14)
        x = [self.x_of(self._shown.first + k) for k in range(len(y))]
        painter.setPen(QPen(tint, 2))
        painter.drawPolyline(QPolygonF([QPointF(*p) for p in zip(x, np.clip(y, -4000, 4000), strict=True)]))
        for pose in self._shown.poses:
            self._paint_pose(painter, pose, lane, tint)
        painter.restore()

    def _paint_pose(self, painter: QPainter, pose: Pose, lane: int, tint: object) -> None:
        at, chosen = self.place_of(pose, lane), pose.frame == self.playhead
        if pose.stays:
            painter.setPen(QPen(theme.colour("quiet"), 4))
            painter.drawLine(at, QPointF(self.x_of(pose.last), at.y()))
        if chosen and lane == 0:
            painter.setPen(QPen(theme.colour("text"), 2))
            for side in (-1, 1):
                end = self.handle_of(pose, side)
                painter.drawLine(at, end)
                painter.drawLine(end + QPointF(0, -4), end + QPointF(0, 4))
        painter.setPen(QPen(theme.colour("sunk"), 1))
        painter.setBrush(theme.colour("text") if chosen else tint)
        size = 5.5 if chosen else 4.5
        if pose.belongs == "scene":  # a pose of the scene stands on its place in the world: a square, which stands
            painter.drawRect(QRectF(at.x() - size, at.y() - size, 2 * size, 2 * size))
        else:
            painter.drawEllipse(at, size, size)

    def _paint_speeds(self, painter: QPainter) -> None:
        """The gate's speed as a ridge, and hanging under it that of the camera."""
        assert self._shown is not None
        area = self._speed_area()
        painter.fillRect(QRectF(0, area.top(), self.width(), area.height()), theme.colour("surround"))
        painter.setPen(theme.colour("quiet"))
        painter.setFont(theme.font(theme.SMALL_PX))
        label = QRectF(8, area.top(), area.left() - 14, area.height())
        painter.drawText(label, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, "speed: gate / camera")
        middle = area.center().y()
        for speed, way, token in ((self._shown.gate_speed, -1, "ember"), (self._shown.camera_speed, 1, "quiet")):
            if speed is None or not len(speed):
                continue
            heights = np.sqrt(np.clip(speed / 2.0, 0, 1)) * (area.height() / 2 - 2)
            points = [QPointF(area.left(), middle)]
            points += [QPointF(self.x_of(self._shown.first + k), middle + way * h) for k, h in enumerate(heights)]
            points.append(QPointF(area.right(), middle))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(token))
            painter.drawPolygon(QPolygonF(points))

    # Dragging

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._shown is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._grabbed = self._what(event.position())
        if self._grabbed is not None:
            self._at = self._grabbed[2].frame
            self.pose_chosen.emit(self._at)
            return
        self.frame_requested.emit(self._frame_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._shown is None:
            return
        at = event.position()
        if self._grabbed is None:
            if event.buttons() & Qt.MouseButton.LeftButton:
                self.frame_requested.emit(self._frame_at(at.x()))
            else:
                found = self._what(at)
                shape = Qt.CursorShape.ArrowCursor if found is None else Qt.CursorShape.SizeAllCursor
                self.setCursor(shape if found is None or found[0] == "dot" else Qt.CursorShape.SizeHorCursor)
            return
        what, begun, pose, lane = self._grabbed
        if what == "dot":
            low, high = self._ranges[lane]
            by = (begun - at.y()) / max(1.0, self._area(lane).height() - 14) * (high - low)
            value = getattr(pose, _FIELDS[lane]) + by
            changed = pose.changed(frame=self._frame_at(at.x()), **{_FIELDS[lane]: self._sane(value, lane)})
        else:
            side = -1 if what == "arrive" else 1
            flow = float(np.clip((side * (at.x() - self.x_of(pose.frame)) - 10) / _HANDLE_PX, 0, 1))
            changed = pose.changed(**{what: round(flow, 2)})
        before, self._at = self._at, changed.frame
        self.pose_changing.emit(before, changed)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._grabbed is not None and event.button() == Qt.MouseButton.LeftButton:
            self._grabbed = None
            self.pose_changed.emit()

    def _sane(self, value: float, lane: int) -> float:
        return round(max(8.0, value) if _FIELDS[lane] == "width" else value, 3)

    def _frame_at(self, x: float) -> int:
        assert self._shown is not None
        area, count = self._area(0), len(self._shown.states)
        share = (x - area.left()) / max(1.0, area.width())
        return self._shown.first + max(0, min(int(share * count), count - 1))

    def _what(self, at: QPointF) -> tuple[str, float, Pose, int] | None:
        """What is grabbed at a place: a dot, or the easing at a side of the pose that is looked at."""
        assert self._shown is not None
        for pose in self._shown.poses:
            if pose.frame == self.playhead:
                for side, name in ((-1, "arrive"), (1, "leave")):
                    if (at - self.handle_of(pose, side)).manhattanLength() < _NEAR_PX:
                        return name, at.y(), pose, 0
        for lane in range(len(LANES)):
            for pose in self._shown.poses:
                if (at - self.place_of(pose, lane)).manhattanLength() < _NEAR_PX:
                    return "dot", at.y(), pose, lane
        return None
