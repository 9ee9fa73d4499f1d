"""The four lanes under the pictures: pan, tilt, roll and zoom, thin as shot and thick as held."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.runs import runs_of, runs_of_numbers
from clevrin.desk.widgets import theme

Numbers = NDArray[np.float64]

AXIS_TOKENS = {"pan": "ember", "tilt": "sky", "roll": "plum", "zoom": "kelp"}
AXIS_UNITS = {"pan": "px", "tilt": "px", "roll": "°", "zoom": "%"}
_SMALLEST_RANGE = {"pan": 12.0, "tilt": 12.0, "roll": 0.5, "zoom": 1.0}
_LABEL_PX = 128
_LOW_PX = 42
"""Lanes lower than this have their name and figures on one line."""
_MARGIN_PX = 7


@dataclass(frozen=True, kw_only=True, eq=False)
class Lane:
    """One axis over a shot: its course as shot and as held (None: not held), and the shake left and right."""

    axis: str
    shot: Numbers
    held: Numbers | None
    shake_before: float
    shake_after: float | None
    on: bool


@dataclass(frozen=True, kw_only=True)
class Marked:
    """Frames that the lanes show: blur that will be seen, an anchor that was not, and calm that is not demanded."""

    blurred: tuple[int, ...] = ()
    bridged: tuple[int, ...] = ()
    spared: tuple[int, ...] = ()


class Lanes(QWidget):
    """Draws the lanes over one time axis; drags move the playhead."""

    frame_requested = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._lanes: tuple[Lane, ...] = ()
        self._calm: NDArray[np.bool_] = np.zeros(0, bool)
        self._first = 0
        self.playhead = 0
        self._words = ""
        self._marked = Marked()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(4 * theme.scaled(22) + 12)
        self.setToolTip(
            "Thin: as shot. Thick: as held. Shaded: whips, whose course is kept. Hatched: blur that will show. "
            "Dots: the anchor was not seen. Dashes: spared, no calm is demanded."
        )

    def sizeHint(self) -> QSize:
        return QSize(600, 260)

    def show_lanes(
        self, lanes: tuple[Lane, ...], calm: NDArray[np.bool_], first: int, marked: Marked | None = None
    ) -> None:
        """`calm` (frames,) says which frames are not in a whip; `first` is the number of the first frame."""
        self._lanes, self._calm, self._first, self._words = lanes, calm, first, ""
        self._marked = marked or Marked()
        self.update()

    def show_words(self, words: str) -> None:
        self._lanes, self._words = (), words
        self.update()

    def show_playhead(self, frame: int) -> None:
        if frame != self.playhead:
            self.playhead = frame
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:  # whatever happens, it is let go of
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        if not self._lanes:
            painter.fillRect(self.rect(), theme.colour("surround"))
            painter.setPen(theme.colour("quiet"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self._words)
            return
        height = (self.height() - 4 * (len(self._lanes) - 1)) / len(self._lanes)
        for k, lane in enumerate(self._lanes):
            self._paint_lane(painter, lane, QRectF(0, k * (height + 4), self.width(), height))
        x = self._x_of(self.playhead)
        painter.setPen(QPen(theme.colour("text"), 1.5))
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        frames = len(self._calm)
        if not self._lanes or not event.buttons() & Qt.MouseButton.LeftButton or not frames:
            return
        share = (event.position().x() - _label_px()) / max(1, self.width() - _label_px() - _MARGIN_PX)
        self.frame_requested.emit(self._first + max(0, min(int(share * frames), frames - 1)))

    def _x_of(self, frame: float) -> float:
        share = (frame - self._first + 0.5) / max(1, len(self._calm))
        return _label_px() + share * (self.width() - _label_px() - _MARGIN_PX)

    def _paint_lane(self, painter: QPainter, lane: Lane, box: QRectF) -> None:
        painter.fillRect(box, theme.colour("surround"))
        tint = theme.colour(AXIS_TOKENS[lane.axis] if lane.on else "quiet")
        painter.setPen(tint)
        painter.setFont(theme.font(theme.BODY_PX, strong=True))
        room = _label_px() - 14
        low = box.height() < theme.scaled(_LOW_PX)
        top = box.top() + (box.height() - theme.scaled(18)) / 2 if low else box.top() + 5
        painter.drawText(QRectF(8, top, room, theme.scaled(18)), Qt.AlignmentFlag.AlignLeft, lane.axis)
        taken = painter.fontMetrics().horizontalAdvance(lane.axis) + 8 if low else 0
        painter.setFont(theme.font(theme.SMALL_PX))
        painter.setPen(theme.colour("quiet"))
        words = figure_words(lane).removeprefix("shake ") if low else figure_words(lane)
        below = QRectF(8 + taken, top + (2 if low else theme.scaled(18)), room - taken, theme.scaled(16))
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, words)
        area = QRectF(_label_px(), box.top(), box.width() - _label_px() - _MARGIN_PX, box.height())
        painter.save()
        painter.setClipRect(area)
        self._paint_whips(painter, area)
        self._paint_marked(painter, area)
        lowest, highest = _range(lane, self._calm)
        x = area.left() + (np.arange(len(lane.shot)) + 0.5) / len(lane.shot) * area.width()

        def line(values: Numbers) -> QPolygonF:
            y = area.bottom() - 6 - (values - lowest) / (highest - lowest) * (area.height() - 12)
            return QPolygonF([QPointF(*p) for p in zip(x, np.clip(y, -4000, 4000), strict=True)])

        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if lane.held is not None:
            painter.setPen(QPen(tint, 2.2))
            painter.drawPolyline(line(lane.held))
        painter.setPen(QPen(theme.colour("text"), 1) if lane.held is None else QPen(theme.colour("quiet"), 1))
        painter.drawPolyline(line(lane.shot))
        painter.restore()

    def _paint_marked(self, painter: QPainter, area: QRectF) -> None:
        for frames, token, pattern in (
            (self._marked.blurred, "text", Qt.BrushStyle.BDiagPattern),
            (self._marked.bridged, "brick", Qt.BrushStyle.Dense5Pattern),
            (self._marked.spared, "ember", Qt.BrushStyle.HorPattern),
        ):
            shade = theme.colour(token)
            shade.setAlpha(90)
            numbers = np.array(sorted(frames), np.int64)
            for first, end in runs_of_numbers(numbers):
                left, right = self._x_of(numbers[first] - 0.5), self._x_of(numbers[end - 1] + 0.5)
                painter.fillRect(QRectF(left, area.top(), right - left, area.height()), QBrush(shade, pattern))

    def _paint_whips(self, painter: QPainter, area: QRectF) -> None:
        for first, end in runs_of(~self._calm):
            left, right = (self._x_of(self._first + f - 0.5) for f in (first, end))
            painter.fillRect(QRectF(left, area.top(), right - left, area.height()), theme.colour("sheet"))
            if right - left > 34:
                painter.setPen(theme.colour("quiet"))
                painter.drawText(QPointF(left + 5, area.bottom() - 5), "whip")


def _label_px() -> int:
    return theme.scaled(_LABEL_PX)


def figure_words(lane: Lane) -> str:
    """The shake over 1 Hz as shot and as held."""
    unit = AXIS_UNITS[lane.axis]
    gap = "" if unit in ("°", "%") else " "

    def figure(value: float) -> str:
        return f"{value:.1f}" if value >= 1 else f"{value:.2f}"

    if lane.shake_after is None:
        return f"shake {figure(lane.shake_before)}{gap}{unit}"
    return f"shake {figure(lane.shake_before)} → {figure(lane.shake_after)}{gap}{unit}"


def _range(lane: Lane, calm: NDArray[np.bool_]) -> tuple[float, float]:
    """What a lane's height covers: the calm frames. A whip runs out of it, or nothing else could be seen."""
    shown = calm if calm.any() else np.ones(len(calm), bool)
    values = [lane.shot[shown]] + ([lane.held[shown]] if lane.held is not None else [])
    low, high = min(float(v.min()) for v in values), max(float(v.max()) for v in values)
    spread = max(_SMALLEST_RANGE[lane.axis], (high - low) * 1.1)
    middle = (low + high) / 2
    return middle - spread / 2, middle + spread / 2
