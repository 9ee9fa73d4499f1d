"""How the C library keeps what was freed."""

import contextlib
import ctypes
import sys
import threading

from PySide6.QtCore import QObject, QTimer

# From malloc.h of glibc.
_M_MMAP_THRESHOLD, _M_ARENA_MAX = -3, -8
_LARGE_BYTES = 128 * 1024
_ARENAS = 2
_EVERY_MS = 4_000


def give_back_what_is_freed() -> None:
    """Has large blocks given back to the system when they are freed (glibc).

    By itself glibc learns from the first large block that is freed to keep such blocks, for each thread apart: after
    playing 4K, 100 MB stayed for nothing. Planes of pictures, even small ones, are larger than this.
    """
    if sys.platform == "linux":
        with contextlib.suppress(OSError, AttributeError):
            library = ctypes.CDLL(None)
            library.mallopt(_M_MMAP_THRESHOLD, _LARGE_BYTES)
            library.mallopt(_M_ARENA_MAX, _ARENAS)


def keep_giving_back(parent: QObject) -> None:
    """Has what is free inside the C library's heaps given back now and then, as long as `parent` lives.

    Planes of pictures come and go in all sizes: after a quarter of an hour of wandering through takes a third of all
    memory was free, and kept. Takes 10 to 25 ms each time, on a thread of its own.
    """
    if sys.platform != "linux":
        return
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is None:  # another C library
        return
    timer = QTimer(parent, interval=_EVERY_MS)
    timer.timeout.connect(lambda: threading.Thread(target=trim, args=(0,), name="memory", daemon=True).start())
    timer.start()
