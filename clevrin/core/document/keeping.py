"""Where the user's work is kept between sessions: which project was open last, and one that has no name yet."""

import json
from pathlib import Path

import platformdirs


def data_folder() -> Path:
    return Path(platformdirs.user_data_dir("clevrin"))


def unnamed_file() -> Path:
    """Where a project is kept that was never given a place of its own."""
    return data_folder() / "unnamed.clevrin"


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
