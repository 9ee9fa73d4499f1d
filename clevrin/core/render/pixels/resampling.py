"""Laying a source picture on an output: each of its planes is resampled once, at its own place."""

import threading
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.kernels import compiled
from clevrin.core.media.picture import LEFT, Picture, Plane, Siting
from clevrin.core.motion.geometry.models import scale_of

Matrix = NDArray[np.float64]
Places = tuple[NDArray[Any], NDArray[Any]]
"""Columns and rows of a source, each (h, w) float32 of an output."""

SHRINKS = 1.3
"""From this reduction on a film's pictures are made twice as fine first."""
HALF = np.array([[0.5, 0, -0.25], [0, 0.5, -0.25], [0, 0, 1]])
KERNEL_BORDERS = {
    cv2.BORDER_REPLICATE: compiled.BORDERS["nearest"],
    cv2.BORDER_REFLECT_101: compiled.BORDERS["mirrored"],
    cv2.BORDER_CONSTANT: compiled.BORDERS["colour"],
}
"""OpenCV's borders as compiled kernels name them."""
_WHOLE = {np.dtype(np.uint8): cv2.CV_8U, np.dtype(np.uint16): cv2.CV_16U}
_MOST_SCRATCH = 6
_BEND_EVERY_PX = 16
"""A bend is evaluated at every so many pixels, and between them is as good as straight."""


class _Scratch(threading.local):
    """Arrays of a thread that are written over again and again: fresh memory costs as much as what is done in it."""

    def __init__(self) -> None:
        self._arrays: dict[tuple[str, tuple[int, ...]], NDArray[np.float32]] = {}

    def floats(self, role: str, shape: tuple[int, ...]) -> NDArray[np.float32]:
        found = self._arrays.get((role, shape))
        if found is None:
            if len(self._arrays) >= _MOST_SCRATCH:
                self._arrays.clear()
            found = self._arrays[role, shape] = np.empty(shape, np.float32)
        return found


_scratch = _Scratch()


@dataclass(frozen=True, kw_only=True, eq=False)
class Look:
    """How a source picture is laid: its map, and what is not of one map."""

    matrix: Matrix
    bend: NDArray[np.float64] | None
    size: tuple[int, int]
    border: int
    colour: tuple[int, int, int]
    kernel: int
    siting: Siting


def warped(source: Picture, look: Look) -> Picture:
    """A picture laid as `look` says; the same one where that leaves it as it is."""
    stays = look.bend is None and look.size == source.size and source.siting == look.siting == LEFT
    if stays and source.alpha is None and np.allclose(look.matrix, np.eye(3), atol=1e-9):
        return source
    chroma = replace(
        look,
        matrix=np.linalg.inv(luma_from_chroma(look.siting)) @ look.matrix @ luma_from_chroma(LEFT),
        bend=None if look.bend is None else look.bend / 2,
        size=((look.size[0] + 1) // 2, (look.size[1] + 1) // 2),
    )
    return Picture(
        y=_resampled(source.y, look, look.colour[0]),
        u=_resampled(source.u, chroma, look.colour[1]),
        v=_resampled(source.v, chroma, look.colour[2]),
        colour=source.colour,
    )


def luma_from_chroma(siting: Siting) -> Matrix:
    """Places in a chroma plane as places in luma."""
    return np.array([[2, 0, siting[0]], [0, 2, siting[1]], [0, 0, 1]])


def _resampled(plane: Plane, look: Look, beyond: int) -> Plane:
    if look.kernel != cv2.INTER_LINEAR and shrinks(look.matrix) > SHRINKS:
        # Twice as fine, and averaged: as sharp as the output can be, and nothing flickers.
        finer = replace(look, matrix=look.matrix @ HALF, size=(2 * look.size[0], 2 * look.size[1]))
        return cv2.resize(_resampled_at(plane, finer, beyond), look.size, interpolation=cv2.INTER_AREA)
    return _resampled_at(plane, look, beyond)


def _resampled_at(plane: Plane, look: Look, beyond: int) -> Plane:
    before = plane.shape
    plane, matrix = averaged(plane, look.matrix)
    # OpenCV 5.0 lays floats by a cubic in two thirds of the time that whole numbers take, and to the same ones.
    quick = look.kernel == cv2.INTER_CUBIC and plane.dtype in _WHOLE
    source, laid = plane, None
    if quick:
        source, laid = _scratch.floats("source", plane.shape), _scratch.floats("laid", look.size[::-1])
        np.copyto(source, plane)
    if look.bend is None:
        laid = cv2.warpPerspective(
            source,
            matrix,
            look.size,
            flags=look.kernel | cv2.WARP_INVERSE_MAP,
            borderMode=look.border,
            borderValue=beyond,
            dst=laid,
        )
    else:
        bend = look.bend * (plane.shape[1] / before[1])
        across, down = bent_map(matrix, bend, (plane.shape[1], plane.shape[0]), look.size)
        laid = cv2.remap(source, across, down, look.kernel, laid, borderMode=look.border, borderValue=beyond)
    return cv2.subtract(laid, 0, dtype=_WHOLE[plane.dtype]) if quick else laid


def bent_map(matrix: Matrix, bend: NDArray[np.float64], source: tuple[int, int], size: tuple[int, int]) -> Places:
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


def seen_of(source: Picture, look: Look) -> Plane:
    """Which pixels of the output show the source: 255, or less where its edge cuts through them."""
    whole = np.full((source.size[1], source.size[0]), 255, np.uint8)
    return _resampled(whole, replace(look, border=cv2.BORDER_CONSTANT, kernel=cv2.INTER_LINEAR), 0)


def averaged(plane: Plane, matrix: Matrix) -> tuple[Plane, Matrix]:
    """Reduces a plane by the whole factor by which the map makes it smaller, so that nothing flickers."""
    factor = int(shrinks(matrix) + 0.25)
    height, width = plane.shape
    if factor < 2 or min(height, width) < 2 * factor:
        return plane, matrix
    size = max(1, width // factor), max(1, height // factor)
    small = cv2.resize(plane, size, interpolation=cv2.INTER_AREA)
    return small, scale_of((width, height), size) @ matrix


def shrinks(matrix: Matrix) -> float:
    """By how much a map from the output to the source makes the picture smaller; under 1 it is enlarged."""
    return float(np.sqrt(abs(np.linalg.det(matrix[:2, :2]))))
