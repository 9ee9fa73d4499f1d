"""The tick bar: one tick for each frame of the take where it is shown, and how far what was invented can be trusted."""

from collections.abc import Mapping

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.desk.pace.axis import TimedLane
from clevrin.desk.widgets import theme

_NEAR_PX = 5.0
_LEAST_APART_PX = 1.6
_TRUST_SHARE = 0.34


class TickBar(TimedLane):
    """Draws the frames of a take as ticks; a tick can be dragged to the instant at which its frame should be shown.

    Long ticks are frames that are shown as they were shot, short ones are left out, hollow ones were invented.
    """

    tick_changing = Signal(int, float)
    """A frame of the take, and the place on the shot's reel that it is dragged to."""
    tick_changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._grabbed: int | None = None
        self.trust: Mapping[int, float] = {}
        self.prepared: frozenset[int] = frozenset()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(theme.scaled(64))
        self.setToolTip(
            "Long ticks: frames as they were shot. Short ones: left out. Hollow ones: made between two frames. Drag a "
            "tick to show its frame at another instant. Below: how much of an invented frame could be followed; the "
            "bright line is what is prepared for playing."
        )

    def sizeHint(self) -> QSize:
        return QSize(600, theme.scaled(64))

    @property
    def grabbing(self) -> bool:
        return self._grabbed is not None

    def show_made(self, trust: Mapping[int, float], prepared: frozenset[int]) -> None:
        """How far frames of the shot's reel can be trusted, and which ones are prepared for playing."""
        self.trust, self.prepared = trust, prepared
        self.update()

    def put_back(self) -> bool:
        """Drops what is being dragged; whether there was any."""
        was = self._grabbed is not None
        self._grabbed = None
        return was

    def x_of_frame(self, frame: int) -> float | None:
        """Where the tick of a frame of the take is."""
        assert self.shown is not None
        found = self.shown.ticks[self.shown.ticks[:, 0] == frame]
        return None if not len(found) else self.x_of(float(found[0, 1]))

    def paint(self, painter: QPainter) -> None:
        shown = self.shown
        assert shown is not None
        area = self.area()
        self.paint_beats(painter)
        foot = self.height() * (1 - _TRUST_SHARE)
        real = np.round(shown.instants[~shown.invented]).astype(int)
        places = shown.ticks
        apart = area.width() / max(1, len(places))
        step = max(1, int(np.ceil(_LEAST_APART_PX / max(apart, 1e-6))))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        shown_frames = set(real.tolist())
        for frame, at in places[::step]:
            whole = int(frame) in shown_frames
            painter.setPen(QPen(theme.colour("text" if whole else "quiet"), 1))
            x = self.x_of(float(at))
            painter.drawLine(QPointF(x, foot - 4), QPointF(x, 6 if whole else foot - 14))
        invented = np.flatnonzero(shown.invented)
        step = max(1, int(np.ceil(3 * _LEAST_APART_PX * len(invented) / max(1.0, area.width()))))
        painter.setPen(QPen(theme.colour("kelp"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for at in invented[::step]:
            painter.drawRect(QRectF(self.x_of(float(at)) - 1, 12, 2, foot - 18))
        self._paint_trust(painter, foot)
        made = int(shown.invented.sum())
        gone = len(places) - len(shown_frames & set(places[:, 0].astype(int).tolist()))
        words = f"{made} invented" if made else f"{max(0, gone)} left out" if gone else "all as shot"
        self.label(painter, "frames", words, token="text")

    def _paint_trust(self, painter: QPainter, foot: float) -> None:
        """Bars as high as an invented frame can be trusted, and under them what is prepared."""
        assert self.shown is not None
        width = max(1.0, self.area().width() / self.shown.frames)
        height = self.height() - foot - 5
        for at, trust in self.trust.items():
            if not 0 <= at < self.shown.frames:
                continue
            tint = theme.colour("kelp" if trust >= 0.7 else "ember" if trust >= 0.4 else "brick")
            tall = max(2.0, trust * height)
            painter.fillRect(QRectF(self.x_of(at) - width / 2, foot + height - tall, width, tall), tint)
        for at in self.prepared:
            box = QRectF(self.x_of(at) - width / 2, self.height() - 3, width + 0.5, 3)
            painter.fillRect(box, theme.colour("text"))

    def _tick_at(self, x: float) -> int | None:
        """The frame whose tick is at a column of pixels."""
        assert self.shown is not None
        off = np.abs(np.array([self.x_of(float(at)) for at in self.shown.ticks[:, 1]]) - x)
        best = int(np.argmin(off))
        return int(self.shown.ticks[best, 0]) if off[best] <= _NEAR_PX else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.shown is None or event.button() != Qt.MouseButton.LeftButton:
            return
        on_ticks = event.position().y() < self.height() * (1 - _TRUST_SHARE)
        self._grabbed = self._tick_at(event.position().x()) if on_ticks else None
        if self._grabbed is None:
            super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.shown is None:
            return
        if self._grabbed is None:
            super().mouseMoveEvent(event)
            return
        at = event.position().x()
        mark = None if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else self.mark_near(at)
        self.tick_changing.emit(self._grabbed, self.at(at) if mark is None else mark)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._grabbed is not None and event.button() == Qt.MouseButton.LeftButton:
            self._grabbed = None
            self.tick_changed.emit()
