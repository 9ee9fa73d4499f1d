"""The one place that turns a plan into pixels: every source plane is resampled once."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.colouring import converted, light_of_yuv, yuv_of_light
from clevrin.core.media.picture import (
    LEFT,
    Picture,
    Plane,
    Siting,
    black,
    picture_from_rgb,
    picture_from_yuv,
    yuv_of,
)
from clevrin.core.render.plan import Layer, Plan, Quality
from clevrin.core.render.seams import Patch, Weights, feathered, patched, strips

Matrix = NDArray[np.float64]
Read = Callable[[Layer, int], Picture]
"""Gives a frame of a layer's take, upright, or a smaller proxy of it."""

_BORDERS = {
    "fill": cv2.BORDER_REPLICATE,
    "trim": cv2.BORDER_REPLICATE,
    "smear": cv2.BORDER_REPLICATE,
    "borrow": cv2.BORDER_REPLICATE,
    "clear": cv2.BORDER_REPLICATE,
    "mirror": cv2.BORDER_REFLECT_101,
    "bare": cv2.BORDER_CONSTANT,
    "colour": cv2.BORDER_CONSTANT,
}
_KERNELS = {"bicubic": cv2.INTER_CUBIC, "lanczos": cv2.INTER_LANCZOS4}
_COARSE = 4
_BLURRED_PX = 48
"""How wide what is blurred around a picture is made before it is enlarged."""
_SHRINKS = 1.3
"""From this reduction on a film's pictures are made twice as fine first."""
_HALF = np.array([[0.5, 0, -0.25], [0, 0.5, -0.25], [0, 0, 1]])
_BEND_EVERY_PX = 16
_ROWS_AT_ONCE = 64
"""A bend is evaluated at every so many pixels, and between them is as good as straight."""


def execute(plan: Plan, read: Read, quality: Quality = "final") -> Picture:
    """The picture of a plan.

    Bicubic or Lanczos at final quality, bilinear at draft. Sources that are much larger than the output are averaged
    down first; at final quality an output twice as fine is made of what is left, and averaged at last. Geometry is
    resampled on the coded planes, each at its own place; what is mixed is mixed as light. Costs about
    8 ms for 1280x720 at draft and 14 ms at final quality on one core; a bend half as much again, a film that is
    reduced four times as much, and what is borrowed as much as the strips that it fills.
    """
    laid = [converted(_laid(read, layer, plan, quality), plan.colour) for layer in plan.layers]
    if not laid:
        return black((plan.width, plan.height), plan.colour)
    if len(laid) == 1:
        return laid[0]
    return _mixed(laid, [layer.weight for layer in plan.layers])


@dataclass(frozen=True, kw_only=True, eq=False)
class _Look:
    """How a source picture is laid: its map, and what is not of one map."""

    matrix: Matrix
    bend: NDArray[np.float64] | None
    size: tuple[int, int]
    border: int
    colour: tuple[int, int, int]
    kernel: int
    siting: Siting


def _laid(read: Read, layer: Layer, plan: Plan, quality: Quality) -> Picture:
    source = read(layer, layer.frame)
    size = plan.width, plan.height
    scale = _scale(layer.source_size, source.size)  # a proxy may stand in for the film
    matrix = scale @ layer.matrix
    plain = layer.bend is None and layer.window is None and layer.edge != "clear"
    if plain and source.size == size and source.siting == LEFT and np.allclose(matrix, np.eye(3), atol=1e-9):
        return source
    look = _Look(
        matrix=matrix,
        bend=None if layer.bend is None else np.array(layer.bend) * (scale[0, 0], scale[1, 1]),
        size=size,
        border=_BORDERS[layer.edge],
        colour=_coded(layer.colour if layer.edge == "colour" else "#000000", source),
        kernel=_KERNELS[layer.kernel] if quality == "final" else cv2.INTER_LINEAR,
        siting=source.siting,
    )
    picture = _warped(source, look)
    if layer.borrowed:
        picture = _with_borrowed(picture, source, look, layer, read)
    if layer.crispness > 0 and quality == "final":
        picture = replace(picture, y=_crisp(picture.y, layer.crispness, matrix))
    if layer.window is not None:
        picture = _windowed(picture, layer.window, layer.around)
    if layer.edge == "clear":
        seen = _seen(source, look)
        picture = replace(picture, alpha=seen.astype(np.uint16) * 257 if picture.deep else seen)
    return picture


