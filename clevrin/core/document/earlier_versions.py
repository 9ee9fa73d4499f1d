"""The last good copies of a project file, kept beside it: `kite-day.earlier-1.clevrin` is the newest."""

import contextlib
import os
import shutil
from pathlib import Path

from clevrin.core.document.files import SUFFIX, load
from clevrin.core.document.model import Project
from clevrin.core.errors import DocumentError
from clevrin.core.paths import is_there

MOST_COPIES = 3


def keep_copy(path: Path, *, known_good: bool = False) -> None:
    """Keeps the file that is about to be replaced, if it can be read; where that fails, nothing is kept.

    It stays in its folder, because the paths of takes are relative to the file. `known_good`: it has been read,
    or written, as it stands there, and need not be read again.
    """
    try:
        if not known_good:
            load(path)
    except DocumentError:
        return
    with contextlib.suppress(OSError):
        for number in range(MOST_COPIES, 1, -1):
            newer = _copy(path, number - 1)
            if is_there(newer):
                newer.replace(_copy(path, number))
        try:
            os.link(path, _copy(path, 1))
        except OSError:  # a file system without links
            shutil.copy2(path, _copy(path, 1))


def last_good_copy(path: Path) -> tuple[Path, Project] | None:
    """The newest copy of a project that can be read."""
    for number in range(1, MOST_COPIES + 1):
        try:
            return _copy(path, number), load(_copy(path, number))
        except DocumentError:
            continue
    return None


def _copy(path: Path, number: int) -> Path:
    return path.with_name(f"{path.stem}.earlier-{number}{SUFFIX}")
