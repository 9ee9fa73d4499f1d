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
    """Planes of one frame: `y` (h, w), `u` and `v` (ceil(h/2), ceil(w/2)); uint8, read-only.

    `alpha` (h, w) says how much of each pixel is there (255: all of it), with colours that are not multiplied by it;
    None: all of all.
    """

    y: Plane
    u: Plane
    v: Plane
    alpha: Plane | None = None

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


_CHECK_PX = 8
_CHECK_GREYS = (52, 70)


def rgb_from_picture(picture: Picture) -> NDArray[np.uint8]:
    """Packed RGB (h, w, 3) uint8."""
    return cv2.transform(_packed(picture), _AFFINE_RGB)


def bgra_from_picture(picture: Picture) -> NDArray[np.uint8]:
    """Packed BGRA (h, w, 4) uint8 with alpha 255: the memory order of a 32-bit image on this machine.

    What is not there is shown as fine checks.
    """
    # Two steps: OpenCV 5.0 takes 17 ms for a transform to four channels at 960x540, 0.4 ms for one to three.
    bgr = cv2.transform(_packed(picture), _AFFINE_BGR)
    if picture.alpha is not None:
        there = picture.alpha.astype(np.float32) / 255
        bgr = cv2.blendLinear(bgr, _checks(*picture.size), there, 1 - there)
    return cv2.cvtColor(bgr, cv2.COLOR_BGR2BGRA)


def _checks(width: int, height: int) -> NDArray[np.uint8]:
    """Two greys in turn, (h, w, 3)."""
    dark = (np.arange(height)[:, None] // _CHECK_PX + np.arange(width) // _CHECK_PX) % 2 == 0
    return np.repeat(np.where(dark, *_CHECK_GREYS).astype(np.uint8)[..., None], 3, axis=2)


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
    u, v = (doubled(plane)[:height, :width] for plane in (picture.u, picture.v))
    return cv2.merge([picture.y, u, v])


def doubled(plane: Plane) -> Plane:
    """A chroma plane at twice its width and height."""
    return cv2.resize(plane, None, fx=2, fy=2, interpolation=cv2.INTER_LINEAR)
