"""The one place that turns a plan into pixels: every source plane is resampled once."""

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.picture import Picture, Plane
from clevrin.core.render.plan import Layer, Plan, Quality

_BORDERS = {
    "fill": cv2.BORDER_REPLICATE,
    "smear": cv2.BORDER_REPLICATE,
    "mirror": cv2.BORDER_REFLECT_101,
    "bare": cv2.BORDER_CONSTANT,
}
_KERNELS = {"draft": cv2.INTER_LINEAR, "final": cv2.INTER_CUBIC}
_BLACK = (16, 128, 128)
# Chroma sample c of a plane stands at luma position 2c + 0.5.
_LUMA_FROM_CHROMA = np.array([[2, 0, 0.5], [0, 2, 0.5], [0, 0, 1]])
_CHROMA_FROM_LUMA = np.linalg.inv(_LUMA_FROM_CHROMA)


def execute(plan: Plan, read: Callable[[Layer], Picture], quality: Quality = "final") -> Picture:
    """The picture of a plan. `read` gives a layer's source picture, upright, or a smaller proxy of it.

    Bicubic at final quality, bilinear at draft; sources that are much larger than the output are averaged down
    first. Costs about 8 ms for 1280x720 at draft and 14 ms at final quality on one core.
    """
    mixed: list[Picture] = [_laid(read(layer), layer, plan, quality) for layer in plan.layers]
    if not mixed:
        return _black(plan.width, plan.height)
    if len(mixed) == 1:
        return mixed[0]
    weights = [layer.weight for layer in plan.layers]
    y, u, v = (_mixed([m.planes[k] for m in mixed], weights) for k in range(3))
    return Picture(y=y, u=u, v=v)


def _laid(source: Picture, layer: Layer, plan: Plan, quality: Quality) -> Picture:
    matrix = layer.matrix
    if source.size != layer.source_size:  # a proxy stands in for the film
        matrix = _scale(layer.source_size, source.size) @ matrix
    if source.size == (plan.width, plan.height) and np.allclose(matrix, np.eye(3), atol=1e-9):
        return source
    half = ((plan.width + 1) // 2, (plan.height + 1) // 2)
    chroma = _CHROMA_FROM_LUMA @ matrix @ _LUMA_FROM_CHROMA
    y = _warped(source.y, matrix, (plan.width, plan.height), layer, quality, _BLACK[0])
    u = _warped(source.u, chroma, half, layer, quality, _BLACK[1])
    v = _warped(source.v, chroma, half, layer, quality, _BLACK[2])
    if layer.crispness > 0 and quality == "final":
        y = _crisp(y, layer.crispness, matrix)
    return Picture(y=y, u=u, v=v)


def _warped(
    plane: Plane,
    matrix: NDArray[np.float64],
    size: tuple[int, int],
    layer: Layer,
    quality: Quality,
    black: int,
) -> Plane:
    plane, matrix = _averaged(plane, matrix)
    return cv2.warpPerspective(
        plane,
        matrix,
        size,
        flags=_KERNELS[quality] | cv2.WARP_INVERSE_MAP,
        borderMode=_BORDERS[layer.edge],
        borderValue=black,
    )


def _averaged(plane: Plane, matrix: NDArray[np.float64]) -> tuple[Plane, NDArray[np.float64]]:
    """Reduces a plane by the whole factor by which the map makes it smaller, so that nothing flickers."""
    factor = int(np.sqrt(abs(np.linalg.det(matrix[:2, :2]))) + 0.25)
    height, width = plane.shape
    if factor < 2 or min(height, width) < 2 * factor:
        return plane, matrix
    size = max(1, width // factor), max(1, height // factor)
    small = cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
    return small, _scale((width, height), size) @ matrix


def _scale(before: tuple[int, int], after: tuple[int, int]) -> NDArray[np.float64]:
    """Takes pixels of a picture to pixels of the same picture at another size."""
    across, down = after[0] / before[0], after[1] / before[1]
    return np.array([[across, 0, (across - 1) / 2], [0, down, (down - 1) / 2], [0, 0, 1]])


def _crisp(y: Plane, amount: float, matrix: NDArray[np.float64]) -> Plane:
    """An unsharp mask as wide and as strong as the picture was enlarged."""
    enlarged = 1 / np.sqrt(abs(np.linalg.det(matrix[:2, :2])))
    soft = cv2.GaussianBlur(y, (0, 0), 0.8 * max(1.0, enlarged))
    strength = 1.5 * amount * min(2.0, max(0.5, enlarged))
    return cv2.addWeighted(y, 1 + strength, soft, -strength, 0)


def _mixed(planes: list[Plane], weights: list[float]) -> Plane:
    total = planes[0].astype(np.float32) * weights[0]
    for plane, weight in zip(planes[1:], weights[1:], strict=True):
        total += plane.astype(np.float32) * weight
    return (total + 0.5).astype(np.uint8)


def _black(width: int, height: int) -> Picture:
    half = ((height + 1) // 2, (width + 1) // 2)
    y, u, v = (np.full(s, b, np.uint8) for s, b in zip(((height, width), half, half), _BLACK, strict=True))
    return Picture(y=y, u=u, v=v)
