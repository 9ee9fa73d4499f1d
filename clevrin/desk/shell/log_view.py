"""The log file in a window, for who is asked what went wrong: read, copied, or found in its folder."""

from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices, QGuiApplication
from PySide6.QtWidgets import QDialog, QPlainTextEdit, QVBoxLayout, QWidget

from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import beside, plain_button, quiet_label

_MOST_BYTES = 60_000


class LogView(QDialog):
    """Shows the end of a log; nothing waits for it."""

    def __init__(self, path: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("What was written down")
        self.setObjectName("log")
        self.resize(760, 460)
        self.text = QPlainTextEdit(_end_of(path))
        self.text.setReadOnly(True)
        self.text.setAccessibleName("log")
        self.text.setFont(theme.font(theme.SMALL_PX))
        self.text.verticalScrollBar().setValue(self.text.verticalScrollBar().maximum())
        copy = plain_button("Copy", "All that is shown here, to be pasted into a message", main=True)
        copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self.text.toPlainText()))
        show = plain_button("Show its folder", str(path.parent))
        show.clicked.connect(lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(path.parent))))
        close = plain_button("Close")
        close.clicked.connect(self.close)
        self.copy_button = copy
        column = QVBoxLayout(self)
        column.addWidget(quiet_label(f"{path}: names of your files may stand in it. It is sent nowhere."))
        column.addWidget(self.text, 1)
        column.addWidget(beside(copy, show, close))


def _end_of(path: Path) -> str:
    try:
        data = path.read_bytes()
    except OSError as error:
        return f"{path.name} cannot be read: {(error.strerror or str(error)).lower()}."
    return data[-_MOST_BYTES:].decode(errors="replace")
