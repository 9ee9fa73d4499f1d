"""What joins do to a whole picture: light over it, and a signal that breaks."""

from dataclasses import replace

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.join.balancing import Gains
from clevrin.core.join.kinds.kind import After, Broken, Wash
from clevrin.core.media.colouring import converted, light_of, picture_of_light
from clevrin.core.media.picture import Picture, Plane, picture_from_rgb

Numbers = NDArray[np.float32]

_BLOOM_FROM, _BLOOM_SHARE = 0.5, 0.03
_COARSE = 4
_BANDS, _BLOCKS = (4, 14), (6, 30)
_FARTHEST, _BLOCK = 0.22, (0.04, 0.18)
_PARTED = 0.03


def done(effect: After, picture: Picture) -> Picture:
    """A picture with an effect on it."""
    return _washed(picture, effect) if isinstance(effect, Wash) else _broken(picture, effect)


def gained(picture: Picture, gains: Gains) -> Picture:
    """A picture with other amounts of red, green and blue light. Costs some 150 ms for 1920x1080."""
    return _of_light(light_of(picture) * np.array(gains, np.float32), picture)


def _washed(picture: Picture, wash: Wash) -> Picture:
    """Brighter, then mixed with a colour, as light. Costs some 60 ms for 1920x1080."""
    light = light_of(picture) * np.float32(wash.gain)
    if wash.bloom > 0:
        small = cv2.resize(light, None, fx=1 / _COARSE, fy=1 / _COARSE, interpolation=cv2.INTER_AREA)
        bright = np.maximum(small - _BLOOM_FROM, 0)
        wide = cv2.GaussianBlur(bright, (0, 0), max(1.0, _BLOOM_SHARE * small.shape[1]))
        light += np.float32(wash.bloom) * cv2.resize(wide, light.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    share = np.float32(wash.share)
    return _of_light(light * (1 - share) + _light_of_colour(wash.colour, picture) * share, picture)


def _of_light(light: Numbers, like: Picture) -> Picture:
    """The picture of other light than a picture has."""
    return replace(picture_of_light(light, like.colour, deep=like.deep), alpha=like.alpha)


def _light_of_colour(colour: str, like: Picture) -> Numbers:
    """The light of a colour as screens show it (#rrggbb): (3,)."""
    code = [int(colour[k : k + 2], 16) for k in (1, 3, 5)]
    field = converted(picture_from_rgb(np.full((2, 2, 3), code, np.uint8)), like.colour)
    return np.asarray(light_of(field)[0, 0])


def _broken(picture: Picture, broken: Broken) -> Picture:
    """Bands of lines shifted along, blocks that are somewhere else, and colour planes that part."""
    chance = np.random.default_rng((broken.seed, broken.step + 10_000))
    strength = broken.strength
    width, height = picture.size
    moves: list[tuple[int, int, int, int, int, int]] = []  # left, top, right, bottom, by x, by y, on even pixels
    edges = np.sort(chance.integers(0, height // 2, chance.integers(*_BANDS))) * 2
    for top, bottom in zip(edges[:-1:2], edges[1::2], strict=False):
        moves.append((0, int(top), width, int(bottom), _even(chance.normal(0, 0.5) * _FARTHEST * strength * width), 0))
    for _ in range(round(int(chance.integers(*_BLOCKS)) * strength)):
        w, h = (max(2, _even(chance.uniform(*_BLOCK) * width * by)) for by in (1.0, 0.4))
        left, top = _even(chance.uniform(0, max(1, width - w))), _even(chance.uniform(0, max(1, height - h)))
        across, down = (_even(chance.normal(0, 0.5) * _FARTHEST * strength * side) for side in (width, height))
        moves.append((left, top, left + w, top + h, across, down))
    parted = [_even(chance.normal(0, 1) * _PARTED * strength * width) // 2 for _ in range(2)]
    planes = []
    for plane, by, apart in zip(picture.planes, (1, 2, 2), (0, *parted), strict=True):
        made = plane.copy()
        for left, top, right, bottom, x, y in moves:
            area = np.s_[top // by : bottom // by, left // by : right // by]
            made[area] = _from(plane, area, x // by, y // by)
        planes.append(np.roll(made, apart, axis=1) if apart else made)
    return replace(picture, y=planes[0], u=planes[1], v=planes[2])


def _from(plane: Plane, area: tuple[slice, slice], x: int, y: int) -> Plane:
    """What lies so far beside an area, round the picture's ends."""
    rows = (np.arange(*area[0].indices(plane.shape[0])) + y) % plane.shape[0]
    columns = (np.arange(*area[1].indices(plane.shape[1])) + x) % plane.shape[1]
    return np.asarray(plane[np.ix_(rows, columns)])


def _even(value: float) -> int:
    return int(value) // 2 * 2
