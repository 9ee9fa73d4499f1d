"""What moves by itself in a take: corners that do not go with the background, grouped over picture and time."""

from collections.abc import Callable
from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.measuring.vectors import Vectors
from clevrin.core.motion.trace.trace import Trace

Numbers = NDArray[np.float64]
Box = tuple[float, float, float, float]
"""Left, top, right, bottom in pixels of the upright picture."""

_LOOKED_AT = 150
"""So many frames of a span are looked at, at most."""
_CELLS_ACROSS = 32
_LEAST_SHARE, _SIGMAS = 0.0006, 4.0
"""Corners move by themselves from this share of the width a frame on, and from so many of the trace's deviations."""
_FEWEST = 3
_SHORTEST_S = 0.5
_GONE_S = 0.6
"""After so long without being seen a mover is over."""
_NEAR = 0.75
_BLURRED_PX = 4.0
_PARALLAX = 0.6
"""What of a mover's motion the camera's explains, from which on it is thought to stand still, nearer than the rest."""
_MOST = 6
_LARGEST, _WIDEST = 0.45, 0.7
"""Of the picture and its width: what covers more than this is no subject before a background."""


@dataclass(frozen=True, kw_only=True)
class Mover:
    """Something that moves by itself: from `first` to `last` (frames), and where it is best seen: `box` on `frame`.

    `middle` (x, y) of its corners there. `share`: how much of the picture it covers on the average.
    """

    first: int
    last: int
    frame: int
    box: Box
    middle: tuple[float, float]
    share: float


@dataclass(kw_only=True)
class _Path:
    """A mover while it is followed: its boxes by frame, how well it is seen in each, and both motions there."""

    frames: list[int] = field(default_factory=list)
    boxes: list[Numbers] = field(default_factory=list)
    blobs: list["_Blob"] = field(default_factory=list)
    worth: list[float] = field(default_factory=list)
    own: list[Numbers] = field(default_factory=list)
    camera: list[Numbers] = field(default_factory=list)

    def add(self, frame: int, blob: "_Blob", camera: Numbers, blur_px: float) -> None:
        self.frames.append(frame)
        self.boxes.append(blob.box)
        self.blobs.append(blob)
        self.worth.append(blob.count / (1 + blur_px / _BLURRED_PX))
        self.own.append(blob.motion)
        self.camera.append(camera)

    def expected(self, frame: int) -> Numbers:
        """Where its box should be at a frame, going on as it did."""
        shift = (self.own[-1] + self.camera[-1]) * (frame - self.frames[-1])
        return self.boxes[-1] + np.tile(shift, 2)


@dataclass(frozen=True, kw_only=True, eq=False)
class _Blob:
    box: Numbers
    count: int
    motion: Numbers
    middle: Numbers


