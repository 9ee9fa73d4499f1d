"""The working picture: what motion is measured on, and the corners and small copies that are taken from it."""

from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import Points

Gray = NDArray[np.uint8]
Area = tuple[float, float, float, float]
"""x, y, w, h as shares of the picture's size."""
Mask = NDArray[np.bool_]
"""(h, w) of any size, that of the whole picture: what is true in it."""
LeftOut = Area | Mask
"""What does not count of a picture."""

WORK_WIDTH = 640
"""Pictures are reduced to about this width for measuring."""
CELLS = (16, 9)
"""Columns and rows of the grid by which corners are spread, and background is told from subject."""
_CORNERS, _CORNERS_IF_FLAT = 360, 450
"""About how many corners are followed; more where there is little contrast, because each of them is noisier."""
_FLAT = 20.0
_LEAST_STRENGTH, _NOISE_STRENGTH, _SHARE = 1e-6, 2e-5, 0.002
"""Smallest eigenvalue of a corner's gradients: at all, where noise alone reaches, and as a share of those beside it."""
_PER_CELL = (2, 4)
"""Fewest and most corners that a cell may have; the fewer cells have any, the more each gives."""
_COARSE_WIDTH = 160
_SOFT_PX = 1.2


def work_scale(width: int) -> float:
    """By how much pictures of this width are reduced for measuring."""
    return min(1.0, WORK_WIDTH / width)


def work_size(width: int, height: int) -> tuple[int, int]:
    """The working picture's columns and rows."""
    scale = work_scale(width)
    return max(1, round(width * scale)), max(1, round(height * scale))


def reduced(luma: Gray) -> Gray:
    """The working picture: the luma plane, reduced by averaging to at most `WORK_WIDTH` columns."""
    size = work_size(luma.shape[1], luma.shape[0])
    if size == luma.shape[::-1]:
        return np.ascontiguousarray(luma)
    return cv2.resize(luma, size, interpolation=cv2.INTER_AREA)


class Prepared:
    """A working picture and what is computed from it alone, each when it is first asked for.

    `sharp` is as it was reduced, `gray` what corners are followed on, a little softened: where a corner seems to be in
    a sharp picture depends on where it lies between the pixels, by 0.04 px; on the soft one, by a quarter of that.
    `leave_out`: areas that do not count. `full_size`: columns and rows of the picture that it was made from.
    """

    def __init__(
        self, sharp: Gray, leave_out: tuple[LeftOut, ...] = (), full_size: tuple[int, int] | None = None
    ) -> None:
        self.sharp = sharp
        self.gray = cv2.GaussianBlur(sharp, (0, 0), _SOFT_PX)
        self.leave_out = leave_out
        self.full_size = full_size or (sharp.shape[1], sharp.shape[0])

    @property
    def centre(self) -> Points:
        return np.array([(self.gray.shape[1] - 1) / 2, (self.gray.shape[0] - 1) / 2])

    @property
    def radius(self) -> float:
        """Half the diagonal in working pixels."""
        return float(np.hypot(*self.centre))

    @cached_property
    def features(self) -> NDArray[np.float32]:
        """Corners (n, 2) in working pixels from the picture's corner, in order of their cells. Costs 4 to 9 ms."""
        return _spread(_corners(self.gray, self.leave_out, _CORNERS_IF_FLAT if self.flat else _CORNERS))

    @cached_property
    def coarse(self) -> NDArray[np.float32]:
        """The picture reduced by `coarse_scale`."""
        size = (
            max(8, round(self.gray.shape[1] * self.coarse_scale)),
            max(8, round(self.gray.shape[0] * self.coarse_scale)),
        )
        return cv2.resize(self.gray, size, interpolation=cv2.INTER_AREA).astype(np.float32)

    @property
    def coarse_scale(self) -> float:
        return min(1.0, _COARSE_WIDTH / self.gray.shape[1])

    @property
    def flat(self) -> bool:
        """Whether there is so little contrast that each corner is found badly."""
        return self.level[1] < _FLAT

    @cached_property
    def level(self) -> tuple[float, float]:
        """Mean and standard deviation of its values."""
        return float(self.coarse.mean()), float(self.coarse.std())


def prepared(luma: Gray, leave_out: tuple[LeftOut, ...] = ()) -> Prepared:
    """Prepares a luma plane (h, w) uint8 for measuring."""
    return Prepared(reduced(luma), leave_out, (luma.shape[1], luma.shape[0]))


