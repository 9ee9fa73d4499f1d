"""Cutting subjects out, against their true coverage: drawn people and kites, and photographs with depth.

The plain way beside it, in the same run: a general library's graph cut in the box, its mask carried by the library's
flow and cut anew on each frame.
"""

import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.depth.figures import figure_films
from bench.rows import Row
from clevrin.core.document import Area, AreaPart, Around, CutOut, Stroke
from clevrin.core.matte import coverage, matte_at
from clevrin.core.matte.cutting import CutRequest, cut_out
from clevrin.core.matte.cutting.edges import distances
from clevrin.core.media.picture import rgb_from_picture
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.geometry.models import summed_up
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.progress import Silent
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import true_coverage

Cover = NDArray[np.float32]
TraceOf = Callable[[Path], Trace]

_AROUND_PX = 4
_EVERY = 6
_STROKE_PX = 7.0


@dataclass(frozen=True, kw_only=True)
class Subject:
    """Somebody or something in a film, marked on frame `at`; its true coverage of a frame."""

    name: str
    film: Path
    at: int
    frames: range
    true: Callable[[int], Cover]


def drawn_subjects() -> Iterator[Subject]:
    """The demo's people, by their layers in its worlds, and two of its kites."""
    people = (
        ("picnic", 10, 60, range(20, 110)),
        ("picnic", 9, 60, range(20, 110)),
        ("picnic", 11, 60, range(20, 110)),
        ("walk-past", 9, 60, range(16, 110)),
        ("walk-past", 10, 100, range(90, 126)),
        ("bunting", 9, 60, range(26, 118)),
        ("hill", 9, 60, range(24, 120)),
        ("tripod", 10, 30, range(0, 60)),
        ("tripod", 11, 20, range(0, 60)),
        ("hill", 2, 60, range(30, 110)),
        ("hill", 0, 60, range(30, 110)),
    )
    for film, layer, at, frames in people:
        yield Subject(
            name=f"{film} {layer}",
            film=FOOTAGE / f"{film}.mp4",
            at=at,
            frames=frames,
            true=lambda frame, film=film, layer=layer: true_coverage(FILMED[film], (layer,), frame),
        )


def photographed_subjects(films: Path) -> Iterator[Subject]:
    for film in figure_films():
        yield Subject(
            name=film.name, film=film.made(films), at=film.frames // 2, frames=range(film.frames), true=film.true
        )


def box_about(cover: Cover) -> tuple[float, float, float, float]:
    """As somebody would draw it: a little larger than what is seen."""
    left, top, width, height = cv2.boundingRect((cover > 0.5).astype(np.uint8))
    return (
        float(left - _AROUND_PX),
        float(top - _AROUND_PX),
        float(left + width + _AROUND_PX),
        float(top + height + _AROUND_PX),
    )


