"""The journal: every change of an open project, written down before anybody sees it.

A journal begins with the whole project and goes on with what each change made different, one line each with a
checksum. It is locked while its process lives. A process that was killed leaves its journal behind unlocked,
and the next start finds in it exactly what was there.
"""

import contextlib
import fcntl
import json
import os
import re
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path
from typing import Any

from clevrin.core.document.files import checked_project, load, reason_of
from clevrin.core.document.migrations import migrated_change
from clevrin.core.document.model import SCHEMA_VERSION, Marker, Project, Reel, Shot, Take, new_id
from clevrin.core.errors import DocumentError
from clevrin.core.paths import is_file, put_aside

SUFFIX = ".journal"
_HEAD = b"clevrin-journal 1\n"
_REWRITE_BYTES = 16 * 1024 * 1024
"""A journal larger than this is written anew from the present project."""
_PLACE = re.compile(rb'"place":("(?:[^"\\\\]|\\\\.)*")')

Difference = dict[str, Any]


def difference(before: Project, after: Project) -> Difference:
    """What has to be changed in one project to get another one, as JSON data; quick where they share parts."""
    found: Difference = {}
    own = _own_fields(after, {"takes", "reel"})
    if own != _own_fields(before, {"takes", "reel"}):
        found["project"] = own
    if after.takes is not before.takes:
        found["takes"] = _row_difference(before.takes, after.takes)
    if after.reel is not before.reel:
        if after.reel.shots is not before.reel.shots:
            found["shots"] = _row_difference(before.reel.shots, after.reel.shots)
        reel = _own_fields(after.reel, {"shots", "markers"})
        if reel != _own_fields(before.reel, {"shots", "markers"}):
            found["reel"] = reel
        if after.reel.markers != before.reel.markers:
            found["markers"] = [marker.model_dump(mode="json") for marker in after.reel.markers]
    return found


def applied(project: Project, found: Difference) -> Project:
    """The project with a difference made; raises `ValueError` or `KeyError` where they do not belong together."""
    reel = project.reel
    shots, markers = reel.shots, reel.markers
    if "shots" in found:
        shots = tuple(_applied_row(reel.shots, found["shots"], Shot))
    if "markers" in found:
        markers = tuple(Marker.model_validate(each) for each in found["markers"])
    fields = found.get("reel") or _own_fields(reel, {"shots", "markers"})
    reel = Reel.model_validate({**fields, "shots": shots, "markers": markers})
    takes = tuple(_applied_row(project.takes, found["takes"], Take)) if "takes" in found else project.takes
    own = found.get("project") or _own_fields(project, {"takes", "reel"})
    return Project.model_validate({**own, "takes": takes, "reel": reel})


class Journal:
    """Writes down the changes of one open project; close it when they are in a safe place."""

    def __init__(self, folder: Path, project: Project, *, place: Path | None, saved: bool) -> None:
        """Begins in a folder of journals. `place`: the project's file; `saved`: whether that holds this project.

        Raises `DocumentError` where nothing can be written.
        """
        self.file = folder / f"{new_id()}{SUFFIX}"
        self._descriptor: int | None = None
        self._written: Project | None = None
        self._bytes = 0
        self._changes = 0
        self._place = place
        self.rewrite(project, place=place, saved=saved)

    def rewrite(self, project: Project, *, place: Path | None, saved: bool) -> None:
        """Begins anew from a project: it was saved, or has got another place. Raises `DocumentError`."""
        self._place = place
        base = {
            "place": str(place) if place is not None else None,
            "saved": saved,
            "project": project.model_dump(mode="json"),
        }
        line = line_of(base)
        part = self.file.with_suffix(f".{os.getpid()}.part")
        descriptor = -1
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
            descriptor = os.open(part, os.O_RDWR | os.O_CREAT | os.O_TRUNC, 0o600)
            fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
            _write(descriptor, _HEAD + line)
            part.replace(self.file)
        except OSError as error:
            if descriptor >= 0:
                os.close(descriptor)
            with contextlib.suppress(OSError):
                part.unlink(missing_ok=True)
            raise _cannot_keep(self.file.parent, error) from error
        if self._descriptor is not None:
            os.close(self._descriptor)
        self._descriptor, self._written, self._bytes, self._changes = descriptor, project, len(line), 0

    @property
    def whole(self) -> bool:
        """Whether it holds all that happened; False after something could not be written."""
        return self._written is not None

    @property
    def changes(self) -> int:
        """How many changes were written down since the journal began."""
        return self._changes

    def record(self, project: Project) -> None:
        """Writes down that the project is now this one. Raises `DocumentError`; the next call tries all again."""
        if self._written is None or self._bytes > _REWRITE_BYTES:
            self.rewrite(project, place=self._place, saved=False)
            return
        self._append({"change": difference(self._written, project)})
        self._written = project
        self._changes += 1

    def note_saved(self, changes: int) -> None:
        """Writes down that the project's file holds it as it was after so many changes. Raises `DocumentError`."""
        if self._written is not None:
            self._append({"saved": changes})

    def _append(self, value: dict[str, Any]) -> None:
        line = line_of(value)
        assert self._descriptor is not None
        try:
            _write(self._descriptor, line)
        except OSError as error:
            self._written = None  # a torn line may stand at the end now: nothing may follow it
            raise _cannot_keep(self.file.parent, error) from error
        self._bytes += len(line)

    def sync(self) -> None:
        """Has the system put what was written on the disk: it then outlasts a loss of power too."""
        descriptor = self._descriptor
        if descriptor is not None:
            with contextlib.suppress(OSError):
                os.fsync(descriptor)

    def close(self) -> None:
        """Ends the journal and throws it away: what it holds is somewhere else."""
        with contextlib.suppress(OSError):
            self.file.unlink(missing_ok=True)
        self.abandon()

    def abandon(self) -> None:
        """Lets go of the journal and leaves it to be found."""
        if self._descriptor is not None:
            os.close(self._descriptor)
            self._descriptor = None


