"""Where the window stands: on the free part of its screen at first, then where it was when it was closed."""

import contextlib

from PySide6.QtCore import QByteArray, QTimer
from PySide6.QtWidgets import QMainWindow

from clevrin.core.errors import ClevrinError
from clevrin.desk.state.settings import Settings

_SIZE = (1280, 800)
_FRAMED_MS = 150
"""By then a window manager has given the window its frame."""


def place_window(window: QMainWindow, settings: Settings) -> None:
    """Gives a window the place it had, or a first one, before it is shown."""
    place = settings.window_place
    if place and window.restoreGeometry(QByteArray.fromBase64(place.encode("ascii", "ignore"))):
        return
    free = window.screen().availableGeometry()
    window.resize(min(_SIZE[0], free.width()), min(_SIZE[1], free.height()))
    given = window.size()

    def fit() -> None:
        if window.size() == given:  # nobody has sized it meanwhile
            fit_frame(window)

    # Its title bar is not known before it is shown: what stands out of the screen then is taken back.
    QTimer.singleShot(_FRAMED_MS, window, fit)


def fit_frame(window: QMainWindow) -> None:
    """Makes a window smaller by what its frame stands out of the free part of its screen."""
    if window.isMaximized() or window.isFullScreen():
        return
    free, framed = window.screen().availableGeometry(), window.frameGeometry()
    across, down = max(0, framed.width() - free.width()), max(0, framed.height() - free.height())
    if across or down:
        window.resize(window.width() - across, window.height() - down)
    framed = window.frameGeometry()
    left = min(max(framed.left(), free.left()), free.right() - framed.width() + 1)
    top = min(max(framed.top(), free.top()), free.bottom() - framed.height() + 1)
    if (left, top) != (framed.left(), framed.top()):
        window.move(left, top)


def keep_place(window: QMainWindow, settings: Settings) -> None:
    """Keeps a window's place for the next start; where that is not possible it is not missed."""
    with contextlib.suppress(ClevrinError):
        settings.set_window_place(window.saveGeometry().toBase64().toStdString())
