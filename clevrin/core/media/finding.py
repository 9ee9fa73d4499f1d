"""Media that moved: whether the file of a take is still there, and finding files by what they are, not by name."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from clevrin.core.document import Take
from clevrin.core.errors import MediaError
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.taking_in import FILM_SUFFIXES
from clevrin.core.paths import is_file, is_folder
from clevrin.core.progress import Progress, step

FileState = Literal["there", "missing", "replaced"]

_MOST_FILES = 20_000
_DEEPEST = 4


@dataclass(frozen=True, kw_only=True)
class Found:
    """Where takes were found: their ids with paths; `left` is how many of those looked for were not."""

    places: tuple[tuple[str, str], ...]
    left: int


def file_state(path: Path, known_as: str) -> FileState:
    """Whether a take's file is there and still the one that was brought in; costs a few milliseconds."""
    if not is_file(path):
        return "missing"
    try:
        return "there" if fingerprint(path) == known_as else "replaced"
    except MediaError:
        return "missing"


def find_takes(wanted: Mapping[str, Take], pointed: Path, progress: Progress) -> Found:
    """Looks for takes where somebody points: in that file, and in the files beside it and in folders below.

    Files are compared by their fingerprints; those of other kinds than the takes' are not opened. Raises
    `CancelledError` when stopped.
    """
    prints: dict[str, list[str]] = {}
    for take in wanted.values():
        prints.setdefault(take.fingerprint, []).append(take.id)
    suffixes = {Path(take.path).suffix.lower() for take in wanted.values()} | FILM_SUFFIXES
    folder = pointed if is_folder(pointed) else pointed.parent
    files = [pointed] if is_file(pointed) else []
    files += [path for path in _files_below(folder, _DEEPEST) if path != pointed]
    places: list[tuple[str, str]] = []
    for number, path in enumerate(files[:_MOST_FILES]):
        step(progress, number, len(files))
        if not prints:
            break
        if path != pointed and path.suffix.lower() not in suffixes:
            continue
        try:
            found = prints.pop(fingerprint(path), [])
        except MediaError:
            continue
        places.extend((take_id, str(path.absolute())) for take_id in found)
    return Found(places=tuple(places), left=sum(len(ids) for ids in prints.values()))


def _files_below(folder: Path, deep: int) -> Iterable[Path]:
    try:
        entries = sorted(path for path in folder.iterdir() if not path.name.startswith("."))
    except OSError:
        return
    yield from (path for path in entries if is_file(path))
    if deep > 1:
        for path in entries:
            if is_folder(path) and not path.is_symlink():
                yield from _files_below(path, deep - 1)
