"""Project files: `*.clevrin`, UTF-8 JSON with a schema version and a checksum; saving is atomic."""

import csv
import hashlib
import json
import os
import re
import stat
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

from pydantic import ValidationError

from clevrin.core.document.areas import AreaPart
from clevrin.core.document.cut_outs import Filmed
from clevrin.core.document.migrations import migrated
from clevrin.core.document.model import SCHEMA_VERSION, Project, Shot, Take
from clevrin.core.document.music import Music
from clevrin.core.document.pinned import Drawing, Film, Words
from clevrin.core.errors import ClevrinError, DocumentError, MediaError
from clevrin.core.outputs import write_text

SUFFIX = ".clevrin"
_Media = TypeVar("_Media", Take, Music)
_LARGEST_BYTES = 64 * 1024 * 1024
_LARGE_TEXT, _MOST_VALUES = 4 * 1024 * 1024, 8_000_000
"""A large project of 100,000 shots has some four million values; looking at many more takes minutes."""
_CHECKSUM = "checksum"
_HALF_CHARACTER = re.compile(r"\\u[dD][89a-fA-F]")
"""What may be half a character, which no file can hold."""


def save(project: Project, path: Path) -> None:
    """Writes the project beside its place, then puts it there: a reader sees the old file or the new one.

    What was written is read back before it takes the place. Takes are named relative to the file where they lie on the
    same drive. Raises `DocumentError`.
    """
    try:
        text = text_of(project, path.parent)
        project_of(text, path.name)
    except (ValueError, TypeError, RecursionError, DocumentError) as error:
        raise DocumentError(
            f"{path.name} cannot be saved: the project holds something that could not be read again. What was there "
            "is left as it was."
        ) from error
    write_atomically(path, text, project.media)


def text_of(project: Project, folder: Path) -> str:
    """The project as the text of a file in a folder."""
    data = project.model_dump(mode="json", exclude={"takes", "reel", "music"})
    data.pop(_CHECKSUM, None)
    if project.music is not None:
        data["music"] = _stored(project.music, folder)
    # Piece by piece: one call for all of a large project would keep every other thread waiting.
    data["takes"] = [_stored(take, folder) for take in project.takes]
    data["reel"] = project.reel.model_dump(mode="json", exclude={"shots"})
    shots = (with_files(shot, lambda path: _relative(path, folder)) for shot in project.reel.shots)
    data["reel"]["shots"] = [shot.model_dump(mode="json") for shot in shots]
    return _written({_CHECKSUM: _checksum(data), **data}) + "\n"


def write_atomically(path: Path, text: str, never: Iterable[Path] = ()) -> None:
    """Writes a text file of ours that is whole, or as it was before; of a link, what it leads to.

    `never`: files that it may not replace. Raises `DocumentError`.
    """
    try:
        write_text(Path(os.path.realpath(path)) if path.is_symlink() else path, text, never)
    except (MediaError, OSError) as error:
        reason = str(error) if isinstance(error, MediaError) else f"{path} cannot be saved: {reason_of(error)}."
        raise DocumentError(f"{reason.removesuffix('.')}; choose another place.") from error


def load(path: Path) -> Project:
    """Reads a project file. Raises `DocumentError` with one sentence for a file that is not one."""
    project = project_of(read_text(path, "a Clevrin project"), path.name)
    music = None if project.music is None else _placed(project.music, path.parent)
    takes = tuple(_placed(take, path.parent) for take in project.takes)
    placed = project.changed(takes=takes, music=music)
    if not any(shot.pinned for shot in project.reel.shots):
        return placed
    shots = tuple(with_files(shot, lambda name: _absolute(name, path.parent)) for shot in project.reel.shots)
    return placed.changed(reel=placed.reel.changed(shots=shots))


