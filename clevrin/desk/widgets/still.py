"""What a widget shows that stays as it is while a reel plays: painted once, and kept as pixels."""

import time
from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QSize, QTimer
from PySide6.QtGui import QPainter, QPixmap
from PySide6.QtWidgets import QWidget

_SOON_MS, _PAUSES = 150, 15
"""How soon what came in is painted, and how many times as long as painting takes that is put off at least."""
_MAKES_OLD = (QEvent.Type.StyleChange, QEvent.Type.FontChange, QEvent.Type.PaletteChange, QEvent.Type.EnabledChange)


class Still(QObject):
    """The pixels of a widget without what moves over them; made again once they have been told to be `changed`.

    Painting a reel of twenty shots takes some 30 ms, laying its pixels a fifth of one.
    """

    def __init__(self, widget: QWidget) -> None:
        super().__init__(widget)
        self._widget = widget
        self._pixels: QPixmap | None = None
        widget.installEventFilter(self)
        self._took_ms = 0.0
        self._soon = QTimer(self, singleShot=True)
        self._soon.timeout.connect(self.changed)

    @property
    def waits(self) -> bool:
        """Whether something came in that is painted in a moment."""
        return self._soon.isActive()

    def changed(self, *_: object) -> None:
        """Something else is to be seen: takes what signals bring along."""
        self._pixels = None
        self._widget.update()

    def changed_a_little(self, *_: object) -> None:
        """Something came in that shows, one of many: they are painted together, a moment later."""
        if not self._soon.isActive():
            self._soon.start(max(_SOON_MS, round(_PAUSES * self._took_ms)))

    def paint(self, painter: QPainter, paint: Callable[[QPainter], None]) -> None:
        """Lays the pixels, which `paint` makes where they are not there."""
        ratio = self._widget.devicePixelRatioF()
        size = QSize(*(max(1, round(each * ratio)) for each in (self._widget.width(), self._widget.height())))
        if self._pixels is None or self._pixels.size() != size:
            made = QPixmap(size)
            made.setDevicePixelRatio(ratio)
            made.fill(self._widget.palette().window().color())
            begun = time.perf_counter()
            with QPainter(made) as own:
                paint(own)
            self._pixels, self._took_ms = made, (time.perf_counter() - begun) * 1000
        painter.drawPixmap(0, 0, self._pixels)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in _MAKES_OLD:
            self._pixels = None
        return super().eventFilter(watched, event)
