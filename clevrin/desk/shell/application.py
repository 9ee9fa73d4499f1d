"""Starting the window: the environment, the log, and what is opened first."""

import atexit
import contextlib
import faulthandler
import logging
import os
import sys
from collections.abc import Callable, Iterable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from clevrin.core.document.keeping import data_folder, last_project
from clevrin.core.errors import ClevrinError
from clevrin.core.shelf import Shelf
from clevrin.desk.shell.freed_memory import give_back_what_is_freed, keep_giving_back
from clevrin.desk.shell.log_view import LogView
from clevrin.desk.shell.plain_numbers import keep_numbers_plain
from clevrin.desk.shell.screen import check_screen
from clevrin.desk.shell.window import MainWindow
from clevrin.desk.state.settings import Settings
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.offer import Offer

log = logging.getLogger("clevrin")

SWITCH_S = 0.001
"""How soon a worker thread gives way to the interface: with Python's 5 ms several of them make it wait for long."""


def run(files: Iterable[Path] = (), *, play: bool = False, prepare: Callable[[Shelf], None] = lambda _: None) -> int:
    """Opens the window with a project, timelines or takes (none: the last project) and runs until it is closed.

    With `play` the reel plays at once; `prepare` may put on the shelf of measurements what is known before. Raises
    `ClevrinError` where there is no screen to open it on.
    """
    check_screen()
    keep_log()
    sys.setswitchinterval(SWITCH_S)
    give_back_what_is_freed()
    application = QApplication(sys.argv[:1])
    keep_numbers_plain()
    application.setApplicationName("Clevrin")
    application.setDesktopFileName("clevrin")
    settings = Settings()
    keep_giving_back(application)
    theme.apply(application, int(settings.value("scale")) / 100)
    prepare(Shelf(settings.cache_folder))
    window = MainWindow(settings)
    sys.excepthook = lambda kind, error, trace: tell_unexpected(window, kind, error, trace)
    window.show()
    offer_crash(window)
    window.projects.offer_what_was_left(settings.journal_folder)
    chosen = list(files)
    last, told = None, [settings.told_at_start] if settings.told_at_start else []
    try:
        last = last_project()
    except ClevrinError as error:
        told.append(str(error))
    if chosen:
        window.footage.open_files(chosen)
    elif last is not None:
        window.projects.open(last)
    if told:
        window.trouble.tell("\n".join(told))
    window.keep_cache_small()
    if play:
        window.log.look_at(reel=True)
        QTimer.singleShot(400, window, window.player.play)
    return application.exec()


def log_file() -> Path:
    """Where what goes wrong is written down."""
    return data_folder() / "clevrin.log"


def keep_log() -> None:
    """Writes what goes wrong to a file in the user's data folder; what ends the process at once as well."""
    try:
        data_folder().mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(log_file(), maxBytes=1_000_000, backupCount=2)
    except OSError:
        return
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.getLogger().addHandler(handler)


def crash_file() -> Path:
    return data_folder() / f"crash-{os.getpid()}.txt"


def offer_crash(window: MainWindow) -> None:
    """Offers what windows that ended at once have left, and has this one leave the same.

    What was left is taken over into the log; files of windows that still run are theirs.
    """
    found = [path for path in sorted(data_folder().glob("crash-*.txt")) if not is_running(path)]
    told = []
    for path in found:
        with contextlib.suppress(OSError):
            told.append(path.read_text(errors="replace").strip())
            path.unlink()
    if any(told):
        log.error("an earlier window ended at once:\n%s", "\n".join(filter(None, told)))
        offer_log(window, "Clevrin was ended by an error the last time. Your work is kept.")
    with contextlib.suppress(OSError):
        faulthandler.enable(crash_file().open("w"))
        atexit.register(crash_file().unlink, missing_ok=True)


def is_running(crash_file: Path) -> bool:
    """Whether the process is there that would write a file."""
    number = crash_file.stem.removeprefix("crash-")
    return number.isdecimal() and Path(f"/proc/{number}").exists()


def offer_log(window: MainWindow, sentence: str) -> None:
    """Offers the log file beside a sentence; one that is offered already is not offered again."""
    if window.offers.sentence != sentence:
        show = lambda: LogView(log_file(), window).show()  # noqa: E731
        window.offers.offer(Offer(sentence=sentence, answers=(("Show the log", show), ("Go on", lambda: None))))


def tell_unexpected(
    window: MainWindow, kind: type[BaseException], error: BaseException, trace: TracebackType | None
) -> None:
    """An error that nobody foresaw is written down and told; the project stays as it is."""
    log.error("unexpected", exc_info=(kind, error, trace))
    offer_log(window, "Something went wrong that was not foreseen. Your project is kept.")
