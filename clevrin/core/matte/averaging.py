"""Means about a pixel of what counts."""

import cv2
import numpy as np
from numpy.typing import NDArray

Weights = NDArray[np.float32]


def mean_about(values: Weights, counts: Weights, reach_px: int) -> tuple[Weights, Weights]:
    """The mean (h, w, c) within so many pixels of each of what counts (h, w), 0 to 1, and how much of that there is."""
    size = (2 * reach_px + 1,) * 2
    share = cv2.boxFilter(counts, -1, size)
    total = cv2.boxFilter(values * counts[..., None], -1, size)
    return total / np.maximum(share, np.float32(1e-6))[..., None], share
