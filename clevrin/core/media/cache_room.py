"""What in a cache folder is ours, and how much room it takes. Nothing else in it is ever counted or deleted."""

import contextlib
import os
import re
import threading
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from clevrin.core.paths import is_file, is_folder, is_there

MARKER = "this is clevrin's cache.txt"
"""Lies in every folder in which we keep anything that can be made again."""
CACHE_NAME = "clevrin-cache"
"""Our own folder in a place that the user chose for the cache."""
_MARKER_WORDS = "Clevrin keeps measurements, proxies and thumbnails here. All of it can be made again.\n"
SHELF_KINDS = (
    "trace",
    "registration",
    "track",
    "flows",
    "moves",
    "cut-out",
    "cut-out-piece",
    "clinging",
    "rendered",
    "prepared",
    "verdict",
    "outline",
)
"""What is kept on shelves, each kind in a folder of its name; nothing else is, for nobody would clear it."""
_OURS = re.compile(
    rf"({'|'.join(SHELF_KINDS)})/[0-9a-f]{{40}}\.npz"
    r"|proxies/[0-9a-f]{16,64}-\d+\.mp4"
    r"|proxies/\.clevrin-[0-9a-f]{16}-\d+-\d+\.part"
    r"|thumbnails/[0-9a-f]{24}/\d+-[0-9a-f]{12}\.jpg"
)


def cache_in(place: Path) -> Path:
    """The cache in a place that somebody names: our folder in it, or the place itself where that is one."""
    inner = place / CACHE_NAME
    return inner if is_folder(inner) or not is_there(place / MARKER) else place


def claim(folder: Path) -> None:
    """Marks a cache folder as ours; called before anything is kept in it. Raises `OSError`."""
    marker = folder / MARKER
    if not is_there(marker):
        folder.mkdir(parents=True, exist_ok=True)
        marker.write_text(_MARKER_WORDS, encoding="utf-8")


def keep(folder: Path, path: Path, write: Callable[[BinaryIO], object]) -> None:
    """Writes a file of ours into a cache folder, whole or not at all; what cannot be kept is not missed."""
    part = path.with_suffix(f".{os.getpid()}-{threading.get_ident()}.part")
    try:
        claim(folder)
        path.parent.mkdir(parents=True, exist_ok=True)
        with part.open("wb") as file:
            write(file)
        part.replace(path)
    except OSError:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)


def own_files(folder: Path) -> list[Path]:
    """The files in a cache folder that we have put there: by the marker, their place and their names."""
    if not is_file(folder / MARKER):
        return []
    found = []
    for path in sorted(folder.rglob("*")):
        with contextlib.suppress(OSError):
            if _OURS.fullmatch(path.relative_to(folder).as_posix()) and path.is_file() and not path.is_symlink():
                found.append(path)
    return found


def clear_room(folder: Path, most_bytes: int) -> int:
    """Deletes what has not been used for longest until the rest fits; returns how many bytes are left of ours."""
    files = []
    for path in own_files(folder):
        with contextlib.suppress(OSError):
            stat = path.stat()
            files.append((stat.st_mtime, stat.st_size, path))
    total = sum(size for _, size, _ in files)
    for _, size, path in sorted(files):
        if total <= most_bytes:
            break
        with contextlib.suppress(OSError):
            path.unlink()
            total -= size
    return total
