"""The frames of a take at the size at which a subject is cut out: near ones stay in memory, read block by block."""

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import apply, translation

Rgb = NDArray[np.uint8]
Matrix = NDArray[np.float64]
Mask = NDArray[np.uint8]
Read = Callable[[int], Rgb]

_BLOCK = 24
_MOST_BLOCKS = 5
_LONGEST, _WIDEST = 200.0, 960.0
"""A subject is at most so long while it is cut out, and the picture so wide: pixels."""


@dataclass(frozen=True)
class Part:
    """A part of a picture: `left`, `top`, and where it ends."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def size(self) -> tuple[int, int]:
        return self.right - self.left, self.bottom - self.top

    @property
    def at(self) -> tuple[slice, slice]:
        return slice(self.top, self.bottom), slice(self.left, self.right)

    @property
    def from_whole(self) -> Matrix:
        return translation(-self.left, -self.top)


class Window:
    """Frames at working size, and how the camera moved between them there.

    `read`: a frame in its own size, (h, w, 3) RGB; `chain` (frames, 3, 3): from the first frame to each, in pixels of
    that size. Holds five blocks of 24 frames, under 200 MB.
    """

    def __init__(self, read: Read, chain: Matrix, source_size: tuple[int, int], subject_px: float) -> None:
        self._read = read
        self.frames = len(chain)
        self.source_size = source_size
        self.scale = min(1.0, _LONGEST / max(1.0, subject_px), _WIDEST / source_size[0])
        self.size = max(8, round(source_size[0] * self.scale)), max(8, round(source_size[1] * self.scale))
        per = np.array(self.size) / source_size
        self.from_source = np.array([[per[0], 0, (per[0] - 1) / 2], [0, per[1], (per[1] - 1) / 2], [0, 0, 1.0]])
        self._chain = self.from_source @ chain @ np.linalg.inv(self.from_source)
        self._blocks: OrderedDict[int, list[Rgb]] = OrderedDict()
        self._whole = np.full((self.size[1], self.size[0]), 255, np.uint8)

    def rgb(self, frame: int) -> Rgb:
        """(h, w, 3) a frame at working size."""
        block = frame // _BLOCK
        if block not in self._blocks:
            first = block * _BLOCK
            shown = [self.small(self._read(k)) for k in range(first, min(first + _BLOCK, self.frames))]
            self._blocks[block] = shown
            while len(self._blocks) > _MOST_BLOCKS:
                self._blocks.popitem(last=False)
        self._blocks.move_to_end(block)
        return self._blocks[block][frame % _BLOCK]

    def way(self, before: int, after: int) -> Matrix:
        """The map of the background from one frame to another, at working size."""
        return np.asarray(self._chain[after] @ np.linalg.inv(self._chain[before]))

    def carried(self, place: NDArray[np.float64], before: int, after: int) -> NDArray[np.float64]:
        """Where the background's (x, y) of one frame is in another, at working size."""
        return np.asarray(apply(self.way(before, after), place[None])[0])

    def brought(self, frame: int, to: int, part: Part, by: Matrix | None = None) -> Rgb:
        """A part of `to` as another frame saw it, brought there by the camera's motion, and then `by` a map."""
        way = part.from_whole @ self.way(frame, to)
        return np.asarray(cv2.warpPerspective(self.rgb(frame), way if by is None else by @ way, part.size))

    def seen(self, frame: int, to: int, part: Part, hidden: Mask | None) -> NDArray[np.bool_]:
        """(h, w): where another frame saw what lies behind a part, and nothing `hidden` stood before it."""
        way = part.from_whole @ self.way(frame, to)
        there = self._whole if hidden is None else np.where(hidden > 0, np.uint8(0), np.uint8(255))
        return np.asarray(cv2.warpPerspective(there, way, part.size, flags=cv2.INTER_NEAREST)) > 0

    def places(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Places (n, 2) of the take's picture at working size."""
        return np.asarray(apply(self.from_source, places))

    def about(self, mask: Mask, margin: float, least: int) -> Part:
        """The part about a mask that is not empty: its length times `margin` more on every side, or `least` pixels."""
        left, top, wide, high = cv2.boundingRect(mask)
        more = max(least, int(margin * max(wide, high)))
        width, height = self.size
        return Part(
            max(0, left - more), max(0, top - more), min(width, left + wide + more), min(height, top + high + more)
        )

    def small(self, rgb: Rgb) -> Rgb:
        """A frame of the take's own size at working size."""
        if rgb.shape[1::-1] == self.size:
            return rgb
        return np.asarray(cv2.resize(rgb, self.size, interpolation=cv2.INTER_AREA))
