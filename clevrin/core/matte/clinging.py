"""A closed curve that clings to an edge from frame to frame: carried by flow, then laid on the edge that it had.

After active contours (Kass, Witkin and Terzopoulos 1988, doi:10.1007/BF00133570), with the whole curve found at once
by dynamic programming (Amini, Weymouth and Jain 1990, doi:10.1109/34.57681): each point may go some pixels along its
normal; what it should find there is what lay inside of it before, an edge beside it, and neighbours that go as far.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.matte.curves import (
    Points,
    area_of,
    even_as,
    evenly,
    normals_of,
    rounded,
    shortest_round,
    without_outliers,
)
from clevrin.core.media.picture import Picture, Plane, rgb_from_picture, shrunk

Light = NDArray[np.float32]

POINTS = 160
"""A curve has so many, evenly along it."""
_WORKING_PX = 420.0
"""The longer side of what is about a curve is made no larger."""
_LEAST_MARGIN_PX, _MARGIN = 48.0, 0.25
_DEEP = 7
"""Working pixels to either side of the curve that are remembered."""
_REACH = 7
"""Working pixels that a point may go from where the flow carried it."""
_STEP = 0.5
_INSIDE, _OUTSIDE, _EDGE, _STILL = 1.0, 0.25, 0.8, 0.012
_BENDS = 1.2
_LEARNS_IN, _LEARNS_OUT = 0.06, 0.5
_LIKENESS = 22.0
"""How far colours (CIELAB) may be from what was there, and count as half alike."""
_SMOOTH_FLOW, _SMOOTH = 6.0, 0.8
_GROWS = 1.35
_FASTEST_PX = 200.0
_FIRST_REACH_PX, _LEAST_REACH_PX, _LEAP_PX = 96.0, 20.0, 120.0
_FINE_REACH, _FINE_SIDE, _FINE_LIKENESS = 3.0, 2.0, 30.0
_FINE_STILL, _FINE_BENDS = 0.08, 0.5
_FEWEST, _MOST_INSIDE = 12, 2000
_DEVIATES_PX = 8.0
"""A point goes with the whole of what is inside, and by so much otherwise at most, working pixels."""
_DIS = cv2.DISOPTICAL_FLOW_PRESET_MEDIUM


@dataclass(frozen=True, kw_only=True, eq=False)
class _About:
    """The part of a picture about a curve, at working size: CIELAB (h, w, 3), and the grey that flow is found in."""

    lab: Light
    grey: NDArray[np.uint8]
    box: tuple[int, int, int, int]

    @property
    def size(self) -> tuple[int, ...]:
        return self.grey.shape[::-1]

    @property
    def scale(self) -> Points:
        left, top, right, bottom = self.box
        return np.array(self.size) / (right - left, bottom - top)

    def to_working(self, places: Points) -> Points:
        return np.asarray((places + 0.5 - self.box[:2]) * self.scale - 0.5)

    def to_picture(self, places: Points) -> Points:
        return np.asarray((places + 0.5) / self.scale - 0.5 + self.box[:2])


class Clinging:
    """A curve on its way through a film."""

    def __init__(self, picture: Picture, curve: Points) -> None:
        """`curve` (n, 2): where it lies in the picture, in its pixels; closed, evenly or not."""
        self.curve = evenly(curve, POINTS)
        about = _about(picture, self.curve)
        self._picture = picture
        self._speed: Points | None = None
        working = about.to_working(self.curve)
        self._profile = _profiles(about.lab, working, normals_of(working), np.arange(-_DEEP, _DEEP + 1))
        self._scale = float(about.scale[0])

    def go_to(self, picture: Picture) -> float:
        """Goes to another frame of the film, the next or the one before; how sure it is of the edge, 0 to 1.

        Costs some 60 ms.
        """
        before = _about(self._picture, self.curve, self._scale)
        ahead = np.round(self._leap(picture) / 2).astype(int) * 2
        left, top, right, bottom = (int(side) for side in before.box + np.tile(ahead, 2))
        after = _cut(picture, (left, top, right, bottom), before.size)
        working = before.to_working(self.curve)
        carried = working + _carried(before, after, working)
        there = _within(after.to_picture(carried), picture.size)
        found, likeness = self._laid(after.lab, carried, there)
        grown = area_of(found) / max(1.0, area_of(working))
        if not 1 / _GROWS < grown < _GROWS:
            likeness *= 0.3
        curve = even_as(_finely(picture, after.to_picture(found)), after.to_picture(carried))
        self._speed = np.clip(curve.mean(axis=0) - self.curve.mean(axis=0), -_FASTEST_PX, _FASTEST_PX)
        self.curve, self._picture = curve, picture
        return likeness

    def _leap(self, picture: Picture) -> Points:
        """How far what is inside went as a whole, roughly, in pixels: looked for where it was going, and about that."""
        reach = _FIRST_REACH_PX if self._speed is None else _LEAST_REACH_PX + 0.5 * float(np.hypot(*self._speed))
        speed = np.zeros(2) if self._speed is None else self._speed
        by = min(0.5, _LEAP_PX / max(np.ptp(self.curve, axis=0)))
        low, high = self.curve.min(axis=0) - 2, self.curve.max(axis=0) + 3
        seen = np.array([np.maximum(low, 0), np.minimum(high, self._picture.size)])
        if (seen[1] - seen[0] < 8).any():
            return speed
        box = np.concatenate(seen)
        wide = box + np.concatenate([speed - reach, speed + reach])
        own = _small(self._picture, box, by)
        there = _small(picture, wide, by)
        inside = np.zeros(own.shape, np.uint8)
        cv2.fillPoly(inside, [np.round((self.curve - box[:2]) * by).astype(np.int32)], 1)
        if inside.sum() < _FEWEST or own.shape[0] >= there.shape[0] or own.shape[1] >= there.shape[1]:
            return speed
        apart = cv2.matchTemplate(there, own, cv2.TM_SQDIFF, mask=inside.astype(np.float32))
        _, _, (x, y), _ = cv2.minMaxLoc(apart)
        return np.asarray(np.array([x, y]) / by + wide[:2] - box[:2])

    def _laid(self, lab: Light, carried: Points, there: NDArray[np.bool_]) -> tuple[Points, float]:
        """The curve on its edge near where it was carried, and how sure that is; `there`: which points are seen."""
        normals = normals_of(carried)
        offsets = np.arange(-_REACH, _REACH + _STEP / 2, _STEP)
        depths = np.arange(-_DEEP, _DEEP + 1)
        # What lies along each normal, finely, once: each offset looks at a part of it.
        along = np.arange(-_REACH - _DEEP, _REACH + _DEEP + _STEP / 2, _STEP)
        strip = _profiles(lab, carried, normals, along)
        start = np.round((offsets[:, None] + depths[None] - along[0]) / _STEP).astype(int)
        seen = strip[:, start]  # (n, offsets, depths, 3)
        apart = np.sqrt(((seen - self._profile[:, None]) ** 2).sum(axis=-1))
        unlike = np.minimum(apart / _LIKENESS, 2.0)
        inner = unlike[:, :, depths < 0].mean(axis=2)
        outer = unlike[:, :, depths > 0].mean(axis=2)
        near, far = (seen[:, :, (depths * way > 0) & (np.abs(depths) <= 3)].mean(axis=2) for way in (-1, 1))
        contrast = np.sqrt(((near - far) ** 2).sum(axis=-1)) / _LIKENESS
        cost = _INSIDE * inner + _OUTSIDE * outer - _EDGE * np.minimum(contrast, 1.5) + _STILL * offsets**2 / 4
        cost[~there] = _STILL * offsets**2  # what is beyond the picture goes with its neighbours
        chosen = shortest_round(cost, _BENDS * _STEP**2)
        moved = rounded(offsets[chosen], _SMOOTH)
        found = carried + moved[:, None] * normals
        rows = np.arange(len(carried))
        good = (inner[rows, chosen] < 0.8) & (contrast[rows, chosen] > 0.25)
        sure = float(good[there].mean()) if there.sum() >= _FEWEST else 0.0
        self._learn(seen[rows, chosen], np.where(there, inner[rows, chosen], np.inf))
        return found, sure

    def _learn(self, seen: Light, unlike: Light) -> None:
        """What is inside changes slowly, what is outside is what it was a moment ago."""
        depth = seen.shape[1] // 2
        inner = np.where((unlike < 0.8)[:, None, None], _LEARNS_IN, 0.0)
        outer = np.where(np.isfinite(unlike)[:, None, None], _LEARNS_OUT, 0.0)
        self._profile[:, :depth] += inner * (seen[:, :depth] - self._profile[:, :depth])
        self._profile[:, depth:] += outer * (seen[:, depth:] - self._profile[:, depth:])


def _about(picture: Picture, curve: Points, scale: float | None = None) -> _About:
    """What is about a curve: with room for how far it may go."""
    low, high = curve.min(axis=0), curve.max(axis=0)
    side = float((high - low).max())
    margin = max(_LEAST_MARGIN_PX, _MARGIN * side)
    width, height = picture.size
    left, top = (int(max(0, value - margin)) // 2 * 2 for value in low)
    right, bottom = (int(min(side, at + margin + 1)) // 2 * 2 for at, side in zip(high, (width, height), strict=True))
    left, top = min(left, max(0, width - 32)) // 2 * 2, min(top, max(0, height - 32)) // 2 * 2
    right, bottom = min(max(right, left + 32), width) // 2 * 2, min(max(bottom, top + 32), height) // 2 * 2
    if scale is None:
        scale = min(1.0, _WORKING_PX / max(right - left, bottom - top))
    size = (max(16, round((b - a) * scale / 2) * 2) for a, b in ((left, right), (top, bottom)))
    return _cut(picture, (left, top, right, bottom), (*size,))


def _cut(picture: Picture, box: tuple[int, int, int, int], size: tuple[int, ...]) -> _About:
    """A part of a picture, its edges at even pixels, at a size."""
    planes = (_part(plane, box, 2 if number else 1) for number, plane in enumerate(picture.planes))
    y, u, v = planes
    part = Picture(y=y, u=u, v=v, siting=picture.siting, colour=picture.colour)
    if size != part.size:
        part = shrunk(part, (size[0], size[1]))
    rgb = rgb_from_picture(part)
    lab = cv2.cvtColor(cv2.GaussianBlur(rgb, (0, 0), 0.7).astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    return _About(lab=lab, grey=cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), box=box)


def _part(plane: Plane, box: tuple[int, int, int, int], by: int) -> Plane:
    """A part of a plane; beyond its edge it goes on as that."""
    left, top, right, bottom = (side // by for side in box)
    rows, columns = (
        np.clip(np.arange(*ends), 0, side - 1)
        for ends, side in zip(((top, bottom), (left, right)), plane.shape, strict=True)
    )
    return plane[rows[:, None], columns[None]]


def _profiles(lab: Light, curve: Points, normals: Points, depths: NDArray) -> Light:
    """(n, depths, 3): what lies along each normal, outside where a depth is over 0."""
    places = (curve[:, None] + depths[None, :, None] * normals[:, None]).astype(np.float32)
    return cv2.remap(lab, places[..., 0], places[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _carried(before: _About, after: _About, curve: Points) -> Points:
    """(n, 2): how far each point goes: with the whole of what is inside, and with what lies inside of it near by."""
    flow = cv2.DISOpticalFlow.create(_DIS).calc(before.grey, after.grey, None)
    whole = _as_a_whole(flow, curve)
    normals = normals_of(curve)
    inner = [_profiles(flow, curve, normals, np.array([-float(depth)]))[:, 0] for depth in (1, 3, 5)]
    apart = np.clip(np.median(np.array(inner), axis=0) - whole, -_DEVIATES_PX, _DEVIATES_PX)
    return whole + np.column_stack([rounded(without_outliers(apart[:, k]), _SMOOTH_FLOW) for k in (0, 1)])


def _as_a_whole(flow: Light, curve: Points) -> Points:
    """(n, 2): how far each point goes by the similarity by which most of what is inside goes."""
    inside = np.zeros(flow.shape[:2], np.uint8)
    cv2.fillPoly(inside, [np.round(curve).astype(np.int32)], 1)
    y, x = np.nonzero(inside)
    some = slice(None, None, 1 + len(x) // _MOST_INSIDE)
    places = np.column_stack([x[some], y[some]]).astype(np.float32)
    if len(places) < _FEWEST:
        return np.zeros_like(curve)
    moved = places + flow[y[some], x[some]]
    way, _ = cv2.estimateAffinePartial2D(places, moved, method=cv2.RANSAC, ransacReprojThreshold=2.0)
    if way is None:
        return np.tile(np.median(moved - places, axis=0), (len(curve), 1))
    return curve @ way[:, :2].T + way[:, 2] - curve


def _small(picture: Picture, box: Points, by: float) -> Light:
    """The luma of a part of a picture, made smaller; beyond the picture's edge it goes on as that."""
    left, top, right, bottom = (round(float(side)) for side in box)
    part = _part(picture.y, (left, top, right, bottom), 1).astype(np.float32)
    size = max(4, round((right - left) * by)), max(4, round((bottom - top) * by))
    return cv2.resize(part, size, interpolation=cv2.INTER_AREA)


