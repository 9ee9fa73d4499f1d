"""A user without a plan: keys, clicks, drags, wheels, typing, drops of good and damaged films, resizes, all at random.

A process of its own. Arguments: a folder for its files, seconds, and a seed. Prints one JSON object: what was done how
often, what raised, and the memory over time.
"""

import contextlib
import json
import logging
import os
import random
import sys
import threading
import time
import traceback
from collections import Counter
from pathlib import Path

from PySide6.QtCore import QEvent, QMimeData, QPoint, QPointF, Qt, QTimer, QUrl
from PySide6.QtGui import QDropEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractSlider, QApplication, QDialog, QWidget

from clevrin.core.errors import ClevrinError
from clevrin.core.render.export.export import ExportRequest
from clevrin.demo.project import demo_project
from clevrin.desk.shell.freed_memory import give_back_what_is_freed, keep_giving_back
from clevrin.desk.shell.plain_numbers import keep_numbers_plain
from clevrin.desk.shell.window import MainWindow
from clevrin.desk.widgets import theme
from tests.damage import damaged, whole_films
from tests.desk.wandering import Wanderer

_NO_MODIFIER = Qt.KeyboardModifier.NoModifier
_MODIFIERS = (_NO_MODIFIER,) * 5 + (
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier,
)
_KEYS = [
    *(getattr(Qt.Key, f"Key_{letter}") for letter in "ABCDEFGHIJKLMNOPRSTUVWXYZ0123456789"),
    *(Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Delete),
    *(Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Home, Qt.Key.Key_End),
    *(Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Backspace, Qt.Key.Key_Plus, Qt.Key.Key_Minus),
    *(Qt.Key.Key_Comma, Qt.Key.Key_Period, Qt.Key.Key_Question, Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight),
]
_TEXTS = ("kites", "0", "-1", "1e99", "12:00", "∞", "½ wind", "x" * 3000, "#ff00zz", "../day", "")
_MOST_TAKES = 24
_ACTS = {"key": 34, "click": 30, "drag": 12, "edit": 10, "wheel": 5, "type": 4, "resize": 2, "drop": 2, "undo": 4}
_ACTS |= {"step": 3, "render": 0.3, "queue": 1, "open": 0.3, "settle": 3}
_MOST_QUEUED = 4
_LOOK_AT_MEMORY_S = 10.0
_PAUSE_MS = 15


