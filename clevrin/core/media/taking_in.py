"""Bringing footage files in as takes."""

from collections.abc import Iterable
from pathlib import Path

from clevrin.core.document import Take
from clevrin.core.errors import MediaError
from clevrin.core.media.probe import fingerprint, probe
from clevrin.core.paths import is_file, is_folder

_SUFFIXES = "mp4 m4v mov mkv webm avi mts m2ts ts mxf 3gp mpg mpeg wmv flv ogv dv"
FILM_SUFFIXES = frozenset(f".{suffix}" for suffix in _SUFFIXES.split())
_MOST_FILES = 20_000


def take_in(path: Path) -> Take:
    """A take of a film, named after its file. Raises `MediaError` for anything that is not a film."""
    path = path.absolute()
    try:
        str(path).encode()
    except UnicodeEncodeError as error:
        shown = str(path.name).encode(errors="replace").decode()
        raise MediaError(f"The name of {shown} is not readable text; rename the file and add it again.") from error
    try:
        facts = probe(path)
        return Take(name=path.stem, path=str(path), fingerprint=fingerprint(path), facts=facts)
    except ValueError as error:
        raise MediaError(f"{path.name} says things of itself that make no sense: it is damaged.") from error


def files_in(paths: Iterable[Path]) -> list[Path]:
    """Files as they are named; of a folder, the films in it and in the folders below, in the order of their names.

    Hidden files and folders are left out, and links to folders are not followed, so that none is entered twice.
    """
    found: list[Path] = []
    for path in paths:
        found.extend(_films_below(path) if is_folder(path) else [path])
    return found[:_MOST_FILES]


def _films_below(folder: Path) -> list[Path]:
    try:
        entries = sorted(path for path in folder.iterdir() if not path.name.startswith("."))
    except OSError:
        return []
    films = [path for path in entries if path.suffix.lower() in FILM_SUFFIXES and is_file(path)]
    for below in entries:
        if is_folder(below) and not below.is_symlink():
            films.extend(_films_below(below))
    return films
