"""One picture as its planes: luma at full size and two chroma planes at half size, 8 or 16 bit.

Inside Clevrin luma and chroma have limited range, by the matrix that belongs to their primaries, and 4:2:0 chroma;
the reader brings all pictures to that without changing a colour. 16 bit planes hold the code values of 8 bit times
256: ten bits of a film are ten bits of them.
"""

from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.colour import BT709, Colour

Plane = NDArray[Any]
"""uint8 or uint16."""
Siting = tuple[float, float]
LEFT: Siting = (0.0, 0.5)
"""Where H.264, HEVC and MPEG-2 place chroma unless they say otherwise."""
CENTRE: Siting = (0.5, 0.5)
TOP_LEFT: Siting = (0.0, 0.0)


@dataclass(frozen=True, kw_only=True)
class Picture:
    """Planes of one frame: `y` (h, w), `u` and `v` (ceil(h/2), ceil(w/2)); all uint8 or all uint16, read-only.

    Chroma sample c stands at luma place 2c + `siting` (x, y). `alpha` (h, w) says how much of each pixel is there
    (all bits set: all of it), with colours that are not multiplied by it; None: all of all. `colour` says what the
    values mean.
    """

    y: Plane
    u: Plane
    v: Plane
    alpha: Plane | None = None
    siting: Siting = LEFT
    colour: Colour = BT709

    def __post_init__(self) -> None:
        for plane in (self.y, self.u, self.v, self.alpha):
            if plane is not None:
                plane.flags.writeable = False

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.y.shape[1], self.y.shape[0]

    @property
    def planes(self) -> tuple[Plane, Plane, Plane]:
        return self.y, self.u, self.v

    @property
    def deep(self) -> bool:
        """Whether its planes have 16 bit."""
        return self.y.dtype == np.uint16

    def deepened(self) -> "Picture":
        """The same in 16 bit."""
        if self.deep:
            return self
        y, u, v = (plane.astype(np.uint16) << 8 for plane in self.planes)
        alpha = None if self.alpha is None else self.alpha.astype(np.uint16) * 257
        return replace(self, y=y, u=u, v=v, alpha=alpha)


def shrunk(picture: Picture, size: tuple[int, int]) -> Picture:
    """A picture averaged to a smaller width and height, all of it there."""
    halves = (size[0] + 1) // 2, (size[1] + 1) // 2
    planes = zip(picture.planes, (size, halves, halves), strict=True)
    y, u, v = (cv2.resize(plane, each, interpolation=cv2.INTER_AREA) for plane, each in planes)
    return replace(picture, y=y, u=u, v=v, alpha=None)


