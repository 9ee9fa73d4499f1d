"""Packing: a project and the media it uses, copied into one folder that can be carried away."""

import os
import shutil
import tempfile
from pathlib import Path

from clevrin.core.document.files import SUFFIX, reason_of, save, with_area_files, with_files
from clevrin.core.document.model import Project, Take
from clevrin.core.document.music import Music
from clevrin.core.document.pinned import Drawing, Words
from clevrin.core.errors import DocumentError
from clevrin.core.paths import is_there
from clevrin.core.progress import Progress, step

_BLOCK_BYTES = 4 * 1024 * 1024
_SPARE_BYTES = 16 * 1024 * 1024
_MUSIC = "music under the reel"


def packed_takes(project: Project) -> tuple[Take, ...]:
    """The takes whose files are packed: all but those that were dropped and are not on the reel."""
    used = {shot.take_id for shot in project.reel.shots}
    return tuple(take for take in project.takes if take.id in used or take.worth != "drop")


def pack(project: Project, folder: Path, progress: Progress) -> Path:
    """Copies the project and its media into a new folder and returns the project's file there.

    The folder is whole or absent. Raises `DocumentError` where it is there already, a take is missing or there
    is no room for it, and `CancelledError` when stopped. Progress is in megabytes.
    """
    if is_there(folder):
        raise DocumentError(f"{folder} is there already: choose a new name for the folder to pack into.")
    media: dict[str, Take | Music] = {take.id: take for take in packed_takes(project)}
    if project.music is not None:
        media[_MUSIC] = project.music
    files = {key: Path(each.path) for key, each in media.items()} | {path: Path(path) for path in _beside(project)}
    total = sum(_size(path) for path in files.values())
    _check_room(folder.parent, total)
    names = _names(files)
    done = 0
    part = folder.parent
    try:
        part = Path(tempfile.mkdtemp(prefix=".clevrin-pack-", dir=folder.parent))
        part.chmod(0o755)
        (part / "media").mkdir()
        places = {key: str(part / "media" / name) for key, name in names.items()}
        for key, path in files.items():
            with path.open("rb") as source, Path(places[key]).open("wb") as target:
                while block := source.read(_BLOCK_BYTES):
                    target.write(block)
                    done += len(block)
                    step(progress, done >> 20, max(1, total >> 20))
                target.flush()
                os.fsync(target.fileno())
        shots = (with_files(shot, lambda path: places[path]) for shot in project.reel.shots)
        packed = project.changed(
            takes=tuple(_placed(take, places) for take in project.takes),
            music=None if project.music is None else project.music.changed(path=places[_MUSIC]),
            reel=project.reel.changed(shots=tuple(shots)),
        )
        save(packed, part / f"{folder.name}{SUFFIX}")
        part.rename(folder)
    except OSError as error:
        raise DocumentError(f"The project cannot be packed into {folder}: {reason_of(error)}.") from error
    finally:
        if part != folder.parent:
            shutil.rmtree(part, ignore_errors=True)
    return folder / f"{folder.name}{SUFFIX}"


def _placed(take: Take, places: dict[str, str]) -> Take:
    """A take whose files lie in the packed folder; one that is not packed is as it was."""
    if take.id not in places:
        return take
    return with_area_files(take, lambda path: places[path]).changed(path=places[take.id])


def _beside(project: Project) -> tuple[str, ...]:
    """The files beside takes and music: films of areas, and the drawings and fonts of what is pinned to shots."""
    filmed = [each.path for take in packed_takes(project) for area in take.areas for each in area.filmed]
    named = [each.of for shot in project.reel.shots for each in shot.pinned]
    drawings = [each.path for each in named if isinstance(each, Drawing)]
    fonts = [each.font for each in named if isinstance(each, Words) and each.font]
    return tuple(dict.fromkeys([*filmed, *drawings, *fonts]))


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError as error:
        raise DocumentError(f"{path.name} cannot be packed: {path} is not there; find it first.") from error


def _check_room(folder: Path, wanted: int) -> None:
    try:
        free = shutil.disk_usage(folder).free
    except OSError as error:
        raise DocumentError(f"{folder} cannot be packed into: {reason_of(error)}.") from error
    if free < wanted + _SPARE_BYTES:
        raise DocumentError(
            f"There is no room in {folder}: the media take {wanted / 1e6:.0f} MB, {free / 1e6:.0f} MB are free."
        )


def _names(paths: dict[str, Path]) -> dict[str, str]:
    """A file name for each file; those with one name get a number."""
    names: dict[str, str] = {}
    used: set[str] = set()
    for key, path in paths.items():
        name, number = path.name, 2
        while name.lower() in used:
            name, number = f"{path.stem} {number}{path.suffix}", number + 1
        used.add(name.lower())
        names[key] = name
    return names