def _finely(picture: Picture, curve: Points) -> Points:
    """A curve laid on the edge that is next to it, at the picture's own size."""
    normals = normals_of(curve)
    depths = np.arange(-_FINE_REACH - _FINE_SIDE, _FINE_REACH + _FINE_SIDE + _STEP / 2, _STEP)
    places = (curve[:, None] + depths[None, :, None] * normals[:, None]).astype(np.float32)
    x, y = places[..., 0], places[..., 1]
    half = (x - np.float32(picture.siting[0])) / 2, (y - np.float32(picture.siting[1])) / 2
    planes = [
        cv2.remap(plane, *at, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        for plane, at in zip(picture.planes, ((x, y), half, half), strict=True)
    ]
    seen = np.stack(planes, axis=-1).astype(np.float64) / (256 if picture.deep else 1)
    side = round(_FINE_SIDE / _STEP)
    summed = np.cumsum(np.pad(seen, ((0, 0), (1, 0), (0, 0))), axis=1)
    count = len(depths) - 2 * side
    at = np.arange(count) + side
    inner = (summed[:, at] - summed[:, at - side]) / side
    outer = (summed[:, at + 1 + side] - summed[:, at + 1]) / side
    contrast = np.sqrt(((inner - outer) ** 2).sum(axis=-1)) / _FINE_LIKENESS
    offsets = depths[at]
    cost = -np.minimum(contrast, 1.5) + _FINE_STILL * offsets**2
    cost[~_within(curve, picture.size)] = _FINE_STILL * offsets**2
    chosen = shortest_round(cost, _FINE_BENDS * _STEP**2)
    return curve + rounded(offsets[chosen], _SMOOTH)[:, None] * normals


def _within(curve: Points, size: tuple[int, int]) -> NDArray[np.bool_]:
    """(n,): which points of a curve are seen in a picture."""
    return np.asarray(((curve > 1) & (curve < np.array(size) - 2)).all(axis=1))