@dataclass(frozen=True, kw_only=True)
class LeftBehind:
    """What a process that ended without a goodbye had open: the project, its file, and how many changes ago saved.

    `damaged`: not all of the journal could be read; it lies aside, and stays there.
    """

    file: Path
    project: Project
    place: Path | None
    changes: int
    when: datetime
    damaged: bool = False

    def set_aside(self) -> None:
        """Puts the journal where it is not offered again; the last ones are kept."""
        if not self.damaged:
            put_aside(self.file)

    def forget(self) -> None:
        """Throws the journal away: what it holds is open again, and written down anew. A damaged one stays aside."""
        if not self.damaged:
            with contextlib.suppress(OSError):
                self.file.unlink(missing_ok=True)


@dataclass(frozen=True, kw_only=True)
class Found:
    """Journals that were looked through: what they offer, newest first, and those put aside with nothing to offer."""

    left: tuple[LeftBehind, ...]
    unreadable: tuple[Path, ...]


def look_through(folder: Path) -> Found:
    """Reads the journals of processes that live no more.

    Those that hold nothing that was not saved are thrown away. Those that are damaged, or were written by a newer
    Clevrin, are put aside, whether or not something in them can be offered.
    """
    left: list[LeftBehind] = []
    unreadable: list[Path] = []
    for file in _journals(folder):
        with contextlib.suppress(OSError), file.open("rb") as opened:
            fcntl.flock(opened.fileno(), fcntl.LOCK_SH | fcntl.LOCK_NB)  # a living process holds it: not ours
            data = opened.read()
            try:
                each = _read(file, data)
            except _UnreadableError:
                unreadable.append(put_aside(file) or file)
                continue
            if each is None:
                file.unlink(missing_ok=True)
            elif each.damaged:
                left.append(replace(each, file=put_aside(file) or file))
            else:
                left.append(each)
    return Found(left=tuple(sorted(left, key=lambda each: each.when, reverse=True)), unreadable=tuple(unreadable))


def left_behind(folder: Path) -> list[LeftBehind]:
    """What journals of processes that live no more offer, newest first; see `look_through`."""
    return list(look_through(folder).left)


def _journals(folder: Path) -> list[Path]:
    try:
        return [file for file in folder.glob(f"*{SUFFIX}") if is_file(file)]
    except (OSError, ValueError):
        return []


class _UnreadableError(Exception):
    """A journal holds something, but nothing of it can be read."""


