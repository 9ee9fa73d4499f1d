"""A claim on a project file: of two windows on one file the second one learns that it is the second."""

import contextlib
import fcntl
import hashlib
import os
from pathlib import Path

from clevrin.core.paths import is_still


class Claim:
    """Held while a project is open. The system lets go of it when the process ends, however it ends."""

    def __init__(self, descriptor: int, file: Path) -> None:
        self._descriptor = descriptor
        self._file = file

    def release(self) -> None:
        with contextlib.suppress(OSError):
            self._file.unlink(missing_ok=True)
        with contextlib.suppress(OSError):
            os.close(self._descriptor)


def claim(path: Path, spare_folder: Path) -> Claim | None:
    """Claims a project file; None when another window has it.

    The claim is a locked file beside the project, so that it holds between users too; where nothing can be
    written there, one in `spare_folder`.
    """
    path = path.resolve()
    beside = path.with_name(f".{path.name}.open")
    spare = spare_folder / f"{hashlib.sha256(str(path).encode()).hexdigest()[:24]}.open"
    for file in (beside, spare):
        try:
            file.parent.mkdir(parents=True, exist_ok=True)
            descriptor = _locked(file)
        except OSError:
            continue
        return None if descriptor is None else Claim(descriptor, file)
    return Claim(os.open(os.devnull, os.O_RDONLY), spare)  # nowhere to write: nothing to be overwritten either


def _locked(file: Path) -> int | None:
    """A descriptor that holds a file; None when somebody else does. Raises `OSError` where none can be written."""
    while True:
        descriptor = os.open(file, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(descriptor)
            return None
        if is_still(file, descriptor):
            return descriptor
        os.close(descriptor)  # who had it has thrown the file away: what we hold is no claim any more