def empty_picture(size: tuple[int, int], colour: Colour, *, deep: bool) -> Picture:
    """A picture of a width and height for others to write over: what is in it is left from something else."""
    half, kind = ((size[1] + 1) // 2, (size[0] + 1) // 2), np.uint16 if deep else np.uint8
    return Picture(y=np.empty(size[::-1], kind), u=np.empty(half, kind), v=np.empty(half, kind), colour=colour)


def black(size: tuple[int, int], colour: Colour = BT709, *, deep: bool = False) -> Picture:
    """A black picture of a width and height."""
    half = (size[1] + 1) // 2, (size[0] + 1) // 2
    kind, by = (np.uint16, 256) if deep else (np.uint8, 1)
    y, u, v = (
        np.full(shape, value * by, kind) for shape, value in zip((size[::-1], half, half), (16, 128, 128), strict=True)
    )
    return Picture(y=y, u=u, v=v, colour=colour)


_WEIGHTS = {
    "bt601": (0.299, 0.114),
    "bt709": (0.2126, 0.0722),
    "bt2020": (0.2627, 0.0593),
    "smpte240m": (0.212, 0.087),
    "fcc": (0.30, 0.11),
}
"""Shares of red and blue in luma (ITU-T H.273)."""


def rgb_from_yuv(matrix: str) -> NDArray[np.float64]:
    """3x3: R, G, B (0 to 1) from luma (0 to 1) and chroma (-0.5 to 0.5)."""
    red, blue = _WEIGHTS[matrix]
    green = 1 - red - blue
    to_v, to_u = 2 * (1 - red), 2 * (1 - blue)
    return np.array([[1, 0, to_v], [1, -blue * to_u / green, -red * to_v / green], [1, to_u, 0]])


@cache
def affine_rgb(matrix: str, *, deep: bool = False) -> NDArray[np.float64]:
    """3x4: R, G, B of 0 to 255 from the code values of limited range, of 16 bits where they are `deep`."""
    by = 256 if deep else 1
    scaled = rgb_from_yuv(matrix) @ np.diag([255 / 219, 255 / 224, 255 / 224])
    return np.column_stack([scaled / by, -scaled @ (16, 128, 128)])


_AFFINE_YUV = np.column_stack([np.linalg.inv(affine_rgb("bt709")[:, :3]), [16.0, 128.0, 128.0]]).astype(np.float32)

_CHECK_PX = 8
_CHECK_GREYS = (52, 70)


def rgb_from_picture(picture: Picture) -> NDArray[np.uint8]:
    """Packed RGB (h, w, 3) uint8 by the picture's matrix; brings no other colours into those of BT.709."""
    return _packed_rgb(picture, affine_rgb(picture.colour.matrix, deep=picture.deep))


def bgra_from_picture(picture: Picture) -> NDArray[np.uint8]:
    """Packed BGRA (h, w, 4) uint8 with alpha 255: the memory order of a 32-bit image on this machine.

    What is not there is shown as fine checks.
    """
    # Two steps: OpenCV 5.0 takes 17 ms for a transform to four channels at 960x540, 0.4 ms for one to three.
    bgr = _packed_rgb(picture, affine_rgb(picture.colour.matrix, deep=picture.deep)[::-1])
    if picture.alpha is not None:
        there = picture.alpha.astype(np.float32) / (65535 if picture.deep else 255)
        bgr = cv2.blendLinear(bgr, _checks(*picture.size), there, 1 - there)
    return cv2.cvtColor(bgr, cv2.COLOR_BGR2BGRA)


def _packed_rgb(picture: Picture, affine: NDArray[np.float64]) -> NDArray[np.uint8]:
    packed = yuv_of(picture)
    if not picture.deep:
        return cv2.transform(packed, affine.astype(np.float32))
    return cv2.convertScaleAbs(cv2.max(cv2.transform(packed.astype(np.float32), affine.astype(np.float32)), 0))


def yuv_of(picture: Picture) -> Plane:
    """Packed code values (h, w, 3), chroma brought to the size of luma."""
    return cv2.merge([picture.y, *(risen(plane, picture.siting, picture.size) for plane in (picture.u, picture.v))])


def _checks(width: int, height: int) -> NDArray[np.uint8]:
    """Two greys in turn, (h, w, 3)."""
    dark = (np.arange(height)[:, None] // _CHECK_PX + np.arange(width) // _CHECK_PX) % 2 == 0
    return np.repeat(np.where(dark, *_CHECK_GREYS).astype(np.uint8)[..., None], 3, axis=2)


def picture_from_rgb(rgb: Plane) -> Picture:
    """Planes from packed RGB (h, w, 3), uint8 or uint16 (0 to 65535), in the colours of BT.709."""
    if rgb.dtype == np.uint16:
        affine = _AFFINE_YUV.copy()
        affine[:, 3] *= 256
        affine[:, :3] *= 256 / 257
        return picture_from_yuv(_rounded(cv2.transform(rgb.astype(np.float32), affine)))
    return picture_from_yuv(cv2.transform(rgb, _AFFINE_YUV))


def picture_from_yuv(packed: Plane, colour: Colour = BT709) -> Picture:
    """A picture of packed code values (h, w, 3); chroma is averaged down to its place at the left of two pixels."""
    y, u, v = cv2.split(packed)
    return Picture(y=y, u=sunk(u), v=sunk(v), colour=colour)


def _rounded(values: NDArray[np.float32]) -> NDArray[np.uint16]:
    return np.clip(values + 0.5, 0, 65535).astype(np.uint16)


def sunk(plane: Plane) -> Plane:
    """A plane of any size at half of it, its samples at the left of two columns, between two rows."""
    height, width = plane.shape
    # Widths of 1, 2, 1 about every second column: what stands between two samples counts half for each.
    across = cv2.sepFilter2D(plane, -1, np.array([0.25, 0.5, 0.25]), np.ones(1), borderType=cv2.BORDER_REFLECT_101)
    across = np.ascontiguousarray(across[:, ::2])
    if height % 2:
        across = cv2.copyMakeBorder(across, 0, 1, 0, 0, cv2.BORDER_REPLICATE)
    size = ((width + 1) // 2, (height + 1) // 2)
    return cv2.resize(across, size, interpolation=cv2.INTER_AREA)


def risen(plane: Plane, siting: Siting, size: tuple[int, int]) -> Plane:
    """A chroma plane at the size of luma (width, height), by linear interpolation from where its samples stand."""
    wide = _doubled(plane, siting[0])
    tall = _doubled(wide.T, siting[1]).T if siting[1] != 0.5 else _doubled_rows(wide)
    return np.ascontiguousarray(tall[: size[1], : size[0]])


def _doubled(plane: Plane, offset: float) -> Plane:
    """Twice the columns; a sample stands at column 2c + `offset` (0, 0.5 or 1) of the new ones."""
    plane = np.ascontiguousarray(plane)
    if offset == 0.5:
        return cv2.resize(plane, None, fx=2, fy=1, interpolation=cv2.INTER_LINEAR)
    height, width = plane.shape
    last = plane[:, -1:] if offset == 0 else plane[:, :1]
    beside = np.hstack([plane[:, 1:], last]) if offset == 0 else np.hstack([last, plane[:, :-1]])
    between = cv2.addWeighted(plane, 0.5, beside, 0.5, 0)
    pair = [plane, between] if offset == 0 else [between, plane]
    return cv2.merge(pair).reshape(height, 2 * width)


def _doubled_rows(plane: Plane) -> Plane:
    return cv2.resize(plane, None, fx=1, fy=2, interpolation=cv2.INTER_LINEAR)