def cells_of(points: NDArray[np.floating], shape: tuple[int, ...]) -> NDArray[np.int64]:
    """(n,): the number of the grid cell in which each point (n, 2), in pixels from the corner, lies."""
    height, width = shape[:2]
    columns = np.clip(points[:, 0] * CELLS[0] / width, 0, CELLS[0] - 1).astype(np.int64)
    rows = np.clip(points[:, 1] * CELLS[1] / height, 0, CELLS[1] - 1).astype(np.int64)
    return rows * CELLS[0] + columns


def means_by_cell(cells: NDArray[np.int64], values: Points) -> tuple[NDArray[np.int64], Points]:
    """The cells in which there are any points, and the mean of their values (n,) in each."""
    there = np.bincount(cells, minlength=CELLS[0] * CELLS[1])
    sums = np.bincount(cells, weights=values, minlength=len(there))
    some = np.flatnonzero(there)
    return some, sums[some] / there[some]


def in_areas(points: NDArray[np.floating], areas: tuple[LeftOut, ...], shape: tuple[int, ...]) -> NDArray[np.bool_]:
    """(n,): which points (n, 2), in pixels from the corner, lie in one of the areas."""
    inside = np.zeros(len(points), bool)
    share = (points + 0.5) / np.array([shape[1], shape[0]])
    for area in areas:
        if isinstance(area, np.ndarray):
            high, wide = area.shape
            columns, rows = np.clip((share * (wide, high)).astype(np.int64), 0, (wide - 1, high - 1)).T
            inside |= area[rows, columns]
        else:
            x, y, w, h = area
            inside |= (share >= (x, y)).all(axis=1) & (share < (x + w, y + h)).all(axis=1)
    return inside


def _strongest_near(found: NDArray[np.float32], values: NDArray[np.float32], shape: tuple[int, ...]) -> NDArray:
    """(n,): the strongest corner about each: beside leaves in the sun a dark wall has corners of its own."""
    cells = cells_of(found, shape)
    strongest = np.zeros(CELLS[0] * CELLS[1], np.float32)
    np.maximum.at(strongest, cells, values)
    around = cv2.dilate(strongest.reshape(CELLS[1], CELLS[0]), np.ones((3, 3), np.uint8))
    return np.asarray(around.reshape(-1)[cells])


def _spread(corners: NDArray[np.float32]) -> NDArray[np.float32]:
    """Corners (n, 2) moved by less than half a pixel, each by its own part of one.

    By how much flow misses depends on where between the pixels a patch lies before and after. If all patches began
    on whole pixels, all would miss alike whenever the picture moves by half a pixel; so, they miss by nothing on the
    average. The parts are those of a sequence that fills the plane evenly (Roberts 2018).
    """
    parts = np.outer(np.arange(1, len(corners) + 1), (0.7548776662, 0.5698402910)) % 1.0 - 0.5
    return (corners + parts).astype(np.float32)


def _corners(gray: Gray, leave_out: tuple[LeftOut, ...], wanted: int) -> NDArray[np.float32]:
    """The best few corners of every cell (Shi & Tomasi 1994), so that all of the picture has a say."""
    height, width = gray.shape
    strength = cv2.cornerMinEigenVal(gray, 5, ksize=3)
    strength[strength < cv2.dilate(strength, np.ones((5, 5), np.uint8))] = 0
    margin = min(8, height // 8, width // 8)
    strength[:margin] = strength[height - margin :] = 0
    strength[:, :margin] = strength[:, width - margin :] = 0
    rows, columns = np.nonzero(strength > max(_LEAST_STRENGTH, min(_NOISE_STRENGTH, _SHARE * float(strength.max()))))
    found = np.column_stack([columns, rows]).astype(np.float32)
    values = strength[rows, columns]
    clear = values > _SHARE * _strongest_near(found, values, gray.shape)
    found, values = found[clear], values[clear]
    if leave_out:
        counts = ~in_areas(found, leave_out, gray.shape)
        found, values = found[counts], values[counts]
    cell = cells_of(found, gray.shape)
    order = np.lexsort((-values, cell))
    cell = cell[order]
    starts = np.searchsorted(cell, cell, side="left")
    most = int(np.clip(wanted // max(1, len(np.unique(cell))), *_PER_CELL))
    return found[order[np.arange(len(order)) - starts < most]]
