"""A lane for each area of a take: where something was said of it, how sure it is, where it is lost."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.document import Area, Take
from clevrin.core.matte.clinging_areas import LOST
from clevrin.core.matte.cutting import UNSURE, CutFrames
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.desk.areas.edits import coloured_part, cut_part, drawn_part
from clevrin.desk.background.mask_jobs import MaskJobs
from clevrin.desk.widgets import theme

_LANE_PX, _GAP_PX = 22, 3
_BESIDE_PX = 8
"""As beside the ridge, under which frames lie where they lie here."""
_MOST = 5
_LOW, _BELOW = 0.6, 0.15
"""Nothing that is still followed is less sure than that, or so much under what is unsure."""
_NEAR_PX = 6.0

Sure = NDArray[np.float32]


@dataclass(frozen=True, kw_only=True, eq=False)
class AreaLane:
    """What is drawn of an area: the frames on which something was said of it, and how sure it is.

    `sure` (frames,) 0 to 1, lit where it is under `unsure`; None where it is not measured, or needs not to be. `seen`:
    frames at which is said how much of it counts.
    """

    id: str
    name: str
    said: tuple[int, ...]
    seen: tuple[int, ...] = ()
    sure: Sure | None = None
    unsure: float = UNSURE


def lanes_of(take: Take, mask_jobs: MaskJobs) -> tuple[AreaLane, ...]:
    """The lanes of all areas of a take, as far as those are measured."""
    return tuple(_lane_of(area, take, mask_jobs) for area in take.areas)


def _lane_of(area: Area, take: Take, mask_jobs: MaskJobs) -> AreaLane:
    cut, drawn, coloured = cut_part(area), drawn_part(area), coloured_part(area)
    measured = cut or next(iter(area.clinging), None)
    found = None if measured is None else mask_jobs.of(take, area.id, measured)
    said: set[int] = set()
    if cut is not None:
        said |= set(cut.frames)
    if drawn is not None:
        said |= {each.frame for each in drawn.outlines}
    if coloured is not None:
        said |= {each.frame for each in coloured.picks}
    sure, unsure = None, UNSURE
    if isinstance(found, CutFrames):
        sure = found.sure
    elif isinstance(found, Followed):
        sure, unsure = np.where(found.known, found.confidence, 0).astype(np.float32), LOST
    return AreaLane(
        id=area.id,
        name=area.name,
        said=tuple(sorted(said)),
        seen=tuple(each.frame for each in area.seen),
        sure=sure,
        unsure=unsure,
    )


class AreaLanes(QWidget):
    """Draws the lanes over one axis of time. A click chooses an area and goes to its frame; a drag goes on from there.

    Columns are as high as the area is sure, lit where it is not. Sails stand where something was said of it, bars where
    it is said how much of it counts. Of many areas those next to the chosen one are seen; the wheel goes to the others.
    """

    area_chosen = Signal(str)
    frame_requested = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._lanes: tuple[AreaLane, ...] = ()
        self._frames, self._here = 0, 0
        self._chosen = ""
        self._first = 0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Areas over time")
        self.setToolTip(
            "A lane for each area. Sails: something was said of it there. Columns: how sure it is, "
            "lit where it is not. A click goes there, best to the lit ones."
        )
        self.hide()

    @property
    def lanes(self) -> tuple[AreaLane, ...]:
        return self._lanes

    def sizeHint(self) -> QSize:
        rows = min(_MOST, len(self._lanes))
        return QSize(300, rows * theme.scaled(_LANE_PX) + max(0, rows - 1) * _GAP_PX)

    def show_lanes(self, lanes: tuple[AreaLane, ...], frames: int, chosen: str) -> None:
        """The areas of a take of so many frames, and the id of the one that is worked on."""
        grows = len(lanes) != len(self._lanes)
        self._lanes, self._frames = lanes, frames
        if chosen != self._chosen or grows:
            self._chosen = chosen
            at = next((k for k, each in enumerate(lanes) if each.id == chosen), 0)
            self._first = min(max(self._first, at - _MOST + 1), at)
        self._roll_to(self._first)
        self.setVisible(bool(lanes))
        if grows:
            self.updateGeometry()
        self.update()

    def show_frame(self, frame: int) -> None:
        """The frame that is looked at."""
        if frame != self._here:
            self._here = frame
            self.update()

    def place_of(self, area_id: str, frame: int) -> QPointF:
        """Where a frame of an area lies in the widget."""
        row = next(k for k, each in enumerate(self._lanes) if each.id == area_id) - self._first
        return QPointF(self._x_of(frame), self._row(row).center().y())

    def _roll_to(self, first: int) -> None:
        self._first = max(0, min(first, len(self._lanes) - _MOST))

    def _row(self, row: int) -> QRectF:
        high = theme.scaled(_LANE_PX)
        return QRectF(_BESIDE_PX, row * (high + _GAP_PX), self.width() - 2 * _BESIDE_PX, high)

    def _x_of(self, frame: float) -> float:
        area = self._row(0)
        return area.left() + (frame + 0.5) / max(1, self._frames) * area.width()

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for row, lane in enumerate(self._lanes[self._first : self._first + _MOST]):
                self._paint_lane(painter, self._row(row), lane)
            here = self._x_of(self._here)
            painter.setPen(QPen(theme.colour("text"), 1.5))
            painter.drawLine(QPointF(here, 0), QPointF(here, self.height()))

    def _paint_lane(self, painter: QPainter, area: QRectF, lane: AreaLane) -> None:
        painter.fillRect(area, theme.colour("sunk"))
        if lane.sure is not None and len(lane.sure):
            _paint_sure(painter, area, lane.sure, lane.unsure)
        painter.setPen(QPen(theme.colour("quiet"), 1))
        for frame in lane.seen:
            x = self._x_of(frame)
            painter.drawLine(QPointF(x, area.bottom() - 6), QPointF(x, area.bottom()))
        for frame in lane.said:
            _paint_sail(painter, QPointF(self._x_of(frame), area.center().y()))
        chosen = lane.id == self._chosen
        if chosen:
            painter.setPen(QPen(theme.colour("ember"), 1.4))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(area.adjusted(0.7, 0.7, -0.7, -0.7))
        painter.setFont(theme.font(theme.SMALL_PX))
        words = painter.fontMetrics().elidedText(lane.name, Qt.TextElideMode.ElideRight, int(area.width() / 3))
        beside = QRectF(area.left() + 4, area.top() + 3, painter.fontMetrics().horizontalAdvance(words) + 8, 0)
        beside.setHeight(area.height() - 6)
        ground = theme.colour("sunk")
        ground.setAlpha(210)
        painter.fillRect(beside, ground)
        painter.setPen(theme.colour("text" if chosen else "quiet"))
        painter.drawText(beside, Qt.AlignmentFlag.AlignCenter, words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or not self._frames:
            return
        row = int(event.position().y() // (theme.scaled(_LANE_PX) + _GAP_PX)) + self._first
        if 0 <= row < len(self._lanes):
            lane = self._lanes[row]
            near = min(lane.said, key=lambda each: abs(self._x_of(each) - event.position().x()), default=None)
            self.area_chosen.emit(lane.id)
            if near is not None and abs(self._x_of(near) - event.position().x()) <= _NEAR_PX:
                self.frame_requested.emit(near)
                return
        self._go_to(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton and self._frames:
            self._go_to(event.position().x())

    def wheelEvent(self, event: QWheelEvent) -> None:
        before = self._first
        self._roll_to(before + (-1 if event.angleDelta().y() > 0 else 1))
        event.setAccepted(before != self._first)
        self.update()

    def _go_to(self, x: float) -> None:
        area = self._row(0)
        share = (x - area.left()) / max(1.0, area.width())
        self.frame_requested.emit(max(0, min(int(share * self._frames), self._frames - 1)))


def _paint_sure(painter: QPainter, area: QRectF, sure: Sure, unsure: float) -> None:
    """A column of pixels shows the least sure of its frames."""
    per, low = area.width() / len(sure), min(_LOW, unsure - _BELOW)
    lit, plain = theme.colour("ember"), theme.colour("quiet")
    lit.setAlpha(150)
    plain.setAlpha(110)
    for x in range(int(area.width())):
        first = int(x / per)
        least = float(sure[first : max(first + 1, int((x + 1) / per))].min())
        share = max(0.08, (least - low) / (1 - low))
        top = area.bottom() - area.height() * share
        painter.fillRect(QRectF(area.left() + x, top, 1, area.height() * share), lit if least < unsure else plain)


def _paint_sail(painter: QPainter, at: QPointF) -> None:
    """Where something was said: a small sail, as points are in the picture."""
    sail = QPolygonF([at + QPointF(-4, 5), at + QPointF(5, 5), at + QPointF(-4, -6)])
    painter.setPen(QPen(theme.colour("sunk"), 2.5))
    painter.drawPolygon(sail)
    painter.setBrush(theme.colour("text"))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.drawPolygon(sail)
    painter.setBrush(Qt.BrushStyle.NoBrush)
