"""Real films out of packages: nobody knows how their cameras moved, so points that nobody used say how still they get.

The films are fetched by `tools/real_films.sh`; what is not there is left out. Points are corners of their own, followed
frame by frame on full pictures and back again, with a window and a bound that neither way of tracing uses.
"""

from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.depth.judging import about_cubic, shown_by
from bench.plain import plain_hold, plain_motions
from bench.rows import Row
from clevrin.core.document import Hold, Span
from clevrin.core.hold import held_path
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.geometry.models import apply, pixel_corners, summed_up
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.progress import Silent
from clevrin.core.shelf import Shelf

Numbers = NDArray[np.float64]

FILMS = ("realshort.mp4", "cockatoo.mp4", "cityCC0.mpg", "cup.mp4", "motion.mov", "diver.mov")
STANDING = "box.mp4"
"""Filmed from a stand, while a thing with much more on it than all else is moved by a hand."""
_MOST_FRAMES = 150
_LENGTH_S = 1.0
_MOST_POINTS = 300
_BACK_PX = 0.5
_WINDOW = (15, 15)
_KEEP = 0.8
_FEWEST = 8
_SIGMAS = (20.0, 14.0, 10.0, 7.0, 5.0, 3.5, 2.5, 1.8, 1.2, 0.6)
"""How much the plain way may smooth, in frames: as much as lets no edge be seen."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Followed:
    """Points that were followed through some frames from `first` on: (frames, n, 2) in px."""

    first: int
    places: Numbers


@dataclass(frozen=True, kw_only=True, eq=False)
class Judged:
    """What is left in one film: per frame by either way, and of what points do (median, worst tenth).

    `invented`: how far either way has gone at the corners, at most, in px.
    """

    ours: Numbers
    plain: Numbers
    confidence: Numbers
    left: dict[str, tuple[float, float]]
    invented: tuple[float, float]


def real_rows(folder: Path) -> list[Row]:
    """Every film that is there beside the plain way."""
    there = [folder / name for name in (*FILMS, STANDING) if (folder / name).exists()]
    if not there:
        return [Row("films that were fetched", "", "none: tools/real_films.sh brings them")]
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(judged, there))
    rows = []
    for path, each in zip(there, found, strict=True):
        rows += [_standing_row(path.stem, each)] if path.name == STANDING else _rows(path.stem, each)
    return rows


def _standing_row(name: str, found: Judged) -> Row:
    ours, plain = found.invented
    measured = f"{ours:.2f} px (plain {plain:.2f})"
    return Row(f"{name}, from a stand: motion that there was not, at the corners", "ahead", measured, ours <= plain)


def _rows(name: str, found: Judged) -> Iterator[Row]:
    if not len(found.ours):
        yield Row(f"{name}: points that could be followed by anything", "", "none")
        return
    ahead = float(np.mean(found.ours <= found.plain))
    ours, plain = float(np.median(found.ours)), float(np.median(found.plain))
    measured = f"{ours:.3f} px (plain {plain:.3f}), sure to {np.median(found.confidence):.2f}"
    yield Row(f"{name}: median of points from frame to frame", "ahead", measured, ours <= plain)
    yield Row(f"{name}: frames in which it is as near or nearer", "all", f"{ahead * 100:.0f} %")
    shot, held, plainly = (found.left[how] for how in ("shot", "ours", "plain"))
    for at, what in enumerate(("median", "worst tenth")):
        measured = f"{held[at]:.2f} px (plain {plainly[at]:.2f})"
        yield Row(
            f"{name}, floated: what points still do of {shot[at]:.2f} px, {what}",
            "ahead",
            measured,
            held[at] <= plainly[at],
        )


def judged(path: Path) -> Judged:
    """A film, traced and floated by either way."""
    trace = trace_take(TraceRequest(path=path, fresh=True), Shelf(path.parent / "shelf"), Silent())
    plain = plain_motions(path)
    frames = min(trace.frames, _MOST_FRAMES)
    followed = list(points_of(path, frames, round(_LENGTH_S * float(trace.rate))))
    held = held_path(trace, Span(first=0, end=frames), Hold(how="float", keep=_KEEP))
    size = trace.width, trace.height
    gates = np.tile(np.eye(3), (frames, 1, 1)) if held is None else held.gates(Span(first=0, end=frames))
    steps = [_steps(followed, motions, frames) for motions in (trace.motions, plain)]
    known = np.isfinite(steps[0])
    return Judged(
        ours=steps[0][known],
        plain=steps[1][known],
        confidence=trace.confidence[:frames][known],
        left={
            "shot": _left(followed, np.tile(np.eye(3), (frames, 1, 1))),
            "ours": _left(followed, gates),
            "plain": _left(followed, _plainly_held(plain[:frames], size)),
        },
        invented=(_invented(trace.motions[:frames], size), _invented(plain[:frames], size)),
    )


def _invented(motions: Numbers, size: tuple[int, int]) -> float:
    corners = pixel_corners(*size)
    return max(float(np.hypot(*(apply(course, corners) - corners).T).max()) for course in summed_up(motions))


def _plainly_held(motions: Numbers, size: tuple[int, int]) -> Numbers:
    corners = pixel_corners(*size)
    for sigma in _SIGMAS:
        gates = plain_hold(motions, size, sigma, _KEEP)
        seen = np.array([apply(gate, corners) for gate in gates])
        if (seen > -1).all() and (seen < np.array(size)).all():
            return gates
    return plain_hold(motions, size, 0.01, _KEEP)


def points_of(path: Path, frames: int, length: int) -> Iterator[Followed]:
    """Points through so many frames, from a new start every half of that."""
    with FilmReader(path) as reader:
        pictures = [reader.read_luma(frame).astype(np.uint8) for frame in range(frames)]
    length = min(frames, length)
    for first in range(0, frames - length + 1, max(1, length // 2)):
        corners = cv2.goodFeaturesToTrack(pictures[first], _MOST_POINTS, 0.005, 12, blockSize=5)
        if corners is None:
            continue
        course, there = [corners[:, 0]], np.ones(len(corners), bool)
        for frame in range(first + 1, first + length):
            onward, there_now = _followed(pictures[frame - 1], pictures[frame], course[-1])
            course.append(onward)
            there &= there_now
        if there.sum() >= _FEWEST:
            yield Followed(first=first, places=np.array(course, np.float64)[:, there])


def _followed(
    before: NDArray[np.uint8], after: NDArray[np.uint8], places: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    onward, found, _ = cv2.calcOpticalFlowPyrLK(before, after, places[:, None], None, winSize=_WINDOW, maxLevel=4)
    back, again, _ = cv2.calcOpticalFlowPyrLK(after, before, onward, None, winSize=_WINDOW, maxLevel=4)
    near = np.hypot(*(back[:, 0] - places).T) < _BACK_PX
    return onward[:, 0], (found[:, 0] == 1) & (again[:, 0] == 1) & near


def _steps(followed: list[Followed], motions: Numbers, frames: int) -> Numbers:
    """(frames,): how far points are, in the middle of all of them, from where a motion takes them; NaN: not known."""
    off: list[list[Numbers]] = [[] for _ in range(frames)]
    for each in followed:
        for k in range(1, len(each.places)):
            frame = each.first + k
            off[frame].append(np.hypot(*(apply(motions[frame], each.places[k - 1]) - each.places[k]).T))
    return np.array([np.median(np.concatenate(each)) if each else np.nan for each in off])


def _left(followed: list[Followed], src_from_out: Numbers) -> tuple[float, float]:
    """What points do about a cubic in pictures held by maps (frames, 3, 3): median and worst tenth, px."""
    if not followed:
        return np.nan, np.nan
    spans = (src_from_out[each.first : each.first + len(each.places)] for each in followed)
    rest = [about_cubic(shown_by(maps, each.places)) for maps, each in zip(spans, followed, strict=True)]
    every = np.concatenate(rest)
    return float(np.median(every)), float(np.quantile(every, 0.9))
