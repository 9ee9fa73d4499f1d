"""Films of every kind through a render: size, rate, frames lost or doubled, how late pictures and sound are."""

import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bench.rows import Row
from clevrin.core.document import Project, Shot
from clevrin.core.document.edits import AddTakes
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.sound_reading import read_sound
from clevrin.core.media.specials import specials
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.sources import Sources
from clevrin.demo.kinds import CLICK_LEVEL, KINDS, RATE, Kind, film_kind, number_in

REEL_RATES = (None, 30)
"""The reel's own rate as the first take gives it, and another one."""


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """What became of a film: `lost` frames are shown nowhere, `doubled` ones twice without need."""

    size: tuple[int, int]
    rate: float
    lost: int
    doubled: int
    late_ms: float
    sound_late_ms: float | None
    level: float | None
    told: tuple[str, ...]

    def met(self, kind: Kind) -> bool:
        frame_ms = 1000 / self.rate
        lost_by_rate = float(kind.rate) > self.rate * 1.01
        allowed_ms = 2.2 * frame_ms if kind.variable else max(frame_ms, 1000 / float(kind.rate)) * 0.75
        heard = self.sound_late_ms is None or abs(self.sound_late_ms) < 12
        full = self.level is None or 0.55 * CLICK_LEVEL < self.level <= 1.0
        return (lost_by_rate or self.lost == 0) and self.late_ms <= allowed_ms and heard and full


def outcome(kind: Kind, folder: Path, reel_rate: int | None = None) -> Outcome:
    """Films a kind, renders it as the only take of a reel, and looks at what comes out."""
    source, made = folder / f"film{kind.suffix}", folder / "made.mp4"
    times = film_kind(source, kind)
    take = take_in(source)
    project = AddTakes(takes=(take,)).apply(Project())
    reel = project.reel.changed(shots=(Shot(take_id=take.id, span=take.whole),))
    if reel_rate is not None:
        reel = reel.changed(rate=reel_rate)
    with Sources.of() as sources:
        export_reel(ExportRequest(project=project.changed(reel=reel), path=made), sources, Silent())
    with FilmReader(made) as reader:
        shown = [number_in(reader.read(k).y) for k in range(reader.frames)]
        rate = float(reader.index.rate)
    ends = np.append(times[1:], times[-1] + 1 / float(take.facts.rate))
    usual = np.minimum(ends - times, 1.5 * float(np.median(ends - times)))
    late = [(at + 0.5) / rate - (times[number] + usual[number] / 2) for at, number in enumerate(shown)]
    middle = float(np.median(late)) if kind.variable else 0.0  # the first frame's jitter is in all stamps
    repeats = len(shown) - len(set(shown))
    needed = max(0, round(len(shown) - len(times)))
    heard = _heard(made, kind) if kind.channels else (None, None)
    return Outcome(
        size=(take.facts.width, take.facts.height),
        rate=rate,
        lost=len(times) - len(set(shown)),
        doubled=max(0, repeats - needed),
        late_ms=1000 * float(np.abs(np.array(late) - middle).max()),
        sound_late_ms=heard[0],
        level=heard[1],
        told=specials(take.facts),
    )


def _heard(film: Path, kind: Kind) -> tuple[float, float]:
    """How late the clicks are in ms, and how loud."""
    sound = np.abs(read_sound(film, 0.0, round(kind.seconds * RATE))).max(axis=1)
    first = int(np.ceil(kind.late_s + 0.2))
    late = []
    for second in range(first, int(kind.seconds)):
        window = sound[round((second - 0.2) * RATE) : round((second + 0.2) * RATE)]
        loud = np.flatnonzero(window > 0.3 * max(1e-6, float(window.max())))
        late.append(1000 * (loud[0] / RATE - 0.2))
    return float(np.max(np.abs(late))), float(sound.max())


def kinds_rows() -> list[Row]:
    rows = []
    for kind in KINDS:
        for reel_rate in REEL_RATES:
            with tempfile.TemporaryDirectory() as folder:
                found = outcome(kind, Path(folder), reel_rate)
            sound = ""
            if found.sound_late_ms is not None:
                sound = f", sound {found.sound_late_ms:.0f} ms, {found.level:.2f}"
            told = f", told {len(found.told)}" if found.told else ""
            figures = (
                f"{found.size[0]}x{found.size[1]} at {found.rate:.5g}, lost {found.lost}, doubled {found.doubled}, "
                f"late {found.late_ms:.0f} ms{sound}{told}"
            )
            on = "its own rate" if reel_rate is None else f"{reel_rate}"
            rows.append(Row(f"{kind.name}, on {on}", "all right", figures, found.met(kind)))
    return rows
