"""What passes before the lens, looked at for a cut: where it covers all of the picture, and how fast its edge is.

Under full cover nothing of the place behind is seen: there two shots can be cut unseen.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from itertools import groupby, pairwise
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.matte.colours import lab_of
from clevrin.core.media.picture import Picture, shrunk
from clevrin.core.progress import Progress, step

Cover = NDArray[np.float32]
CoverOf = Callable[[int], Cover]
"""(h, w) 0 to 1: how an area covers a frame."""
Why = Literal["by the area", "dark", "of one colour"]
Lab = tuple[float, float, float]

_SMALL = (64, 36)
_ALL = 0.985
"""Of the picture; soft edges do not quite cover its rim."""
_DARK_L, _BRIGHTEST, _SPREAD = 12.0, 97.0, 5.0
"""Dark: all but 3 % of it under this lightness. Of one colour: so far from its mean, in CIELAB, one deviation."""
_ONE_SIDED, _ALIKE_DE, _FAR_FRAMES = 1.0, 20.0, 60.0
"""What makes a pair worse by one: one side that is not covered, colours so far apart, so many frames from the cut."""
_FAST_SHARE = 92.0
_LEAST_EDGE = 12


@dataclass(frozen=True, kw_only=True)
class Covered:
    """A stretch of frames on which all of the picture is covered, and the mean colour there (CIELAB)."""

    first: int
    end: int
    why: Why
    lab: Lab

    @property
    def middle(self) -> int:
        return (self.first + self.end - 1) // 2

    @property
    def words(self) -> str:
        frames = f"frame {self.first}" if self.end - self.first == 1 else f"frames {self.first} to {self.end - 1}"
        return f"{frames}, {self.why}"


@dataclass(frozen=True, kw_only=True)
class CutUnderCover:
    """Where two shots can be cut unseen: in a stretch of the outgoing one, of the incoming one, or of both."""

    outgoing: Covered | None
    incoming: Covered | None
    cost: float


def covered_stretches(
    frames: Iterable[int], picture_of: Callable[[int], Picture], cover_of: CoverOf | None, progress: Progress
) -> tuple[Covered, ...]:
    """The stretches of a row of frames that are covered: by an area, or by what is dark or of one colour.

    Frames are counted in their order; costs reading them, and 1 ms each.
    """
    row = list(frames)
    seen: list[tuple[int, Why | None, Lab]] = []
    for number, frame in enumerate(row):
        labs = lab_of(shrunk(picture_of(frame), _SMALL)).reshape(-1, 3)
        mean = labs.mean(axis=0)
        lab = float(mean[0]), float(mean[1]), float(mean[2])
        seen.append((frame, _why(labs, None if cover_of is None else cover_of(frame)), lab))
        step(progress, number + 1, len(row))
    found = []
    for why, each in groupby(seen, key=lambda one: one[1]):
        some = list(each)
        if why is not None:
            middle = some[len(some) // 2]
            found.append(Covered(first=some[0][0], end=some[-1][0] + 1, why=why, lab=middle[2]))
    return tuple(found)


def _why(labs: NDArray[np.float32], cover: Cover | None) -> Why | None:
    if cover is not None and float(cover.mean()) >= _ALL:
        return "by the area"
    if float(np.percentile(labs[:, 0], _BRIGHTEST)) <= _DARK_L:
        return "dark"
    if float(np.sqrt(labs.var(axis=0).sum())) <= _SPREAD:
        return "of one colour"
    return None


def cuts_under_cover(
    before: tuple[Covered, ...], after: tuple[Covered, ...], cut: tuple[int, int]
) -> tuple[CutUnderCover, ...]:
    """Where to cut, the best first: covered on both sides and alike in colour, and near to where the cut is now.

    `cut`: the last frame of the outgoing take that is shown, and the first one of the incoming take.
    """
    found = []
    for own in (*before, None):
        for other in (*after, None):
            if own is None and other is None:
                continue
            cost = 0.0 if own is not None and other is not None else _ONE_SIDED
            if own is not None and other is not None:
                cost += float(np.linalg.norm(np.subtract(own.lab, other.lab))) / _ALIKE_DE
            for each, frame in ((own, cut[0]), (other, cut[1])):
                if each is not None:
                    cost += abs(each.middle - frame) / _FAR_FRAMES
            found.append(CutUnderCover(outgoing=own, incoming=other, cost=cost))
    return tuple(sorted(found, key=lambda each: each.cost))


def edge_speed(cover_of: CoverOf, frames: Iterable[int], rate: float) -> float | None:
    """How fast the edge of an area goes over the picture, in widths a second; None where none is seen to go.

    On each frame the quicker part of the edge is looked at: where what passes is drawn along itself, as at its sides,
    its outline stands still. Costs 1 ms a frame beside the covers.
    """
    covers = [cover_of(frame) > 0.5 for frame in frames]
    steps = [each for before, after in pairwise(covers) if (each := _edge_step(before, after)) is not None]
    if not steps:
        return None
    return float(np.median(steps)) / covers[0].shape[1] * rate


def _edge_step(before: NDArray[np.bool_], after: NDArray[np.bool_]) -> float | None:
    """How far the edge of a mask went, in its pixels; None where too little of it is seen."""
    edges = [_edge(each) for each in (before, after)]
    if min(int(each.sum()) for each in edges) < _LEAST_EDGE:
        return None
    away = cv2.distanceTransform((~edges[1]).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return float(np.percentile(away[edges[0]], _FAST_SHARE))


def _edge(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The pixels along the edge of a mask, but for the picture's own rim."""
    inner = cv2.erode(mask.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=1).astype(bool)
    found: NDArray[np.bool_] = mask & ~inner
    return found
