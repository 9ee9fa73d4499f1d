"""Which threads come first: those that somebody waits for."""

import contextlib
import os
import sys
import threading

_NICE = 5


def give_way() -> None:
    """Lets this thread, and those that it starts, give way to the interface and to playback (on Linux)."""
    if sys.platform == "linux":
        with contextlib.suppress(OSError):
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)
