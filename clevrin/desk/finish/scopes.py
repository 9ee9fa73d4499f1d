"""The scopes beside the picture: its light from left to right, and its colours about grey."""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.media.scopes import LEVELS, bar_places, colour_scope, light_scope
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.pixels import image_of

_WIDTH, _HEAD = 208, 18
_DOT_PX = 3.0
_LINES = (0.0, 0.5, 1.0)
_BARS = {"red": "brick", "yellow": "ember", "green": "kelp", "cyan": "kelp", "blue": "sky", "magenta": "plum"}

Pixels = NDArray[np.uint8]


class Scopes(QWidget):
    """One or both scopes under each other, of the picture that was shown last."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._pixels: Pixels | None = None
        self._kinds: frozenset[str] = frozenset()
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setFixedWidth(_WIDTH)
        self.setAccessibleName("scopes")
        self.setToolTip(
            "Light: how bright the picture is from its left to its right edge. Colour: grey in the middle, dots where "
            "the colours of bars at 75 % lie."
        )
        self.hide()

    def sizeHint(self) -> QSize:
        return QSize(_WIDTH, 2 * _WIDTH)

    def show_kinds(self, kinds: frozenset[str]) -> None:
        """Which are seen: "light", "colour"; none: the scopes are hidden."""
        self._kinds = kinds
        self.setVisible(bool(kinds))
        self.update()

    def show_pixels(self, pixels: Pixels) -> None:
        """Takes a picture (h, w, 4) BGRA."""
        self._pixels = pixels
        if self.isVisible():
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.fillRect(self.rect(), theme.colour("bench"))
            top, head = 0.0, theme.scaled(_HEAD)
            each = min(self.height() / max(1, len(self._kinds)) - head, float(_WIDTH))
            for kind in ("light", "colour"):
                if kind not in self._kinds:
                    continue
                painter.setFont(theme.font(theme.SMALL_PX))
                painter.setPen(theme.colour("quiet"))
                painter.drawText(QRectF(0, top, self.width(), head), Qt.AlignmentFlag.AlignVCenter, kind)
                box = QRectF(0, top + head, _WIDTH if kind == "light" else each, each)
                painter.fillRect(box, theme.colour("sunk"))
                (self._paint_light if kind == "light" else self._paint_colour)(painter, box)
                top += head + each

    def _paint_light(self, painter: QPainter, box: QRectF) -> None:
        for share in _LINES:
            y = box.bottom() - 1 - share * (box.height() - 2)
            painter.fillRect(QRectF(box.left(), y, box.width(), 1), theme.colour("line"))
        if self._pixels is None:
            return
        counts = light_scope(self._pixels, round(box.width()))
        painter.drawImage(box, image_of(_tinted(counts, "text"), clear=True), QRectF(0, 0, counts.shape[1], LEVELS))
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("quiet"))
        for share in _LINES:
            y = box.bottom() - 1 - share * (box.height() - 2)
            painter.drawText(QPointF(box.left() + 3, min(box.bottom() - 3, max(box.top() + 10, y - 2))), f"{share:.0%}")

    def _paint_colour(self, painter: QPainter, box: QRectF) -> None:
        middle = box.center()
        painter.fillRect(QRectF(box.left(), middle.y(), box.width(), 1), theme.colour("line"))
        painter.fillRect(QRectF(middle.x(), box.top(), 1, box.height()), theme.colour("line"))
        if self._pixels is not None:
            side = max(16, round(box.width()))
            counts = colour_scope(self._pixels, side)
            painter.drawImage(box, image_of(_tinted(counts, "text"), clear=True), QRectF(0, 0, side, side))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for name, (across, up) in bar_places().items():
            painter.setPen(QPen(theme.colour(_BARS[name]), 1.4))
            at = QPointF(middle.x() + across * box.width(), middle.y() - up * box.height())
            painter.drawEllipse(at, _DOT_PX, _DOT_PX)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def _tinted(counts: NDArray[np.float32], token: str) -> Pixels:
    """Counts as a picture (h, w, 4) BGRA that is as strong as they are, and see-through where there is nothing."""
    made = np.empty((*counts.shape, 4), np.uint8)
    strong = (counts * 255).astype(np.uint8)
    for at, value in enumerate(theme.bgra(token)[:3]):
        made[..., at] = (counts * value).astype(np.uint8)  # an image of premultiplied colours
    made[..., 3] = strong
    return made
