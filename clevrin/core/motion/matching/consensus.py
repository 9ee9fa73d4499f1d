"""Which of the motions in a picture is the background's: the one with the widest spread, followed over time."""

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import Points
from clevrin.core.motion.matching.working_picture import CELLS

Belief = NDArray[np.float64]
"""How likely something is background, 0 to 1."""

NEUTRAL = 0.5
_MOTIONS = 3
_FEWEST = 12
_APART = 1.2
"""Times the consensus distance within which a point is no witness of another motion."""
_CLEAR_SHARE = 0.85
_LEAST_BELIEF = 0.2
"""So much even an unlikely place counts: what was wrongly believed can be learned anew."""


def background(
    before: Points, after: Points, cells: NDArray[np.int64], belief: Belief, consensus_px: float
) -> NDArray[np.bool_] | None:
    """The matched points (n,) bool that follow the background; None where no motion is agreed upon.

    `before`, `after` (n, 2) in working pixels, `cells` (n,) their place in the grid of `CELLS`, `belief` (n,) how
    likely each is background. Finds up to three motions, one after the other, each by graph-cut RANSAC (Barath &
    Matas 2018, doi:10.1109/CVPR.2018.00704, OpenCV's implementation) on the points that follow none before it. A
    motion counts by the cells in which it is seen, by how likely these are background, and by how much of the picture
    it spans: a subject may have more corners than what is behind it, but it does not surround it.
    """
    left = np.ones(len(before), bool)
    best, best_weight = None, 0.0
    for _ in range(_MOTIONS):
        if left.sum() < _FEWEST:
            break
        numbers = np.flatnonzero(left)
        motion, mask = cv2.findHomography(
            before[numbers], after[numbers], cv2.USAC_ACCURATE, consensus_px, maxIters=2000, confidence=0.999
        )
        if mask is None or mask.sum() < _FEWEST or motion is None:
            break
        agreeing = np.zeros(len(before), bool)
        agreeing[numbers[mask[:, 0].astype(bool)]] = True
        weight = _weight(agreeing, cells, belief)
        if weight > best_weight:
            best, best_weight = agreeing, weight
        if agreeing.sum() > _CLEAR_SHARE * len(before):
            break
        moved = np.column_stack([before, np.ones(len(before))]) @ motion.T
        off = np.hypot(*(moved[:, :2] / moved[:, 2:] - after).T)
        left &= ~agreeing & ~(off < _APART * consensus_px)
    return best


def _weight(agreeing: NDArray[np.bool_], cells: NDArray[np.int64], belief: Belief) -> float:
    count = CELLS[0] * CELLS[1]
    there = np.bincount(cells, minlength=count)
    follow = np.bincount(cells[agreeing], weights=np.maximum(belief[agreeing], _LEAST_BELIEF), minlength=count)
    support = float((follow[there > 0] / there[there > 0]).sum())
    seen = np.flatnonzero(np.bincount(cells[agreeing], minlength=count))
    corners = np.column_stack([seen % CELLS[0], seen // CELLS[0]]).astype(np.float32)
    hull = cv2.contourArea(cv2.convexHull(corners)) / ((CELLS[0] - 1) * (CELLS[1] - 1)) if len(corners) > 2 else 0.0
    return support * (0.15 + hull)
