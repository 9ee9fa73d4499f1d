"""A moment between two frames as a picture: both are resampled once, by hold, background and flow in one map."""

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.kernels import compiled
from clevrin.core.media.picture import Picture, Plane, Siting, shrunk
from clevrin.core.pace.in_between import Moment
from clevrin.core.render.pixels.resampling import HALF, SHRINKS, Look, Places, averaged, bent_map, shrinks
from clevrin.core.render.pixels.seams import blended_planes

Matrix = NDArray[np.float64]
Field = NDArray[Any]

_STRAIGHT = np.zeros((2, 2, 2))
_COARSE = 3
"""What flow adds to the places of pixels is looked up for every so many of them: it is no finer itself."""
_HARDLY = np.float32(1e-3)


def morphed(pictures: tuple[Picture, Picture], look: Look, at: Moment, second_from_first: Matrix) -> Picture:
    """The picture of a moment between two, laid as `look` says of the first one.

    Coded values are mixed, not light: both show the same things. What lies outside of one of the pictures is taken
    from the other. Costs some 150 ms for 1920x1080 on one core.
    """
    if look.kernel != cv2.INTER_LINEAR and shrinks(look.matrix) > SHRINKS:
        finer = replace(look, matrix=look.matrix @ HALF, size=(2 * look.size[0], 2 * look.size[1]))
        made = morphed(pictures, replace(finer, kernel=cv2.INTER_LINEAR), at, second_from_first)
        return shrunk(made, look.size)
    first, second, share = places_between(pictures, look, at, second_from_first)
    coarse = _of_chroma(first, pictures[0].siting), _of_chroma(second, pictures[1].siting)
    shares, places = (share, share[::2, ::2], share[::2, ::2]), ((first, second), coarse, coarse)
    y, u, v = (
        _blend((pictures[0].planes[k], pictures[1].planes[k]), look, places[k], shares[k], look.colour[k])
        for k in range(3)
    )
    return Picture(y=y, u=u, v=v, colour=pictures[0].colour)


def places_between(
    pictures: tuple[Picture, Picture], look: Look, at: Moment, second_from_first: Matrix
) -> tuple[Places, Places, Field]:
    """Where each pixel comes from in either picture, and the second one's share in it. Costs 25 ns a pixel."""
    size = pictures[0].size
    if look.bend is None and compiled.library is not None:
        *places, share = compiled.places_between(look.matrix, second_from_first, size, at.field, look.size)
        return (places[0], places[1]), (places[2], places[3]), share
    bend = _STRAIGHT if look.bend is None else look.bend
    first = bent_map(look.matrix, bend, size, look.size)
    if look.bend is None:
        second = bent_map(second_from_first @ look.matrix, bend, size, look.size)
    else:
        second = _moved(first, second_from_first)
    coarse = (max(2, look.size[0] // _COARSE), max(2, look.size[1] // _COARSE))
    there = tuple(cv2.resize(each, coarse, interpolation=cv2.INTER_LINEAR) for each in first)
    height, width = at.second.shape
    on_flow = ((there[0] + 0.5) * (width / size[0]) - 0.5, (there[1] + 0.5) * (height / size[1]) - 0.5)
    per_px = np.array([size[0] / width, size[1] / height], np.float32)
    from_first, from_second, second_share = (
        _looked_up(np.ascontiguousarray(each), on_flow) for each in (at.from_first, at.from_second, at.second)
    )
    from_first, from_second = from_first * per_px, from_second * per_px
    shifted = _moved((there[0] + from_second[..., 0], there[1] + from_second[..., 1]), second_from_first)
    onto = _moved((there[0], there[1]), second_from_first)
    first = _displaced(first, (from_first[..., 0], from_first[..., 1]), look.size)
    second = _displaced(second, (shifted[0] - onto[0], shifted[1] - onto[1]), look.size)
    share = cv2.resize(second_share, look.size, interpolation=cv2.INTER_LINEAR)
    of_first = (1 - share) * (_inside(first, pictures[0].size) + _HARDLY)
    of_second = share * (_inside(second, pictures[1].size) + _HARDLY)
    return first, second, of_second / (of_first + of_second + np.float32(1e-9))


def _looked_up(field: Field, places: tuple[Field, Field]) -> Field:
    return np.asarray(cv2.remap(field, *places, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE))


def _displaced(places: Places, by: Places, size: tuple[int, int]) -> Places:
    x, y = (
        place + cv2.resize(np.ascontiguousarray(shift), size, interpolation=cv2.INTER_LINEAR)
        for place, shift in zip(places, by, strict=True)
    )
    return x, y


def _moved(places: Places, matrix: Matrix) -> Places:
    """Places in another picture."""
    x, y = places
    a = matrix.astype(np.float32)
    below = a[2, 0] * x + a[2, 1] * y + a[2, 2]
    return (a[0, 0] * x + a[0, 1] * y + a[0, 2]) / below, (a[1, 0] * x + a[1, 1] * y + a[1, 2]) / below


def _inside(places: Places, size: tuple[int, int]) -> Field:
    """1 where a place is on a picture."""
    x, y = places
    inside = (x >= -0.5) & (x <= size[0] - 0.5) & (y >= -0.5) & (y <= size[1] - 0.5)
    return inside.astype(np.float32)


def _of_chroma(places: Places, siting: Siting) -> Places:
    """Where the chroma of an output comes from in the chroma planes of a source."""
    found = []
    for place, offset in zip(places, siting, strict=True):
        rows = place[: place.shape[0] // 2 * 2 or None, ::2]
        low = rows[::2]
        high = rows[1::2] if rows.shape[0] > 1 else rows
        middle = (low[: len(high)] + high) / 2
        if place.shape[0] % 2 and place.shape[0] > 1:
            middle = np.vstack([middle, place[-1:, ::2]])
        found.append(np.ascontiguousarray((middle - np.float32(offset)) / 2))
    return found[0], found[1]


def _blend(planes: tuple[Plane, Plane], look: Look, places: tuple[Places, Places], share: Field, beyond: int) -> Plane:
    made = []
    for plane, (x, y) in zip(planes, places, strict=True):
        small, small_from_out = averaged(plane, look.matrix)
        if small is not plane:
            x, y = _moved((x, y), small_from_out @ np.linalg.inv(look.matrix))
        made.append(cv2.remap(small, x, y, look.kernel, borderMode=look.border, borderValue=beyond))
    share = np.ascontiguousarray(share[: made[0].shape[0], : made[0].shape[1]])
    return blended_planes(made[1], made[0], share)
