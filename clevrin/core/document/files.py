"""Project files: `*.clevrin`, UTF-8 JSON with a schema version and a checksum; saving is atomic."""

import contextlib
import hashlib
import json
import os
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from clevrin.core.document.migrations import migrated
from clevrin.core.document.model import SCHEMA_VERSION, Project, Take
from clevrin.core.errors import DocumentError

SUFFIX = ".clevrin"
_LARGEST_BYTES = 64 * 1024 * 1024
_CHECKSUM = "checksum"


def save(project: Project, path: Path) -> None:
    """Writes the project beside its place, then puts it there: a reader sees the old file or the new one.

    Takes are named relative to the file where they lie on the same drive. Raises `DocumentError`.
    """
    write_atomically(path, text_of(project, path.parent))


def text_of(project: Project, folder: Path) -> str:
    """The project as the text of a file in a folder."""
    data = project.model_dump(mode="json", exclude={"takes", "reel"})
    data.pop(_CHECKSUM, None)
    # Piece by piece: one call for all of a large project would keep every other thread waiting.
    data["takes"] = [_stored(take, folder) for take in project.takes]
    data["reel"] = project.reel.model_dump(mode="json", exclude={"shots"})
    data["reel"]["shots"] = [shot.model_dump(mode="json") for shot in project.reel.shots]
    return _written({_CHECKSUM: _checksum(data), **data}) + "\n"


def write_atomically(path: Path, text: str) -> None:
    """Writes a text file that is whole, or as it was before. Raises `DocumentError`."""
    try:
        put_text(path, text)
    except OSError as error:
        raise DocumentError(f"{path} cannot be saved: {reason_of(error)}; choose another place.") from error


def put_text(path: Path, text: str) -> None:
    """Puts a text in a file's place: it is whole, or as it was before. Raises `OSError`."""
    part = path.with_name(f"{path.name}.{os.getpid()}.part")
    try:
        with part.open("w", encoding="utf-8") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        part.replace(path)
        _sync_folder(path.parent)
    except OSError:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
        raise


def load(path: Path) -> Project:
    """Reads a project file. Raises `DocumentError` with one sentence for a file that is not one."""
    project = project_of(read_text(path, "a Clevrin project"), path.name)
    return project.changed(takes=tuple(_placed(take, path.parent) for take in project.takes))


def read_text(path: Path, what: str) -> str:
    """The text of a file that should be `what`. Raises `DocumentError` where it cannot be read or is none."""
    try:
        if path.stat().st_size > _LARGEST_BYTES:
            raise DocumentError(f"{path.name} is too large to be {what}.")
        return path.read_text(encoding="utf-8")
    except OSError as error:
        raise DocumentError(f"{path} cannot be opened: {reason_of(error)}.") from error
    except UnicodeDecodeError as error:
        raise DocumentError(f"{path.name} is not {what}, or it is damaged: it is not text.") from error


def project_of(text: str, name: str) -> Project:
    """The project that a text holds, with paths as they are written; raises `DocumentError` naming the file."""
    try:
        data = json.loads(text)
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


def checked_project(data: dict[str, Any], name: str) -> Project:
    """A project of data of any version up to this one; raises `DocumentError` saying where it makes no sense."""
    try:
        return Project.model_validate(migrated(data))
    except ValidationError as error:
        first = error.errors(include_input=False, include_url=False)[0]
        where = " › ".join(str(part) for part in first["loc"]) or "the whole"
        message = " ".join(str(first["msg"]).split())
        raise DocumentError(f"{name} is damaged at {where[:200]}: {message[:1].lower()}{message[1:]}.") from error
    except (ValueError, TypeError, KeyError, AttributeError, ArithmeticError, RecursionError) as error:
        raise DocumentError(f"{name} is damaged: it holds values that make no sense.") from error


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


def _sync_folder(folder: Path) -> None:
    """Makes the new name of a file outlast a loss of power."""
    descriptor = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def _stored(take: Take, folder: Path) -> dict[str, Any]:
    """A take as data, its file named relative to a folder."""
    relative = os.path.relpath(take.path, folder.resolve())
    return {**take.model_dump(mode="json"), "path": Path(relative).as_posix()}


def _placed(take: Take, folder: Path) -> Take:
    try:
        return take.changed(path=os.path.normpath(folder.resolve() / take.path))
    except ValueError as error:  # a path with a zero byte in it
        raise DocumentError(f"The project names a file that cannot be one for the take {take.name}.") from error
