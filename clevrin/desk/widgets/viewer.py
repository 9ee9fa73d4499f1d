"""A viewer: pictures on a neutral surround, drawn 1:1, with words over them where they are needed."""

from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPoint, QPointF, QRect, QSize, Qt, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.desk.widgets import theme
from clevrin.desk.widgets.pixels import image_of

Pixels = NDArray[np.uint8]


class Overlay(Protocol):
    """What is drawn over a picture and may be dragged there. Places are in the widget; `rect` is the picture's."""

    def paint(self, painter: QPainter, rect: QRect) -> None: ...

    def press(self, at: QPointF, rect: QRect) -> bool:
        """The button goes down; whether the overlay takes the drag that begins."""

    def drag(self, at: QPointF, rect: QRect) -> None: ...

    def release(self, at: QPointF, rect: QRect) -> None: ...

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape: ...


class Drawing:
    """An overlay that is looked at and nothing more; what it draws is said by those made of it."""

    def press(self, at: QPointF, rect: QRect) -> bool:
        return False

    def drag(self, at: QPointF, rect: QRect) -> None: ...

    def release(self, at: QPointF, rect: QRect) -> None: ...

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape:
        return Qt.CursorShape.ArrowCursor


class Viewer(QWidget):
    """Shows one picture, or two of one size with a divide between them that can be dragged.

    Pictures come at the size that `wanted_size` says; until then what is there is scaled.
    """

    wanted_size_changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._images: tuple[QImage, ...] = ()
        self._pixels: tuple[Pixels, ...] = ()  # the images look into them
        self._words = ""
        self._note = ""
        self._detail = 1.0
        self._divide: float | None = None
        self._overlay: Overlay | None = None
        self._dragging = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(160, 90)

    def sizeHint(self) -> QSize:
        return QSize(640, 360)

    @property
    def wanted_size(self) -> tuple[int, int]:
        """The size in device pixels that fills the widget, or a share of it where less detail is wanted."""
        ratio = self.devicePixelRatioF() * self._detail
        return max(2, round(self.width() * ratio)), max(2, round(self.height() * ratio))

    @property
    def pixels(self) -> tuple[Pixels, ...]:
        """What is shown: BGRA (h, w, 4) uint8 each; empty when nothing is."""
        return self._pixels

    @property
    def words(self) -> str:
        return self._words

    @property
    def note(self) -> str:
        """Small print in the corner of the picture."""
        return self._note

    def show_note(self, note: str) -> None:
        if note != self._note:
            self._note = note
            self.update()

    def set_detail(self, share: float) -> None:
        """How finely pictures are made: 1 is every pixel of the screen."""
        if share != self._detail:
            self._detail = share
            self.wanted_size_changed.emit()

    def show_pixels(self, *pixels: Pixels) -> None:
        """Shows pictures, BGRA (h, w, 4) uint8; they must not be written to afterwards."""
        self._pixels = pixels
        self._images = tuple(map(image_of, pixels))
        self._words = ""
        self.update()

    def show_words(self, words: str) -> None:
        """Shows a sentence instead of a picture."""
        self._images, self._pixels, self._words = (), (), words
        self.update()

    def set_divide(self, share: float | None) -> None:
        """With two pictures: the first is left of this share of the width, the second right. None: the last one."""
        self._divide = share
        self.update()

    @property
    def overlay(self) -> Overlay | None:
        """What is drawn over the picture."""
        return self._overlay

    def set_overlay(self, overlay: Overlay | None) -> None:
        """Draws something over the picture, and hands the mouse to it. None: nothing."""
        if overlay is self._overlay:
            return  # a drag goes on while other frames are shown
        self._overlay, self._dragging = overlay, False
        self.setMouseTracking(overlay is not None)
        self.unsetCursor()
        self.update()

    def picture_rect(self) -> QRect:
        """Where the picture lies in the widget."""
        if not self._images:
            return QRect()
        size = self._images[0].size()
        fitted = size.scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        if abs(fitted.width() - size.width() / self.devicePixelRatioF()) <= 2:
            fitted = size / self.devicePixelRatioF()
        place = QPoint((self.width() - fitted.width()) // 2, (self.height() - fitted.height()) // 2)
        return QRect(place, fitted)

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:  # whatever happens, it is let go of
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("surround"))
        if not self._images:
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.font())
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.rect().adjusted(24, 12, -24, -12), flags, self._words)
            return
        rect = self.picture_rect()
        painter.drawImage(rect, self._images[-1])
        if self._overlay is not None:
            painter.save()
            self._overlay.paint(painter, rect)
            painter.restore()
        if self._note:
            self._paint_note(painter, rect)
        if self._divide is not None and len(self._images) == 2:
            x = rect.left() + round(rect.width() * self._divide)
            painter.setClipRect(QRect(rect.left(), rect.top(), x - rect.left(), rect.height()))
            painter.drawImage(rect, self._images[0])
            painter.setClipping(False)
            painter.fillRect(x - 1, rect.top(), 2, rect.height(), theme.colour("text"))

    def _paint_note(self, painter: QPainter, rect: QRect) -> None:
        painter.setFont(theme.font(theme.SMALL_PX))
        width = painter.fontMetrics().horizontalAdvance(self._note) + 14
        box = QRect(rect.left() + 8, rect.bottom() - 26, width, 19)
        shade = theme.colour("sunk")
        shade.setAlpha(190)
        painter.fillRect(box, shade)
        painter.setPen(theme.colour("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self._note)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.wanted_size_changed.emit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        rect = self.picture_rect()
        left = event.button() == Qt.MouseButton.LeftButton
        if left and self._overlay is not None and rect.isValid() and self._overlay.press(event.position(), rect):
            self._dragging = True
            return
        self.mouseMoveEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging and self._overlay is not None and event.button() == Qt.MouseButton.LeftButton:
            self._dragging = False
            self._overlay.release(event.position(), self.picture_rect())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        rect = self.picture_rect()
        if self._overlay is not None and rect.isValid():
            if self._dragging:
                self._overlay.drag(event.position(), rect)
                return
            self.setCursor(self._overlay.cursor(event.position(), rect))
        if self._divide is not None and event.buttons() & Qt.MouseButton.LeftButton and rect.width():
            share = min(1.0, max(0.0, (event.position().x() - rect.left()) / rect.width()))
            self.set_divide(share)
