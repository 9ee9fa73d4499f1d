"""A reel handed on: a folder with its timeline, its shots as films, its motion as tables, its areas, and checksums.

Tables are plain text: what any programme can read in a few lines.
"""

import csv
import hashlib
import io
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from clevrin.core.document import Join, Mix, Pace, Project, Shot, ShotSound, Span
from clevrin.core.errors import ClevrinError, MediaError
from clevrin.core.exchange.timeline_writing import not_carried, timeline_text
from clevrin.core.hold.verdict import judge
from clevrin.core.media.formats import FORMATS, Purpose
from clevrin.core.media.grey_writing import GreyWriter
from clevrin.core.motion import find_whips
from clevrin.core.motion.trace.motion_csv import motion_csv
from clevrin.core.outputs import put_folder, writing_error
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.paths import is_file
from clevrin.core.plain_text import cell, one_line
from clevrin.core.progress import Progress, step
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.measured.carried import cover_of
from clevrin.core.render.planning.layers import plan_shown
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Shown, complete
from clevrin.core.render.sources import Sources

CAMERA_FORMAT = "clevrin-camera 1"
_BLOCK_BYTES = 4 * 1024 * 1024
_LONGEST_NAME = 50
"""Letters: file systems have room for 255 bytes, and a letter can take four."""
_SUMS = "sha256sums.txt"


@dataclass(frozen=True, kw_only=True)
class HandOnRequest:
    """What to hand on, into a new folder: the timeline and the markers always, and what is wanted of the rest.

    `shots`: each as a film of its own, with so many frames more at either end as `handles` say, `held` and framed as
    on the reel or as it was shot; in a format by its id, and as good as `purpose` says. `motion`: how each take's
    camera moved, and where each shot's pictures come from. `areas`: as films of grey. `stills`: the middle of each shot
    as the reel shows it, a picture of 16 bits.
    """

    project: Project
    folder: Path
    shots: bool = False
    handles: int = 0
    held: bool = True
    kind: str = "prores-422"
    purpose: Purpose | None = None
    motion: bool = False
    areas: bool = False
    stills: bool = False


def hand_on(request: HandOnRequest, sources: Sources, progress: Progress) -> tuple[str, ...]:
    """Writes the folder, whole or not at all; returns what others will not see as it is here, in sentences.

    Raises `MediaError` where the folder is there or something cannot be read or written, `ClevrinError` for what a
    format cannot carry, `CancelledError`. Costs what rendering its shots costs.
    """
    project = request.project
    if request.shots and FORMATS[request.kind].kind != "film":
        raise ClevrinError(f"Shots are handed on as films: {FORMATS[request.kind].title} is none.")
    row, remarks = placed_shots(project), not_carried(project)
    with put_folder(request.folder) as part:
        try:
            _write(part / "reel.otio", timeline_text(project))
            _write(part / "not-carried.txt", "".join(f"{each}\n" for each in remarks))
            _write(part / "markers.csv", _markers(project))
            _write(part / "verdicts.srt", _captions(project, row, sources, progress))
            if request.motion:
                _write_motion(part, project, row, sources, progress)
            if request.areas:
                _write_areas(part / "areas", project, sources, progress)
            if request.stills:
                _write_stills(part / "stills", project, row, sources, progress)
            if request.shots:
                _write_shots(part / "shots", request, row, sources, progress)
            _write(part / _SUMS, _checksums(part))
        except OSError as error:
            raise writing_error(request.folder, error) from error
    return remarks


def check_handed_on(folder: Path) -> tuple[str, ...]:
    """The files of a folder that are missing, or not as they were handed on, by its checksums.

    Only files in the folder are read, whatever its list names. Raises `MediaError` where there is no such list.
    """
    sums, wrong = folder / _SUMS, []
    try:
        listed = [line.partition("  ") for line in sums.read_text(encoding="utf-8").splitlines()]
    except (OSError, UnicodeDecodeError) as error:
        raise MediaError(f"{folder} was not handed on: it has no list of checksums ({_SUMS}).") from error
    for wanted, _, name in listed:
        path = folder / name
        inside = path.resolve().is_relative_to(folder.resolve())
        try:
            whole = inside and is_file(path) and _checksum(path) == wanted
        except OSError:
            whole = False
        if not whole:
            wrong.append(name)
    return tuple(wrong)


def _write(path: Path, text: str) -> None:
    path.parent.mkdir(exist_ok=True)
    path.write_text(text, encoding="utf-8", newline="\n")


def _named(number: int, *words: str) -> str:
    """A name for a file: its place among those of its folder, by which it is the only one, and what it is of."""
    longest = _LONGEST_NAME // len(words)
    plain = ("".join(letter if letter.isalnum() or letter in "-_" else "-" for letter in each) for each in words)
    return "-".join((f"{number + 1:03d}", *(each[:longest] for each in plain)))


def _markers(project: Project) -> str:
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(["frame", "time_s", "kind", "name"])
    for each in sorted(project.reel.markers, key=lambda marker: marker.frame):
        writer.writerow([each.frame, f"{float(each.frame / project.reel.rate):.6f}", each.kind, cell(each.name)])
    return text.getvalue()


def _captions(project: Project, row: tuple[Placed, ...], sources: Sources, progress: Progress) -> str:
    """The verdict on what each shot shows, as a caption file over the reel (SubRip)."""
    found, rate = [], project.reel.rate
    for number, placed in enumerate(row):
        if placed.take.facts.frames < 2:
            continue
        trace = sources.measured.measure(placed.take, progress)
        words = judge(trace, find_whips(trace), placed.shot.span).sentence if not trace.blind else "Nothing to follow."
        times = (_clock(float(at / rate)) for at in (placed.start, placed.end))
        found.append(f"{number + 1}\n{' --> '.join(times)}\n{_caption(placed.take.name)}: {words}\n")
    return "\n".join(found)


