"""Motion models of a picture, fitted robustly to matched points: translation, similarity, homography.

Points are (n, 2) float64 in pixels with the origin at the picture's centre; a motion is a 3x3 float64
homography `after_from_before`.
"""

from dataclasses import dataclass
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

_ROUNDS = 4
_SETTLED_PX = 0.002
_TUKEY = 4.685
NEGLIGIBLE_PX = 0.05
"""Working pixels by which a simpler model may be off without a richer one being worth it."""
_CORRELATED = 6.0
"""Points whose flow windows overlap err alike: so many of them count as one witness in choosing a model."""


_LACKING = np.zeros((4, 8))
_LACKING[0, [0, 4]] = 1, -1
_LACKING[1, [1, 3]] = 1, 1
_LACKING[2, 6] = _LACKING[3, 7] = 1
"""What a homography has beyond a similarity: unlike growth, shear, and the two terms of perspective."""
_FORGETTING = 0.98
_ALIKE = 30.0
"""Fits from one key frame err alike: so many of them count as one witness of the lens."""
_LEAST_ALLOWED_PX = 0.1
_LEARNS_ALONE, _FIRST_EXCESS_PX = 3, 0.4
_BLURRED_PX = 0.5
"""Deviation at the corners from which on a fit is too rough to tell how well a habit predicts."""
"""Fits before a habit says anything."""
_USELESS = 3.0
"""Times a fit's own deviation from which on what a habit allows would not change the fit."""


@dataclass(kw_only=True)
class Habit:
    """How a take's homographies follow from its similarities: as those of a turning camera with one lens, or less so.

    A camera that only turns has a homography of four degrees of freedom: its focal length and three angles (Hartley
    1997, doi:10.1023/A:1007957826135). `weighted / weight` is what the fits so far say of 1/focal^2 in radii,
    `excess` by how much the four parameters that a similarity lacks differed from what that predicts, beyond their
    own noise: large where the camera moves past near things. It tells a fit what to expect of the four, and how far
    to trust that.
    """

    weighted: float = 0.0
    weight: float = 0.0
    excess: float = 0.0
    fits: float = 0.0

    @property
    def numbers(self) -> Points:
        return np.array([self.weighted, self.weight, self.excess, self.fits])

    @staticmethod
    def of(numbers: Points) -> "Habit":
        weighted, weight, excess, fits = (float(v) for v in numbers)
        return Habit(weighted=weighted, weight=weight, excess=excess, fits=fits)

    def expected(self, scaled: Matrix, radius_px: float) -> tuple[Points, float]:
        """The four for a fit in radii, and the deviation that is allowed."""
        if self.fits < _LEARNS_ALONE or self.weight <= 0:
            return np.zeros(4), max(1.0 / radius_px, 0.1 * float(np.hypot(*scaled[:2, 2])))
        inverse_square = max(0.0, self.weighted / self.weight)
        unsure = np.sqrt(_ALIKE / self.weight) * float(np.hypot(*scaled[:2, 2]))
        allowed = float(np.sqrt((_LEAST_ALLOWED_PX / radius_px) ** 2 + unsure**2 + max(0.0, self.excess)))
        return _turning(scaled, inverse_square), allowed

    def learn(self, lesson: "Lesson") -> None:
        """Takes in a fit made without it."""
        scaled, radius_px = lesson.scaled, lesson.radius_px
        off = _LACKING @ scaled.reshape(-1)[:8] - self.expected(scaled, radius_px)[0]
        shift, perspective = scaled[:2, 2], scaled[2, :2]
        variance = lesson.spread**2 + 1e-12
        self.weighted = _FORGETTING * self.weighted - float(perspective @ shift) / variance
        self.weight = _FORGETTING * self.weight + float(shift @ shift) / variance
        self.fits += 1
        if self.fits <= _LEARNS_ALONE:
            self.excess = (_FIRST_EXCESS_PX / radius_px) ** 2
            return
        if lesson.spread * radius_px > _BLURRED_PX:
            return
        # A few frames that are blurred unlike their key frame say nothing of the others.
        most = 4 * max(0.0, self.excess) + (_LEAST_ALLOWED_PX / radius_px) ** 2
        beyond = min(float((off**2).mean()) - lesson.spread**2, most)
        self.excess += max(1 / (1 + self.fits - _LEARNS_ALONE), 0.05) * (beyond - self.excess)


