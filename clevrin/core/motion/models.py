"""Motion models of a picture, fitted robustly to matched points: translation, similarity, homography.

Points are (n, 2) float64 in pixels with the origin at the picture's centre; a motion is a 3x3 float64
homography `after_from_before`.
"""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]
Matrix = NDArray[np.float64]

FittedModel = Literal["translation", "similarity", "homography"]
MODELS: tuple[FittedModel, ...] = ("translation", "similarity", "homography")
PARAMETERS = {"translation": 2, "similarity": 4, "homography": 8}

_ROUNDS = 4
_TUKEY = 4.685
_NEGLIGIBLE_PX = 0.05
"""Working pixels by which a simpler model may be off without a richer one being worth it."""
_CORRELATED = 6.0
"""Points whose flow windows overlap err alike: so many of them count as one witness in choosing a model."""


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


def fit_motion(before: Points, after: Points, radius_px: float, consensus_px: float) -> Fit | None:
    """Fits all models to matched points; None where no consensus is found.

    Consensus by MAGSAC++ (Barath et al. 2020, doi:10.1109/CVPR42600.2020.00138, OpenCV's implementation),
    then least squares reweighted by Tukey's function on a scale estimated from the residuals. `radius_px`
    is half the picture's diagonal; `consensus_px` the largest distance at which a point may still follow.
    """
    if len(before) < 8:
        return None
    _, mask = cv2.findHomography(before, after, cv2.USAC_MAGSAC, consensus_px, maxIters=2000, confidence=0.999)
    if mask is None or mask.sum() < 8:
        return None
    inliers = mask[:, 0].astype(bool)
    b, a = before[inliers], after[inliers]
    homography, weights, noise = _fit_homography(b, a, radius_px)
    motions = [_fit_translation(b, a, weights), _fit_similarity(b, a, weights), homography]
    scale = max(noise, _NEGLIGIBLE_PX)
    cost = [float(np.minimum((_residuals(m, b, a) / scale) ** 2, 16.0).sum()) / _CORRELATED for m in motions]
    residuals = np.hypot(*(apply(homography, before) - after).T)
    followers = inliers & (residuals < max(consensus_px, 4 * noise))
    return Fit(motions=np.array(motions), cost=np.array(cost), inliers=followers, noise_px=noise)


def apply(motion: Matrix, points: Points) -> Points:
    """Where a homography takes points (n, 2)."""
    moved = points @ motion[:, :2].T + motion[:, 2]
    return moved[:, :2] / moved[:, 2:]


def similarity_of(motion: Matrix) -> Matrix:
    """The similarity that agrees best with a homography at the origin: (4,) a, b, x, y with z -> (a+ib)z + x+iy.

    It has the homography's displacement at the origin, and the rotation and scale of its Jacobian there.
    """
    w = motion[2, 2]
    place = motion[:2, 2] / w
    jacobian = (motion[:2, :2] - np.outer(place, motion[2, :2])) / w
    a = (jacobian[0, 0] + jacobian[1, 1]) / 2
    b = (jacobian[1, 0] - jacobian[0, 1]) / 2
    return np.array([a, b, *place])


def simplest_model(cost: Matrix, points: NDArray[np.int64]) -> FittedModel:
    """The simplest model that explains a whole take.

    Torr's geometric criterion (1998, doi:10.1098/rsta.1998.0224) over all frames: cost (frames, 3) plus a
    price of log(4n) per parameter and frame. `points` (frames,) is the number behind each row.
    """
    known = points > 0
    price = np.log(4 * points[known])[:, None] * np.array([PARAMETERS[m] for m in MODELS])
    total = (cost[known] + price).sum(axis=0)
    return MODELS[int(np.argmin(total))]


def _residuals(motion: Matrix, before: Points, after: Points) -> Points:
    return np.hypot(*(apply(motion, before) - after).T)


