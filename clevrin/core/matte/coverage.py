"""A matte on a picture: its parts painted, combined, grown and softened."""

import zlib

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.matte.colours import of_colour
from clevrin.core.matte.matte import Matte, MattePart, Painted, Stored
from clevrin.core.matte.painting import painted
from clevrin.core.media.picture import Picture

Weights = NDArray[np.float32]
Size = tuple[int, int]

_HALF = 0.5


def coverage(matte: Matte, source_size: Size, size: Size, picture: Picture | None = None) -> Weights:
    """(h, w) 0 to 1: how a matte covers a picture of a size, that may stand in for a larger one.

    `source_size`: that of the picture in whose pixels the matte is given; `picture`: what is seen, where its colours
    count (`Matte.of_picture`). Costs a few ms for drawn shapes at 1920x1080, 120 ms for colours, 15 ms more to be grown
    or softened.
    """
    scale = size[0] / source_size[0], size[1] / source_size[1]
    whole = np.zeros((size[1], size[0]), np.float32)
    for part in matte.parts:
        own = _part(part, scale, size, picture)
        if part.mode == "add":
            whole = np.maximum(whole, own)
        elif part.mode == "common":
            whole = np.minimum(whole, own)
        else:
            whole = np.minimum(whole, 1 - own)
    whole = _softened(whole, matte, scale[0])
    if matte.share != 1:
        whole = whole * np.float32(matte.share)
    return 1 - whole if matte.inverted else whole


def _part(part: MattePart, scale: tuple[float, float], size: Size, picture: Picture | None) -> Weights:
    if isinstance(part.of, Painted):
        own = painted(part.of, scale, size)
    elif isinstance(part.of, Stored):
        own = _stored(part.of, scale, size)
    elif isinstance(part.of, Matte):
        source = round(size[0] / scale[0]), round(size[1] / scale[1])
        own = coverage(part.of, source, size, picture)
    else:
        assert picture is not None, "colours are looked for in a picture"
        own = of_colour(picture, part.of, scale[0])
    return 1 - own if part.inverted else own


def _stored(part: Stored, scale: tuple[float, float], size: Size) -> Weights:
    """What was kept of a part of the picture, laid where it belongs in a picture of another scale."""
    if not part.packed:
        return np.zeros((size[1], size[0]), np.float32)
    coded = np.frombuffer(zlib.decompress(part.packed), np.uint8).reshape(part.height, part.width)
    if scale == (1, 1):
        whole = np.zeros((size[1], size[0]), np.uint8)
        whole[part.top : part.top + part.height, part.left : part.left + part.width] = coded
        return whole.astype(np.float32) / np.float32(255)
    (across, down), about = scale, 1
    if across < 0.75:  # averaged first, so that nothing thin is lost
        about = round(1 / across)
        high, wide = (-(-side // about) * about for side in coded.shape)
        coded = cv2.copyMakeBorder(coded, 0, high - part.height, 0, wide - part.width, cv2.BORDER_CONSTANT, value=0)
        coded = cv2.resize(coded, (wide // about, high // about), interpolation=cv2.INTER_AREA)
    # Pixel middles: the picture's left edge is half a pixel before the first one's middle, whatever its scale.
    way = np.array(
        [
            [across * about, 0, (part.left + about / 2) * across - 0.5],
            [0, down * about, (part.top + about / 2) * down - 0.5],
            [0, 0, 1],
        ]
    )
    laid = cv2.warpPerspective(coded.astype(np.float32), way, size, flags=cv2.INTER_LINEAR)
    return np.asarray(laid / np.float32(255))


def _softened(whole: Weights, matte: Matte, per_px: float) -> Weights:
    """Grown by so much, and passing from all to nothing over so much to either side of the edge."""
    grow, inside, outside = (px * per_px for px in (matte.grow_px, matte.inside_px, matte.outside_px))
    if grow == 0 and inside == 0 and outside == 0:
        return whole
    there = (whole >= _HALF).astype(np.uint8)
    if not there.any() or there.all():
        return whole
    # Distances are to the nearest pixel of the other kind: the edge lies half a pixel before that.
    inner = cv2.distanceTransform(there, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    outer = cv2.distanceTransform(1 - there, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    within = np.where(there > 0, inner - np.float32(_HALF), np.float32(_HALF) - outer) + np.float32(grow)
    low, wide = -max(outside, _HALF), max(inside, _HALF) + max(outside, _HALF)
    share = np.clip((within - np.float32(low)) / np.float32(wide), 0, 1)
    return (share * share * (3 - 2 * share)).astype(np.float32) if inside + outside > 1 else share.astype(np.float32)
