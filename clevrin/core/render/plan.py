"""A plan: what has to be done for one frame of the reel, as data that can be printed and tested."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.colour import BT709, Colour
from clevrin.core.document.holding import Edge, Kernel

Quality = Literal["draft", "final"]
Row9 = tuple[float, float, float, float, float, float, float, float, float]
Bend = tuple[tuple[tuple[float, float], ...], ...]


@dataclass(frozen=True, kw_only=True)
class Borrowed:
    """Another frame of the same take that sees what lies beyond the edge, and where its picture is laid."""

    frame: int
    src_from_out: Row9

    @property
    def matrix(self) -> NDArray[np.float64]:
        return _square(self.src_from_out)


@dataclass(frozen=True, kw_only=True)
class Layer:
    """One source picture, of the size `source_size`, and how it is laid on the frame.

    `src_from_out` takes pixels of the output to pixels of the upright source picture (row by row): hold,
    mirroring and the fit to the reel in one map, so that the picture is resampled once; `bend`, if there is one, are
    displacements in source pixels that come on top, at the knots of a grid over the source, row by row. `edge` says
    what stands where the source ends, `colour` that of the edge of this name, and `borrowed` which frames are borrowed
    from, best first. `window` (left, top, right, bottom in output pixels) is what is shown at all; `around` is what
    stands outside of it: a colour (#rrggbb), or "blurred": what is shown itself, enlarged and blurred. `weight` is its
    share of the mix; the weights of a plan's layers add up to 1.
    """

    take_id: str
    path: str
    frame: int
    source_size: tuple[int, int]
    src_from_out: Row9
    bend: Bend | None = None
    edge: Edge = "fill"
    colour: str = "#000000"
    borrowed: tuple[Borrowed, ...] = ()
    window: tuple[float, float, float, float] | None = None
    around: str = "#000000"
    kernel: Kernel = "bicubic"
    crispness: float = 0.0
    weight: float = 1.0

    @property
    def matrix(self) -> NDArray[np.float64]:
        return _square(self.src_from_out)


@dataclass(frozen=True, kw_only=True)
class Plan:
    """A frame of `width` x `height` as the mix of its layers, in colours of a kind; none: black.

    `unmeasured`: names of takes that are shown as shot because what their hold needs is not measured yet.
    """

    width: int
    height: int
    layers: tuple[Layer, ...]
    unmeasured: tuple[str, ...] = ()
    colour: Colour = BT709


def _square(row: Row9) -> NDArray[np.float64]:
    return np.array(row).reshape(3, 3)


def bend_rows(knots: NDArray[np.float64]) -> Bend:
    """Displacements (rows, columns, 2) as values."""
    return tuple(tuple((float(x), float(y)) for x, y in row) for row in knots)


def row9(matrix: NDArray[np.float64]) -> Row9:
    values = [float(v) for v in (matrix / matrix[2, 2]).reshape(-1)]
    return (*values[:8], values[8])  # type: ignore[return-value]
