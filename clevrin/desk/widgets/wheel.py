"""The wheel scrolls: it changes no value by the way."""

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QWidget


class _Scrolling(QObject):
    """Hands the wheel on to what a control lies in, unless the control has the keys as well."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Wheel and isinstance(watched, QWidget) and not watched.hasFocus():
            event.ignore()
            return True
        return super().eventFilter(watched, event)


def keep_from_wheel(*controls: QWidget) -> None:
    """The wheel over these scrolls the sheet under them; it changes a value only where that was chosen before."""
    for control in controls:
        control.installEventFilter(_Scrolling(control))
