"""Where what is made goes: one room decides for every writer what may be written, and under which names meanwhile.

A file that is written is whole or absent: it is made under a name of our own beside its place and put there at the end.
Nothing but a regular file is ever replaced, and never what the output is made from. While it is written its name is
locked, so that of two writers the second one is told.
"""

import contextlib
import errno
import fcntl
import hashlib
import os
import re
import shutil
import socket
import stat
import time
from collections.abc import Iterable, Iterator
from contextlib import ExitStack
from itertools import count
from pathlib import Path
from types import TracebackType
from typing import Self

from clevrin.core.errors import MediaError
from clevrin.core.paths import is_still

_numbers = count(1)
_PART = ".segment"
_LEFT = re.compile(r"\.clevrin-([0-9a-f]{16})-\d+-\d+\.part")
_PATIENCE_S = 0.2


class WritingError(MediaError):
    """What the system refused when something was written."""

    def __init__(self, sentence: str, reason: OSError) -> None:
        super().__init__(sentence)
        self.reason = reason


class BusyError(MediaError):
    """Somebody else is writing this file just now."""


def check_output(path: Path, inputs: Iterable[Path] = ()) -> None:
    """Raises `MediaError` where a file may not be put: over what it is made from, or over what is no plain file."""
    try:
        path.name.encode()
        str(path.parent).encode()
        there = _lstat(path)
    except UnicodeEncodeError as error:
        raise MediaError("The name to write to is not readable text: choose another one.") from error
    except ValueError as error:
        raise MediaError("The name to write to has a character of number 0 in it.") from error
    except OSError as error:
        raise writing_error(path, error) from error
    if not path.parent.is_dir():
        raise MediaError(f"The folder {path.parent} is not there.")
    if there is None:
        return
    if stat.S_ISDIR(there.st_mode):
        raise MediaError(f"{path} is a folder: name a file.")
    if stat.S_ISLNK(there.st_mode):
        raise MediaError(f"{path} is a link: name the file itself, or another one.")
    if not stat.S_ISREG(there.st_mode):
        raise MediaError(f"{path} is a device or the like, not a file: choose another name.")
    for source in inputs:
        with contextlib.suppress(OSError, ValueError):
            if os.path.samestat(there, source.stat()):
                raise MediaError(f"{path.name} is what this is made from: choose another name.")


@contextlib.contextmanager
def name_held(path: Path) -> Iterator[None]:
    """Nobody else writes to this name, or to its parts, while the block runs: who does takes it `held` from here.

    Raises `BusyError`, with who it is, where somebody does; `MediaError` where nothing can be written there. A lock of
    a process that is gone holds nothing.
    """
    with _locked(path, _lock_of(path)):
        yield


@contextlib.contextmanager
def put(path: Path, never: Iterable[Path] = (), *, held: bool = False) -> Iterator[Path]:
    """A name to write to meanwhile; what is there when the block ends well takes the place of `path`.

    `held`: the name is held by who calls this. Raises `MediaError` where `path` may not be written (`never`: what it
    is made from), `BusyError` where somebody writes it now, and lets errors of the block through: then nothing stays.
    """
    never = tuple(never)
    check_output(path, never)
    with _part_of(path, held) as part:
        yield part
        _sync(part)
        check_output(path, never)
        part.replace(path)
        _sync(path.parent)


@contextlib.contextmanager
def put_folder(path: Path, *, held: bool = False) -> Iterator[Path]:
    """A folder of our own beside a place, to write to meanwhile; when the block ends well it takes its name.

    `held`: the name is held by who calls this. Raises `MediaError` where something is there already, `BusyError` where
    somebody writes it now; lets errors of the block through: then nothing stays.
    """
    check_new_folder(path)
    with _part_of(path, held) as part:
        try:
            part.mkdir()
        except OSError as error:
            raise writing_error(path, error) from error
        yield part
        check_new_folder(path)
        part.rename(path)  # refused where something has come to lie there meanwhile


@contextlib.contextmanager
def _part_of(path: Path, held: bool) -> Iterator[Path]:
    """A name of our own beside a place, that nobody else has; what is there at the end is thrown away."""
    with contextlib.nullcontext() if held else name_held(path):
        _sweep(path.parent, mine=_key(path))
        part = path.parent / f".clevrin-{_key(path)}-{os.getpid()}-{next(_numbers)}.part"
        try:
            yield part
        finally:
            _throw_away(part)


def _sweep(folder: Path, mine: str) -> None:
    """Takes away what processes that are gone left in a folder: what nobody holds, and what is `mine` to hold."""
    for left in folder.glob(".clevrin-*.part"):
        found = _LEFT.fullmatch(left.name)
        if found is None:
            continue
        if found[1] == mine:
            _throw_away(left)
            continue
        with contextlib.suppress(MediaError), _locked(left, folder / f".clevrin-{found[1]}.lock", 0) as sure:
            if sure:
                _throw_away(left)


def _throw_away(part: Path) -> None:
    if part.is_dir() and not part.is_symlink():
        shutil.rmtree(part, ignore_errors=True)
    else:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)