@dataclass(frozen=True, kw_only=True, eq=False)
class Lesson:
    """A homography in radii fitted without a habit, and the deviation of the four that a similarity lacks."""

    scaled: Matrix
    spread: float
    radius_px: float


def _turning(scaled: Matrix, inverse_square: float) -> Points:
    """The four of a camera that turns so that the centre moves as in a homography, in radii."""
    if inverse_square <= 0:
        return np.zeros(4)
    x, y = scaled[:2, 2]
    # The shortest turn that takes the middle of the picture to x, y; rolls and zooms have none of the four.
    focal = 1 / np.sqrt(inverse_square)
    target = np.array([x, y, focal]) / np.sqrt(x * x + y * y + focal * focal)
    axis = np.array([-target[1], target[0], 0.0])
    cross = np.array([[0, 0, axis[1]], [0, 0, -axis[0]], [-axis[1], axis[0], 0]])
    turn = np.eye(3) + cross + cross @ cross / (1 + target[2])
    motion = np.diag([focal, focal, 1.0]) @ turn @ np.diag([1 / focal, 1 / focal, 1.0])
    motion /= motion[2, 2]
    similar = scaled[:2, :2]
    size = np.sqrt(abs(np.linalg.det(similar)))
    roll = np.arctan2(similar[1, 0] - similar[0, 1], similar[0, 0] + similar[1, 1])
    c, s = size * np.cos(roll), size * np.sin(roll)
    motion = motion @ np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    four: Points = _LACKING @ motion.reshape(-1)[:8]
    return four


@dataclass(frozen=True, kw_only=True, eq=False)
class Fit:
    """A motion in each model, and how well each explains the points that follow the background.

    `motions` (3, 3, 3) in the order of `MODELS`; `cost` (3,): sum over `inliers` of the robust squared
    residual in units of the noise variance, as in Torr's criterion (1998).
    """

    motions: Matrix
    cost: Points
    inliers: NDArray[np.bool_]
    noise_px: float
    lesson: "Lesson"


def fit_motion(
    before: Points,
    after: Points,
    radius_px: float,
    consensus_px: float,
    agreeing: NDArray[np.bool_],
    habit: "Habit | None" = None,
) -> Fit | None:
    """Fits all models to the matched points that agree; None where there are too few.

    Least squares reweighted by Tukey's function on a scale estimated from the residuals. `radius_px` is half the
    picture's diagonal; `consensus_px` the largest distance at which a point may still follow. `habit` holds what
    few or noisy points tell badly.
    """
    if agreeing.sum() < 8:
        return None
    b, a = before[agreeing], after[agreeing]
    homography, weights, noise, lesson = _fit_homography(b, a, radius_px, habit)
    motions = [_fit_translation(b, a, weights), _fit_similarity(b, a, weights), homography]
    scale = max(noise, NEGLIGIBLE_PX)
    cost = [robust_cost(_residuals(m, b, a), scale) for m in motions]
    residuals = np.hypot(*(apply(homography, before) - after).T)
    followers = residuals < max(consensus_px, 4 * noise)
    return Fit(motions=np.array(motions), cost=np.array(cost), inliers=followers, noise_px=noise, lesson=lesson)


def robust_cost(residuals_px: Points, noise_px: float) -> float:
    """The sum of squared residuals (n,) in units of the noise, none counted for more than four times the noise."""
    return float(np.minimum((residuals_px / noise_px) ** 2, 16.0).sum()) / _CORRELATED


def apply(motion: Matrix, points: Points) -> Points:
    """Where a homography takes points (n, 2)."""
    moved = points @ motion[:, :2].T + motion[:, 2]
    return moved[:, :2] / moved[:, 2:]


def gate_corners(width: int, height: int) -> Matrix:
    """The outer corners of a picture's pixels about its centre: (4, 2), in order round the picture."""
    x, y = width / 2, height / 2
    return np.array([[-x, -y], [x, -y], [x, y], [-x, y]])


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


def _residuals(motion: Matrix, before: Points, after: Points) -> Points:
    return np.hypot(*(apply(motion, before) - after).T)


def _tukey(residuals: Points) -> tuple[Points, float]:
    noise = max(0.02, noise_of(residuals))
    share = np.minimum(residuals / (noise * _TUKEY), 1)
    return (1 - share * share) ** 2, noise


