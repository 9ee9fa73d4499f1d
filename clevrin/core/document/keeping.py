"""Where the user's work is kept between sessions: which project was open last, and those that have no name yet."""

import json
from pathlib import Path

import platformdirs

from clevrin.core.document.files import SUFFIX


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
    """The project that was open last, if its file is still there."""
    try:
        path = Path(json.loads((data_folder() / "last.json").read_text(encoding="utf-8"))["project"])
    except (OSError, ValueError, KeyError, TypeError):
        return None
    return path if path.is_file() else None


def remember_last(path: Path) -> None:
    """Notes which project is open; a folder that cannot be written is no reason to stop."""
    try:
        data_folder().mkdir(parents=True, exist_ok=True)
        (data_folder() / "last.json").write_text(json.dumps({"project": str(path)}), encoding="utf-8")
    except OSError:
        pass
