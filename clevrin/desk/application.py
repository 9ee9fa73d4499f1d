"""Starting the window: the environment, the log, and what is opened first."""

import logging
import os
import sys
from collections.abc import Iterable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from clevrin.core.document.keeping import data_folder, last_project
from clevrin.core.errors import ClevrinError
from clevrin.desk import theme
from clevrin.desk.memory import give_back_what_is_freed, keep_giving_back
from clevrin.desk.settings import Settings
from clevrin.desk.window import MainWindow

log = logging.getLogger("clevrin")

SWITCH_S = 0.001
"""How soon a worker thread gives way to the interface: with Python's 5 ms several of them make it wait for long."""


def run(files: Iterable[Path] = (), *, play: bool = False) -> int:
    """Opens the window with a project, timelines or takes (none: the last project) and runs until it is closed.

    With `play` the reel plays at once. Raises `ClevrinError` where there is no screen to open it on.
    """
    check_screen()
    keep_log()
    sys.setswitchinterval(SWITCH_S)
    give_back_what_is_freed()
    application = QApplication(sys.argv[:1])
    application.setApplicationName("Clevrin")
    application.setDesktopFileName("clevrin")
    settings = Settings()
    keep_giving_back(application)
    theme.apply(application, int(settings.value("scale")) / 100)
    window = MainWindow(settings)
    sys.excepthook = lambda kind, error, trace: _tell_unexpected(window, kind, error, trace)
    window.show()
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


def check_screen() -> None:
    """Raises `ClevrinError` where Qt would abort because there is no screen."""
    if sys.platform != "linux":
        return
    if not any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        raise ClevrinError(
            "There is no screen here (neither DISPLAY nor WAYLAND_DISPLAY is set): the window cannot open."
        )


def keep_log() -> None:
    """Writes what goes wrong to a file in the user's data folder."""
    try:
        data_folder().mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(data_folder() / "clevrin.log", maxBytes=1_000_000, backupCount=2)
    except OSError:
        return
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.getLogger().addHandler(handler)


def _tell_unexpected(
    window: MainWindow, kind: type[BaseException], error: BaseException, trace: TracebackType | None
) -> None:
    """An error that nobody foresaw is written down and told; the project stays as it is."""
    log.error("unexpected", exc_info=(kind, error, trace))
    window.trouble.tell(
        "Something went wrong that was not foreseen. Your project is kept; the log file has the details."
    )
