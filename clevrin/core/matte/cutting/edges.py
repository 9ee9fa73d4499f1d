"""Odds made one with the picture's edges, and what is left of a mask that they give."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.matte.cutting.window import Mask, Rgb

Numbers = NDArray[np.float32]

_SMALLEST_SHARE, _HOLE_SHARE, _HOLE_PX = 0.02, 0.004, 6
_FARTHEST_PX = 99.0


@dataclass(frozen=True, kw_only=True, eq=False)
class Guided:
    """Along the picture's own colours, what is given is `a` times the colour and `b`: (h, w, 3) and (h, w)."""

    a: Numbers
    b: Numbers

    def of(self, rgb: Rgb) -> Numbers:
        """(h, w): what it gives for a picture of any size that shows the same."""
        size = rgb.shape[1::-1]
        a, b = self.a, self.b
        if a.shape[1::-1] != size:
            a, b = (cv2.resize(each, size, interpolation=cv2.INTER_LINEAR) for each in (a, b))
        return np.asarray((a * rgb).sum(axis=2) + b, np.float32)


def guided(rgb: Rgb, given: Numbers, near_px: int, smoothness: float) -> Guided:
    """Smooths what is given within what is of one colour, and not across the picture's edges.

    He, Sun and Tang 2010: in each window a linear function of the colour, their mean at each pixel.
    """
    size = (2 * near_px + 1,) * 2
    seen = rgb.astype(np.float32)

    def mean(each: Numbers) -> Numbers:
        return np.asarray(cv2.boxFilter(each, -1, size, borderType=cv2.BORDER_REFLECT))

    colour, value = mean(seen), mean(given)
    together = mean(seen * given[..., None]) - colour * value[..., None]
    pairs = ((0, 0), (1, 1), (2, 2), (0, 1), (0, 2), (1, 2))
    whole = mean(np.stack([seen[..., i] * seen[..., j] for i, j in pairs], axis=-1))
    rr, gg, bb, rg, rb, gb = (whole[..., k] - colour[..., i] * colour[..., j] for k, (i, j) in enumerate(pairs))
    rr, gg, bb = rr + smoothness, gg + smoothness, bb + smoothness
    # The inverse of a symmetric matrix of three, written out: quicker than a solver for each pixel.
    c00, c01, c02 = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
    c11, c12, c22 = rr * bb - rb * rb, rg * rb - rr * gb, rr * gg - rg * rg
    by = 1 / (rr * c00 + rg * c01 + rb * c02)
    r, g, b = (together[..., k] for k in range(3))
    a = np.stack(
        [(c00 * r + c01 * g + c02 * b) * by, (c01 * r + c11 * g + c12 * b) * by, (c02 * r + c12 * g + c22 * b) * by],
        axis=-1,
    ).astype(np.float32)
    return Guided(a=mean(a), b=mean(value - (a * colour).sum(axis=2)))


def distances(mask: Mask) -> Numbers:
    """(h, w) px to the edge of a mask: above 0 within it."""
    if not mask.any():
        return np.full(mask.shape, -_FARTHEST_PX, np.float32)
    inner, outer = (cv2.distanceTransform(each, cv2.DIST_L2, 5) for each in (mask, 1 - mask))
    return np.asarray(inner - outer)


def whole_pieces(mask: Mask, thought: Mask) -> Mask:
    """A mask without pieces that are small or do not touch what was thought of, its small holes filled."""
    count, numbered, facts, _ = cv2.connectedComponentsWithStats(mask, connectivity=8)
    if count > 1:
        touched = np.zeros(count, bool)
        touched[np.unique(numbered[cv2.dilate(thought, np.ones((5, 5), np.uint8)) > 0])] = True
        kept = touched & (facts[:, cv2.CC_STAT_AREA] >= _SMALLEST_SHARE * mask.sum())
        kept[0] = False
        mask = kept[numbered].astype(np.uint8)
    _, numbered, facts, _ = cv2.connectedComponentsWithStats(1 - mask, connectivity=4)
    hole = facts[:, cv2.CC_STAT_AREA] < _HOLE_SHARE * mask.sum() + _HOLE_PX
    hole[0] = False
    return mask | hole[numbered].astype(np.uint8)
