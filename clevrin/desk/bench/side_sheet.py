"""A sheet in a small window beside the main one, whose fields and buttons change the project at once."""

from collections.abc import Callable, Iterable
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QDialog, QPushButton, QVBoxLayout, QWidget

from clevrin.desk.bench.context import Context
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.sheet import Trouble


class SideSheet(QDialog):
    """Holds a sheet of fields; `refresh` is called after every change. Keys go through to the main window."""

    def __init__(self, title: str, sheet: FieldSheet, context: Context, edits: Any, parent: QWidget | None) -> None:
        """`edits`: what the fields' own edits are given."""
        super().__init__(parent, Qt.WindowType.Tool)  # beats are tapped and edits undone over it
        self.setWindowTitle(title)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.sheet, self.trouble = sheet, Trouble()
        self._context, self._edits = context, edits
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(sheet)
        column.setSizeConstraint(QVBoxLayout.SizeConstraint.SetFixedSize)
        self.setAttribute(Qt.WidgetAttribute.WA_QuitOnClose, False)
        sheet.field_changing.connect(lambda field, value, gesture: field.edit(edits, value, gesture))
        sheet.gesture_ended.connect(context.session.end_gesture)
        sheet.refused.connect(self.trouble.tell)
        context.session.project_changed.connect(self.refresh)

    def let_run(self, buttons: Iterable[tuple[QPushButton, Callable[[], object]]]) -> None:
        """What buttons do; none of them is pressed by Enter, which takes what is typed."""
        for button, run in buttons:
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, run=run: run())

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.setFocus()  # a button with the keys looks chosen

    def refresh(self) -> None:
        """Shows the project as it is now."""
        raise NotImplementedError
