"""What is told or asked: it lies over the right of the header, so that nothing moves when it comes or goes."""

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QFrame, QVBoxLayout, QWidget

from clevrin.desk.shell.header import Header
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.offer import OfferBar
from clevrin.desk.widgets.sheet import Trouble

_MARGIN_PX = 4


class Messages(QFrame):
    """A sentence about something that went wrong, and what waits for an answer.

    Long ones hang below the header. While there is one, what is offered and what is computed cannot be seen; the name
    of the project, undo and redo can.
    """

    def __init__(self, header: Header, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("messages")
        self._header = header
        self.offers, self.trouble = OfferBar(), Trouble()
        column = QVBoxLayout(self)
        column.setContentsMargins(_MARGIN_PX, _MARGIN_PX, _MARGIN_PX, _MARGIN_PX)
        column.setSpacing(_MARGIN_PX)
        column.addWidget(self.offers)
        column.addWidget(self.trouble)
        for widget in (self.offers, self.trouble, header):
            widget.installEventFilter(self)
        self.hide()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = QEvent.Type
        if event.type() in (kind.ShowToParent, kind.HideToParent, kind.Resize, kind.LayoutRequest):
            self._lie_there()
        return super().eventFilter(watched, event)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:
            self._lie_there()
        return super().event(event)

    def _lie_there(self) -> None:
        told = not (self.offers.isHidden() and self.trouble.isHidden())
        if told:
            left = self._header.redo_button.geometry().right() + theme.scaled(_MARGIN_PX)
            width = self._header.width() - left
            column = self.layout()
            assert column is not None
            height = max(self._header.height(), column.totalHeightForWidth(width))
            self.setGeometry(left, 0, width, height)
        self.setVisible(told)
        if told:
            self.raise_()
