"""Motions of many frames fitted at once to the same corners: robust, weighted, and with what is expected of them.

Points are about the picture's centre in working pixels. Everything is least squares reweighted by Tukey's function
(Holland & Welsch 1977), on a scale estimated from the residuals of the corners that count.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.kernels import compiled
from clevrin.core.kernels.compiled import Turn
from clevrin.core.motion.geometry.lens import LACKING, weakly_allowed
from clevrin.core.motion.geometry.models import Matrix, Points, apply, rescaled

_TUKEY = 4.685
_ROUNDS = 6
_LEAST_NOISE_PX, _MOST_NOISE_PX = 0.012, 1e3
_COUNTS = 0.05
"""Weight from which on a point has a say in how large the noise is."""
_QUANTILES = np.array([0.3, 0.5])
_DEVIATIONS = np.sqrt(-2 * np.log(1 - _QUANTILES))
"""How many deviations such shares of points are off at most, where they err by a normal distribution each way."""
_SETTLED = 1e-6
_HELD = LACKING.T @ LACKING
_RIDGE = 1e-9 * np.eye(8)


@dataclass(frozen=True, kw_only=True, eq=False)
class Fits:
    """Homographies (frames, 3, 3) in radii, and how well they fit.

    `residuals` (frames, n) in working pixels, NaN where a corner was not found; `weights` (frames, n) as they counted
    last; `noise_px` (frames,) along one axis; `covariance` (frames, 8, 8) of the first eight numbers, for corners
    that err independently of each other.
    """

    scaled: Matrix
    residuals: Points
    weights: Points
    noise_px: Points
    covariance: Points

    def spread(self) -> Points:
        """(frames,): by how much the four that a similarity lacks may be off: one deviation."""
        four = np.einsum("ij,fjk,ik->fi", LACKING, self.covariance, LACKING)
        spread: Points = np.sqrt(np.maximum(four, 0).mean(axis=1))
        return spread


def fit_homographies(
    corners: Points,
    places: Points,
    counts: Points,
    radius_px: float,
    start: Matrix,
    expected: Points,
    allowed: Points,
    rounds: int = _ROUNDS,
) -> Fits:
    """Gauss-Newton on eight parameters per frame, all frames at once.

    `corners` (n, 2), `places` (frames, n, 2) with NaN where a corner was not found, `counts` (n,) or (frames, n): by
    how much each corner counts, `start` (frames, 3, 3) in radii. The four numbers that a similarity lacks are held to
    `expected` (frames, 4) as far as `allowed` (frames,) says. Costs some 0.3 ms a frame of 300 corners.
    """
    frames, n = places.shape[:2]
    known = np.isfinite(places[..., 0])
    # In one order of memory, whatever that of what was given is: sums are formed in the same order then, and the same.
    base = np.ascontiguousarray(np.broadcast_to(counts, (frames, n)) * known)
    target = np.ascontiguousarray(np.where(known[..., None], places, 0.0).transpose(0, 2, 1) / radius_px)
    points = np.ascontiguousarray(np.vstack([corners.T / radius_px, np.ones(n)]))
    scaled = start.copy()
    for turn in range(rounds):
        # What to begin with may be another plane's: nothing is left out yet, but what is far counts little.
        at = _turned(scaled, points, target, base, radius_px, softly=turn < 2)
        step, held = _solved(at, at.noise / radius_px, scaled, expected, allowed)
        scaled = scaled + np.append(step, np.zeros((frames, 1)), axis=1).reshape(-1, 3, 3)
        scaled /= scaled[:, 2:, 2:]
        if turn > 2 and np.abs(step).max() < _SETTLED:
            break
    at = _turned(scaled, points, target, base, radius_px, softly=False)
    covariance = np.linalg.inv(held) * (at.noise / radius_px)[:, None, None] ** 2
    return Fits(
        scaled=scaled,
        residuals=np.where(known, at.distance, np.nan),
        weights=at.weights,
        noise_px=at.noise,
        covariance=covariance,
    )


def fit_translations(corners: Points, places: Points, weights: Points) -> Matrix:
    """(frames, 3, 3): weighted least squares; NaN places are to have no weight."""
    motions = np.repeat(np.eye(3)[None], len(places), axis=0)
    share = _shares(weights)
    motions[:, :2, 2] = (share[..., None] * (np.nan_to_num(places) - corners)).sum(axis=1)
    return motions


def fit_similarities(corners: Points, places: Points, weights: Points) -> Matrix:
    """(frames, 3, 3): weighted least squares in closed form (Umeyama 1991); NaN places are to have no weight."""
    share = _shares(weights)
    b = corners[:, 0] + 1j * corners[:, 1]
    placed = np.nan_to_num(places)
    a = placed[..., 0] + 1j * placed[..., 1]
    mid_b, mid_a = share @ b, (share * a).sum(axis=1)
    off_b = b[None] - mid_b[:, None]
    weighted = share * np.conj(off_b)
    turn = (weighted * (a - mid_a[:, None])).sum(axis=1) / (weighted * off_b).sum(axis=1)
    shift = mid_a - turn * mid_b
    motions = np.zeros((len(places), 3, 3))
    motions[:, 0, 0] = motions[:, 1, 1] = turn.real
    motions[:, 1, 0], motions[:, 0, 1] = turn.imag, -turn.imag
    motions[:, 0, 2], motions[:, 1, 2], motions[:, 2, 2] = shift.real, shift.imag, 1
    return motions


def _shares(weights: Points) -> Points:
    share = weights + 1e-9 * (weights.sum(axis=1, keepdims=True) + 1e-9) * (weights > 0)
    total = share.sum(axis=1, keepdims=True)
    shares: Points = np.where(total > 0, share / np.where(total > 0, total, 1), 1 / weights.shape[1])
    return shares


@dataclass(frozen=True, kw_only=True, eq=False)
class Fit:
    """A homography (3, 3) in pixels about the centre, and which of all points (n,) follow it."""

    motion: Matrix
    inliers: NDArray[np.bool_]
    noise_px: float


def fit_motion(
    before: Points, after: Points, radius_px: float, consensus_px: float, agreeing: NDArray[np.bool_]
) -> Fit | None:
    """Fits a homography to the matched points (n, 2) that agree; None where there are too few.

    `radius_px` is half the picture's diagonal; `consensus_px` the largest distance at which a point may still follow.
    The four numbers that a similarity lacks are held weakly, so that frames with few or blurred points keep quiet
    corners.
    """
    if agreeing.sum() < 8:
        return None
    b, a = before[agreeing], after[agreeing]
    weights = np.ones((1, len(b)))
    for _ in range(2):
        start = fit_similarities(b, a[None], weights)
        distance = np.hypot(*(apply(start[0], b) - a).T)[None]
        weights = _tukey(distance, _noise(distance, np.ones_like(weights)))
    allowed = weakly_allowed(np.hypot(*start[:, :2, 2].T) / radius_px, radius_px)
    fits = fit_homographies(
        b, a[None], np.ones(len(b)), radius_px, rescaled(start, radius_px), np.zeros((1, 4)), allowed, 4
    )
    motion = rescaled(fits.scaled, 1 / radius_px)[0]
    noise = float(fits.noise_px[0])
    missed = np.hypot(*(apply(motion, before) - after).T)
    return Fit(motion=motion, inliers=missed < max(consensus_px, 4 * noise), noise_px=noise)


@dataclass(frozen=True, kw_only=True, eq=False)
class _Missed:
    """Where points come to by some homographies, in radii, and what is missed: `off` (frames, 2, n) in radii.

    `over` (frames, 3, n): the points themselves over their depth, of which all derivatives are made.
    """

    over: Points
    at: Points
    off: Points

    @staticmethod
    def of(scaled: Matrix, points: Points, target: Points) -> "_Missed":
        """`points` (3, n), `target` (frames, 2, n)."""
        moved = scaled @ points
        depth = 1 / moved[:, 2:]
        at = moved[:, :2] * depth
        return _Missed(over=points * depth, at=at, off=target - at)

    def distance_px(self, radius_px: float) -> Points:
        """(frames, n)."""
        return np.asarray(np.hypot(self.off[:, 0], self.off[:, 1]) * radius_px)


def _turned(scaled: Matrix, points: Points, target: Points, base: Points, radius_px: float, *, softly: bool) -> Turn:
    """How points (3, n) fit by some homographies, and what would fit better; `softly`: none is left out."""
    if compiled.library is not None:
        return compiled.fit_turn(
            points[:2],
            target,
            base,
            scaled,
            radius_px,
            softly=softly,
            counts=_COUNTS,
            quantiles=(_QUANTILES, _DEVIATIONS),
            noise_px=(_LEAST_NOISE_PX, _MOST_NOISE_PX),
            tukey=_TUKEY,
        )
    missed = _Missed.of(scaled, points, target)
    distance = missed.distance_px(radius_px)
    noise = _noise(distance, base)
    weights = base / (1 + (distance / (2 * noise[:, None])) ** 2) if softly else base * _tukey(distance, noise)
    normal, right = _normal(missed, weights)
    return Turn(distance=distance, noise=noise, weights=weights, normal=normal, right=right)


def _solved(at: Turn, sigma: Points, scaled: Matrix, expected: Points, allowed: Points) -> tuple[Points, Points]:
    """The step (frames, 8) that fits better, and the normal matrix (frames, 8, 8) that it comes from."""
    strength = (sigma / allowed) ** 2
    held: Points = at.normal + strength[:, None, None] * _HELD + _RIDGE
    offset = scaled.reshape(len(scaled), 9)[:, :8] @ LACKING.T - expected
    wanted = (at.right - strength[:, None] * (offset @ LACKING))[..., None]
    return np.asarray(np.linalg.solve(held, wanted)[..., 0], np.float64), held


def _normal(missed: _Missed, weights: Points) -> tuple[Points, Points]:
    """Normal matrix and right side of the weighted least squares, from sums over the points.

    A point has the derivatives (q, 0, -x q2) and (0, q, -y q2), where q are its three numbers over its depth, q2 the
    first two of these and (x, y) where it comes to: so all of the matrix are sums of products of two of q, weighted by
    1, x, y and x² + y², of which each is formed once.
    """
    over, (x, y), (off_x, off_y) = missed.over, missed.at.transpose(1, 0, 2), missed.off.transpose(1, 0, 2)
    weighted = weights[:, None] * over  # (frames, 3, n)
    turned = over.transpose(0, 2, 1)
    plain = weighted @ turned
    by_x, by_y = (weighted * x[:, None]) @ turned[..., :2], (weighted * y[:, None]) @ turned[..., :2]
    by_both = (weighted[:, :2] * (x * x + y * y)[:, None]) @ turned[..., :2]
    normal = np.zeros((len(weights), 8, 8))
    normal[:, :3, :3] = normal[:, 3:6, 3:6] = plain
    normal[:, :3, 6:], normal[:, 3:6, 6:] = -by_x, -by_y
    normal[:, 6:, :3], normal[:, 6:, 3:6] = -by_x.transpose(0, 2, 1), -by_y.transpose(0, 2, 1)
    normal[:, 6:, 6:] = by_both
    along = np.stack([off_x, off_y, off_x * x + off_y * y], axis=2)  # (frames, n, 3)
    sums: Points = weighted @ along
    right: Points = np.concatenate([sums[..., 0], sums[..., 1], -sums[:, :2, 2]], axis=1)
    return normal, right


def _noise(distance: Points, base: Points) -> Points:
    """(frames,): the deviation along one axis, from quantiles of the distances (frames, n) of the points that count.

    Of those of a normal distribution in two dimensions; of a lower one too, for up to a half may be something that
    passes.
    """
    counts = base > _COUNTS
    in_order = np.sort(np.where(counts, distance, np.inf), axis=1)
    number = counts.sum(axis=1)
    rows = np.arange(len(distance))
    noise = np.full(len(distance), np.inf)
    for share, deviations in zip(_QUANTILES, _DEVIATIONS, strict=True):
        at = in_order[rows, (share * (number - 1)).clip(0).astype(int)]
        noise = np.minimum(noise, at / deviations)
    return np.clip(1.2 * noise, _LEAST_NOISE_PX, _MOST_NOISE_PX)


def _tukey(distance: Points, noise: Points) -> Points:
    share = np.minimum(distance / (_TUKEY * noise[:, None]), 1)
    weight: Points = (1 - share * share) ** 2
    return weight
