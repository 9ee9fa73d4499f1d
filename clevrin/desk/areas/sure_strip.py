"""How sure the edge of an area is over its take: a strip that is clicked to look at a frame."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.matte.cutting import UNSURE
from clevrin.desk import theme

_HEIGHT = 30
_LOW, _BELOW = 0.6, 0.15
"""Nothing that is still followed is less sure than that, or so much under what is unsure."""

Sure = NDArray[np.float32]


class SureStrip(QWidget):
    """A column for each frame, as high as it is sure, lit where it is not; strokes above: where something was said."""

    def __init__(self, go_to: Callable[[int], None]) -> None:
        super().__init__()
        self._go_to = go_to
        self._sure: Sure | None = None
        self._said: tuple[int, ...] = ()
        self._here, self._unsure = 0, UNSURE
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("How sure the edge is on each frame; a click looks at it, best at the lit ones")
        self.setAccessibleName("How sure the edge is")

    def sizeHint(self) -> QSize:
        return QSize(200, round(_HEIGHT * theme.scale()))

    def show_sure(self, sure: Sure | None, said: tuple[int, ...], here: int, unsure: float = UNSURE) -> None:
        """`sure` (frames,) 0 to 1, lit where it is under `unsure`; `said`: the frames on which something was said.

        `here`: the frame that is looked at.
        """
        self._sure, self._said, self._here, self._unsure = sure, said, here, unsure
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("sunk"))
        if self._sure is None or not len(self._sure):
            return
        per, high = self.width() / len(self._sure), self.height()
        for x in range(self.width()):  # a column of pixels shows the least sure of its frames
            first = int(x / per)
            sure = float(self._sure[first : max(first + 1, int((x + 1) / per))].min())
            low = min(_LOW, self._unsure - _BELOW)
            share = max(0.08, (sure - low) / (1 - low))
            lit = theme.colour("ember" if sure < self._unsure else "quiet")
            painter.fillRect(QRectF(x, high * (1 - share), 1, high * share), lit)
        painter.setPen(QPen(theme.colour("text"), 1.4))
        for frame in self._said:
            at = (frame + 0.5) * per
            painter.drawLine(round(at), 0, round(at), 6)
        here = round((self._here + 0.5) * per)
        painter.drawLine(here, 0, here, high)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._sure is not None and len(self._sure):
            share = event.position().x() / max(1, self.width())
            self._go_to(min(len(self._sure) - 1, max(0, int(share * len(self._sure)))))
