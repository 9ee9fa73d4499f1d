"""The first mask of a subject, in a box about it: a graph cut, and how well the edge that it gives is seen."""

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.matte.averaging import mean_about
from clevrin.core.matte.cutting.edges import distances
from clevrin.core.matte.cutting.window import Mask, Rgb

Numbers = NDArray[np.float32]
Flags = NDArray[np.bool_]

CLEARLY = 1.0
"""From these odds on something moves, or is not what lies behind."""
MOVES_SHARE = 0.1
_HARDLY = 0.3
_FEATURES, _PER_MOTION = 1.5, 20.0
_CUTS = 4
_BESIDE_PX = 4
_LEAST_SHARE, _PLAIN = 0.05, 20.0


def cut_by_graph(rgb: Rgb, inside: Flags, moves: Numbers, said: NDArray[np.int8]) -> Mask:
    """The subject in a box: a graph cut over the main directions of its colours, and what moves."""
    lab = cv2.cvtColor(np.ascontiguousarray(rgb), cv2.COLOR_RGB2LAB).astype(np.float32)
    mean = lab[inside].mean(axis=0)
    directions = np.linalg.svd(lab[inside] - mean, full_matrices=False)[2]
    seen = 128 + _FEATURES * ((lab - mean) @ directions.T)
    states = np.where(inside, cv2.GC_PR_FGD, cv2.GC_BGD).astype(np.uint8)
    if (moves > CLEARLY)[inside].mean() > MOVES_SHARE:
        seen[..., 2] = 128 + _PER_MOTION * moves
        states[inside & (moves < _HARDLY)] = cv2.GC_PR_BGD
    states[said > 0], states[said < 0] = cv2.GC_FGD, cv2.GC_BGD
    if not (states & 1).any() or (states & 1).all():
        return (states & 1).astype(np.uint8)
    cv2.setRNGSeed(1)
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(seen.clip(0, 255).astype(np.uint8), states, None, *models, _CUTS, cv2.GC_INIT_WITH_MASK)
    return (states & 1).astype(np.uint8)


def seen_edge(rgb: Rgb, mask: Mask, inside: Flags) -> float:
    """How much of the edge of a mask is an edge of the picture as well: 0 to 1; 0 where there is hardly a mask."""
    if mask.sum() < _LEAST_SHARE * inside.sum():
        return 0.0
    lab = cv2.cvtColor(np.ascontiguousarray(rgb), cv2.COLOR_RGB2LAB).astype(np.float32)
    near = np.abs(distances(mask)) < 1.5
    sides = []
    for each in (mask, 1 - mask):
        deep = cv2.erode(each, np.ones((3, 3), np.uint8)).astype(np.float32)
        sides.append(mean_about(lab, deep, _BESIDE_PX)[0])
    apart = np.sqrt(((sides[0] - sides[1]) ** 2).sum(axis=2))[near]
    return float((apart / (apart + _PLAIN)).mean())