def find_movers(trace: Trace, span: Span, vectors: Callable[[int], Vectors | None]) -> tuple[Mover, ...]:
    """What moves by itself in a span, largest and longest first; `vectors` gives what was tracked into a frame.

    Costs about a millisecond for each frame that is looked at, beside reading what was tracked. What stands still
    nearer to the camera moves the way that all of the picture does, only more: it is left out where that explains what
    it does.
    """
    step = max(1, span.frames // _LOOKED_AT)
    active: list[_Path] = []
    over: list[_Path] = []
    gone = max(2 * step, round(_GONE_S * float(trace.rate)))
    for frame in range(max(1, span.first), span.end, step):
        found = vectors(frame)
        if found is None:
            continue
        camera = trace.displacement_px[frame]
        for blob in _blobs(trace, frame, found):
            nearest = _nearest(active, blob, frame)
            if nearest is None:
                nearest = _Path()
                active.append(nearest)
            nearest.add(frame, blob, camera, float(trace.blur_px[frame]))
        over += [each for each in active if frame - each.frames[-1] > gone]
        active = [each for each in active if frame - each.frames[-1] <= gone]
    shortest = _SHORTEST_S * float(trace.rate)
    lasting = [each for each in (*over, *active) if each.frames[-1] - each.frames[0] >= shortest]
    movers = [_mover(each, trace.width, trace.height) for each in lasting]
    wanted = [each for each in movers if each is not None and each.share < _LARGEST]
    return tuple(sorted(wanted, key=lambda each: -each.share * (each.last - each.first + 1)))[:_MOST]


def _mover(path: _Path, width: int, height: int) -> Mover | None:
    if _explained(np.array(path.own), np.array(path.camera)) > _PARALLAX:
        return None
    best = int(np.argmax(path.worth))
    blob = path.blobs[best]
    boxes = np.array(path.boxes)
    if np.median(boxes[:, 2] - boxes[:, 0]) > _WIDEST * width:
        return None
    areas = (boxes[:, 2] - boxes[:, 0]) * (boxes[:, 3] - boxes[:, 1])
    left, top, right, bottom = (float(v) for v in path.boxes[best])
    return Mover(
        first=path.frames[0],
        last=path.frames[-1],
        frame=path.frames[best],
        box=(left, top, right, bottom),
        middle=(float(blob.middle[0]), float(blob.middle[1])),
        share=float(areas.mean() / (width * height)),
    )


def _explained(own: Numbers, camera: Numbers) -> float:
    """Which share of a mover's motion (n, 2) is the picture's (n, 2) once more.

    What a camera pans after moves against the picture, and is no such thing.
    """
    energy = float((camera**2).sum())
    total = float((own**2).sum())
    if energy < 1e-6 or total < 1e-9:
        return 0.0
    along = float((own * camera).sum())
    return along**2 / energy / total if along > 0 else 0.0


def _blobs(trace: Trace, frame: int, found: Vectors) -> list[_Blob]:
    """The groups of neighbouring corners of a frame that move by themselves."""
    size = np.array([trace.width, trace.height], np.float64)
    before, after = found.before * size - 0.5, found.after * size - 0.5
    if len(after) == 0:
        return []
    own = after - apply(trace.motions[frame], before)
    sigma = 0.0 if trace.sigma_px is None else float(np.nan_to_num(trace.sigma_px[frame, 1], posinf=1e3))
    least = max(_LEAST_SHARE * trace.width, _SIGMAS * sigma)
    moving = (np.hypot(*own.T) > least) & ~found.follows
    if moving.sum() < _FEWEST:
        return []
    cell = trace.width / _CELLS_ACROSS
    rows, columns = int(np.ceil(trace.height / cell)), _CELLS_ACROSS
    at = np.clip((after[moving] / cell).astype(int), 0, (columns - 1, rows - 1))
    mask = np.zeros((rows, columns), np.uint8)
    mask[at[:, 1], at[:, 0]] = 1
    # A person is taller than wide, and corners on one are few: what is a cell apart belongs together.
    count, labels = cv2.connectedComponents(cv2.dilate(mask, np.ones((3, 3), np.uint8)), connectivity=8)
    which = labels[at[:, 1], at[:, 0]]
    blobs = []
    for number in range(1, count):
        members = which == number
        if members.sum() < _FEWEST:
            continue
        places = after[moving][members]
        margin = cell / 2
        box = np.concatenate([places.min(axis=0) - margin, places.max(axis=0) + margin])
        box = np.clip(box, 0, np.tile(size - 1, 2))
        motion = np.median(own[moving][members], axis=0)
        middle = np.median(places, axis=0)
        blobs.append(_Blob(box=box, count=int(members.sum()), motion=motion, middle=middle))
    return blobs


def _nearest(paths: list[_Path], blob: _Blob, frame: int) -> _Path | None:
    """The mover that a blob goes on with: the nearest one that is about there."""
    best, least = None, _NEAR
    for path in paths:
        if path.frames[-1] >= frame:
            continue
        box = path.expected(frame)
        size = np.maximum(box[2:] - box[:2], blob.box[2:] - blob.box[:2])
        off = np.abs((box[:2] + box[2:]) / 2 - (blob.box[:2] + blob.box[2:]) / 2) / np.maximum(1.0, size)
        if off.max() < least:
            best, least = path, float(off.max())
    return best
