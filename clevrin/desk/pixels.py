"""Pictures as the core makes them for screens, and as Qt draws them."""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QImage


def image_of(pixels: NDArray[np.uint8]) -> QImage:
    """An image of BGRA (h, w, 4) uint8, without a copy: it is good as long as the pixels are there."""
    height, width = pixels.shape[:2]
    return QImage(pixels.data, width, height, pixels.strides[0], QImage.Format.Format_RGB32)
