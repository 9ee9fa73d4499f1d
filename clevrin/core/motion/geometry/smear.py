"""Pictures smeared as by a movement while the shutter is open."""

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import Points

LEAST_SMEAR_PX = 3.0
"""Under this length a smear makes no difference to where things are found."""


def smeared(picture: NDArray, way: Points) -> NDArray:
    """A picture (h, w) smeared evenly over `way` (2,) pixels, its middle where it was."""
    return cv2.filter2D(picture, -1, _kernel(way), borderType=cv2.BORDER_REPLICATE)


def lacking_px(own: float, wanted: float) -> float:
    """By how much a smear of one length has to be lengthened to spread as far as another one: smears add in squares."""
    return float(np.sqrt(max(0.0, wanted**2 - own**2)))


def _kernel(way: Points) -> Points:
    """An even smear with its centroid exactly in the middle."""
    half = int(np.ceil(np.hypot(*way) / 2)) + 1
    places = np.outer(np.linspace(-0.5, 0.5, 4 * half + 1), way)
    numbers = np.arange(-half, half + 1)
    shares = np.maximum(0, 1 - np.abs(places[:, :, None] - numbers))
    kernel = np.einsum("ny,nx->yx", shares[:, 1], shares[:, 0])
    return np.asarray(kernel / kernel.sum(), np.float64)
