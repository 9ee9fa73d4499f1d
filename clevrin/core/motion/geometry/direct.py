"""Pictures laid on each other directly, by what is alike in them, where there are no corners to follow."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Map = NDArray[np.floating[Any]]

_SOFT = 5


def most_alike(
    before: NDArray[Any], after: NDArray[Any], start: Map, kind: int, until: tuple[int, int, float], soft: int = _SOFT
) -> tuple[float, NDArray[np.float64]] | None:
    """The map near `start` (2 or 3, 3) from one picture to another that lays most alike on each other, and how alike.

    By the correlation that a shift of light does not change (Evangelidis & Psarakis 2008); `kind` is the library's name
    for the map, `soft` the width of the smoothing. None where it does not converge. Beyond its edge a picture counts as
    nothing: both are taken about their mean, or pixels at an edge outweigh what is seen on a plain floor.
    """
    first, second = (each.astype(np.float32) - np.float32(each.mean()) for each in (before, after))
    try:
        alike, found = cv2.findTransformECC(first, second, start.astype(np.float32), kind, until, None, soft)
    except cv2.error:
        return None
    return float(alike), np.asarray(found, np.float64)
