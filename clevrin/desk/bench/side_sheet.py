"""A sheet that takes the place of a bench's own one, beside the picture; what it sets changes the project at once."""

from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QCloseEvent, QShowEvent
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from clevrin.desk.bench.bench import Bench
from clevrin.desk.bench.context import Context
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.sheet import Trouble, keep_room, tool_button


class SideSheet(QWidget):
    """Holds a sheet of fields; `refresh` is called after every change."""

    closed = Signal()

    def __init__(self, sheet: FieldSheet, context: Context, edits: Any, parent: QWidget | None) -> None:
        """`edits`: what the fields' own edits are given."""
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.hide()
        self.sheet, self.trouble = sheet, Trouble()
        self._context, self._edits = context, edits
        self._bench: Bench | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(sheet)
        self.close_button = tool_button("x", "Back to the settings of this step  (Escape)")
        self.close_button.clicked.connect(lambda: self.close())
        sheet.add_to_head(self.close_button)
        sheet.field_changing.connect(lambda field, value, gesture: field.edit(edits, value, gesture))
        sheet.gesture_ended.connect(context.session.end_gesture)
        sheet.refused.connect(self.trouble.tell)
        context.session.project_changed.connect(self.refresh)

    def let_run(self, buttons: Iterable[tuple[QPushButton, Callable[[], object]]]) -> None:
        """What buttons do."""
        for button, run in buttons:
            button.clicked.connect(lambda _=False, run=run: run())

    def open_in(self, bench: Bench) -> None:
        """Lies where the bench's own sheet was, which keeps its room and is out of reach until this one is closed."""
        self._bench = bench
        keep_room(bench.sheet)
        self.setParent(bench)
        self.setGeometry(bench.sheet.geometry())
        self.show()
        bench.sheet.hide()
        bench.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if self._bench is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.LayoutRequest):
            self.setGeometry(self._bench.sheet.geometry())
        return super().eventFilter(watched, event)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.setFocus()  # a button with the keys looks chosen

    def closeEvent(self, event: QCloseEvent) -> None:
        super().closeEvent(event)
        bench, self._bench = self._bench, None
        if bench is not None:
            bench.removeEventFilter(self)
            bench.sheet.show()
            bench.take_focus()
            self.closed.emit()

    def refresh(self) -> None:
        """Shows the project as it is now."""
        raise NotImplementedError
