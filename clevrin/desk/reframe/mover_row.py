"""What moves by itself in a shot, as buttons with a small picture each: one click follows it."""

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget

from clevrin.core.document import Take
from clevrin.core.motion.movers import Mover
from clevrin.desk.bench.context import Context
from clevrin.desk.widgets import theme

_SEEN_WITHIN = (640, 360)
_ICON_PX, _COLUMNS = 64, 3


class MoverRow(QWidget):
    """A button with a small picture for each mover."""

    chosen = Signal(object)

    def __init__(self, context: Context, does: str = "Follow this") -> None:
        """`does`: what a click does with a mover, in words."""
        super().__init__()
        self._context, self._does = context, does
        self._take: Take | None = None
        self._movers: tuple[Mover, ...] = ()
        self.buttons: list[QPushButton] = []
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(4)
        self._grid.setColumnStretch(_COLUMNS, 1)
        context.thumbnails.arrived.connect(self._show_pictures)

    def show_movers(self, take: Take, movers: tuple[Mover, ...]) -> None:
        if (take.id, movers) == (self._take.id if self._take else None, self._movers):
            return
        self._take, self._movers = take, movers
        for button in self.buttons:
            button.hide()
            button.deleteLater()
        self.buttons = [self._made(mover) for mover in movers]
        for number, button in enumerate(self.buttons):
            self._grid.addWidget(button, number // _COLUMNS, number % _COLUMNS)
            button.show()
        self._show_pictures()

    def _made(self, mover: Mover) -> QPushButton:
        button = QPushButton()
        button.setFixedSize(theme.scaled(_ICON_PX) + 10, theme.scaled(_ICON_PX) + 10)
        button.setIconSize(QSize(theme.scaled(_ICON_PX), theme.scaled(_ICON_PX)))
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        words = (
            f"{self._does}: frames {mover.first} to {mover.last}, {max(1, round(mover.share * 100))} % of the picture"
        )
        button.setToolTip(words)
        button.setAccessibleName(words)
        button.clicked.connect(lambda _=False: self.chosen.emit(mover))
        return button

    def _show_pictures(self) -> None:
        if self._take is None or not self.isVisible():
            return
        facts = self._take.facts
        for mover, button in zip(self._movers, self.buttons, strict=True):
            if not button.icon().isNull():
                continue
            image = self._context.thumbnails.of_take(self._take, mover.frame, _SEEN_WITHIN)
            if image is not None:
                button.setIcon(QIcon(QPixmap.fromImage(_cut(image, mover, (facts.width, facts.height)))))

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._show_pictures()


def _cut(image: QImage, mover: Mover, size: tuple[int, int]) -> QImage:
    """The square part of a small picture around a mover."""
    scale = image.width() / size[0]
    left, top, right, bottom = (v * scale for v in mover.box)
    side = round(min(max(right - left, bottom - top, 24.0) * 1.15, image.width(), image.height()))
    x = round(min(max(0.0, (left + right - side) / 2), image.width() - side))
    y = round(min(max(0.0, (top + bottom - side) / 2), image.height() - side))
    return image.copy(QRect(x, y, side, side))
