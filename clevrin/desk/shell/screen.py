"""Whether there is a screen to open a window on: Qt ends the process where there is none, or waits without a word."""

import os
import re
import socket
import struct
import sys
from pathlib import Path

from clevrin.core.errors import ClevrinError

_WITHIN_S = 4.0
_X_HELLO = struct.pack("<BxHHHHxx", ord("l"), 11, 0, 0, 0)
"""X11 connection setup (X Window System Protocol, 8): whatever a server thinks of it, it answers."""


def check_screen() -> None:
    """Raises `ClevrinError` within 5 s where Qt would abort or wait because there is no screen."""
    if sys.platform != "linux":
        return
    platform = os.environ.get("QT_QPA_PLATFORM", "").partition(":")[0]
    if platform and not platform.startswith(("xcb", "wayland")):
        return  # one that needs no screen
    display, wayland = os.environ.get("DISPLAY", ""), os.environ.get("WAYLAND_DISPLAY", "")
    if not (display or wayland):
        raise ClevrinError(
            "There is no screen here (neither DISPLAY nor WAYLAND_DISPLAY is set): the window cannot open."
        )
    if not (wayland and _wayland_is_there(wayland)) and not (display and _x_answers(display)):
        names = {"DISPLAY": display, "WAYLAND_DISPLAY": wayland}
        named = " and ".join(f"{name}={value}" for name, value in names.items() if value)
        raise ClevrinError(f"Nobody answers at the screen that is named ({named}): the window cannot open.")


def _wayland_is_there(name: str) -> bool:
    there = _connected(socket.AF_UNIX, str(Path(os.environ.get("XDG_RUNTIME_DIR", "/"), name)))
    if there is not None:
        there.close()
    return there is not None


def _x_answers(display: str) -> bool:
    """Whether an X server answers; one that cannot be asked like this is left to Qt."""
    found = re.fullmatch(r"(?:unix)?([^:/]*):(\d{1,5})(?:\.\d+)?", display)
    if found is None:
        return True
    host, number = found[1], int(found[2])
    place = f"/tmp/.X11-unix/X{number}"
    if host and host != "localhost":
        there = _connected(socket.AF_INET, (host, 6000 + number))
    else:
        there = _connected(socket.AF_UNIX, place) or _connected(socket.AF_UNIX, f"\0{place}")
        there = there or _connected(socket.AF_INET, ("localhost", 6000 + number))
    if there is None:
        return False
    with there:
        try:
            there.sendall(_X_HELLO)
            return bool(there.recv(1))
        except OSError:
            return False


def _connected(family: socket.AddressFamily, place: str | tuple[str, int]) -> socket.socket | None:
    there = socket.socket(family, socket.SOCK_STREAM)
    there.settimeout(_WITHIN_S)
    try:
        there.connect(place)
    except OSError:
        there.close()
        return None
    return there
