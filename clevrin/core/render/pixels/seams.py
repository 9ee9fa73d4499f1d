"""Laying pictures of other frames under the edge of one, so that no seam shows."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import ceil

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.picture import Picture, Plane

Weights = NDArray[np.float32]

_FEATHER_SHARE = 0.012
"""Share of the picture's width over which one picture passes into the other (15 px of 1280)."""
_INSET_PX = 1.5
_MOST_OFFSET = 24.0
_ENOUGH_PIXELS = 200
_BY = (1, 2, 2)
"""By how much smaller each plane is than the picture."""
SOFT_PX = 24
"""So wide are the soft edges of a part of a picture that was made in another way than the rest."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Patch:
    """A picture of another frame, and how much of it is there (h, w) 0 to 1."""

    picture: Picture
    there: Weights


@dataclass(frozen=True, kw_only=True)
class Strip:
    """A part of the output, on even pixels: from (left, top) up to (right, bottom)."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def size(self) -> tuple[int, int]:
        return self.right - self.left, self.bottom - self.top

    def of(self, weights: Weights) -> Weights:
        return np.ascontiguousarray(weights[self.top : self.bottom, self.left : self.right])

    def cut(self, picture: Picture) -> Picture:
        """The strip's part of a picture."""
        y, u, v = (np.ascontiguousarray(plane[self._area(by)]) for plane, by in zip(picture.planes, _BY, strict=True))
        return replace(picture, y=y, u=u, v=v)

    def put(self, planes: list[Plane], picture: Picture) -> None:
        """Writes a strip's picture into planes of the output."""
        for plane, part, by in zip(planes, picture.planes, _BY, strict=True):
            plane[self._area(by)] = part

    def soft_edges(self, size: tuple[int, int]) -> Weights:
        """(h, w) of the strip, 0 to 1: it counts in full but for its edges, where those are not the output's own."""
        across, down = (
            _soft_way(high - low, low > 0, high < side)
            for low, high, side in ((self.left, self.right, size[0]), (self.top, self.bottom, size[1]))
        )
        return np.ascontiguousarray(down[:, None] * across[None])

    def _area(self, by: int) -> tuple[slice, slice]:
        bottom, right = -(-self.bottom // by), -(-self.right // by)
        return slice(self.top // by, bottom), slice(self.left // by, right)


def _soft_way(length: int, soft_from: bool, soft_to: bool) -> Weights:
    """(length,) 1, but growing at its start and falling at its end where those are soft."""
    grows = np.minimum((np.arange(length, dtype=np.float32) + 1) / SOFT_PX, 1)
    whole = np.ones(length, np.float32)
    return np.minimum(grows if soft_from else whole, grows[::-1] if soft_to else whole)


def part_about(covers: Sequence[Weights]) -> Strip | None:
    """The part of an output in which something is covered in any of `covers` (h, w), and some pixels about it.

    It lies on even pixels. None: nothing is covered.
    """
    covered = np.maximum.reduce(list(covers)) > 0
    sides = covered.shape[::-1]
    lines = [np.flatnonzero(covered.any(axis=axis)) for axis in (0, 1)]
    if not len(lines[0]):
        return None
    left, top = (max(0, int(each[0]) - SOFT_PX) // 2 * 2 for each in lines)
    right, bottom = (
        min(side, -(-(int(each[-1]) + 1 + SOFT_PX) // 2) * 2) for each, side in zip(lines, sides, strict=True)
    )
    return Strip(left=left, top=top, right=right, bottom=bottom)


def border(size: tuple[int, int], left: int, top: int, right: int, bottom: int) -> tuple[Strip, ...]:
    """The strips of an output in which a picture that is so far from its sides is not wholly there."""
    width, height = size
    reach = 2 * ceil((_INSET_PX + max(2.0, _FEATHER_SHARE * width)) / 2 + 1)
    low, end = top and top + reach, height - (bottom and bottom + reach)
    found = (
        Strip(left=0, top=0, right=width, bottom=low),
        Strip(left=0, top=end, right=width, bottom=height),
        Strip(left=0, top=low, right=left and left + reach, bottom=end),
        Strip(left=width - (right and right + reach), top=low, right=width, bottom=end),
    )
    return tuple(each for each in found if min(each.size) > 0)


def strips(there: Weights) -> tuple[Strip, ...]:
    """The strips along the border of an output in which something is not wholly there: four at most.

    What lies between them is the largest part, about the middle, that is wholly there in every row and column.
    """
    height, width = there.shape
    gone = there < 1
    if not gone.any():
        return ()
    top = left = 0
    bottom, right = height, width
    # Whichever side has the largest share of its line missing gives way, until the rest is whole.
    step = 2
    while bottom - top > step and right - left > step and gone[top:bottom, left:right].any():
        inner = gone[top:bottom, left:right]
        missing = {
            "top": inner[:step].mean(),
            "bottom": inner[-step:].mean(),
            "left": inner[:, :step].mean(),
            "right": inner[:, -step:].mean(),
        }
        side = max(missing, key=lambda each: missing[each])
        if missing[side] == 0:  # a hole within: no strip holds it
            return (Strip(left=0, top=0, right=width, bottom=height),)
        top += step * (side == "top")
        bottom -= step * (side == "bottom")
        left += step * (side == "left")
        right -= step * (side == "right")
    bottom, right = bottom // 2 * 2, right // 2 * 2
    found = (
        Strip(left=0, top=0, right=width, bottom=top),
        Strip(left=0, top=bottom, right=width, bottom=height),
        Strip(left=0, top=top, right=left, bottom=bottom),
        Strip(left=right, top=top, right=width, bottom=bottom),
    )
    return tuple(each for each in found if min(each.size) > 0)


def feathered(seen: Plane) -> Weights:
    """(h, w) 0 to 1: how much a picture counts, growing from its edge inwards; `seen` is 255 where it is."""
    whole = (seen == 255).astype(np.uint8)
    # The output's own border is no edge of the picture: beyond it nothing is asked for.
    padded = cv2.copyMakeBorder(whole, 1, 1, 1, 1, cv2.BORDER_REPLICATE)
    if padded.all():
        return np.ones(seen.shape, np.float32)
    distance = cv2.distanceTransform(padded, cv2.DIST_L2, 3)[1:-1, 1:-1]
    reach = max(2.0, _FEATHER_SHARE * seen.shape[1])
    return np.clip((distance - _INSET_PX) / reach, 0, 1).astype(np.float32)


def patched(picture: Picture, there: Weights, patches: list[Patch]) -> Picture:
    """A picture with patches, best first, under it where it is not there.

    Each is first brought to the picture's brightness and colour by what both of them show. Where none is there the
    picture itself remains, which goes on beyond its edge in a way of its own.
    """
    planes = list(picture.planes)
    for patch in reversed(patches):
        both = (there > 0) & (there < 1) & (patch.there > 0)
        for k, plane in enumerate(patch.picture.planes):
            weights = _as_large(patch.there, plane)
            ours = _as_large(both.astype(np.float32), plane) > 0.5
            matched = _matched(plane, picture.planes[k], ours)
            planes[k] = blended_planes(matched, planes[k], weights)
    for k, plane in enumerate(picture.planes):
        weights = _as_large(there, plane)
        planes[k] = blended_planes(plane, planes[k], weights)
    return replace(picture, y=planes[0], u=planes[1], v=planes[2])


def blended_planes(over: Plane, under: Plane, weights: Weights) -> Plane:
    """Two planes by how much of the first one is there, (h, w) 0 to 1."""
    over, under = np.ascontiguousarray(over), np.ascontiguousarray(under)
    if over.dtype == np.uint8:
        return cv2.blendLinear(over, under, weights, 1 - weights)
    mixed = cv2.blendLinear(over.astype(np.float32), under.astype(np.float32), weights, 1 - weights)
    return (mixed + np.float32(0.5)).astype(over.dtype)


def _as_large(weights: Weights, plane: Plane) -> Weights:
    height, width = plane.shape
    if weights.shape == plane.shape:
        return weights
    return cv2.resize(weights, (width, height), interpolation=cv2.INTER_AREA)


def _matched(plane: Plane, onto: Plane, where: NDArray[np.bool_]) -> Plane:
    """A plane, lighter or darker as a whole by what it differs on average where both show the same."""
    if int(where.sum()) < _ENOUGH_PIXELS:
        return plane
    offset = float(np.median(onto[where].astype(np.int32) - plane[where]))
    if offset == 0:
        return plane
    by = np.iinfo(plane.dtype).max // 255
    moved = plane.astype(np.int32) + round(np.clip(offset, -_MOST_OFFSET * by, _MOST_OFFSET * by))
    return moved.clip(0, np.iinfo(plane.dtype).max).astype(plane.dtype)
