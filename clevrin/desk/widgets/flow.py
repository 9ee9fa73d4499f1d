"""A row that goes on in further lines where there is no room beside each other."""

from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtWidgets import QLayout, QLayoutItem, QWidget


class FlowLayout(QLayout):
    """The first widget stands at the left and takes the room that is left over; the others stand at the right.

    Where they do not fit beside each other they go on below, still at the right: a narrow window or large text makes
    the row higher, and never cuts anything off.
    """

    def __init__(self, parent: QWidget | None = None, *, gap: int = 4) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._gap = gap
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation.Horizontal

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), place=False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, place=True)

    def sizeHint(self) -> QSize:
        shown = self._shown()
        width = sum(item.sizeHint().width() for item in shown) + self._gap * max(0, len(shown) - 1)
        return QSize(width, max((item.sizeHint().height() for item in shown), default=0))

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._shown():
            size = size.expandedTo(item.minimumSize())
        return size

    def _shown(self) -> list[QLayoutItem]:
        return [item for item in self._items if not item.isEmpty()]

    def _lay(self, rect: QRect, *, place: bool) -> int:
        """Lays the widgets out, or only says how high they are together."""
        lines: list[list[QLayoutItem]] = [[]]
        taken = 0
        for item in self._shown():
            width = item.sizeHint().width()
            if lines[-1] and taken + self._gap + width > rect.width():
                lines.append([])
                taken = 0
            taken += width + (self._gap if lines[-1] else 0)
            lines[-1].append(item)
        top = rect.top()
        for number, line in enumerate(lines):
            height = max((item.sizeHint().height() for item in line), default=0)
            if place:
                self._place(line, QRect(rect.left(), top, rect.width(), height), first=number == 0)
            top += height + self._gap
        return max(0, top - self._gap - rect.top())

    def _place(self, line: list[QLayoutItem], rect: QRect, *, first: bool) -> None:
        widths = [min(item.sizeHint().width(), rect.width()) for item in line]
        spare = max(0, rect.width() - sum(widths) - self._gap * (len(line) - 1))
        if first and line:
            widths[0] += spare
            spare = 0
        left = rect.left() + spare
        for item, width in zip(line, widths, strict=True):
            height = min(rect.height(), max(item.sizeHint().height(), 1))
            item.setGeometry(QRect(QPoint(left, rect.top() + (rect.height() - height) // 2), QSize(width, height)))
            left += width + self._gap
