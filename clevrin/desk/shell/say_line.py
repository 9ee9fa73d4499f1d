"""A line at the foot of the window: what is typed there is done, and before Enter it says what that will change.

Several things can be said at once, with commas between them: all of them are one step.
"""

from collections.abc import Callable, Sequence

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLabel, QLineEdit, QVBoxLayout, QWidget

from clevrin.desk.shell.sayings import Sayable, Saying, first_of, meant, parts_of
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import quiet_label

_ROWS, _MOST = 6, 60
_WIDTH, _EDGE = 560, 12
_OURS = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape, Qt.Key.Key_Up, Qt.Key.Key_Down)


def missing_of(said: Sequence[Saying]) -> str:
    """Why something of what is said in this order cannot be done; empty where it can, as far as is known now."""
    return next((each.missing for at, each in enumerate(said) if each.missing and not (at and each.mended)), "")


class SayLine(QFrame):
    """Lies over the reel while it is open: nothing else moves. Up and Down choose, Enter does, Escape closes."""

    closed = Signal()
    """It is gone: the keys are somebody else's."""

    def __init__(
        self,
        sayables: Callable[[], Sequence[Sayable]],
        run: Callable[[Sequence[Saying]], object],
        parent: QWidget,
    ) -> None:
        """`sayables`: all that can be said, asked for when the line is opened; `run` does what was said at once."""
        super().__init__(parent)
        self.setObjectName("say")
        self._sayables = sayables
        self._known: tuple[Sayable, ...] = ()
        self._run = run
        self._before: list[Saying] = []
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
        self.note.setWordWrap(True)
        column.addWidget(self.note)
        self.entry = QLineEdit()
        self.entry.setPlaceholderText("Say what to do: hold float, keep 92, slow 4, shutter 180")
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

    def open(self, begun: str = "") -> None:
        """Takes the keys; what was typed the last time is gone, and `begun` is typed already."""
        self._known = tuple(self._sayables())
        self.entry.setText(begun)
        self._on_entry_edited(begun)
        self.show()
        self.raise_()
        self.window().activateWindow()  # it may be asked for from the window of keys
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
        if not text.strip():  # what is offered can be chosen from the start; Enter alone takes none of it
            offered = [each.of(None) for each in self._known if each.offered]
            self._before, self._found, self._chosen = [], offered[:_MOST], -1
            self._show()
            return
        *before, last = parts_of(text)
        self._before = [first_of(part, self._known) for part in before if part]
        self._found, self._chosen = meant(last, self._known, _MOST), 0
        self._show()

    @property
    def said(self) -> tuple[Saying, ...]:
        """All that Enter would do, in order; none where something of it cannot be done."""
        last = self._under_choice()
        if not last and parts_of(self.entry.text())[-1]:
            return ()
        said = (*self._before, *last)
        return () if missing_of(said) else said

    def _show(self) -> None:
        # As many as there is room for, so that the chosen one is among them.
        lowest = max(0, min(self._chosen - _ROWS + 1, len(self._found) - _ROWS))
        for number, row in enumerate(self.rows):
            # The nearest one is at the foot, beside what is typed.
            at = lowest + len(self.rows) - 1 - number
            there = at < len(self._found)
            row.setVisible(there)
            if there:
                each = self._found[at]
                row.setText(" · ".join(filter(None, (each.words, each.changes))))
                row.setProperty("chosen", at == self._chosen)
                row.style().polish(row)
        self.note.setText(self._note())
        self.note.setVisible(bool(self.note.text()))
        self.place()

    def _note(self) -> str:
        """What is wrong with what was typed, or what Enter does."""
        said = (*self._before, *self._under_choice())
        missing = missing_of(said)
        if missing:
            return missing
        if self.said and self._before:
            each = (one.changes or one.words for one in self.said)
            return f"Enter does all of it: {'; '.join(each)}"
        if self.said:
            more = len(self._found) - _ROWS
            return "Enter does it." + (f" Up shows {more} more." if more > 0 else "")
        if self._found:
            return "This is offered: Up chooses."
        return "Nothing is called so." if self.entry.text().strip() else ""

    def _under_choice(self) -> list[Saying]:
        return self._found[self._chosen : self._chosen + 1] if self._chosen >= 0 else []

    def _do(self) -> None:
        said = self.said
        if said:
            self.close_line()
            self._run(said)

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
