"""How the reel is watched: filling a screen, its outputs beside each other, with safe areas drawn over them."""

from collections.abc import Callable

from PySide6.QtCore import QEvent, QRect, QRectF, Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent, QMouseEvent, QPainter, QPen, QScreen
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import quiet_label
from clevrin.desk.widgets.viewer import Drawing, Viewer

_SAFE = ((0.035, ""), (0.05, "words inside, what happens inside the dots"))
"""EBU R 95: the share of the picture at each edge in which nothing that counts may happen, and no words may stand."""


class SafeAreas(Drawing):
    """Lines within which what counts, and what is read, is seen on every screen."""

    def paint(self, painter: QPainter, rect: QRect) -> None:
        painter.setFont(theme.font(10))
        for (share, words), style in zip(_SAFE, (Qt.PenStyle.DotLine, Qt.PenStyle.SolidLine), strict=True):
            across, down = rect.width() * share, rect.height() * share
            box = QRectF(rect).adjusted(across, down, -across, -down)
            painter.setPen(QPen(theme.colour("sunk"), 1))
            painter.drawRect(box.adjusted(1, 1, 1, 1))
            painter.setPen(QPen(theme.colour("text"), 1, style))
            painter.drawRect(box)
            if words:
                painter.drawText(box.adjusted(6, 4, 0, 0), words)


class BigScreen(QWidget):
    """A window that fills a screen with the picture. Escape, its key again, or a double click closes it."""

    def __init__(self, closed: Callable[[], None], parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setObjectName("bench")
        self.setWindowTitle("Clevrin – the reel")
        self.setAttribute(Qt.WidgetAttribute.WA_QuitOnClose, False)
        self._closed = closed
        self.viewer = Viewer()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.viewer)

    def fill(self, screen: QScreen) -> None:
        """Fills a screen."""
        self.setScreen(screen)
        self.setGeometry(screen.geometry())
        self.showFullScreen()
        self.activateWindow()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.close()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Hide:
            self._closed()
        return super().event(event)


class OutputViewer(QWidget):
    """A viewer with what it shows in words under it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.viewer = Viewer()
        self.label: QLabel = quiet_label("")
        self.label.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addWidget(self.viewer, 1)
        column.addWidget(self.label)


def other_screen(beside: QWidget) -> QScreen:
    """The screen on which a widget is not, where there is one."""
    own = beside.screen()
    return next((each for each in QGuiApplication.screens() if each is not own), own)
