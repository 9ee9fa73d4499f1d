"""What is seen of a reel that plays: the screen of a window of its own process, read from outside.

A virtual display keeps its screen in a file, which is mapped here: reading a few rows of it costs the window nothing.
"""

import mmap
import os
import struct
import subprocess
import sys
import tempfile
import time
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from bench.rows import Row

SIZE = 1280, 800
_LOOKS_PER_S = 120
_ROWS = 24
_WITHIN = (0.3, 0.75)
"""Which part of the screen's height and width is looked at: the picture covers all of it."""
_STILL_S = 3.0
_PLAYS = 30
"""Before so many pictures were seen the window is still being drawn."""
_REEL_S = 22.8


@contextmanager
def virtual_screen(folder: Path) -> Iterator[tuple[str, "Screen"]]:
    """A display of its own, by its name, and what is to be seen on it."""
    read, write = os.pipe()
    words = ["Xvfb", "-displayfd", str(write), "-screen", "0", f"{SIZE[0]}x{SIZE[1]}x24", "-fbdir", str(folder)]
    server = subprocess.Popen(words, pass_fds=(write,), stderr=subprocess.DEVNULL)
    os.close(write)
    try:
        name = os.read(read, 16).decode().strip()
        yield f":{name}", Screen(folder / "Xvfb_screen0")
    finally:
        os.close(read)
        server.terminate()
        server.wait()


class Screen:
    """The pixels of a virtual display, from the file that it keeps them in (an X window dump)."""

    def __init__(self, path: Path) -> None:
        with path.open("rb") as file:
            self._map = mmap.mmap(file.fileno(), 0, prot=mmap.PROT_READ)
        header = struct.unpack(">25I", self._map[:100])
        self._stride, colours = header[12], header[19]
        self._start = header[0] + 12 * colours

    def print_of(self) -> int:
        """A number that is another one where another picture is seen."""
        first, last = (round(SIZE[1] * each) for each in _WITHIN)
        left, right = (4 * round(SIZE[0] * each) for each in _WITHIN)
        found = 0
        for row in range(first, last, (last - first) // _ROWS):
            at = self._start + row * self._stride
            found = zlib.adler32(self._map[at + left : at + right], found)
        return found


def seen_pictures(screen: Screen, at_most_s: float) -> list[float]:
    """When another picture was seen, in seconds, until none has come for a while.

    One counts when it is seen twice in a row: a look that falls in while the screen is drawn sees halves of two.
    """
    found: list[float] = []
    counted = last = screen.print_of()
    start = time.monotonic()
    while (now := time.monotonic() - start) < at_most_s:
        time.sleep(1 / _LOOKS_PER_S)
        seen = screen.print_of()
        if seen == last != counted:
            counted = seen
            found.append(now)
        last = seen
        if len(found) > _PLAYS and now - found[-1] > _STILL_S:
            break
    return found


def played_demo(folder: Path) -> list[float]:
    """When another picture was seen while the demo's reel played, with the folders of a user in `folder`."""
    with tempfile.TemporaryDirectory() as place, virtual_screen(Path(place)) as (display, screen):
        env = {**os.environ, **{f"XDG_{kind}_HOME": str(folder / kind.lower()) for kind in ("DATA", "CACHE", "CONFIG")}}
        env |= {"DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
        window = subprocess.Popen([sys.executable, "-m", "clevrin", "demo"], env=env)
        try:
            return seen_pictures(screen, 90)
        finally:
            window.terminate()
            window.wait()


def watching_rows(folder: Path) -> list[Row]:
    """How many of the 682 pictures of the demo's reel are seen, the first time that it is started and the second."""
    rows = []
    for words in ("first start", "second start"):
        times = played_demo(folder / "user")
        seen = sum(each > times[-1] - _REEL_S for each in times) if times else 0
        rows.append(Row(f"the demo's reel on the screen, {words}: pictures seen", "650 of 682", f"{seen}", seen >= 650))
    return rows
