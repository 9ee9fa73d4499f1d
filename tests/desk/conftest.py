"""A real window for each test, and the hands of a user."""

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
import scipy.signal  # noqa: F401  a window would import it on a thread, which outlives it where that is closed at once
from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, QRect, Qt, QUrl
from PySide6.QtGui import QDropEvent, QImage, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLineEdit, QWidget

from clevrin.core.document import Project
from clevrin.core.document.files import save
from clevrin.core.document.keeping import data_folder
from clevrin.core.shelf import Shelf
from clevrin.demo.project import demo_file, plain_demo
from clevrin.desk.shell.plain_numbers import keep_numbers_plain
from clevrin.desk.shell.window import MainWindow
from clevrin.desk.widgets import theme

PATIENCE_MS = 60_000


class Hands:
    """Does with a window what a user does, and looks at what is seen."""

    def __init__(self, qtbot, window: MainWindow) -> None:
        self.qtbot, self.window = qtbot, window

    def until(self, what: Callable[[], object]) -> None:
        def asked() -> None:
            assert what()

        self.qtbot.waitUntil(asked, timeout=PATIENCE_MS)

    def key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(self.window, key, modifier)

    def type_key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """A key as the keyboard sends it: to whatever has the focus."""
        QTest.keyClick(QApplication.focusWidget() or self.window, key, modifier)

    def click(self, widget: QWidget, at: tuple[float, float] | None = None) -> None:
        place = QPoint(*(round(v) for v in at)) if at is not None else widget.rect().center()
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place)

    def drag(
        self,
        widget: QWidget,
        start: tuple[float, float],
        end: tuple[float, float],
        *,
        drop: bool = True,
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    ) -> None:
        a, b = (QPoint(*(round(v) for v in p)) for p in (start, end))
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, modifier, a)
        for share in (0.3, 0.6, 1.0):
            at = a + (b - a) * share
            # QTest.mouseMove knows no modifiers.
            event = QMouseEvent(
                QEvent.Type.MouseMove,
                QPointF(at),
                QPointF(widget.mapToGlobal(at)),
                Qt.MouseButton.NoButton,
                Qt.MouseButton.LeftButton,
                modifier,
            )
            QApplication.sendEvent(widget, event)
        if drop:
            QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, modifier, b)

    def drop_files(self, *paths: Path) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
        event = QDropEvent(
            QPointF(600, 300),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        self.window.dropEvent(event)

    def name_file(self, path: Path | str) -> None:
        """Types a name (or several, in quotes) into the file dialog that is open, and confirms it."""
        self.until(lambda: self.window.findChild(QFileDialog, "files") is not None)
        dialog = self.window.findChild(QFileDialog, "files")
        line = dialog.findChild(QLineEdit, "fileNameEdit")
        line.setFocus()  # without it the dialog writes names of its own into it
        line.setText(str(path))
        QTest.keyClick(line, Qt.Key.Key_Return)
        self.until(lambda: self.window.findChild(QFileDialog, "files") is None)

    def card(self, take_id: str) -> QRect:
        """Where a take's card lies in the list's viewport."""
        place = self.window.log.cards.list.place_of(take_id)
        assert not place.isEmpty(), "the take is not listed"
        return place

    def click_card(self, take_id: str, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        viewport = self.window.log.cards.list.viewport()
        QTest.mouseClick(viewport, Qt.MouseButton.LeftButton, modifier, self.card(take_id).center())

    def look_at(self, take_id: str) -> None:
        """Clicks a take's card, and waits until the viewer shows that take."""
        log = self.window.log
        shown: list[int] = []
        self.click_card(take_id)
        self.until(lambda: not log.reloading)
        keep = self.window.player.shown.connect(lambda frame, _: shown.append(frame))
        self.window.player.seek(self.window.player.frame)
        self.until(lambda: shown)
        self.window.player.shown.disconnect(keep)

    def measured(self) -> None:
        """Waits until every take has been measured and nothing runs any more."""
        window = self.window
        self.until(lambda: all(window.measurements.trace(t) is not None for t in window.session.project.takes))
        self.until(lambda: not window.jobs.busy)

    def do(self, action: str) -> None:
        """Chooses an entry of the menu."""
        self.window.actions_by_id[action].trigger()


def pixels_of(widget: QWidget) -> np.ndarray:
    """What a widget shows: RGB (h, w, 3)."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).copy()


@pytest.fixture(scope="session")
def themed(qapp: QApplication) -> None:
    """The application's face, put on once: it takes longer the more widgets there are."""
    keep_numbers_plain()
    theme.apply(qapp)


@pytest.fixture
def window(request, qtbot, qapp, themed) -> Iterator[MainWindow]:
    warm = "measured_demo" in request.fixturenames
    made = MainWindow(store=request.getfixturevalue("warm_store") if warm else None)
    made.show()
    made.activateWindow()
    qtbot.waitActive(made)
    qapp.processEvents()  # shortcuts are known from here on
    yield made
    made.close()
    made.deleteLater()
    # Widgets of tests that are over would be painted, styled and searched with those of the next ones.
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture(scope="session")
def drawn_demo() -> Project:
    return plain_demo()


@pytest.fixture
def hands(qtbot, window: MainWindow) -> Hands:
    return Hands(qtbot, window)


@pytest.fixture
def demo(measured_demo: Shelf, hands: Hands, drawn_demo: Project) -> Hands:
    """The window with the demo project, all of it measured."""
    data_folder().mkdir(parents=True, exist_ok=True)
    save(drawn_demo, data_folder() / "kite-day.clevrin")
    hands.window.projects.open(demo_file())
    hands.measured()
    return hands