def with_files(shot: Shot, place: Callable[[str], str]) -> Shot:
    """A shot with the files of what is pinned to it somewhere else."""

    def placed(of: Words | Drawing | Film) -> Words | Drawing | Film:
        if isinstance(of, Drawing):
            return of.changed(path=place(of.path))
        return of.changed(font=place(of.font)) if isinstance(of, Words) and of.font else of

    if not shot.pinned:
        return shot
    return shot.changed(pinned=tuple(each.changed(of=placed(each.of)) for each in shot.pinned))


def read_text(path: Path, what: str) -> str:
    """The text of a file that should be `what`. Raises `DocumentError` where it cannot be read or is none.

    Looks at the size before it reads, and reads regular files only: a fifo or a device would never end.
    """
    try:
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        with os.fdopen(descriptor, "rb") as file:
            found = os.fstat(descriptor)
            if stat.S_ISDIR(found.st_mode):
                raise DocumentError(f"{path} cannot be opened: it is a folder.")
            if not stat.S_ISREG(found.st_mode):
                raise DocumentError(f"{path} cannot be opened: it is not a regular file.")
            if found.st_size > _LARGEST_BYTES:
                raise DocumentError(f"{path.name} is too large to be {what}.")
            return file.read(_LARGEST_BYTES).decode()
    except OSError as error:
        raise DocumentError(f"{path} cannot be opened: {reason_of(error)}.") from error
    except UnicodeDecodeError as error:
        raise DocumentError(f"{path.name} is not {what}, or it is damaged: it is not text.") from error
    except ValueError as error:
        raise DocumentError("The name of the file has a character of number 0 in it.") from error


def project_of(text: str, name: str) -> Project:
    """The project that a text holds, with paths as they are written; raises `DocumentError` naming the file."""
    try:
        data = json.loads(text, parse_constant=_no_number)
        if len(text) > _LARGE_TEXT and _counted(data) > _MOST_VALUES:
            raise ValueError("more values than any project has")
        if _HALF_CHARACTER.search(text):
            json.dumps(data, ensure_ascii=False).encode()
    except (ValueError, RecursionError) as error:
        where = f" at line {error.lineno}" if isinstance(error, json.JSONDecodeError) else ""
        raise DocumentError(f"{name} is not a Clevrin project, or it is damaged{where}.") from error
    version = data.get("schema_version") if isinstance(data, dict) else None
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise DocumentError(f"{name} is not a Clevrin project, or it is damaged: it names no version.")
    if version > SCHEMA_VERSION:
        raise DocumentError(
            f"{name} was made by a newer Clevrin (file version {version}, this one reads up to "
            f"{SCHEMA_VERSION}); it was left as it is."
        )
    # A file without a checksum was written, or edited, by hand; with one, every damage is noticed.
    checksum = data.pop(_CHECKSUM, None)
    project = checked_project(data, name)
    if checksum is not None and checksum != _checksum(data):
        raise DocumentError(
            f"{name} is damaged: its contents do not agree with its checksum. Who changed it by hand takes the line "
            "“checksum” out."
        )
    return project


def _counted(data: object) -> int:
    """How many values there are, all in all, up to one more than there may be."""
    count, waiting = 0, [data]
    while waiting and count <= _MOST_VALUES:
        each = waiting.pop()
        inner = each.values() if isinstance(each, dict) else each if isinstance(each, list) else ()
        count += len(inner)
        waiting.extend(value for value in inner if isinstance(value, dict | list))
    return count


def _no_number(name: str) -> float:
    raise ValueError(f"{name} is no number")


def checked_project(data: dict[str, Any], name: str) -> Project:
    """A project of data of any version up to this one; raises `DocumentError` saying where it makes no sense."""
    try:
        return Project.model_validate(migrated(data))
    except ValidationError as error:
        where, message = _first_of(error)
        raise DocumentError(
            f"{name} is damaged at {where or 'the whole'}: {message[:1].lower()}{message[1:]}."
        ) from error
    except (ValueError, TypeError, KeyError, AttributeError, ArithmeticError, RecursionError) as error:
        raise DocumentError(f"{name} is damaged: it holds values that make no sense.") from error