def check_new_folder(path: Path) -> None:
    """Raises `MediaError` where a new folder may not be put."""
    if os.path.lexists(path):
        raise MediaError(f"{path} is there already: name a new folder.")
    if not path.parent.is_dir():
        raise MediaError(f"The folder {path.parent} is not there.")


class PartsRoom:
    """A folder of our own beside an output, in which finished parts of it wait until all are there.

    Who holds the output's name has it alone.
    """

    def __init__(self, path: Path) -> None:
        self.folder = path.parent / f".clevrin-{_key(path)}-parts"

    def open(self) -> None:
        """Makes the folder. Raises `MediaError`."""
        try:
            self.folder.mkdir(exist_ok=True)
        except OSError as error:
            raise writing_error(self.folder, error) from error

    def part(self, name: str) -> Path:
        """Where a part of a name (hexadecimal digits) is."""
        return self.folder / f"{name}{_PART}"

    def tidy(self) -> None:
        """Throws away what is half made; where nothing else is there the folder, too."""
        self._drop(".clevrin-*")

    def clear(self) -> None:
        """Throws all parts away, and the folder."""
        self._drop(f"*{_PART}")
        self.tidy()

    def _drop(self, pattern: str) -> None:
        for path in list(self.folder.glob(pattern)):
            with contextlib.suppress(OSError):
                path.unlink()
        with contextlib.suppress(OSError):
            self.folder.rmdir()


def clear_parts(path: Path) -> None:
    """Throws away the parts of an output that is not wanted any more, but where somebody else is making it."""
    with contextlib.suppress(MediaError), name_held(path):
        PartsRoom(path).clear()


class WholeOrAbsent:
    """A writer as a context manager: what is written is whole, or as it was before.

    `_undo` holds what has to be let go of, `put` among it; `_finish` writes what is left.
    """

    _path: Path
    _undo: ExitStack

    def _finish(self) -> None:
        raise NotImplementedError

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if kind is not None:
            self._undo.__exit__(kind, error, trace)
            return
        with self._undo:
            try:
                self._finish()
            except OSError as problem:
                raise writing_error(self._path, problem) from problem


def write_text(path: Path, text: str, never: Iterable[Path] = ()) -> None:
    """Writes a text file that is whole, or as it was before; see `put`. Raises `MediaError`."""
    try:
        data = text.encode()
        with put(path, never) as part:
            part.write_bytes(data)
    except OSError as error:
        raise writing_error(path, error) from error
    except UnicodeEncodeError as error:
        raise MediaError(f"{path.name} would hold something that is no text: it was not written.") from error


def writing_error(path: Path, error: OSError) -> WritingError:
    """The sentence for what the system refused."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return WritingError(f"There is no room on the disk to write {path.name}; free some and try again.", error)
    reason = (error.strerror or str(error)).lower()
    return WritingError(f"{path} cannot be written: {reason}.", error)


def _key(path: Path) -> str:
    return hashlib.sha256(os.fsencode(path.name)).hexdigest()[:16]


def _lock_of(path: Path) -> Path:
    return path.parent / f".clevrin-{_key(path)}.lock"


@contextlib.contextmanager
def _locked(path: Path, lock: Path, patience_s: float = _PATIENCE_S) -> Iterator[bool]:
    """Holds a lock meanwhile; says whether that is sure: some file systems have no locks."""
    descriptor = _lock(path, lock, patience_s)
    try:
        yield descriptor is not None
    finally:
        if descriptor is not None:
            with contextlib.suppress(OSError):
                lock.unlink()
            os.close(descriptor)


def _lock(path: Path, lock: Path, patience_s: float) -> int | None:
    """A descriptor that holds the lock; None on a file system that has none."""
    patience = time.monotonic() + patience_s
    while True:
        try:
            descriptor = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW, 0o600)
        except OSError as error:
            raise writing_error(path, error) from error
        try:
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            holder = _holder(descriptor)
            os.close(descriptor)
            if time.monotonic() < patience:  # somebody may only be sweeping, which takes no time
                time.sleep(_PATIENCE_S / 10)
                continue
            raise BusyError(f"{path.name} is being written by {holder} just now: choose another name.") from error
        except OSError:
            os.close(descriptor)
            return None
        if is_still(lock, descriptor):
            with contextlib.suppress(OSError):  # it is only a help
                os.ftruncate(descriptor, 0)
                os.pwrite(descriptor, f"{os.getpid()} {socket.gethostname()}".encode(), 0)
            return descriptor
        os.close(descriptor)  # the one who had it has thrown the file away: what we hold is no longer the lock


def _holder(descriptor: int) -> str:
    """Who has a lock, in words, as it says itself."""
    try:
        process, _, host = os.pread(descriptor, 300, 0).decode("ascii").partition(" ")
        where = "" if host == socket.gethostname() else f" on {host}"
        return f"process {int(process)}{where}" if host.isprintable() else "somebody else"
    except (OSError, ValueError):
        return "somebody else"


def _lstat(path: Path) -> os.stat_result | None:
    try:
        return os.lstat(path)
    except (FileNotFoundError, NotADirectoryError):
        return None


def _sync(path: Path) -> None:
    """Has a file, or the names in a folder, outlast a loss of power."""
    descriptor = os.open(path, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)