def _warped(source: Picture, look: _Look) -> Picture:
    chroma = replace(
        look,
        matrix=np.linalg.inv(_luma_from_chroma(look.siting)) @ look.matrix @ _luma_from_chroma(LEFT),
        bend=None if look.bend is None else look.bend / 2,
        size=((look.size[0] + 1) // 2, (look.size[1] + 1) // 2),
    )
    return Picture(
        y=_resampled(source.y, look, look.colour[0]),
        u=_resampled(source.u, chroma, look.colour[1]),
        v=_resampled(source.v, chroma, look.colour[2]),
        colour=source.colour,
    )


def _luma_from_chroma(siting: Siting) -> Matrix:
    """Places in a chroma plane as places in luma."""
    return np.array([[2, 0, siting[0]], [0, 2, siting[1]], [0, 0, 1]])


def _resampled(plane: Plane, look: _Look, beyond: int) -> Plane:
    if look.kernel != cv2.INTER_LINEAR and _shrinks(look.matrix) > _SHRINKS:
        # Twice as fine, and averaged: as sharp as the output can be, and nothing flickers.
        finer = replace(look, matrix=look.matrix @ _HALF, size=(2 * look.size[0], 2 * look.size[1]))
        return cv2.resize(_resampled_at(plane, finer, beyond), look.size, interpolation=cv2.INTER_AREA)
    return _resampled_at(plane, look, beyond)


def _resampled_at(plane: Plane, look: _Look, beyond: int) -> Plane:
    before = plane.shape
    plane, matrix = _averaged(plane, look.matrix)
    if look.bend is None:
        return cv2.warpPerspective(
            plane,
            matrix,
            look.size,
            flags=look.kernel | cv2.WARP_INVERSE_MAP,
            borderMode=look.border,
            borderValue=beyond,
        )
    bend = look.bend * (plane.shape[1] / before[1])
    across, down = bent_map(matrix, bend, (plane.shape[1], plane.shape[0]), look.size)
    return cv2.remap(plane, across, down, look.kernel, borderMode=look.border, borderValue=beyond)


def bent_map(
    matrix: Matrix, bend: NDArray[np.float64], source: tuple[int, int], size: tuple[int, int]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Where each pixel of an output of a size comes from: a map, and displacements on a grid over the source."""
    # A cell more on every side: enlarging goes from cell centre to cell centre.
    columns, rows = (-(-side // _BEND_EVERY_PX) + 2 for side in size)
    x, y = ((np.arange(count) - 0.5) * _BEND_EVERY_PX - 0.5 for count in (columns, rows))
    points = np.stack([*np.meshgrid(x, y), np.ones((rows, columns))], axis=-1) @ matrix.T
    place = points[..., :2] / points[..., 2:]
    knots = place / (source[0] - 1, source[1] - 1) * (bend.shape[1] - 1, bend.shape[0] - 1)
    shift = cv2.remap(
        bend.astype(np.float32),
        knots[..., 0].astype(np.float32),
        knots[..., 1].astype(np.float32),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )
    coarse = (place + shift).astype(np.float32)
    # Not warpAffine: OpenCV 5.0 takes places in it in steps of a 32nd of a cell, which is half a pixel here.
    whole = cv2.resize(coarse, (columns * _BEND_EVERY_PX, rows * _BEND_EVERY_PX), interpolation=cv2.INTER_LINEAR)
    fine = whole[_BEND_EVERY_PX : _BEND_EVERY_PX + size[1], _BEND_EVERY_PX : _BEND_EVERY_PX + size[0]]
    return np.ascontiguousarray(fine[..., 0]), np.ascontiguousarray(fine[..., 1])


def _with_borrowed(picture: Picture, source: Picture, look: _Look, layer: Layer, read: Read) -> Picture:
    """What lies beyond the edge, from other frames, blended without seams; what none of them saw stays smeared.

    Only the strips along the border that the picture does not fill are made.
    """
    there = _there(source, look)
    lent = []
    for each in layer.borrowed:
        other = read(layer, each.frame)
        matrix = _scale(layer.source_size, other.size) @ each.matrix
        laid = replace(look, matrix=matrix, bend=None)
        lent.append((other, laid, _there(other, laid)))
    planes = [plane.copy() for plane in picture.planes]
    for strip in strips(there):
        shift = np.array([[1, 0, strip.left], [0, 1, strip.top], [0, 0, 1.0]])
        patches = [
            Patch(
                picture=_warped(other, replace(laid, matrix=laid.matrix @ shift, size=strip.size)),
                there=strip.of(weights),
            )
            for other, laid, weights in lent
        ]
        strip.put(planes, patched(strip.cut(picture), strip.of(there), patches))
    return replace(picture, y=planes[0], u=planes[1], v=planes[2])


def _there(source: Picture, look: _Look) -> Weights:
    """How much of the source counts at each pixel of the output; its soft edge is made at a quarter of the size."""
    size = tuple(max(2, side // _COARSE) for side in look.size)
    coarse = replace(look, matrix=look.matrix @ _scale((size[0], size[1]), look.size), size=(size[0], size[1]))
    soft = feathered(_seen(source, coarse))
    return cv2.resize(soft, look.size, interpolation=cv2.INTER_LINEAR)


def _seen(source: Picture, look: _Look) -> Plane:
    """Which pixels of the output show the source: 255, or less where its edge cuts through them."""
    whole = np.full((source.size[1], source.size[0]), 255, np.uint8)
    return _resampled(whole, replace(look, border=cv2.BORDER_CONSTANT, kernel=cv2.INTER_LINEAR), 0)


def _windowed(picture: Picture, window: tuple[float, float, float, float], around: str) -> Picture:
    """Something else outside of a window; its edges fall on even pixels, so that no chroma is cut."""
    left, top, right, bottom = window_pixels(window)
    codes = (0, 0, 0) if around == "blurred" else _coded(around, picture)
    planes = []
    for plane, code, by in zip(picture.planes, codes, (1, 2, 2), strict=True):
        area = slice(top // by, bottom // by), slice(left // by, right // by)
        inner = plane[area]
        framed = _blurred_out(inner, plane.shape) if around == "blurred" and inner.size else np.full_like(plane, code)
        framed[area] = inner
        planes.append(framed)
    return replace(picture, y=planes[0], u=planes[1], v=planes[2])


def _blurred_out(plane: Plane, shape: tuple[int, ...]) -> Plane:
    """A plane enlarged until it covers a shape, and blurred until nothing in it draws the eye."""
    height, width = plane.shape
    scale = min(width / shape[1], height / shape[0])
    w, h = max(1, round(shape[1] * scale)), max(1, round(shape[0] * scale))
    left, top = (width - w) // 2, (height - h) // 2
    across = max(2, round(_BLURRED_PX * min(1.0, shape[1] / shape[0])))
    down = max(2, round(across * shape[0] / shape[1]))
    small = cv2.resize(plane[top : top + h, left : left + w], (across, down), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), 1.6, borderType=cv2.BORDER_REFLECT)
    return cv2.resize(soft, (shape[1], shape[0]), interpolation=cv2.INTER_CUBIC)


def window_pixels(window: tuple[float, float, float, float]) -> tuple[int, int, int, int]:
    """The pixels, even ones, that lie within a window's edges: first column and row, and those behind the last."""
    left, top = (2 * max(0, int(np.ceil((at + 0.5) / 2))) for at in window[:2])
    right, bottom = (2 * max(0, int((at + 0.5) / 2)) for at in window[2:])
    return left, top, right, bottom


def _averaged(plane: Plane, matrix: Matrix) -> tuple[Plane, Matrix]:
    """Reduces a plane by the whole factor by which the map makes it smaller, so that nothing flickers."""
    factor = int(_shrinks(matrix) + 0.25)
    height, width = plane.shape
    if factor < 2 or min(height, width) < 2 * factor:
        return plane, matrix
    size = max(1, width // factor), max(1, height // factor)
    small = cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
    return small, _scale((width, height), size) @ matrix


def _shrinks(matrix: Matrix) -> float:
    """By how much a map from the output to the source makes the picture smaller; under 1 it is enlarged."""
    return float(np.sqrt(abs(np.linalg.det(matrix[:2, :2]))))


def _scale(before: tuple[int, int], after: tuple[int, int]) -> Matrix:
    """Takes pixels of a picture to pixels of the same picture at another size."""
    across, down = after[0] / before[0], after[1] / before[1]
    return np.array([[across, 0, (across - 1) / 2], [0, down, (down - 1) / 2], [0, 0, 1]])


def _crisp(y: Plane, amount: float, matrix: Matrix) -> Plane:
    """An unsharp mask as wide and as strong as the picture was enlarged."""
    enlarged = 1 / _shrinks(matrix)
    soft = cv2.GaussianBlur(y, (0, 0), 0.8 * max(1.0, enlarged))
    strength = 1.5 * amount * min(2.0, max(0.5, enlarged))
    return cv2.addWeighted(y, 1 + strength, soft, -strength, 0)


def _mixed(pictures: list[Picture], weights: list[float]) -> Picture:
    """Pictures of one kind of colours as light on each other; what is clear has no say in it."""
    deep = any(each.deep for each in pictures)
    pictures = [each.deepened() for each in pictures] if deep else pictures
    most = 65535 if deep else 255
    shares = [
        np.full(each.y.shape, weight, np.float32)
        if each.alpha is None
        else each.alpha.astype(np.float32) * np.float32(weight / most)
        for each, weight in zip(pictures, weights, strict=True)
    ]
    whole = np.maximum(sum(shares), np.float32(1e-6))
    colour, packed = pictures[0].colour, [yuv_of(each) for each in pictures]
    on_each_other = np.empty_like(packed[0])
    for top in range(0, len(whole), _ROWS_AT_ONCE):  # light takes four bytes where code takes one
        rows = slice(top, top + _ROWS_AT_ONCE)
        light = np.zeros((*whole[rows].shape, 3), np.float32)
        for each, share in zip(packed, shares, strict=True):
            light += light_of_yuv(each[rows], colour) * (share[rows] / whole[rows])[..., None]
        on_each_other[rows] = yuv_of_light(light, colour, deep=deep)
    mixed = picture_from_yuv(on_each_other, colour)
    if all(each.alpha is None for each in pictures):
        return mixed
    alpha = (np.minimum(whole, 1) * most + 0.5).astype(np.uint16 if deep else np.uint8)
    return replace(mixed, alpha=alpha)


def _coded(colour: str, like: Picture) -> tuple[int, int, int]:
    """A colour as screens show it (#rrggbb), as luma and chroma of a picture."""
    red, green, blue = (int(colour[k : k + 2], 16) for k in (1, 3, 5))
    field = picture_from_rgb(np.full((2, 2, 3), (red, green, blue), np.uint8))
    field = converted(field.deepened() if like.deep else field, like.colour)
    return int(field.y[0, 0]), int(field.u[0, 0]), int(field.v[0, 0])
