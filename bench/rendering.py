"""What renders cost, in units of reading and encoding the same frames with the same coder, in the same minute.

Beside each the plain way of a general library, in the same run, with the same reading and encoding.
"""

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np

from bench import plain_rendering as plain
from bench.rows import Row
from clevrin.core.document import Gate, Hold, Join, Pace, PacePoint, Pose, Project, Reel, Shot, Shutter, Span, Take
from clevrin.core.media.picture import Picture
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.pace import reel_frames
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.demo.measured import lay_out

_FILM = FOOTAGE / "picnic.mp4"
_SIZE = (1280, 720)
_FIRST, _FRAMES = 60, 30
_ROUNDS = 3
_ALL, _CAMERA = Shutter(angle_deg=360.0, blurs="everything"), Shutter(angle_deg=360.0, blurs="camera")


@dataclass(frozen=True, kw_only=True)
class _Kind:
    """A render: its shots (the first with `shot`'s fields), and the plain way to make it.

    `aim`: how many units it may cost; None where nobody has said so.
    """

    words: str
    aim: float | None
    plain: plain.Plain
    shot: dict = field(default_factory=dict)
    reads: int = _FRAMES
    more: tuple[dict, ...] = ()
    """Further shots: what they have beside their take and span, which follow the first one's."""


def _pace(speed: float, shutter: Shutter | None = None) -> Pace:
    return Pace(points=(PacePoint(frame=0, speed=speed),), shutter=shutter or Shutter())


_CLOSER = (Pose(frame=_FIRST, x=640, y=360, width=1080), Pose(frame=_FIRST + _FRAMES, x=700, y=380, width=800))
_KINDS = (
    _Kind(words="as it was shot", aim=1.1, plain=plain.as_shot),
    _Kind(
        words="held, with a gate that comes closer",
        aim=1.15,
        plain=plain.held,
        shot={"hold": Hold(how="float"), "gates": (Gate(poses=_CLOSER),)},
    ),
    _Kind(
        words="a made join: thrown whip, all of it",
        aim=1.6,
        plain=plain.made_whip,
        shot={"leave": Join(kind="thrown whip").having(length=_FRAMES - 2)},
        reads=_FRAMES // 2,
        more=({},),
    ),
    _Kind(
        words="a shutter of 360° added, of the camera's motion",
        aim=1.5,
        plain=plain.camera_blur,
        shot={"pace": _pace(1, _CAMERA)},
    ),
    _Kind(
        words="a shutter of 360° added, of all that moves",
        aim=3.0,
        plain=plain.blur_of_all,
        shot={"pace": _pace(1, _ALL)},
    ),
    _Kind(
        words="ten times as fast, with that shutter",
        aim=3.0,
        plain=plain.quick,
        shot={"pace": _pace(10, _ALL)},
        reads=200,
    ),
    _Kind(words="slowed down to a quarter", aim=1.5, plain=plain.quarter, shot={"pace": _pace(0.25)}, reads=15),
    _Kind(
        words="everything at once: held, gate, slowed, flow, shutter, a made join",
        aim=None,
        plain=plain.everything,
        shot={
            "hold": Hold(how="float"),
            "gates": (Gate(poses=_CLOSER),),
            "pace": _pace(0.5, _ALL),
            "leave": Join(kind="thrown whip").having(length=12),
        },
        reads=15,
        more=({"hold": Hold(how="float"), "pace": _pace(0.5, _ALL)},),
    ),
)


def rendering_rows(folder: Path) -> list[Row]:
    """Renders of 1280x720, an empty shelf of flows each; the least of three rounds, of one of the plain way."""
    best: dict[str, float] = {}
    by_plain: dict[str, float] = {}
    unit = 1e9
    take = take_in(_FILM)
    for number in range(_ROUNDS):  # in turns: what else the machine does falls on all of them
        unit = min(unit, _read_and_encoded(folder / "unit.mp4"))
        for kind in _KINDS:
            project = _project(kind, take)
            took = _rendered(folder / f"shelf {number} {kind.words[:20]}", folder / "made.mp4", project)
            best[kind.words] = min(best.get(kind.words, 1e9), took)
            if number == 0:  # it takes longest, and is nobody's aim
                by_plain[kind.words] = _made_plainly(kind.plain, project, folder / "plain.mp4")
    rows = [Row("reading and encoding 1280x720", "", f"{unit * 1000:.0f} ms a frame", None)]
    for kind in _KINDS:
        units, plainly = best[kind.words] / unit, by_plain[kind.words] / unit
        words = f"{units:.1f}: {best[kind.words] * 1000:.0f} ms a frame; the plain way {plainly:.1f}"
        aim, met = ("", None) if kind.aim is None else (f"{kind.aim} units", units <= kind.aim)
        rows.append(Row(kind.words, aim, words, met))
    return rows


def _project(kind: _Kind, take: Take) -> Project:
    reads = min(kind.reads, take.facts.frames - 10)
    first = min(_FIRST, take.facts.frames - reads * (1 + len(kind.more)))
    shots = [
        Shot(take_id=take.id, span=Span(first=first + at * reads, end=first + (at + 1) * reads), **fields)
        for at, fields in enumerate((kind.shot, *kind.more))
    ]
    reel = Reel(width=_SIZE[0], height=_SIZE[1], rate=take.facts.rate, shots=tuple(shots))
    return Project(takes=(take,), reel=reel)


def _timed(frames: int, work: Callable[[], object]) -> float:
    """Seconds a frame."""
    begun = time.perf_counter()
    work()
    return (time.perf_counter() - begun) / frames


def _read_and_encoded(place: Path) -> float:
    def copy() -> None:
        with FilmReader(_FILM) as reader, FilmWriter(place, rate=take_in(_FILM).facts.rate, size=_SIZE) as writer:
            for frame in range(_FIRST, _FIRST + _FRAMES):
                writer.write(reader.read(frame))

    return _timed(_FRAMES, copy)


def _rendered(shelf: Path, place: Path, project: Project) -> float:
    with Sources.of(Shelf(shelf)) as sources:
        lay_out(sources.measured.shelf)
        sources.measured.measure(project.takes[0], Silent())
        request = ExportRequest(project=project, path=place)
        return _timed(reel_frames(project), lambda: export_reel(request, sources, Silent()))


def _made_plainly(make: plain.Plain, project: Project, place: Path) -> float:
    """The frames of the reel's shots read, as many made as the reel has, and written."""
    spans, frames = [shot.span for shot in project.reel.shots], reel_frames(project)

    def work() -> None:
        with FilmReader(_FILM) as reader, FilmWriter(place, rate=project.reel.rate, size=_SIZE) as writer:
            read = [_bgr(reader.read(k)) for k in range(spans[0].first, spans[-1].end)]
            for at in range(frames):
                writer.write(_picture(make(read, at)))

    return _timed(frames, work)


def _bgr(picture: Picture) -> plain.Frame:
    return cv2.cvtColor(
        np.concatenate([each.ravel() for each in picture.planes]).reshape(-1, _SIZE[0]), cv2.COLOR_YUV2BGR_I420
    )


def _picture(frame: plain.Frame) -> Picture:
    flat = cv2.cvtColor(frame, cv2.COLOR_BGR2YUV_I420).ravel()
    width, height = _SIZE
    whole, part = width * height, width * height // 4
    y, u, v = flat[:whole], flat[whole : whole + part], flat[whole + part :]
    small = (height // 2, width // 2)
    return Picture(y=y.reshape(height, width), u=u.reshape(small), v=v.reshape(small))
