"""A hand that counts: a click, a drag, a key, a typed value and a file that is chosen are one action each."""

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QWidget

from clevrin.core.document.edits import SetReel
from clevrin.demo.footage_maker import FOOTAGE, MUSIC
from clevrin.desk.widgets.viewer import Viewer
from tests.desk.conftest import Hands

CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier
_RENDERS_MS = 900_000


class CountedHand:
    """Drives a window by events alone; what it waits for costs nothing."""

    def __init__(self, hands: Hands, folder: Path) -> None:
        self.hands, self.window, self.folder = hands, hands.window, folder
        self.actions = 0

    @property
    def session(self):
        return self.window.session

    @property
    def shots(self):
        return self.session.project.reel.shots

    # What the hand does

    def drop(self, *names: str) -> None:
        """Drops films of the demo on the window, all at once."""
        self.actions += 1
        before = len(self.session.project.takes)
        self.hands.drop_files(*(FOOTAGE / f"{name}.mp4" for name in names))
        self.hands.until(lambda: len(self.session.project.takes) == before + len(names))
        self.hands.measured()

    def drop_unknown(self, name: str) -> None:
        """Drops a film of the demo as one that has never been measured, and waits until that is under way."""
        self.actions += 1
        film = self.folder / f"{name}.mp4"
        # A box that players leave out makes another file of it.
        film.write_bytes((FOOTAGE / f"{name}.mp4").read_bytes() + b"\x00\x00\x00\x10free12345678")
        self.hands.drop_files(film)
        strip = self.window.header.strip
        self.hands.until(lambda: strip.stop_button.isVisible() and "/s" in strip.words)

    def key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = NONE) -> None:
        self.actions += 1
        self.hands.type_key(key, modifier)

    def hold_key(self, key: Qt.Key) -> None:
        """Presses a key, looks, and lets it go."""
        self.actions += 1
        QTest.keyPress(self.window, key)
        self.hands.qtbot.wait(50)
        QTest.keyRelease(self.window, key)

    def click(self, widget: QWidget, at: tuple[float, float] | None = None) -> None:
        self.actions += 1
        self.hands.click(widget, at)

    def drag(self, widget: QWidget, start: tuple[float, float], end: tuple[float, float]) -> None:
        self.actions += 1
        self.hands.drag(widget, start, end)

    def lay_music(self) -> None:
        """Drops the demo's music on the window, and waits until its beats are known."""
        self.actions += 1
        self.hands.drop_files(MUSIC)
        self.hands.until(lambda: self.session.project.music is not None)

    def in_picture(self, viewer: Viewer, start: tuple[float, float], end: tuple[float, float]) -> None:
        """Drags from a place of the picture to another, both in shares of it."""
        self.hands.until(lambda: viewer.pixels is not None and not self.window.bench.reloading)
        rect = viewer.picture_rect()
        self.drag(viewer, *((rect.x() + x * rect.width(), rect.y() + y * rect.height()) for x, y in (start, end)))

    def type(self, words: str) -> None:
        """Types into what has the focus."""
        self.actions += 1
        QTest.keyClicks(QApplication.focusWidget(), words)

    def say(self, words: str) -> None:
        """Opens the line, types, and confirms."""
        self.key(Qt.Key.Key_T, CTRL)
        line = self.window.said.line
        self.hands.until(line.entry.hasFocus)
        self.actions += 1
        QTest.keyClicks(line.entry, words)
        assert line.said, f"{words}: {line.note.text()}"
        self.key(Qt.Key.Key_Return)
        assert not line.isVisible()
        self.hands.until(lambda: not self.window.said.waiting)

    def name_file(self, path: Path) -> None:
        """Types a name into the dialog that is open, and confirms it."""
        self.actions += 1
        self.hands.name_file(path)

    # What jobs have in common

    def make_small(self) -> None:
        """No hand does this: what takes minutes to render is rendered small here."""
        self.session.do(SetReel(rate=self.session.project.reel.rate, width=640, height=360))

    def take_offer(self, words: str) -> None:
        """Takes what is offered, once it is."""
        self.hands.until(lambda: self.window.header.offers.told.startswith(words))
        self.key(Qt.Key.Key_Q)

    def first_reel(self, shots: int) -> None:
        """Makes a first reel of what lies there."""
        self.take_offer("Put " if shots == 1 else "Make a first reel")
        self.hands.until(lambda: len(self.shots) == shots)

    def rendered(self) -> Path:
        """The film that is rendered as soon as somebody has said where to."""
        path = self.folder / "film.mp4"
        self.hands.until(lambda: self.window.findChild(QFileDialog, "files") is not None)
        self.name_file(path)
        self.hands.qtbot.waitUntil(lambda: path.exists() and not self.window.jobs.busy, timeout=_RENDERS_MS)
        return path