def _tukey(residuals: Points) -> tuple[Points, float]:
    noise = max(0.02, 1.4826 * float(np.median(residuals)) / 1.1774)  # of a 2-D normal distribution
    share = np.clip(residuals / (noise * _TUKEY), 0, 1)
    return (1 - share**2) ** 2, noise


def _fit_translation(before: Points, after: Points, weights: Points) -> Matrix:
    motion = np.eye(3)
    motion[:2, 2] = np.average(after - before, axis=0, weights=weights + 1e-9)
    return motion


def _fit_similarity(before: Points, after: Points, weights: Points) -> Matrix:
    weights = weights + 1e-9
    b, a = before @ [1, 1j], after @ [1, 1j]
    mid_b, mid_a = np.average(b, weights=weights), np.average(a, weights=weights)
    turn = np.sum(weights * np.conj(b - mid_b) * (a - mid_a)) / np.sum(weights * np.abs(b - mid_b) ** 2)
    shift = mid_a - turn * mid_b
    return np.array([[turn.real, -turn.imag, shift.real], [turn.imag, turn.real, shift.imag], [0, 0, 1]])


def _fit_homography(before: Points, after: Points, radius_px: float) -> tuple[Matrix, Points, float]:
    """Gauss-Newton on eight parameters, starting from a robust similarity.

    The four that a similarity lacks are held by a weak prior (their effect at the corners is as large as a
    pixel, or a tenth of the motion), so that frames with few or blurred points keep quiet corners.
    """
    weights = np.ones(len(before))
    noise = 1.0
    for _ in range(_ROUNDS):
        h = _fit_similarity(before, after, weights)
        weights, noise = _tukey(_residuals(h, before, after))
    x, y = (before / radius_px).T
    for _ in range(_ROUNDS):
        moved = np.column_stack([before, np.ones(len(before))]) @ h.T
        w = moved[:, 2]
        u, v = (moved[:, :2] / w[:, None]).T / radius_px
        residual = after / radius_px - np.column_stack([u, v])
        zero, one = np.zeros_like(x), np.ones_like(x)
        rows_u = np.column_stack([x, y, one, zero, zero, zero, -u * x, -u * y]) / w[:, None]
        rows_v = np.column_stack([zero, zero, zero, x, y, one, -v * x, -v * y]) / w[:, None]
        weights, noise = _tukey(np.hypot(*residual.T) * radius_px)
        sigma = noise / radius_px
        normal = (rows_u * weights[:, None]).T @ rows_u + (rows_v * weights[:, None]).T @ rows_v
        right = rows_u.T @ (weights * residual[:, 0]) + rows_v.T @ (weights * residual[:, 1])
        # The prior, in the parameters of the normalised homography.
        scaled = _rescaled(h, radius_px)
        shift = float(np.hypot(scaled[0, 2], scaled[1, 2]))
        allowed = max(1.0 / radius_px, 0.1 * shift)
        strength = (sigma / allowed) ** 2
        prior = np.zeros((4, 8))
        prior[0, [0, 4]] = 1, -1
        prior[1, [1, 3]] = 1, 1
        prior[2, 6] = prior[3, 7] = 1
        offset = np.array([scaled[0, 0] - scaled[1, 1], scaled[0, 1] + scaled[1, 0], scaled[2, 0], scaled[2, 1]])
        normal += strength * prior.T @ prior
        right -= strength * prior.T @ offset
        step = np.linalg.solve(normal + 1e-12 * np.eye(8), right)
        scaled = scaled + np.append(step, 0).reshape(3, 3)
        h = _rescaled(scaled, 1 / radius_px)
        if np.abs(step).max() < 1e-8:
            break
    weights, noise = _tukey(_residuals(h, before, after))
    return h, weights, noise


def _rescaled(motion: Matrix, unit_px: float) -> Matrix:
    """The same motion for coordinates counted in `unit_px`."""
    scale = np.array([unit_px, unit_px, 1.0])
    h = motion * scale[None, :] / scale[:, None]
    return h / h[2, 2]
