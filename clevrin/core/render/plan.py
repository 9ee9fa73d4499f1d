"""A plan: what has to be done for one frame of the reel, as data that can be printed and tested."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.model import Edge

Quality = Literal["draft", "final"]
Row9 = tuple[float, float, float, float, float, float, float, float, float]


@dataclass(frozen=True, kw_only=True)
class Layer:
    """One source picture, of the size `source_size`, and how it is laid on the frame.

    `src_from_out` takes pixels of the output to pixels of the upright source picture (row by row): hold,
    mirroring and the fit to the reel in one map, so that the picture is resampled once. `weight` is its share
    of the mix; the weights of a plan's layers add up to 1.
    """

    take_id: str
    path: str
    frame: int
    source_size: tuple[int, int]
    src_from_out: Row9
    edge: Edge = "fill"
    crispness: float = 0.0
    weight: float = 1.0

    @property
    def matrix(self) -> NDArray[np.float64]:
        return np.array(self.src_from_out).reshape(3, 3)


@dataclass(frozen=True, kw_only=True)
class Plan:
    """A frame of `width` x `height` as the mix of its layers; none: black.

    `unmeasured`: names of takes that are shown as shot because what their hold needs is not measured yet.
    """

    width: int
    height: int
    layers: tuple[Layer, ...]
    unmeasured: tuple[str, ...] = ()


def row9(matrix: NDArray[np.float64]) -> Row9:
    values = [float(v) for v in (matrix / matrix[2, 2]).reshape(-1)]
    return (*values[:8], values[8])  # type: ignore[return-value]
