"""Moments that were not shot, judged by frames that were: every second one taken away, and made again by the command.

Beside it, in the same run, the plain method of a general library: dense flow both ways, both frames warped and mixed.
"""

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.rows import Row
from clevrin.core.document import Pace, Project, Shot
from clevrin.core.document.edits import AddTakes
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion.cache import Shelf
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render.hold_request import HoldRequest
from clevrin.core.render.picture import planes
from clevrin.core.render.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.demo.footage_maker import FOOTAGE

DRAWN = ("hill", "walk-past", "picnic", "bunting", "parade", "runaway", "somersault", "tripod")
DEEP = ("walk-3", "slider-3", "orbit-3", "leaves-3", "passing-3", "whip-3", "gate-3")
CAMERA_ONLY = ("hill", "runaway", "somersault", "whip-3")
"""Films in which next to nothing moves but the camera, and that a lot."""
_MOST_FRAMES, _JUDGED = 61, 15
_QUALITY = 10
_FINE_PX = 2.0

Luma = NDArray[np.float32]


@dataclass(frozen=True, kw_only=True, eq=False)
class Outcome:
    """Of one film, per frame made again: luma PSNR of three ways, and how fine ours is beside its neighbours."""

    ours: NDArray[np.float64]
    plain: NDArray[np.float64]
    mixed: NDArray[np.float64]
    fineness: NDArray[np.float64]

    @property
    def worst_under_mix(self) -> float:
        """By how much the worst tenth is under mixing, in dB; negative: it is above."""
        margin = np.sort(self.mixed - self.ours)[::-1]
        return float(margin[: max(1, len(margin) // 10)].mean())


def made_again(film: Path, folder: Path) -> Outcome:
    """Takes every second frame of a film away, and makes some of them again."""
    with FilmReader(film) as reader:
        count = min(reader.frames, _MOST_FRAMES) // 2 * 2 - 1
        first = max(0, (reader.frames - count) // 2)
        whole = [reader.read(first + k) for k in range(count)]
        rate = reader.index.rate
    half = folder / f"{film.stem}-half.mp4"
    with FilmWriter(half, rate=rate / 2, size=whole[0].size, quality=_QUALITY) as writer:
        for each in whole[::2]:
            writer.write(each)
    take = take_in(half)
    project = AddTakes(takes=(take,)).apply(Project())
    shot = Shot(take_id=take.id, span=take.whole, pace=Pace(in_between="best"))
    project = project.changed(reel=project.reel.changed(rate=rate, shots=(shot,)))
    judged = sorted({1 + 2 * round(k) for k in np.linspace(0, (count - 3) / 2, _JUDGED)})
    rows: list[tuple[float, float, float, float]] = []
    with Sources.of(Shelf(folder / "shelf")) as sources, FilmReader(half) as reader:
        complete(HoldRequest.of(project, shot), sources.measured, Silent())
        start = placed_shots(project)[0].start
        for k in judged:
            made = planes(project, start + k, whole[0].size, sources).y.astype(np.float32)
            before, after = (reader.read_luma(n).copy() for n in ((k - 1) // 2, (k + 1) // 2))
            true = whole[k].y.astype(np.float32)
            ways = (made, plain_flow(before, after), (before.astype(np.float32) + after) / 2)
            near = (_fine(before.astype(np.float32)) + _fine(after.astype(np.float32))) / 2
            rows.append((*(_psnr(way, true) for way in ways), _fine(made) / near))  # type: ignore[arg-type]
    ours, plain, mixed, fineness = np.array(rows).T
    return Outcome(ours=ours, plain=plain, mixed=mixed, fineness=fineness)


def plain_flow(before: NDArray[np.uint8], after: NDArray[np.uint8], share: float = 0.5) -> Luma:
    """The plain method: both frames along half of their flow, mixed."""
    y, x = np.mgrid[: before.shape[0], : before.shape[1]].astype(np.float32)
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    there, back = flow.calc(before, after, None), flow.calc(after, before, None)
    made = [
        cv2.remap(
            plane, x - by * way[..., 0], y - by * way[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        ).astype(np.float32)
        for plane, way, by in ((before, there, share), (after, back, 1 - share))
    ]
    return np.asarray((1 - share) * made[0] + share * made[1])


def _psnr(made: Luma, true: Luma) -> float:
    return float(10 * np.log10(255**2 / max(1e-9, float(((made - true) ** 2).mean()))))


def _fine(luma: Luma) -> float:
    """The energy of what is finer than two pixels."""
    return float(((luma - cv2.GaussianBlur(luma, (0, 0), _FINE_PX)) ** 2).mean())


def in_between_rows(films: Path, folder: Path) -> list[Row]:
    """One row a film, and those that sum them up; `films`: where the films with depth are kept."""
    rows, found = [], {}
    for name in (*DRAWN, *DEEP):
        path = FOOTAGE / f"{name}.mp4" if name in DRAWN else films / f"{name}.mp4"
        got = found[name] = made_again(path, folder)
        ahead = got.ours.mean() - got.plain.mean()
        words = f"{got.ours.mean():.1f} / {got.plain.mean():.1f} / {got.mixed.mean():.1f} dB, {ahead:+.1f}"
        rows.append(Row(f"{name}: ours / plain / mixed", "plain", words, bool(ahead >= 0)))
        under, fine = got.worst_under_mix, float(got.fineness.mean())
        rows.append(Row("  worst tenth under mixing; fineness", "0.2 dB; 95 %", f"{under:.1f} dB; {fine * 100:.0f} %",
                        under <= 0.2 and fine >= 0.95))  # fmt: skip
    gains = {name: float(got.ours.mean() - got.plain.mean()) for name, got in found.items()}
    mean = float(np.mean(list(gains.values())))
    camera = float(np.mean([gains[name] for name in CAMERA_ONLY]))
    rows.append(Row("all films, over plain flow", "1.5 dB", f"{mean:.2f} dB", mean >= 1.5))
    rows.append(Row("takes that only the camera moves", "4 dB", f"{camera:.2f} dB", camera >= 4))
    return rows