class RandomUser:
    """Does one thing after another with a window, whatever that is."""

    def __init__(self, folder: Path, seed: int) -> None:
        self._folder = folder
        self._chance = random.Random(seed)
        self._good = whole_films(folder / "good")
        self._bad = self._damaged_films(folder / "bad")
        self.done: Counter[str] = Counter()
        self.windows = 0
        self.window = self._opened()

    def _damaged_films(self, folder: Path) -> list[Path]:
        folder.mkdir()
        made = []
        for number in range(80):
            source = self._chance.choice(self._good)
            made.append(folder / f"{number}{source.suffix}")
            made[-1].write_bytes(damaged(source.read_bytes(), self._chance))
        (folder / "list.mp4").write_text("ffconcat version 1.0\nfile '0.mp4'\n")
        (folder / "broken.clevrin").write_text('{"schema_version": 2, "takes": 3}')
        (folder / "broken.otio").write_text("{")
        return [*made, folder / "list.mp4", folder / "broken.clevrin", folder / "broken.otio", folder]

    def _opened(self) -> MainWindow:
        window = MainWindow()
        window.resize(1280, 800)
        window.show()
        window.session.begin_of(demo_project())
        self.windows += 1
        self._wanderer = Wanderer(window, self._chance.randrange(10**6))
        return window

    def act(self) -> None:
        """Does something."""
        if not self.window.isVisible():  # it was closed: the next one begins where that ended
            above = QApplication.activeModalWidget()
            if above is not None:
                # Qt's file dialog asks by a box on the stack, in a loop of its own: its window has to outlive that.
                above.close()
                return
            self.window.deleteLater()
            self.window = self._opened()
            return
        if len(self.window.session.project.takes) > _MOST_TAKES:
            self.window.session.begin_of(demo_project())
        kind = self._chance.choices(list(_ACTS), list(_ACTS.values()))[0]
        self.done[kind] += 1
        getattr(self, f"_{kind}")()

    def _any_widget(self) -> QWidget | None:
        """Any widget that can be seen, in a window beside the main one if there is one, most often."""
        tops = [w for w in QApplication.topLevelWidgets() if w.isVisible() and w is not self.window]
        above = QApplication.activeModalWidget()  # where there is one, no hand gets at what is under it
        beside = [above] if above is not None else [w for w in tops if isinstance(w, QDialog)]
        if beside and self._chance.random() < 0.3:
            beside[0].close()  # a user gets out of where they did not want to be
            return None
        at_it = above is not None or (beside and self._chance.random() < 0.8)
        top = self._chance.choice(beside) if at_it else self.window
        seen = [w for w in top.findChildren(QWidget) if w.isVisible() and w.width() > 1 and w.height() > 1]
        return self._chance.choice(seen) if seen else None

    def _at(self, widget: QWidget) -> QPoint:
        return QPoint(self._chance.randrange(widget.width()), self._chance.randrange(widget.height()))

    def _key(self) -> None:
        target = QApplication.focusWidget() or self.window
        QTest.keyClick(target, self._chance.choice(_KEYS), self._chance.choice(_MODIFIERS))

    def _click(self) -> None:
        widget = self._any_widget()
        if widget is None:
            return
        button = self._chance.choice((Qt.MouseButton.LeftButton,) * 6 + (Qt.MouseButton.RightButton,))
        click = QTest.mouseDClick if self._chance.random() < 0.1 else QTest.mouseClick
        click(widget, button, self._chance.choice(_MODIFIERS), self._at(widget))
        popup = QApplication.activePopupWidget()
        if popup is not None and self._chance.random() < 0.7:
            QTest.keyClick(popup, Qt.Key.Key_Escape)

    def _drag(self) -> None:
        widget = self._any_widget()
        if widget is None:
            return
        start, modifier = self._at(widget), self._chance.choice(_MODIFIERS)
        held = Qt.MouseButton.LeftButton
        QTest.mousePress(widget, held, modifier, start)
        for _ in range(self._chance.choice((1, 3, 6))):
            at = start + QPoint(self._chance.randint(-300, 300), self._chance.randint(-80, 80))
            if not _is_alive(widget):
                return
            place = QPointF(widget.mapToGlobal(at))
            event = QMouseEvent(QEvent.Type.MouseMove, QPointF(at), place, Qt.MouseButton.NoButton, held, modifier)
            QApplication.sendEvent(widget, event)
        if _is_alive(widget):
            QTest.mouseRelease(widget, held, modifier, at)

    def _edit(self) -> None:
        self._wanderer.edit()

    def _wheel(self) -> None:
        widget = self._any_widget()
        if widget is None:
            return
        at = self._at(widget)
        turn = QPoint(0, self._chance.choice((-120, 120, 480)))
        event = QWheelEvent(
            QPointF(at), QPointF(widget.mapToGlobal(at)), QPoint(), turn, Qt.MouseButton.NoButton,
            self._chance.choice(_MODIFIERS), Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)

    def _type(self) -> None:
        target = QApplication.focusWidget() or self.window
        for letter in self._chance.choice(_TEXTS):  # QTest aborts at letters that are not in ASCII
            for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
                if _is_alive(target):
                    QApplication.sendEvent(target, QKeyEvent(kind, 0, _NO_MODIFIER, letter))
        if self._chance.random() < 0.5 and _is_alive(target):
            QTest.keyClick(target, Qt.Key.Key_Return)

    def _resize(self) -> None:
        self.window.resize(self._chance.randint(600, 1900), self._chance.randint(400, 1060))

    def _drop(self) -> None:
        files = self._chance.sample(self._good, self._chance.randint(0, 2))
        files += self._chance.sample(self._bad, self._chance.randint(0, 4))
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in files])
        event = QDropEvent(QPointF(600, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, _NO_MODIFIER)
        self.window.dropEvent(event)

    def _undo(self) -> None:
        back = self._chance.choice((self.window.session.undo, self.window.session.undo, self.window.session.redo))
        for _ in range(self._chance.choice((1, 1, 5))):
            back()

    def _step(self) -> None:
        self.window.enter_step(self._chance.choice(("log", "steady", "reframe", "join")))
        if self._chance.random() < 0.3:
            self.window.player.play(self._chance.choice((1, -1, 4)))

    def _settle(self) -> None:
        sliders = [w for w in self.window.bench.findChildren(QAbstractSlider) if w.isVisible() and w.isEnabled()]
        if sliders:
            slider = self._chance.choice(sliders)
            slider.setValue(self._chance.randint(slider.minimum(), slider.maximum()))

    def _render(self) -> None:
        reel = self.window.session.project.reel
        if not reel.shots or self.window.jobs.is_running(("render", str(self._folder / "out.mp4"))):
            return
        self.window.rendering.render_to(self._folder / "out.mp4")
        if self._chance.random() < 0.7:
            QTimer.singleShot(self._chance.randint(10, 3000), self.window.jobs.stop_shown)

    def _queue(self) -> None:
        """Has one render after the other go on beside everything else, and takes a hand in some."""
        queue, project = self.window.queue, self.window.session.project
        for render in queue.renders:
            way = self._chance.random()
            if render.ended or way < 0.1:
                queue.remove(render.id)
            elif way < 0.2:
                (queue.resume if render.state == "paused" else queue.pause)(render.id)
        if project.reel.shots and len(queue.renders) < _MOST_QUEUED:
            name = f"queued {self._chance.randrange(6)}.mp4"
            queue.add(ExportRequest(project=project, path=self._folder / name, size=(320, 180)), name)

    def _open(self) -> None:
        way = self._chance.random()
        if way < 0.4:
            self.window.projects.save_as(self._folder / f"day {self._chance.randrange(3)}.clevrin")
        elif way < 0.7:
            saved = sorted(self._folder.glob("*.clevrin"))
            if saved:
                self.window.projects.open(self._chance.choice(saved))
        elif way < 0.85:
            self.window.projects.begin_new()
        else:
            self.window.close()


def _is_alive(widget: QWidget) -> bool:
    from shiboken6 import isValid

    return isValid(widget)


class _Raised(logging.Handler):
    """Keeps what is written to the log as an error."""

    def __init__(self) -> None:
        super().__init__(logging.ERROR)
        self.found: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        trace = "".join(traceback.format_exception(*record.exc_info)) if record.exc_info else ""
        self.found.append(f"{record.name}: {record.getMessage()}\n{trace}"[-3000:])


def _megabytes() -> tuple[float, float]:
    """What this process holds, and what those hold that it has started."""
    children: list[str] = []
    for task in Path("/proc/self/task").iterdir():
        with contextlib.suppress(OSError):  # threads end meanwhile
            children += (task / "children").read_text().split()
    return _resident_mb("self"), sum(map(_resident_mb, children))


def _resident_mb(process: str) -> float:
    try:
        fields = Path(f"/proc/{process}/statm").read_text().split()
    except OSError:  # it has just ended
        return 0.0
    return int(fields[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6


def main(folder: Path, seconds: float, seed: int) -> None:
    raised = _Raised()
    logging.getLogger().addHandler(raised)

    def unexpected(kind: type[BaseException], error: BaseException, trace: object) -> None:
        raised.found.append("".join(traceback.format_exception(kind, error, trace))[-3000:])
        sys.stderr.write(raised.found[-1])

    sys.excepthook = unexpected
    threading.excepthook = lambda args: unexpected(args.exc_type, args.exc_value, args.exc_traceback)
    give_back_what_is_freed()
    application = QApplication([])
    keep_numbers_plain()
    application.setQuitOnLastWindowClosed(False)
    keep_giving_back(application)
    theme.apply(application)
    user = RandomUser(folder, seed)
    begun = time.monotonic()
    memory: list[tuple[float, float, float]] = []

    def act() -> None:
        now = time.monotonic() - begun
        if not memory or now - memory[-1][0] >= _LOOK_AT_MEMORY_S:
            own, started = _megabytes()
            memory.append((round(now, 1), round(own, 1), round(started, 1)))
        if now > seconds:
            user.window.close()
            application.quit()
            return
        QTimer.singleShot(_PAUSE_MS, act)  # not a timer that repeats: that would not run on in the loop of a menu
        try:
            user.act()
        except ClevrinError as error:
            raised.found.append(f"a sentence that nobody told: {error}")
        except RuntimeError as error:
            if "already deleted" not in str(error):  # of this user, who held on to a widget
                raise

    QTimer.singleShot(_PAUSE_MS, act)
    application.exec()
    result = {"seed": seed, "done": user.done, "windows": user.windows, "raised": raised.found, "memory_mb": memory}
    print(json.dumps(result), flush=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]), float(sys.argv[2]), int(sys.argv[3]))
