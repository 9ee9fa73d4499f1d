"""Motion models of a picture, fitted robustly to matched points: translation, similarity, homography.

Points are (n, 2) float64 in pixels with the origin at the picture's centre; a motion is a 3x3 float64
homography `after_from_before`.
"""

from collections.abc import Iterable
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
Matrix = NDArray[np.float64]

FittedModel = Literal["translation", "similarity", "homography", "mesh"]
MODELS: tuple[FittedModel, ...] = ("translation", "similarity", "homography")
"""The models that move the whole picture by one matrix; a mesh is a homography and what that leaves."""
HOMOGRAPHY = MODELS.index("homography")
MESH_KNOTS = (6, 10)
"""Rows and columns of a mesh's knots; the outermost lie on the picture's edge."""
_ALL: tuple[FittedModel, ...] = (*MODELS, "mesh")
_PARAMETERS = {"translation": 2, "similarity": 4, "homography": 8, "mesh": 8 + 24}
"""Of a mesh, beside its homography's: the trace of its smoothing matrix for a picture full of corners."""

NEGLIGIBLE_PX = 0.05
"""Working pixels by which a simpler model may be off without a richer one being worth it."""
_CORRELATED = 6.0
"""Points whose flow windows overlap err alike: so many of them count as one witness in choosing a model."""


def robust_cost(residuals_px: Points, noise_px: Points | float) -> Points:
    """(...): the sum of squared residuals (..., n) in units of the noise (...), none for more than four times that."""
    squares: Points = np.minimum((residuals_px / np.asarray(noise_px)[..., None]) ** 2, 16.0)
    return squares.sum(axis=-1) / _CORRELATED


def apply(motion: NDArray[np.floating], points: NDArray[np.floating]) -> Points:
    """Where a homography takes points (n, 2)."""
    moved = points @ motion[:, :2].T + motion[:, 2]
    return moved[:, :2] / moved[:, 2:]


def apply_each(motions: NDArray[np.floating], points: Points) -> Points:
    """(n, m, 2): where each of homographies (n, 3, 3) takes points (m, 2), or its own points (n, m, 2)."""
    moved = points @ motions[:, :2, :2].transpose(0, 2, 1) + motions[:, None, :2, 2]
    depth = points @ motions[:, 2, :2, None] + motions[:, None, 2:, 2]
    return np.asarray(moved / depth, np.float64)


def translation(x: float, y: float) -> Matrix:
    """(3, 3): the motion that takes every place by (x, y)."""
    return np.array([[1.0, 0, x], [0, 1.0, y], [0, 0, 1.0]])


def scale_of(before: tuple[int, int], after: tuple[int, int]) -> Matrix:
    """(3, 3): takes pixels of a picture, counted from its first one, to those of the same picture at another size."""
    across, down = after[0] / before[0], after[1] / before[1]
    return np.array([[across, 0, (across - 1) / 2], [0, down, (down - 1) / 2], [0, 0, 1]])


def gate_corners(width: float, height: float) -> Matrix:
    """The outer corners of a picture's pixels about its centre: (4, 2), round it from the top left."""
    x, y = width / 2, height / 2
    return np.array([[-x, -y], [x, -y], [x, y], [-x, y]])


def pixel_corners(width: int, height: int) -> Matrix:
    """The same corners in pixel coordinates, in which the middle of the first pixel is (0, 0): (4, 2)."""
    return gate_corners(width, height) + (np.array([width, height]) - 1) / 2


def longest_way(maps: Iterable[Matrix], about: Matrix, size: tuple[int, int]) -> float:
    """How far a picture of a size goes, in pixels, through some maps one after the other, where it goes farthest.

    `about`: the map with which it lies where it is seen; of the corners and the middle the longest way is taken.
    """
    places = np.array([*pixel_corners(*size), (np.array(size) - 1) / 2], np.float64)
    seen = np.linalg.inv(about)
    gone = np.array([apply(np.asarray(seen @ each), places) for each in maps])
    return float(np.hypot(*np.moveaxis(np.diff(gone, axis=0), -1, 0)).sum(axis=0).max())


def summed_up(motions: Matrix, at: int = 0) -> Matrix:
    """From row `at` of motions (n, 3, 3), each from the frame before, to every other frame: (n, 3, 3)."""
    summed = np.empty_like(motions)
    summed[at] = np.eye(3)
    for k in range(at + 1, len(motions)):
        total = motions[k] @ summed[k - 1]
        summed[k] = total / total[2, 2]
    for k in range(at - 1, -1, -1):
        total = np.linalg.inv(motions[k + 1]) @ summed[k + 1]
        summed[k] = total / total[2, 2]
    return summed


def similarity_of(motion: Matrix) -> Matrix:
    """The similarity that agrees best with a homography at the origin: (4,) a, b, x, y with z -> (a+ib)z + x+iy.

    It has the homography's displacement at the origin, and the rotation and scale of its Jacobian there.
    """
    return similarities_of(motion[None])[0]


def similarities_of(motions: Matrix) -> Matrix:
    """The similarities of homographies (n, 3, 3): (n, 4), see `similarity_of`."""
    w = motions[:, 2, 2]
    place = motions[:, :2, 2] / w[:, None]
    jacobian = (motions[:, :2, :2] - place[:, :, None] * motions[:, 2, None, :2]) / w[:, None, None]
    a = (jacobian[:, 0, 0] + jacobian[:, 1, 1]) / 2
    b = (jacobian[:, 1, 0] - jacobian[:, 0, 1]) / 2
    return np.column_stack([a, b, place])


def simplest_model(cost: Matrix, points: NDArray[np.int64]) -> FittedModel:
    """The simplest model that explains a whole take.

    Torr's geometric criterion (1998, doi:10.1098/rsta.1998.0224) over all frames: cost (frames, 4), the mesh's
    last, plus a price of log(4n) per parameter and frame. `points` (frames,) is the number behind each row.
    """
    known = points > 0
    price = np.log(4 * points[known])[:, None] * np.array([_PARAMETERS[m] for m in _ALL])
    total = (cost[known] + price).sum(axis=0)
    return _ALL[int(np.argmin(total))]


def noise_of(residuals: Points) -> float:
    """The deviation along one axis of which a 2-D normal distribution has this median of distances (n,)."""
    middle = len(residuals) // 2
    return 1.4826 / 1.1774 * float(np.partition(residuals, middle)[middle])


def rescaled(motion: Matrix, unit_px: float) -> Matrix:
    """The same motions (..., 3, 3) for coordinates counted in `unit_px`."""
    scale = np.array([unit_px, unit_px, 1.0])
    h = motion * scale[None, :] / scale[:, None]
    return h / h[..., 2:, 2:]
