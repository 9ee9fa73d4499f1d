"""One picture as its planes: luma at full size and two chroma planes at half size, 8 bit.

All pictures inside Clevrin are BT.709 with limited range and 4:2:0 chroma; the reader converts what is not.
Chroma samples sit midway between luma samples (as MPEG-1 and JPEG place them); the quarter pixel by which
H.264 usually shifts them to the left is below what can be seen and is not followed.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.uint8]


@dataclass(frozen=True, kw_only=True)
class Picture:
    """Planes of one frame: `y` (h, w), `u` and `v` (ceil(h/2), ceil(w/2)); uint8, read-only."""

    y: Plane
    u: Plane
    v: Plane

    def __post_init__(self) -> None:
        for plane in (self.y, self.u, self.v):
            plane.flags.writeable = False

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.y.shape[1], self.y.shape[0]

    @property
    def planes(self) -> tuple[Plane, Plane, Plane]:
        return self.y, self.u, self.v


# BT.709, limited range: RGB = gain * (Y - 16) + weights * (U - 128, V - 128). In OpenCV's `transform` as one
# affine map on packed YUV.
_GAIN = 255 / 219
_RGB_FROM_YUV = np.array(
    [
        [_GAIN, 0, 1.5748 * 255 / 224],
        [_GAIN, -0.1873 * 255 / 224, -0.4681 * 255 / 224],
        [_GAIN, 1.8556 * 255 / 224, 0],
    ]
)
_RGB_OFFSET = -_RGB_FROM_YUV @ np.array([16.0, 128.0, 128.0])
_YUV_FROM_RGB = np.linalg.inv(_RGB_FROM_YUV)
_AFFINE_RGB = np.column_stack([_RGB_FROM_YUV, _RGB_OFFSET]).astype(np.float32)
_AFFINE_BGR = np.ascontiguousarray(_AFFINE_RGB[::-1])
_AFFINE_YUV = np.column_stack([_YUV_FROM_RGB, [16.0, 128.0, 128.0]]).astype(np.float32)


def rgb_from_picture(picture: Picture) -> NDArray[np.uint8]:
    """Packed RGB (h, w, 3) uint8."""
    return cv2.transform(_packed(picture), _AFFINE_RGB)


def bgra_from_picture(picture: Picture) -> NDArray[np.uint8]:
    """Packed BGRA (h, w, 4) uint8 with alpha 255: the memory order of a 32-bit image on this machine."""
    # Two steps: OpenCV 5.0 takes 17 ms for a transform to four channels at 960x540, 0.4 ms for one to three.
    return cv2.cvtColor(cv2.transform(_packed(picture), _AFFINE_BGR), cv2.COLOR_BGR2BGRA)


def picture_from_rgb(rgb: NDArray[np.uint8]) -> Picture:
    """Planes from packed RGB (h, w, 3) uint8; chroma is averaged over 2x2 pixels."""
    yuv = cv2.transform(rgb, _AFFINE_YUV)
    height, width = rgb.shape[:2]
    half = ((width + 1) // 2, (height + 1) // 2)
    y, u, v = cv2.split(yuv)
    u, v = (cv2.resize(plane, half, interpolation=cv2.INTER_AREA) for plane in (u, v))
    return Picture(y=y, u=u, v=v)


def _packed(picture: Picture) -> NDArray[np.uint8]:
    width, height = picture.size
    u, v = (_doubled(plane)[:height, :width] for plane in (picture.u, picture.v))
    return cv2.merge([picture.y, u, v])


def _doubled(plane: Plane) -> Plane:
    return cv2.resize(plane, None, fx=2, fy=2, interpolation=cv2.INTER_LINEAR)