def _read(file: Path, data: bytes) -> LeftBehind | None:
    """What a journal holds; None if that is nothing worth offering. Raises `_UnreadableError`."""
    head, _, body = data.partition(b"\n")
    if not data or (head + b"\n" == _HEAD and not body.strip()):
        return None
    lines, torn = _lines(body)
    damaged = torn or head + b"\n" != _HEAD
    base, version = _base(body, lines[0] if lines else None)
    damaged = damaged or base is None or lines[0] is None
    if base is None:
        project, place, saved = Project(), None, False
    else:
        place = Path(base["place"]) if isinstance(base.get("place"), str) else None
        saved = bool(base.get("saved"))
        try:
            project = _based_on(base, place, file)
        except DocumentError as error:
            raise _UnreadableError from error
    made, saved_after = 0, 0 if saved else -1
    for each in lines[1:]:
        if each is None:
            continue
        if "saved" in each:
            saved_after = each["saved"]
            continue
        try:
            project = applied(project, migrated_change(each["change"], version))
        except (ValueError, KeyError, TypeError, AttributeError):
            damaged = True
            if base is not None and lines[0] is not None:
                break  # the rest was made on what this one would have given
            continue
        made += 1
    if damaged and made == 0 and (base is None or not project.takes):
        raise _UnreadableError
    if made == saved_after and not damaged:
        return None
    when = datetime.fromtimestamp(file.stat().st_mtime)
    changes = made - max(0, saved_after if isinstance(saved_after, int) else 0)
    return LeftBehind(file=file, project=project, place=place, changes=changes, when=when, damaged=damaged)


def _base(body: bytes, first: dict[str, Any] | None) -> tuple[dict[str, Any] | None, int]:
    """The first line of a journal and the version of what it holds, even if its checksum does not agree."""
    base: Any = first
    if base is None:
        text = body.partition(b"\n")[0].partition(b" ")[2]
        try:
            base = json.loads(text)
        except (ValueError, RecursionError):
            named = _PLACE.search(text)
            try:
                base = {"place": json.loads(named.group(1))} if named else None
            except ValueError:
                base = None
    if not isinstance(base, dict):
        return None, SCHEMA_VERSION
    project = base.get("project")
    version = project.get("schema_version") if isinstance(project, dict) else None
    return base, version if isinstance(version, int) and version > 0 else SCHEMA_VERSION


def _based_on(base: dict[str, Any], place: Path | None, file: Path) -> Project:
    """The project that a journal begins with; where that line is damaged, the one in the project's file."""
    if isinstance(base.get("project"), dict):
        try:
            version = base["project"].get("schema_version")
            if isinstance(version, int) and version > SCHEMA_VERSION:
                raise DocumentError(f"{file.name} was made by a newer Clevrin.")
            return checked_project(base["project"], file.name)
        except DocumentError:
            if place is None or not is_file(place):
                raise
    if place is not None and is_file(place):
        return load(place)
    return Project()


def line_of(value: dict[str, Any]) -> bytes:
    text = json.dumps(value, separators=(",", ":"), allow_nan=False).encode()
    return b"%08x %s\n" % (zlib.crc32(text), text)


def _lines(data: bytes) -> tuple[list[dict[str, Any] | None], bool]:
    """The lines of a journal, None for the first one if it is damaged; and whether more than its end is damaged.

    What is torn off at the end is what was being written when the process was killed. Lines behind a damaged one are
    read only where that is the first, on which the others do not build up line by line.
    """
    found: list[dict[str, Any] | None] = []
    lines = data.split(b"\n")
    for number, line in enumerate(lines):
        if _is_whole(line):
            found.append(json.loads(line.partition(b" ")[2]))
        elif number == 0:
            found.append(None)
        else:
            return found, any(_is_whole(later) for later in lines[number + 1 :])
    return found, False


def _is_whole(line: bytes) -> bool:
    checksum, _, text = line.partition(b" ")
    return bool(text) and checksum == b"%08x" % zlib.crc32(text)


def _write(descriptor: int, data: bytes) -> None:
    view = memoryview(data)
    while view:
        view = view[os.write(descriptor, view) :]


def _cannot_keep(folder: Path, error: OSError) -> DocumentError:
    return DocumentError(
        f"Your changes cannot be kept in {folder} while you work: {reason_of(error)}. Save the project now, "
        "or free some room."
    )


def _own_fields(value: Project | Reel, without: set[str]) -> dict[str, Any]:
    return value.model_dump(mode="json", exclude=without)


def _row_difference(before: Sequence[Take] | Sequence[Shot], after: Sequence[Take] | Sequence[Shot]) -> Difference:
    known = {value.id: value for value in before}
    changed = [value.model_dump(mode="json") for value in after if known.get(value.id) is not value]
    found: Difference = {"changed": changed}
    order = [value.id for value in after]
    if order != [value.id for value in before]:
        found["order"] = order
    return found


def _applied_row(before: Sequence[Any], found: Difference, kind: type[Take] | type[Shot]) -> list[Any]:
    values = {value.id: value for value in before}
    for each in found["changed"]:
        value = kind.model_validate(each)
        values[value.id] = value
    order = found["order"] if "order" in found else [value.id for value in before]
    return [values[id] for id in order]