def _first_of(error: ValidationError) -> tuple[str, str]:
    """Where the first thing is that makes no sense (empty: in the whole), and why it makes none."""
    first = error.errors(include_input=False, include_url=False)[0]
    return " › ".join(str(part) for part in first["loc"])[:200], " ".join(str(first["msg"]).split())


@contextmanager
def making_sense(name: str) -> Iterator[None]:
    """While something from outside becomes values of ours: what makes none gets a sentence. Raises `DocumentError`."""
    try:
        yield
    except ClevrinError:
        raise
    except ValidationError as error:
        where, message = _first_of(error)
        reason = message.removeprefix("Value error, ")
        raise DocumentError(f"{name} cannot be used: {f'{where}: ' if where else ''}{reason}.") from error
    except (csv.Error, ValueError, TypeError, KeyError, AttributeError, ArithmeticError, RecursionError) as error:
        raise DocumentError(f"{name} cannot be used: it holds something that makes no sense.") from error


def reason_of(error: OSError) -> str:
    """Why the system refused, in lower case."""
    return (error.strerror or str(error)).lower()


def _written(data: dict[str, Any]) -> str:
    """An object as JSON with a line for each entry of its lists, and of the lists in the objects in it."""
    fields = []
    for name, value in data.items():
        if isinstance(value, list) and value:
            inner = "[\n  " + ",\n  ".join(_on_a_line(each) for each in value) + "\n ]"
        elif isinstance(value, dict) and any(isinstance(each, list) for each in value.values()):
            inner = _written(value)
        else:
            inner = _on_a_line(value)
        fields.append(f" {json.dumps(name, ensure_ascii=False)}: {inner}")
    return "{\n" + ",\n".join(fields) + "\n}"


def _on_a_line(value: object) -> str:
    return json.dumps(value, ensure_ascii=False, allow_nan=False)


def _checksum(data: dict[str, Any]) -> str:
    """Of the contents, however they are written; a call for each entry of the lists."""
    digest = hashlib.sha256()
    for name in sorted(data):
        value = data[name]
        inner = {name: value} if not isinstance(value, dict) else {f"{name}/{key}": value[key] for key in value}
        for key in sorted(inner):
            entries = inner[key] if isinstance(inner[key], list) else [inner[key]]
            digest.update(f"{key}:{type(inner[key]).__name__}:{len(entries)}\n".encode(errors="surrogatepass"))
            for entry in entries:
                digest.update(json.dumps(entry, sort_keys=True, separators=(",", ":")).encode())
    return digest.hexdigest()[:16]


def with_area_files(take: Take, place: Callable[[str], str]) -> Take:
    """A take with the films of its areas somewhere else."""
    if not any(area.filmed for area in take.areas):
        return take

    def placed(part: AreaPart) -> AreaPart:
        return part.changed(of=part.of.changed(path=place(part.of.path))) if isinstance(part.of, Filmed) else part

    return take.changed(areas=tuple(a.changed(parts=tuple(map(placed, a.parts))) for a in take.areas))


def _stored(media: Take | Music, folder: Path) -> dict[str, Any]:
    """A take or music as data, its files named relative to a folder."""
    if isinstance(media, Take):
        media = with_area_files(media, lambda path: _relative(path, folder))
    return {**media.model_dump(mode="json"), "path": _relative(media.path, folder)}


def _relative(path: str, folder: Path) -> str:
    return Path(os.path.relpath(path, folder.resolve())).as_posix()


def _absolute(path: str, folder: Path) -> str:
    return os.path.normpath(folder.resolve() / path)


def _placed(media: _Media, folder: Path) -> _Media:
    try:
        placed = media.changed(path=_absolute(media.path, folder))
        if isinstance(placed, Take):
            return placed.changed(areas=with_area_files(placed, lambda path: _absolute(path, folder)).areas)
        return placed
    except ValueError as error:  # a path with a zero byte in it
        raise DocumentError(f"The project names a file that cannot be one for {media.name}.") from error
