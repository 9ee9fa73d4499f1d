"""Whether something is at a path, asked so that no path can raise: not one too long, nor one that is barred."""

import contextlib
import os
import stat
from itertools import count
from pathlib import Path

_KEPT_ASIDE = 10


def is_there(path: Path) -> bool:
    """Whether something that can be reached is at a path."""
    return _mode(path) is not None


def is_file(path: Path) -> bool:
    """Whether a regular file that can be reached is at a path, or a link to one."""
    mode = _mode(path)
    return mode is not None and stat.S_ISREG(mode)


def is_folder(path: Path) -> bool:
    """Whether a folder that can be reached is at a path, or a link to one."""
    mode = _mode(path)
    return mode is not None and stat.S_ISDIR(mode)


def is_still(path: Path, descriptor: int) -> bool:
    """Whether what lies at a path (a link itself, not what it leads to) is what was opened, not thrown away since."""
    try:
        return os.path.samestat(os.lstat(path), os.fstat(descriptor))
    except (OSError, ValueError):
        return False


def _mode(path: Path) -> int | None:
    try:
        return os.stat(path).st_mode  # noqa: PTH116  # Path.stat says the same, and is slower where it is asked often
    except (OSError, ValueError):
        return None


def put_aside(file: Path) -> Path | None:
    """Moves a damaged file of ours into a folder `aside` beside it, where the last ten stay; where it is then.

    None: it could not be moved, and lies where it was.
    """
    aside = file.parent / "aside"
    try:
        aside.mkdir(exist_ok=True)
        names = (aside / (file.name if n == 1 else f"{file.stem} {n}{file.suffix}") for n in count(1))
        place = next(name for name in names if not is_there(name))
        file.replace(place)
    except OSError:
        return None
    with contextlib.suppress(OSError):
        kept = sorted(aside.glob(f"*{file.suffix}"), key=lambda each: each.stat().st_mtime)
        for old in kept[:-_KEPT_ASIDE]:
            if old != place:
                old.unlink()
    return place
