"""What renders cost, in units of reading and encoding the same frames with the same coder, in the same minute."""

import time
from pathlib import Path

from bench.rows import Row
from clevrin.core.document import Pace, PacePoint, Project, Reel, Shot, Shutter, Span
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.demo.measured import lay_out

_FILM = FOOTAGE / "picnic.mp4"
_FIRST, _FRAMES = 60, 30
_ROUNDS = 3
_KINDS = (
    ("as it was shot", 1.1, 1.0, None),
    ("a shutter of 360° added, of the camera's motion", 1.5, 1.0, Shutter(angle_deg=360.0, blurs="camera")),
    ("a shutter of 360° added, of all that moves", 3.0, 1.0, Shutter(angle_deg=360.0, blurs="everything")),
    ("ten times as fast, with that shutter", 3.0, 10.0, Shutter(angle_deg=360.0, blurs="everything")),
    ("slowed down to a quarter", 1.5, 0.25, None),
)


def rendering_rows(folder: Path) -> list[Row]:
    """Renders of 1280x720, an empty shelf of flows each; the least of three rounds of either."""
    best: dict[str, float] = {}
    unit = 1e9
    for number in range(_ROUNDS):  # in turns: what else the machine does falls on all of them
        unit = min(unit, _read_and_encoded(folder / "unit.mp4"))
        for words, _, speed, shutter in _KINDS:
            took = _rendered(folder / f"shelf {number} {words}", folder / "made.mp4", speed, shutter)
            best[words] = min(best.get(words, 1e9), took)
    rows = [Row("reading and encoding 1280x720", "", f"{unit * 1000:.0f} ms a frame", None)]
    for words, aim, _, _ in _KINDS:
        units = best[words] / unit
        rows.append(Row(words, f"{aim} units", f"{units:.1f}: {best[words] * 1000:.0f} ms a frame", units <= aim))
    return rows


def _read_and_encoded(place: Path) -> float:
    """Seconds a frame."""
    begun = time.perf_counter()
    with FilmReader(_FILM) as reader, FilmWriter(place, rate=take_in(_FILM).facts.rate, size=(1280, 720)) as writer:
        for frame in range(_FIRST, _FIRST + _FRAMES):
            writer.write(reader.read(frame))
    return (time.perf_counter() - begun) / _FRAMES


def _rendered(shelf: Path, place: Path, speed: float, shutter: Shutter | None) -> float:
    """Seconds a frame of a render at a speed."""
    take = take_in(_FILM)
    pace = Pace(points=(PacePoint(frame=0, speed=speed),), shutter=shutter or Shutter())
    frames = min(take.facts.frames - 10, max(_FRAMES // 2, round(_FRAMES * speed)))
    first = min(_FIRST, take.facts.frames - frames)
    shot = Shot(take_id=take.id, span=Span(first=first, end=first + frames), pace=pace)
    reel = Reel(width=1280, height=720, rate=take.facts.rate, shots=(shot,))
    project = Project(takes=(take,), reel=reel)
    with Sources.of(Shelf(shelf)) as sources:
        lay_out(sources.measured.shelf)
        sources.measured.measure(take, Silent())
        begun = time.perf_counter()
        export_reel(ExportRequest(project=project, path=place), sources, Silent())
        return (time.perf_counter() - begun) / (frames / speed)
