"""Where a subject is on the frames of a take, cut out already or about where it is expected: a few kB a frame."""

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.matte.cutting.edges import distances
from clevrin.core.matte.cutting.window import Mask
from clevrin.core.motion.geometry.models import translation

FEWEST_PX = 20
"""What covers less is lost."""
_WIDER_PX, _ABOUT_PX = 7, 4.0


class Masks:
    """Masks (h, w) of 0 and 1 by their frames, kept as bits of the part that they cover."""

    def __init__(self, size: tuple[int, int]) -> None:
        self.size = size
        self._kept: dict[int, tuple[tuple[int, int, int, int], NDArray[np.uint8]]] = {}

    def __contains__(self, frame: int) -> bool:
        return frame in self._kept

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
        self._expected: dict[int, tuple[float, ...]] = {}

    def expect(self, frame: int, middle: NDArray[np.float64], half: NDArray[np.float64]) -> None:
        """Says about where the subject will be on a frame: the middle of it, and half its size (x, y)."""
        self._expected[frame] = *(middle - half - _ABOUT_PX), *(middle + half + _ABOUT_PX)

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


def box_of(mask: Mask) -> NDArray[np.float64] | None:
    """The corners of what a mask covers: (2, 2); None where that is next to nothing."""
    if mask.sum() < FEWEST_PX:
        return None
    x, y, wide, high = cv2.boundingRect(mask)
    return np.array([[x, y], [x + wide, y + high]], np.float64)


def between(nearer: Mask, other: Mask, share: float) -> Mask:
    """Between two masks of a frame, by the distances to their edges: `share` of the other one."""
    if not nearer.any() or not other.any():
        return nearer if share < 0.5 else other
    return ((1 - share) * distances(nearer) + share * distances(other) > 0).astype(np.uint8)


def shifted(mask: Mask, by: NDArray[np.float64]) -> Mask:
    """A mask moved by (x, y) pixels."""
    move = translation(by[0], by[1])
    return np.asarray(cv2.warpPerspective(mask, move, mask.shape[::-1], flags=cv2.INTER_NEAREST))


def as_bits(masks: list[Mask]) -> dict[str, NDArray]:
    """Masks of one size as the shelf keeps them."""
    return {"bits": np.packbits(np.array(masks, np.uint8), axis=None)}


def from_bits(stored: dict[str, NDArray] | None, count: int, size: tuple[int, int]) -> list[Mask] | None:
    """The masks that were kept; None where they are not there, or damaged."""
    cells = count * size[0] * size[1]
    if stored is None or "bits" not in stored or len(stored["bits"]) != -(-cells // 8):
        return None
    return list(np.unpackbits(stored["bits"], count=cells).reshape(count, size[1], size[0]))