def _caption(name: str) -> str:
    """A name in a caption, where signs of larger and smaller would be marks of it."""
    return one_line(name).replace("<", "\u2039").replace(">", "\u203a")


def _clock(seconds: float) -> str:
    ms = round(seconds * 1000)
    return f"{ms // 3_600_000:02d}:{ms // 60_000 % 60:02d}:{ms // 1000 % 60:02d},{ms % 1000:03d}"


def _write_motion(part: Path, project: Project, row: tuple[Placed, ...], sources: Sources, progress: Progress) -> None:
    for number, take in enumerate({placed.take.id: placed.take for placed in row}.values()):
        if take.facts.frames > 1:
            trace = sources.measured.measure(take, progress)
            _write(part / "motion" / f"{_named(number, take.name)}.csv", motion_csv(trace, take.name))
    for number, placed in enumerate(row):
        _write(
            part / "cameras" / f"{_named(number, placed.take.name)}.txt", _camera(project, placed, sources, progress)
        )


def _camera(project: Project, placed: Placed, sources: Sources, progress: Progress) -> str:
    """Where a shot's pictures come from, frame by frame: a plain table of numbers."""
    size = project.reel.size
    resolved = complete(HoldRequest.of(project, placed.shot), sources.measured, progress)
    take = placed.take
    lines = [
        f"# {CAMERA_FORMAT}",
        f"# take {one_line(take.name)}",
        f"# source {take.facts.width} {take.facts.height}",
        f"# output {size[0]} {size[1]} {float(project.reel.rate):.6f}",
        "# frame of the reel, moment of the take in frames, output pixels to source pixels row by row",
    ]
    for at in range(placed.start, placed.end):
        layer = plan_shown(Shown(resolved=resolved, placed=placed, at=at, weight=1.0), size, size)
        numbers = " ".join(f"{value:.9g}" for value in np.reshape(layer.src_from_out, -1))
        lines.append(f"{at} {float(layer.middle.instant):.4f} {numbers}")
    return "\n".join(lines) + "\n"


def _write_areas(folder: Path, project: Project, sources: Sources, progress: Progress) -> None:
    used = {shot.take_id for shot in project.reel.shots}
    areas = [(take, area) for take in project.takes if take.id in used for area in take.areas]
    for number, (take, area) in enumerate(areas):
        folder.mkdir(exist_ok=True)
        size, film = (take.facts.width, take.facts.height), sources.films.reader(take)
        known = sources.measured.area(take, area, progress)
        cover = cover_of(known, take, size, film)
        path = folder / f"{_named(number, take.name, area.name)}.mkv"
        with GreyWriter(path, rate=take.facts.rate, size=size) as writer:
            for frame in range(take.facts.frames):
                writer.write(cover(frame))
                step(progress, frame + 1, take.facts.frames)


def _write_stills(
    folder: Path, project: Project, row: tuple[Placed, ...], sources: Sources, progress: Progress
) -> None:
    folder.mkdir()
    for number, placed in enumerate(row):
        middle, path = (placed.start + placed.end) // 2, folder / _named(number, placed.take.name)
        span = middle, middle + 1
        export_reel(ExportRequest(project=project, path=path, kind="png", span=span), sources, progress)
        (made,) = path.iterdir()  # pictures are made in a folder: this one is by itself
        made.rename(path.with_suffix(".png"))
        path.rmdir()


def _write_shots(
    folder: Path, request: HandOnRequest, row: tuple[Placed, ...], sources: Sources, progress: Progress
) -> None:
    folder.mkdir()
    for number, placed in enumerate(row):
        path = folder / f"{_named(number, placed.take.name)}{FORMATS[request.kind].suffix}"
        alone = shot_alone(request.project, placed, request.handles, held=request.held)
        export_reel(
            ExportRequest(project=alone, path=path, kind=request.kind, purpose=request.purpose, held=request.held),
            sources,
            progress,
        )


def shot_alone(project: Project, placed: Placed, handles: int, *, held: bool) -> Project:
    """A project whose reel is one shot by itself, with handles as far as its take has them.

    As it was shot it has its take's size and rate; held it is as on the reel, without joins. Either has no music, and
    its sound as it was recorded.
    """
    shot, take = placed.shot, placed.take
    span = Span(first=max(0, shot.span.first - handles), end=min(take.facts.frames, shot.span.end + handles))
    reel = project.reel.changed(over=(), markers=())
    if held:
        alone = shot.changed(span=span, leave=Join(), sound=ShotSound())
    else:
        alone = Shot(id=shot.id, take_id=take.id, span=span, pace=Pace())
        reel = reel.changed(width=take.facts.width // 2 * 2, height=take.facts.height // 2 * 2, rate=take.facts.rate)
    return project.changed(music=None, mix=Mix(), reel=reel.changed(shots=(alone,)))


def _checksums(part: Path) -> str:
    """As `sha256sum -c` reads them."""
    files = sorted(each for each in part.rglob("*") if each.is_file())
    return "".join(f"{_checksum(each)}  {each.relative_to(part).as_posix()}\n" for each in files)


def _checksum(path: Path) -> str:
    found = hashlib.sha256()
    with path.open("rb") as file:
        while block := file.read(_BLOCK_BYTES):
            found.update(block)
    return found.hexdigest()
