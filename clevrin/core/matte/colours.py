"""What of a picture is of some colours, and their spill on what is not.

Distances are in CIELAB (D65), in which lightness counts a third: a screen that is lit unevenly is one screen.
"""

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.matte.averaging import mean_about
from clevrin.core.matte.matte import Lab, OfColour
from clevrin.core.media.colouring import Light, light_of, picture_of_light, shown
from clevrin.core.media.picture import Picture, rgb_from_picture

Weights = NDArray[np.float32]
Labs = NDArray[np.float32]

_LIGHTNESS = 0.33
_NOISE_PX = 0.9
_AROUND = 3
_BELONGS = 0.5
_KEPT_HUE = 0.25
_EDGE_PX, _SIDES_PX = 3, 9
"""How wide an edge may be to either side, and how far about it is looked for what lies on either side."""


def of_colour(picture: Picture, colour: OfColour, per_px: float) -> Weights:
    """(h, w) 0 to 1: how much of each pixel is of one of the colours.

    `per_px`: how many pixels of the picture one pixel is in which holes and specks are measured. Noise is averaged over
    a pixel or two. The edge is found from the light
    on both sides of it. Costs about 300 ms for 1920x1080.
    """
    labs = cv2.GaussianBlur(lab_of(picture), (0, 0), _NOISE_PX)
    nearest: Weights | None = None
    for lightness, a, b in colour.labs:
        apart = cv2.subtract(labs, (lightness, a, b, 0))
        square = (apart * apart) @ np.array([_LIGHTNESS**2, 1, 1], np.float32)
        nearest = square if nearest is None else np.minimum(nearest, square)
    assert nearest is not None, "there is a colour"
    distance = np.sqrt(nearest)
    soft = max(colour.softness, 1e-3)
    whole = np.clip((colour.tolerance + soft - distance) / soft, 0, 1).astype(np.float32)
    if colour.specks_px > 0:
        whole = _without_small(whole, colour.specks_px * per_px)
    if colour.holes_px > 0:
        whole = 1 - _without_small(1 - whole, colour.holes_px * per_px)
    return _between_both(whole, light_of(picture))


def _between_both(whole: Weights, light: Light) -> Weights:
    """Coverage whose edge is as the light there says, which is a mix of what is surely of the colour and surely not.

    Of either the mean about a pixel is taken, and the pixel's own light laid on the line between them.
    """
    there = (whole >= _BELONGS).astype(np.uint8)
    kernel = np.ones((2 * _EDGE_PX + 1,) * 2, np.uint8)
    core, far = cv2.erode(there, kernel), cv2.erode(1 - there, kernel)
    edge = (core == 0) & (far == 0)
    if not edge.any() or not core.any() or not far.any():
        return whole
    # Only what is near an edge is asked for: a box about it, averaged over so much that both sides are in it.
    height, width = whole.shape
    lines, columns = (np.nonzero(edge.any(axis=axis))[0] for axis in (1, 0))
    (top, bottom), (left, right) = (
        (max(0, each[0] - _SIDES_PX), min(side, each[-1] + _SIDES_PX + 1))
        for each, side in ((lines, height), (columns, width))
    )
    part = np.s_[top:bottom, left:right]
    seen, found = light[part], whole[part].copy()
    of_it, beside = (mean_about(seen, each[part].astype(np.float32), _SIDES_PX) for each in (core, far))
    way = of_it[0] - beside[0]
    share = ((seen - beside[0]) * way).sum(axis=2) / np.maximum((way * way).sum(axis=2), np.float32(1e-6))
    known = edge[part] & (of_it[1] > 0) & (beside[1] > 0)
    found[known] = np.clip(share, 0, 1)[known]
    made = whole.copy()
    made[part] = found
    return made


def lab_of(picture: Picture) -> Labs:
    """(h, w, 3) CIELAB of a picture as a screen shows it."""
    rgb = rgb_from_picture(shown(picture)).astype(np.float32) / np.float32(255)
    return np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2LAB))


def colour_at(picture: Picture, place: tuple[float, float]) -> Lab:
    """The colour about a place, in pixels of the picture: the median of a few pixels, CIELAB."""
    width, height = picture.size
    x, y = (int(np.clip(round(at), 0, side - 1)) for at, side in zip(place, (width, height), strict=True))
    rows, columns = slice(max(0, y - _AROUND), y + _AROUND + 1), slice(max(0, x - _AROUND), x + _AROUND + 1)
    labs = lab_of(picture)[rows, columns].reshape(-1, 3)
    lightness, a, b = (float(each) for each in np.median(labs, axis=0))
    return min(max(lightness, 0.0), 100.0), a, b


def without_spill(picture: Picture, labs: tuple[Lab, ...], amount: float) -> Picture:
    """A picture from which the colours' cast is taken: `amount` of what goes their way beyond a little of it.

    Lightness stays. For what is not of the colours; meant to be mixed with it by its coverage.
    """
    seen = lab_of(picture)
    for _, a, b in labs:
        long = float(np.hypot(a, b))
        if long < 1:
            continue
        way = np.array([a, b], np.float32) / np.float32(long)
        along = seen[..., 1] * way[0] + seen[..., 2] * way[1]
        aside = np.abs(seen[..., 1] * way[1] - seen[..., 2] * way[0])
        over = np.maximum(along - _KEPT_HUE * aside, 0) * np.float32(amount)
        seen[..., 1] -= over * way[0]
        seen[..., 2] -= over * way[1]
    light = cv2.cvtColor(seen, cv2.COLOR_LAB2LRGB)
    made = picture_of_light(np.maximum(light, 0), shown(picture).colour, deep=picture.deep)
    return replace(made, alpha=picture.alpha)


def _without_small(whole: Weights, across: float) -> Weights:
    """Coverage without connected pieces that are less than so many pixels across."""
    there = (whole > _BELONGS).astype(np.uint8)
    _, numbered, facts, _ = cv2.connectedComponentsWithStats(there, connectivity=8)
    small = np.maximum(facts[:, cv2.CC_STAT_WIDTH], facts[:, cv2.CC_STAT_HEIGHT]) < across
    small[0] = False
    if not small.any():
        return whole
    gone = small[numbered].astype(np.uint8)
    gone = cv2.dilate(gone, np.ones((3, 3), np.uint8))  # with its soft edge
    kept = cv2.dilate(((there > 0) & ~small[numbered]).astype(np.uint8), np.ones((3, 3), np.uint8))
    return np.where((gone > 0) & (kept == 0), np.float32(0), whole)
