"""Pictures as the core makes them for screens, and as Qt draws them."""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage


def image_of(pixels: NDArray[np.uint8], *, clear: bool = False) -> QImage:
    """An image of BGRA (h, w, 4) uint8, without a copy: it is good as long as the pixels are there.

    `clear`: what is under it is seen through it, as far as A says; B, G and R are multiplied by that already.
    """
    height, width = pixels.shape[:2]
    kind = QImage.Format.Format_ARGB32_Premultiplied if clear else QImage.Format.Format_RGB32
    return QImage(pixels.data, width, height, pixels.strides[0], kind)