def alike(found: Cover, true: Cover) -> tuple[float, float]:
    """Mean absolute error in twice the box about the subject, and intersection over union."""
    left, top, width, height = cv2.boundingRect((true > 0.5).astype(np.uint8))
    about = np.s_[
        max(0, top - height // 2) : top + height + height // 2, max(0, left - width // 2) : left + width + width // 2
    ]
    both, either = (found > 0.5) & (true > 0.5), (found > 0.5) | (true > 0.5)
    return float(np.abs(found[about] - true[about]).mean()), float(both.sum() / max(1, either.sum()))


def strokes_on(found: Cover, true: Cover, frame: int, count: int) -> list[Stroke]:
    """What somebody would paint over: the middles of the largest pieces that are wrong, along their length."""
    made = []
    pieces = []
    for wrong, belongs in (((true > 0.5) & (found <= 0.5), True), ((true <= 0.5) & (found > 0.5), False)):
        number, numbered, facts, _ = cv2.connectedComponentsWithStats(wrong.astype(np.uint8), connectivity=8)
        pieces += [(facts[k, cv2.CC_STAT_AREA], numbered == k, belongs) for k in range(1, number)]
    for _, piece, belongs in sorted(pieces, key=lambda each: -each[0])[:count]:
        deep = distances(piece.astype(np.uint8))
        y, x = np.nonzero(deep >= max(1.0, 0.6 * deep.max()))
        order = np.argsort(x if np.ptp(x) > np.ptp(y) else y)[:: max(1, len(x) // 12)]
        places = tuple((float(x[k]), float(y[k])) for k in order)
        made.append(Stroke(frame=frame, places=places, width_px=max(1.0, min(_STROKE_PX, deep.max())), belongs=belongs))
    return made


@dataclass(frozen=True, kw_only=True)
class Judged:
    """A cut-out over the frames of a subject: mean error, intersection over union on each, seconds a frame."""

    error: float
    unions: list[float]
    seconds: float

    @property
    def union(self) -> float:
        return float(np.mean(self.unions))


class Cutter:
    """Cuts one subject out."""

    def __init__(self, subject: Subject, trace_of: TraceOf, shelf: Shelf) -> None:
        self.subject, self._shelf = subject, shelf
        self._take = take_in(subject.film)
        self._size = self._take.facts.width, self._take.facts.height
        self._chain = summed_up(trace_of(subject.film).motions)
        self._true = {frame: subject.true(frame) for frame in {*subject.frames[::_EVERY], subject.at}}
        self.cut = CutOut(around=(Around(frame=subject.at, box=box_about(self._true[subject.at])),))
        self.covers: dict[int, Cover] = {}

    def judged(self) -> Judged:
        request = CutRequest(path=self.subject.film, fingerprint=self._take.fingerprint, cut=self.cut)
        start = time.perf_counter()
        frames = cut_out(request, self._chain, self._shelf, Silent())
        seconds = (time.perf_counter() - start) / self._take.facts.frames
        area = Area(name="subject", parts=(AreaPart(of=self.cut),))
        self.covers = {
            frame: coverage(matte_at(area, frame, cuts={self.cut: frames.covers}), self._size, self._size)
            for frame in self._true
        }
        return self._judged(self.covers, seconds)

    def corrected(self) -> Judged:
        """After two strokes where it is worst."""
        unions = {frame: alike(self.covers[frame], self._true[frame])[1] for frame in self._true}
        worst = min(unions, key=lambda frame: unions[frame])
        made = strokes_on(self.covers[worst], self._true[worst], worst, 2)
        self.cut = self.cut.changed(strokes=(*self.cut.strokes, *made))
        return self.judged()

    def plain(self) -> Judged:
        """By a general library alone."""
        start = time.perf_counter()
        with FilmReader(self.subject.film) as reader:
            covers = _plainly_cut(lambda k: rgb_from_picture(reader.read(k)), self.cut.around[0], self.subject.frames)
        seconds = (time.perf_counter() - start) / len(self.subject.frames)
        return self._judged(covers, seconds)

    def _judged(self, covers: dict[int, Cover], seconds: float) -> Judged:
        found = [alike(covers[frame], self._true[frame]) for frame in sorted(self._true)]
        return Judged(
            error=float(np.mean([each[0] for each in found])), unions=[each[1] for each in found], seconds=seconds
        )


def _plainly_cut(read: Callable[[int], NDArray[np.uint8]], around: Around, frames: range) -> dict[int, Cover]:
    flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)  # type: ignore[attr-defined]
    found: dict[int, Cover] = {}
    start = read(around.frame)
    left, top, right, bottom = (round(each) for each in around.box)
    first = np.zeros(start.shape[:2], np.uint8)
    cv2.grabCut(
        start,
        first,
        (max(0, left), max(0, top), right - left, bottom - top),
        np.zeros((1, 65)),
        np.zeros((1, 65)),
        5,
        cv2.GC_INIT_WITH_RECT,
    )
    first &= 1
    for way, last in ((1, frames[-1]), (-1, frames[0])):
        mask, before = first, start
        for frame in range(around.frame, last + way, way):
            seen = read(frame)
            if frame != around.frame:
                here, there = (cv2.cvtColor(each, cv2.COLOR_RGB2GRAY) for each in (before, seen))
                moved = flow.calc(there, here, None)
                x, y = np.meshgrid(
                    np.arange(seen.shape[1], dtype=np.float32), np.arange(seen.shape[0], dtype=np.float32)
                )
                mask = cv2.remap(mask, x + moved[..., 0], y + moved[..., 1], cv2.INTER_NEAREST)
                deep = distances(mask)
                states = np.where(deep > 0, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
                states[deep > 8], states[deep < -8] = cv2.GC_FGD, cv2.GC_BGD
                if (states & 1).any():
                    x0, y0, wide, high = cv2.boundingRect((deep > -20).astype(np.uint8))
                    about = np.s_[y0 : y0 + high, x0 : x0 + wide]
                    part = np.ascontiguousarray(states[about])
                    cv2.grabCut(
                        np.ascontiguousarray(seen[about]),
                        part,
                        None,
                        np.zeros((1, 65)),
                        np.zeros((1, 65)),
                        2,
                        cv2.GC_INIT_WITH_MASK,
                    )
                    mask = np.zeros_like(mask)
                    mask[about] = part & 1
            found[frame], before = mask.astype(np.float32), seen
    return found


def cutting_rows(films: Path, trace_of: TraceOf) -> list[Row]:
    """Drawn and photographed subjects, from one box, after two strokes, and the plain way beside them."""
    rows = []
    for kind, subjects in (("drawn", drawn_subjects()), ("photographs with depth", photographed_subjects(films))):
        boxed, stroked, plain, names = [], [], [], []
        for subject in subjects:
            with tempfile.TemporaryDirectory() as folder:
                cutter = Cutter(subject, trace_of, Shelf(Path(folder)))
                boxed.append(cutter.judged())
                plain.append(cutter.plain())
                stroked.append(cutter.corrected())
            names.append(subject.name)
        rows += [
            _row(f"cut-out, {kind}, from one box: error; IoU, mean (worst)", (0.02, 0.95), boxed),
            _row("the same after two strokes", (0.01, 0.97), stroked),
            _row("the plain way, from the box", None, plain),
        ]
        ahead = [
            name for name, ours, theirs in zip(names, boxed, plain, strict=True) if theirs.union > ours.union + 0.005
        ]
        rows.append(Row("the plain way ahead", "nowhere", ", ".join(ahead) or "nowhere", not ahead))
        each = ", ".join(f"{name} {got.union:.2f}" for name, got in zip(names, boxed, strict=True))
        rows.append(Row("each one's IoU from the box", "", each))
        seconds = float(np.mean([got.seconds for got in boxed]))
        rows.append(Row("a frame takes", "333 ms", f"{seconds * 1e3:.0f} ms", seconds <= 1 / 3))
    return rows


def _row(name: str, aim: tuple[float, float] | None, found: list[Judged]) -> Row:
    error, union = (float(np.mean([getattr(each, of) for each in found])) for of in ("error", "union"))
    worst = min(each.union for each in found)
    words = f"{error:.4f}; {union:.3f} ({worst:.2f})"
    if aim is None:
        return Row(name, "", words)
    return Row(name, f"{aim[0]}; {aim[1]}", words, error <= aim[0] and union >= aim[1])
