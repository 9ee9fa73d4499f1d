"""Where the user's work is kept between sessions: which project was open last, and those that have no name yet."""

import json
from pathlib import Path

import platformdirs

from clevrin.core.document.files import SUFFIX, read_text, write_atomically
from clevrin.core.errors import DocumentError
from clevrin.core.paths import is_file, is_there, put_aside

_MOST_RECENT = 12


def data_folder() -> Path:
    return Path(platformdirs.user_data_dir("clevrin"))


def journal_folder() -> Path:
    """Where journals lie unless a setting names another place."""
    return data_folder() / "journals"


def unnamed_folder() -> Path:
    return data_folder() / "unnamed"


def unnamed_file(number: int) -> Path:
    """Where a project is kept that was given no place of its own."""
    return unnamed_folder() / f"untitled-{number}{SUFFIX}"


def is_unnamed(path: Path) -> bool:
    """Whether a project has no place of its own."""
    return path.parent == unnamed_folder()


def last_project() -> Path | None:
    """The project that was open last, if its file is still there.

    Raises `DocumentError` for a note of it that is damaged, once: it is put aside.
    """
    note = data_folder() / "last.json"
    try:
        path = Path(json.loads(read_text(note, "a note of the last project"))["project"])
    except (DocumentError, ValueError, KeyError, TypeError, RecursionError) as error:
        if not is_there(note):
            return None
        aside = put_aside(note)
        where = f"; it is kept as {aside}" if aside is not None else ""
        raise DocumentError(f"The note of what was open last could not be read{where}.") from error
    return path if is_file(path) else None


def recent_projects() -> tuple[Path, ...]:
    """The projects that were open lately and are there still, the last one first; none where nothing is noted."""
    try:
        noted = json.loads(read_text(data_folder() / "last.json", "a note of the last project"))
        paths = [Path(each) for each in noted.get("recent", ()) if isinstance(each, str)]
    except (DocumentError, ValueError, AttributeError, TypeError, RecursionError):
        return ()
    return tuple(path for path in paths if not is_unnamed(path) and is_file(path))


def remember_last(path: Path) -> None:
    """Notes which project is open; a folder that cannot be written is no reason to stop."""
    recent = [path, *(each for each in recent_projects() if each != path)][:_MOST_RECENT]
    try:
        data_folder().mkdir(parents=True, exist_ok=True)
        noted = {"project": str(path), "recent": [str(each) for each in recent]}
        write_atomically(data_folder() / "last.json", json.dumps(noted))
    except (OSError, DocumentError):
        pass
