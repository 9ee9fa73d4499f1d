"""A line at the foot of the window: what is typed there is done, and before Enter it says what that will change."""

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLabel, QLineEdit, QVBoxLayout, QWidget

from clevrin.desk.shell.sayings import Sayable, Saying, meant
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import quiet_label

_ROWS = 6
_WIDTH, _EDGE = 560, 12
_OURS = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape, Qt.Key.Key_Up, Qt.Key.Key_Down)


class SayLine(QFrame):
    """Lies over the reel while it is open: nothing else moves. Up and Down choose, Enter does, Escape closes."""

    closed = Signal()
    """It is gone: the keys are somebody else's."""

    def __init__(self, sayables: Callable[[], Sequence[Sayable]], parent: QWidget) -> None:
        """`sayables`: all that can be said, asked for when the line is opened."""
        super().__init__(parent)
        self.setObjectName("say")
        self._sayables = sayables
        self._known: tuple[Sayable, ...] = ()
        self._found: list[Saying] = []
        self._chosen = 0
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(2)
        self.rows = [QLabel() for _ in range(_ROWS)]
        for row in self.rows:
            row.setFont(theme.font(theme.BODY_PX))
            row.setTextFormat(Qt.TextFormat.PlainText)
            column.addWidget(row)
        self.note = quiet_label("")
        column.addWidget(self.note)
        self.entry = QLineEdit()
        self.entry.setPlaceholderText("Say what to do: shutter 180, keep 92, hold float, render")
        self.entry.setAccessibleName("what to do")
        self.entry.textEdited.connect(self._on_entry_edited)
        self.entry.installEventFilter(self)
        parent.installEventFilter(self)
        column.addWidget(self.entry)
        self.hide()

    @property
    def found(self) -> tuple[Saying, ...]:
        """What may be meant, the nearest first."""
        return tuple(self._found)

    def open(self) -> None:
        """Takes the keys; what was typed the last time is gone."""
        self._known = tuple(self._sayables())
        self.entry.clear()
        self._on_entry_edited("")
        self.show()
        self.raise_()
        self.entry.setFocus()

    def close_line(self) -> None:
        """Goes away, and nothing is done."""
        self.hide()
        self.closed.emit()

    def place(self) -> None:
        """At the foot of its window, at the left, as high as what it says."""
        parent = self.parentWidget()
        assert parent is not None
        self.setFixedWidth(min(theme.widened(_WIDTH), parent.width() - 2 * _EDGE))
        self.adjustSize()
        self.move(_EDGE, parent.height() - self.height() - _EDGE)

    def _on_entry_edited(self, text: str) -> None:
        self._found, self._chosen = meant(text, self._known, _ROWS), 0
        self._show()

    def _show(self) -> None:
        for number, row in enumerate(self.rows):
            # The nearest one is at the foot, beside what is typed.
            at = len(self.rows) - 1 - number
            there = at < len(self._found)
            row.setVisible(there)
            if there:
                each = self._found[at]
                row.setText(" · ".join(filter(None, (each.words, each.changes))))
                row.setProperty("chosen", at == self._chosen)
                row.style().polish(row)
        said = self._found[self._chosen] if self._found else None
        if said is not None:
            self.note.setText(said.missing or "Enter does it.")
        else:
            self.note.setText("Nothing is called so." if self.entry.text().strip() else "")
        self.note.setVisible(bool(self.note.text()))
        self.place()

    def _do(self) -> None:
        if not self._found or self._found[self._chosen].missing:
            return
        said = self._found[self._chosen]
        self.close_line()
        said.run()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.parentWidget() and event.type() == QEvent.Type.Resize:
            self.place()
        if watched is self.entry and event.type() == QEvent.Type.FocusOut and self.isVisible():
            self.close_line()
        if watched is self.entry and event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            key = event.key()
            if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if key == Qt.Key.Key_Up else -1
                self._chosen = min(max(self._chosen + step, 0), max(0, len(self._found) - 1))
                self._show()
                return True
            if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._do()
                return True
            if key == Qt.Key.Key_Escape:
                self.close_line()
                return True
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and event.key() in _OURS:
            event.accept()  # they are keys of the window as well
        return super().eventFilter(watched, event)
