"""Project files: `*.clevrin`, UTF-8 JSON with a schema version; saving is atomic."""

import json
import os
from pathlib import Path

from pydantic import ValidationError

from clevrin.core.document.model import SCHEMA_VERSION, Project, Take
from clevrin.core.errors import DocumentError

SUFFIX = ".clevrin"
_LARGEST_BYTES = 64 * 1024 * 1024


def save(project: Project, path: Path) -> None:
    """Writes the project beside its place, then puts it there: a reader sees the old file or the new one.

    Takes are named relative to the file where they lie on the same drive. Raises `DocumentError`.
    """
    part = path.with_name(path.name + ".part")
    stored = project.changed(takes=tuple(_stored(take, path.parent) for take in project.takes))
    try:
        with part.open("w", encoding="utf-8") as file:
            file.write(stored.model_dump_json(indent=1) + "\n")
            file.flush()
            os.fsync(file.fileno())
        part.replace(path)
    except OSError as error:
        part.unlink(missing_ok=True)
        reason = (error.strerror or str(error)).lower()
        raise DocumentError(f"{path} cannot be saved: {reason}; choose another place.") from error


def load(path: Path) -> Project:
    """Reads a project file. Raises `DocumentError` with one sentence for a file that is not one."""
    try:
        if path.stat().st_size > _LARGEST_BYTES:
            raise DocumentError(f"{path.name} is too large to be a project.")
        text = path.read_text(encoding="utf-8")
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise DocumentError(f"{path} cannot be opened: {reason}.") from error
    except UnicodeDecodeError as error:
        raise DocumentError(f"{path.name} is not a Clevrin project, or it is damaged: it is not text.") from error
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        where = f" at line {error.lineno}" if isinstance(error, json.JSONDecodeError) else ""
        raise DocumentError(f"{path.name} is not a Clevrin project, or it is damaged{where}.") from error
    version = data.get("schema_version") if isinstance(data, dict) else None
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise DocumentError(f"{path.name} is not a Clevrin project, or it is damaged: it names no version.")
    if version > SCHEMA_VERSION:
        raise DocumentError(
            f"{path.name} was made by a newer Clevrin (file version {version}, this one reads up to "
            f"{SCHEMA_VERSION}); it was left as it is."
        )
    try:
        project = Project.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = " › ".join(str(part) for part in first["loc"]) or "the whole"
        raise DocumentError(f"{path.name} is damaged at {where}: {first['msg'].lower()}.") from error
    return project.changed(takes=tuple(_placed(take, path.parent) for take in project.takes))


def _stored(take: Take, folder: Path) -> Take:
    absolute = Path(take.path)
    try:
        relative = os.path.relpath(absolute, folder.resolve())
    except ValueError:
        return take
    return take.changed(path=Path(relative).as_posix())


def _placed(take: Take, folder: Path) -> Take:
    return take.changed(path=os.path.normpath(folder.resolve() / take.path))