def _fit_translation(before: Points, after: Points, weights: Points) -> Matrix:
    motion = np.eye(3)
    motion[:2, 2] = np.average(after - before, axis=0, weights=weights + 1e-9)
    return motion


def _fit_similarity(before: Points, after: Points, weights: Points) -> Matrix:
    share = weights + 1e-9
    share = share / share.sum()
    b, a = (np.ascontiguousarray(points).view(np.complex128)[:, 0] for points in (before, after))
    mid_b, mid_a = share @ b, share @ a
    weighted = share * np.conj(b - mid_b)
    turn = (weighted @ (a - mid_a)) / (weighted @ (b - mid_b))
    shift = mid_a - turn * mid_b
    return np.array([[turn.real, -turn.imag, shift.real], [turn.imag, turn.real, shift.imag], [0, 0, 1]])


def _fit_homography(
    before: Points, after: Points, radius_px: float, habit: Habit | None
) -> tuple[Matrix, Points, float, Lesson]:
    """Gauss-Newton on eight parameters, starting from a robust similarity.

    The four that a similarity lacks are held by a weak prior (their effect at the corners is as large as a
    pixel, or a tenth of the motion), so that frames with few or blurred points keep quiet corners; then, where
    the take's habit tells them better than this frame's points do, by that.
    """
    weights = np.ones(len(before))
    for _ in range(_ROUNDS):
        h = _fit_similarity(before, after, weights)
        weights, _ = _tukey(_residuals(h, before, after))
    units = before / radius_px, after / radius_px
    allowed = max(1.0 / radius_px, 0.1 * float(np.hypot(*h[:2, 2])) / radius_px)
    scaled, spread = _descended(_rescaled(h, radius_px), *units, radius_px, np.zeros(4), allowed)
    lesson = Lesson(scaled=scaled, spread=spread, radius_px=radius_px)
    if habit is not None:
        expected, allowed = habit.expected(scaled, radius_px)
        off = _LACKING @ scaled.reshape(-1)[:8] - expected
        tells_more = allowed < _USELESS * spread
        if tells_more and (off**2).mean() < 9 * (spread**2 + allowed**2):
            scaled, _ = _descended(scaled, *units, radius_px, expected, allowed)
    h = _rescaled(scaled, 1 / radius_px)
    weights, noise = _tukey(_residuals(h, before, after))
    return h, weights, noise, lesson


def _descended(
    scaled: Matrix, before: Points, after: Points, radius_px: float, expected: Points, allowed: float
) -> tuple[Matrix, float]:
    """The homography fitted from a near one, all in radii, and by how much its four may be off (one deviation)."""
    count = len(before)
    points = np.column_stack([before, np.ones(count)])
    rows = np.zeros((2, count, 8))
    for _ in range(_ROUNDS):
        moved = points @ scaled.T
        w = moved[:, 2:]
        at = moved[:, :2] / w
        residual = after - at
        over = points / w
        rows[0, :, :3] = rows[1, :, 3:6] = over
        rows[0, :, 6:] = -at[:, :1] * over[:, :2]
        rows[1, :, 6:] = -at[:, 1:] * over[:, :2]
        weights, noise = _tukey(np.hypot(*residual.T) * radius_px)
        sigma = noise / radius_px
        both = rows.reshape(-1, 8)
        weighted = (rows * weights[None, :, None]).reshape(-1, 8)
        normal = weighted.T @ both
        right = weighted.T @ residual.T.reshape(-1)
        strength = (sigma / allowed) ** 2
        held = normal + strength * _LACKING.T @ _LACKING + 1e-12 * np.eye(8)
        offset = _LACKING @ scaled.reshape(-1)[:8] - expected
        step = np.linalg.solve(held, right - strength * _LACKING.T @ offset)
        scaled = scaled + np.append(step, 0).reshape(3, 3)
        if np.abs(step).max() < _SETTLED_PX / radius_px:
            break
    variance = np.trace(_LACKING @ np.linalg.inv(held) @ _LACKING.T) / 4
    return scaled / scaled[2, 2], sigma * float(np.sqrt(variance))


def _rescaled(motion: Matrix, unit_px: float) -> Matrix:
    """The same motion for coordinates counted in `unit_px`."""
    scale = np.array([unit_px, unit_px, 1.0])
    h = motion * scale[None, :] / scale[:, None]
    return h / h[2, 2]
