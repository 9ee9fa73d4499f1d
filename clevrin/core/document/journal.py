"""The journal: every change of an open project, written down before anybody sees it.

A journal begins with the whole project and goes on with what each change made different, one line each with a
checksum. It is locked while its process lives. A process that was killed leaves its journal behind unlocked,
and the next start finds in it exactly what was there.
"""

import contextlib
import fcntl
import json
import os
import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from clevrin.core.document.files import checked_project, reason_of
from clevrin.core.document.model import Marker, Project, Reel, Shot, Take, new_id
from clevrin.core.errors import DocumentError

SUFFIX = ".journal"
_HEAD = b"clevrin-journal 1\n"
_REWRITE_BYTES = 16 * 1024 * 1024
"""A journal larger than this is written anew from the present project."""
_KEPT_ASIDE = 10

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
        line = _line(base)
        part = self.file.with_suffix(".part")
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
        line = _line(value)
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
    """What a process that ended without a goodbye had open: the project, its file, and how many changes ago saved."""

    file: Path
    project: Project
    place: Path | None
    changes: int
    when: datetime

    def set_aside(self) -> None:
        """Puts the journal where it is not offered again; the last ones are kept."""
        aside = self.file.parent / "aside"
        with contextlib.suppress(OSError):
            aside.mkdir(exist_ok=True)
            self.file.replace(aside / self.file.name)
            kept = sorted(aside.glob(f"*{SUFFIX}"), key=lambda file: file.stat().st_mtime)
            for old in kept[:-_KEPT_ASIDE]:
                old.unlink()

    def forget(self) -> None:
        """Throws the journal away: what it holds is open again, and written down anew."""
        with contextlib.suppress(OSError):
            self.file.unlink(missing_ok=True)


def left_behind(folder: Path) -> list[LeftBehind]:
    """Journals of processes that live no more and that hold something that was not saved; newest first.

    Those that hold nothing of the kind are thrown away.
    """
    found = []
    for file in folder.glob(f"*{SUFFIX}"):
        with contextlib.suppress(OSError), file.open("rb") as opened:
            fcntl.flock(opened.fileno(), fcntl.LOCK_SH | fcntl.LOCK_NB)  # a living process holds it: not ours
            each = _read(file, opened.read())
            if each is None:
                file.unlink(missing_ok=True)
            else:
                found.append(each)
    return sorted(found, key=lambda each: each.when, reverse=True)


def _read(file: Path, data: bytes) -> LeftBehind | None:
    """What a journal holds up to its first line that is not whole; None if that is nothing worth offering."""
    if not data.startswith(_HEAD):
        return None
    lines = _whole_lines(data[len(_HEAD) :])
    if not lines:
        return None
    base, *changes = lines
    try:
        project = checked_project(base["project"], file.name)
    except (DocumentError, KeyError, TypeError):
        return None
    made, saved_after = 0, 0 if base.get("saved") else -1
    for each in changes:
        if "saved" in each:
            saved_after = each["saved"]
            continue
        try:
            project = applied(project, each["change"])
        except (ValueError, KeyError, TypeError):
            break
        made += 1
    if made == saved_after:
        return None
    place = Path(base["place"]) if base.get("place") else None
    when = datetime.fromtimestamp(file.stat().st_mtime)
    return LeftBehind(file=file, project=project, place=place, changes=made - max(0, saved_after), when=when)


def _line(value: dict[str, Any]) -> bytes:
    text = json.dumps(value, separators=(",", ":"), allow_nan=False).encode()
    return b"%08x %s\n" % (zlib.crc32(text), text)


def _whole_lines(data: bytes) -> list[dict[str, Any]]:
    values = []
    for line in data.split(b"\n"):
        checksum, _, text = line.partition(b" ")
        if not text or checksum != b"%08x" % zlib.crc32(text):
            break
        values.append(json.loads(text))
    return values


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
