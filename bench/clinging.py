"""Curves that cling to edges: how far from the true edge they are over sixty frames, beside a curve carried by flow."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.cutting import Subject, photographed_subjects
from bench.rows import Row
from clevrin.core.document.areas import Drawn, Outline
from clevrin.core.matte.clinging import POINTS
from clevrin.core.matte.clinging_areas import ClingRequest, cling
from clevrin.core.matte.curves import evenly
from clevrin.core.media.reading import FilmReader
from clevrin.core.progress import Silent
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import true_coverage

Numbers = NDArray[np.float64]

_FRAMES = 60
_AIM_PX = 1.5
_AWAY_PX = 3
_DRAWN = (
    ("hill", 0, 80),
    ("hill", 9, 80),
    ("hill", 10, 80),
    ("picnic", 9, 60),
    ("parade", 10, 40),
    ("bunting", 9, 75),
    ("tripod", 11, 50),
)
"""Kites, walkers and a cloth by the film, their layer in its world, and the frame on which they are drawn."""


@dataclass(frozen=True, kw_only=True)
class _Off:
    name: str
    ours: float
    plain: float
    followed: int
    frames: int


def clinging_rows(films: Path) -> list[Row]:
    drawn = [_judged(each, films) for each in _drawn_subjects()]
    photographed = [_judged(each, films) for each in photographed_subjects(films)]
    return [*_rows("drawn", drawn), *_rows("photographed, with depth", photographed)]


def _drawn_subjects() -> Iterator[Subject]:
    for film, layer, at in _DRAWN:
        true = _true_of(film, layer)
        frames = range(max(0, at - _FRAMES // 2), min(FILMED[film].frames, at + _FRAMES // 2 + 1))
        yield Subject(name=f"{film} {layer}", film=FOOTAGE / f"{film}.mp4", at=at, frames=frames, true=true)


def _true_of(film: str, layer: int) -> Callable[[int], NDArray[np.float32]]:
    return lambda frame: true_coverage(FILMED[film], (layer,), frame)


def _judged(subject: Subject, films: Path) -> _Off:
    """A curve that is drawn truly on one frame, and clings or is carried from there to both sides."""
    curve = evenly(_outline(subject.true(subject.at)), POINTS)
    places = tuple((float(x), float(y)) for x, y in curve)
    drawn = Drawn(shape="curve", outlines=(Outline(frame=subject.at, places=places),), along="edges")
    with FilmReader(subject.film) as reader:
        size = reader.read(subject.at).size
        plain = dict(_carried(reader, curve, subject.at, subject.frames))
    request = ClingRequest(path=subject.film, fingerprint=subject.name, drawn=drawn, size=size)
    found = cling(request, Shelf(films / "clinging"), Silent())
    ours, plainly, followed = [], [], 0
    for frame in subject.frames:
        if frame == subject.at:
            continue
        away = _distances(subject.true(frame))
        if away is None or not found.known[frame]:
            continue
        followed += 1
        ours.append(_rms(away, found.places[frame]))
        plainly.append(_rms(away, plain[frame]))
    return _Off(
        name=subject.name,
        ours=float(np.sqrt(np.nanmean(np.square(ours)))) if ours else np.nan,
        plain=float(np.sqrt(np.nanmean(np.square(plainly)))) if plainly else np.nan,
        followed=followed,
        frames=len(subject.frames) - 1,
    )


def _outline(cover: NDArray[np.float32]) -> Numbers:
    """The line along which half of a pixel is covered, of the largest piece."""
    fine = cv2.resize(cover, None, fx=4, fy=4, interpolation=cv2.INTER_LINEAR) > 0.5
    found, _ = cv2.findContours(fine.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    return np.asarray((max(found, key=cv2.contourArea)[:, 0].astype(np.float64) + 0.5) / 4 - 0.5)


def _distances(cover: NDArray[np.float32]) -> Numbers | None:
    """How far each pixel is from the true edge; None where there is none."""
    inside = (cover > 0.5).astype(np.uint8)
    if not inside.any():
        return None
    within, beyond = (cv2.distanceTransform(each, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) for each in (inside, 1 - inside))
    return np.asarray(np.where(inside > 0, within - 0.5, beyond - 0.5), np.float64)


def _rms(away: Numbers, curve: Numbers) -> float:
    """Of the points of a curve that are seen; NaN where none is."""
    size = np.array(away.shape[::-1])
    seen = ((curve > _AWAY_PX) & (curve < size - 1 - _AWAY_PX)).all(axis=1)
    x, y = np.round(curve[seen]).astype(int).T
    return float(np.sqrt((away[y, x] ** 2).mean())) if seen.any() else np.nan


def _carried(reader: FilmReader, curve: Numbers, at: int, frames: range) -> Iterator[tuple[int, Numbers]]:
    """The plain way: each point goes with dense flow (of the same library), from frame to frame."""
    for way, end in ((1, frames[-1]), (-1, frames[0])):
        here, before = curve, reader.read_luma(at)
        for frame in range(at + way, end + way, way):
            after = reader.read_luma(frame)
            flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(before, after, None)
            x, y = here.astype(np.float32).T
            here = here + cv2.remap(flow, x[None], y[None], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]
            before = after
            yield frame, here


def _rows(what: str, found: list[_Off]) -> list[Row]:
    ours, plain = (np.array([getattr(each, name) for each in found]) for name in ("ours", "plain"))
    worst = found[int(np.nanargmax(ours))].name
    met = f"{int((ours <= _AIM_PX).sum())} of {len(found)} within"
    behind = [each.name for each in found if not each.ours < each.plain]
    stopped = [f"{each.name} after {each.followed} of {each.frames}" for each in found if each.followed < each.frames]
    return [
        Row(
            f"clinging curve, {what}: RMS of {len(found)}, median; worst",
            f"{_AIM_PX} px",
            f"{np.nanmedian(ours):.2f}; {np.nanmax(ours):.2f} px ({worst}), {met}",
            bool((ours <= _AIM_PX).all()),
        ),
        Row(
            f"clinging curve, {what}: carried by flow; nearer than that",
            "all",
            f"{np.nanmedian(plain):.2f}; {np.nanmax(plain):.2f} px; {len(found) - len(behind)} of {len(found)}",
            not behind,
        ),
        Row(f"clinging curve, {what}: stopped and asked", "", ", ".join(stopped) or "nowhere"),
    ]
