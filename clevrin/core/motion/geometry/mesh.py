"""The mesh: what a homography leaves of the motion between two frames, as a grid of local motions.

After Liu et al. 2013 (doi:10.1145/2461912.2461995), who fit a homography to every cell of a grid; here each knot has
a displacement, because a homography is known already and few corners stand in a cell.
"""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import MESH_KNOTS as KNOTS
from clevrin.core.motion.geometry.models import NEGLIGIBLE_PX, Matrix, Points, apply, noise_of, robust_cost

_BEND = 6.0
_SIZE = 0.4
_ROUNDS = 3
_FAR_PX = 2.0
"""Working pixels from which on a corner moves by itself, and does not pull at the grid."""


def local_motion(
    before: Points, after: Points, motion: Matrix, half: Points, follows: NDArray[np.bool_]
) -> tuple[Points, float, float]:
    """The knots' displacements (rows, columns, 2) and the noise they leave, in working pixels, and the cost they save.

    `before` and `after` (n, 2) are matched corners about the centre, `motion` the homography between them, `half`
    half the picture's size, `follows` (n,) which of them follow the background: these alone tell what the mesh is
    worth, so that a subject explained by it is no reason to take it. Least squares with the grid's second
    differences (and, weakly, its displacements) held small, reweighted by Tukey's function, so that a subject
    which moves by itself does not bend it.
    """
    rows, columns = KNOTS
    if len(before) < 2 * rows:
        return np.zeros((rows, columns, 2)), NEGLIGIBLE_PX, 0.0
    left = after - apply(motion, before)
    shares = knot_shares(before, half)
    distance = np.hypot(*left.T)
    weights = np.where(distance < _FAR_PX, 1.0, 0.0)
    knots = np.zeros((rows * columns, 2))
    noise = NEGLIGIBLE_PX
    for _ in range(_ROUNDS):
        weighted = shares * weights[:, None]
        normal = weighted.T @ shares + _stiffness()
        knots = np.asarray(np.linalg.solve(normal, weighted.T @ left), np.float64)
        distance = np.hypot(*(left - shares @ knots).T)
        near = distance[weights > 0] if (weights > 0).any() else distance
        noise = max(NEGLIGIBLE_PX, noise_of(near))
        weights = (1 - np.clip(distance / (4.685 * noise), 0, 1) ** 2) ** 2
    gain = float(robust_cost(np.hypot(*left[follows].T), noise) - robust_cost(distance[follows], noise))
    return knots.reshape(rows, columns, 2), noise, gain


def knot_shares(points: Points, half: Points) -> NDArray[np.float64]:
    """(n, knots): the share that each knot has in the displacement at each point (n, 2) about the centre; bilinear."""
    rows, columns = KNOTS
    place = (points / half + 1) / 2 * (columns - 1, rows - 1)
    place = np.clip(place, 0, (columns - 1 - 1e-9, rows - 1 - 1e-9))
    first = np.floor(place).astype(int)
    part = place - first
    shares = np.zeros((len(points), rows * columns))
    at = np.arange(len(points))
    for right in (0, 1):
        for down in (0, 1):
            share = np.abs(1 - right - part[:, 0]) * np.abs(1 - down - part[:, 1])
            shares[at, (first[:, 1] + down) * columns + first[:, 0] + right] = share
    return shares


def _make_stiffness() -> NDArray[np.float64]:
    rows, columns = KNOTS
    numbers = np.arange(rows * columns).reshape(rows, columns)
    terms = []
    triples = [
        *zip(numbers[:, :-2].ravel(), numbers[:, 1:-1].ravel(), numbers[:, 2:].ravel(), strict=True),
        *zip(numbers[:-2].ravel(), numbers[1:-1].ravel(), numbers[2:].ravel(), strict=True),
    ]
    for a, b, c in triples:
        row = np.zeros(rows * columns)
        row[[a, b, c]] = 1, -2, 1
        terms.append(np.sqrt(_BEND) * row)
    bend = np.array(terms)
    return bend.T @ bend + _SIZE * np.eye(rows * columns)


_STIFFNESS = _make_stiffness()


def _stiffness() -> NDArray[np.float64]:
    return _STIFFNESS
