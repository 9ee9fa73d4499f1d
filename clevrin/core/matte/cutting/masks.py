"""Where a subject is on the frames of a take, cut out already or about where it is expected: a few kB a frame."""

from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.matte.cutting.window import Mask

_WIDER_PX = 7


class Masks:
    """Masks (h, w) of 0 and 1 by their frames, kept as bits of the part that they cover."""

    def __init__(self, size: tuple[int, int]) -> None:
        self.size = size
        self._kept: dict[int, tuple[tuple[int, int, int, int], NDArray[np.uint8]]] = {}

    def __contains__(self, frame: int) -> bool:
        return frame in self._kept

    def __iter__(self) -> Iterator[int]:
        return iter(self._kept)

    def __setitem__(self, frame: int, mask: Mask) -> None:
        x, y, wide, high = cv2.boundingRect(mask)
        self._kept[frame] = (x, y, wide, high), np.packbits(mask[y : y + high, x : x + wide])

    def get(self, frame: int) -> Mask | None:
        """The mask of a frame; None where nothing is known of it."""
        found = self._kept.get(frame)
        if found is None:
            return None
        (x, y, wide, high), bits = found
        mask = np.zeros(self.size[::-1], np.uint8)
        mask[y : y + high, x : x + wide] = np.unpackbits(bits, count=wide * high).reshape(high, wide)
        return mask

    def drop(self, frame: int) -> None:
        self._kept.pop(frame, None)

    def copy(self) -> "Masks":
        made = Masks(self.size)
        made._kept.update(self._kept)
        return made


class Hidden:
    """What of each frame the subject hides: its mask, widened, or a box about where it is expected."""

    def __init__(self, masks: Masks) -> None:
        self._masks = masks
        self._expected: dict[int, tuple[float, float, float, float]] = {}

    def expect(self, frame: int, box: tuple[float, float, float, float]) -> None:
        """Says about where the subject will be on a frame: left, top, right, bottom."""
        self._expected[frame] = box

    def get(self, frame: int) -> Mask | None:
        mask = self._masks.get(frame)
        if mask is not None:
            return np.asarray(cv2.dilate(mask, np.ones((_WIDER_PX, _WIDER_PX), np.uint8)))
        box = self._expected.get(frame)
        if box is None:
            return None
        hidden = np.zeros(self._masks.size[::-1], np.uint8)
        left, top, right, bottom = (round(each) for each in box)
        hidden[max(0, top) : max(0, bottom), max(0, left) : max(0, right)] = 1
        return hidden
