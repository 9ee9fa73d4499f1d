"""From one frame to the next: features, optical flow forward and back, and the motion they agree on."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.models import MODELS, Matrix, Points, apply, fit_motion

Gray = NDArray[np.uint8]
Area = tuple[float, float, float, float]

WORK_WIDTH = 640
"""Pictures are reduced to about this width for measuring."""
_CELLS = (16, 9)
_PER_CELL = 3
_CONSENSUS_PX = 1.0
_FEWEST = 16
_COARSE_WIDTH = 160
_UNTIL = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 14, 0.01)


@dataclass(frozen=True, kw_only=True, eq=False)
class Step:
    """The motion from one frame to the next, in working pixels about the picture's centre.

    `motions` (3, 3, 3) in the order of `MODELS`, `cost` (3,) and `points` for choosing among them, and a
    `confidence` from 0 (nothing is known) to 1.
    """

    motions: Matrix
    cost: Points
    points: int
    confidence: float


def work_scale(width: int) -> float:
    """By how much pictures of this width are reduced for measuring."""
    return min(1.0, WORK_WIDTH / width)


def reduced(luma: Gray) -> Gray:
    """The working picture: the luma plane, reduced by averaging to at most `WORK_WIDTH` columns."""
    height, width = luma.shape
    scale = work_scale(width)
    if scale == 1.0:
        return np.ascontiguousarray(luma)
    size = max(1, round(width * scale)), max(1, round(height * scale))
    return cv2.resize(luma, size, interpolation=cv2.INTER_AREA)


@dataclass(frozen=True, kw_only=True, eq=False)
class Prepared:
    """A working picture with all that is computed from it alone, so that another thread can do that ahead.

    `features` (n, 2) float32 in its pixels; `coarse` is the picture reduced by `coarse_scale`.
    """

    gray: Gray
    features: NDArray[np.float32]
    coarse: NDArray[np.float32]
    coarse_scale: float

    @property
    def centre(self) -> Points:
        return np.array([(self.gray.shape[1] - 1) / 2, (self.gray.shape[0] - 1) / 2])


def prepared(luma: Gray, leave_out: tuple[Area, ...] = ()) -> Prepared:
    """Prepares a luma plane. `leave_out`: areas x, y, w, h as shares of the picture's size that do not count."""
    gray = reduced(luma)
    coarse, scale = _coarse(gray)
    return Prepared(gray=gray, features=_features(gray, leave_out), coarse=coarse, coarse_scale=scale)


class StepTracker:
    """Follows the motion through a row of frames; its whole state is the last frame and the last motion."""

    def __init__(self) -> None:
        self._before: Prepared | None = None
        self._last = np.eye(3)

    def restart(self, before: Prepared, last: Matrix) -> None:
        """Goes on behind `before`, with the motion that led to it."""
        self._before, self._last = before, last.copy()

    def follow(self, after: Prepared) -> Step:
        """The motion from the frame given last to this one; no motion for the first."""
        before, self._before = self._before, after
        if before is None:
            return _unknown(1.0)
        step = self._measured(before, after)
        self._last = step.motions[MODELS.index("homography")]
        return step

    def _measured(self, before: Prepared, after: Prepared) -> Step:
        guesses = [self._last, _phase_shift(before, after), np.eye(3)]
        order = np.argsort([_mismatch(before, after, guess) for guess in guesses], kind="stable")
        best: Step | None = None
        for choice in order[:2]:
            guess = guesses[choice]
            step = _follow_features(before, after.gray, guess)
            if step is not None and (best is None or step.confidence > best.confidence):
                best = step
            if best is not None and best.confidence > 0.5:
                break
        if best is not None:
            return best
        return _registered(before.gray, after.gray, guesses[int(order[0])])


def _unknown(confidence: float, motion: Matrix | None = None) -> Step:
    motion = np.eye(3) if motion is None else motion
    return Step(motions=np.repeat(motion[None], 3, axis=0), cost=np.zeros(3), points=0, confidence=confidence)


def _features(gray: Gray, leave_out: tuple[Area, ...]) -> NDArray[np.float32]:
    """Corners (n, 2), the best few of every cell (Shi & Tomasi 1994), so that all of the picture has a say."""
    height, width = gray.shape
    strength = cv2.cornerMinEigenVal(gray, 5, ksize=3)
    strength[strength < cv2.dilate(strength, np.ones((5, 5), np.uint8))] = 0
    margin = min(8, height // 8, width // 8)
    edge = np.zeros_like(strength)
    edge[margin : height - margin, margin : width - margin] = 1
    for x, y, w, h in leave_out:
        edge[round(y * height) : round((y + h) * height), round(x * width) : round((x + w) * width)] = 0
    strength *= edge
    floor = max(1e-6, 0.002 * float(strength.max()))
    rows, columns = np.nonzero(strength > floor)
    values = strength[rows, columns]
    cell = (rows * _CELLS[1] // height) * _CELLS[0] + columns * _CELLS[0] // width
    order = np.lexsort((-values, cell))
    cell = cell[order]
    starts = np.searchsorted(cell, cell, side="left")
    keep = order[np.arange(len(order)) - starts < _PER_CELL]
    return np.column_stack([columns[keep], rows[keep]]).astype(np.float32)


def _follow_features(prepared: Prepared, after: Gray, guess: Matrix) -> Step | None:
    """Pyramidal Lucas-Kanade (Bouguet 2000) forward and back from a guess, and the motion fitted to it."""
    before, features, centre = prepared.gray, prepared.features, prepared.centre
    radius = float(np.hypot(*centre))
    if len(features) < _FEWEST:
        return None
    # Rounded to 1/64 px: the last bit of the guess depends on where its numbers lie in memory, and work that was
    # stopped and went on must give the same figures.
    start = (np.round((apply(guess, features - centre) + centre) * 64) / 64).astype(np.float32)
    speed = float(np.hypot(*guess[:2, 2]))
    window = (21, 21) if speed < 12 else (31, 31)
    flags = cv2.OPTFLOW_USE_INITIAL_FLOW
    there, found, _ = cv2.calcOpticalFlowPyrLK(
        before, after, features, start.copy(), winSize=window, maxLevel=3, criteria=_UNTIL, flags=flags
    )
    # The way back starts where it should end, so two levels suffice to see whether it leads elsewhere.
    back, again, _ = cv2.calcOpticalFlowPyrLK(
        after, before, there, features.copy(), winSize=window, maxLevel=1, criteria=_UNTIL, flags=flags
    )
    error = np.hypot(*(back - features).T)
    height, width = before.shape
    inside = (there >= 0).all(axis=1) & (there[:, 0] < width) & (there[:, 1] < height)
    good = (found[:, 0] == 1) & (again[:, 0] == 1) & inside & (error < 0.5 + 0.02 * speed)
    if good.sum() < _FEWEST:
        return None
    b, a = (features[good] - centre).astype(np.float64), (there[good] - centre).astype(np.float64)
    fit = fit_motion(b, a, radius, _CONSENSUS_PX + 0.02 * speed)
    if fit is None:
        return None
    moved = apply(fit.motions[2], np.array([[-centre[0], -centre[1]], [centre[0], centre[1]]]))
    if not np.isfinite(moved).all() or np.abs(moved).max() > 4 * radius:
        return None
    cells = (b[fit.inliers] + centre) / (2 * centre + 1) * 4
    spread = len(np.unique(np.floor(cells).astype(int) @ [1, 4])) / 16
    count = int(fit.inliers.sum())
    share = count / len(features)
    confidence = min(1.0, count / 40) * min(1.0, 1.6 * spread) * min(1.0, 0.3 + 1.4 * share)
    return Step(motions=fit.motions, cost=fit.cost, points=count, confidence=round(float(confidence), 4))


def _coarse(gray: Gray) -> tuple[NDArray[np.float32], float]:
    scale = min(1.0, _COARSE_WIDTH / gray.shape[1])
    size = max(8, round(gray.shape[1] * scale)), max(8, round(gray.shape[0] * scale))
    return cv2.resize(gray, size, interpolation=cv2.INTER_AREA).astype(np.float32), scale


def _phase_shift(before: Prepared, after: Prepared) -> Matrix:
    """The translation seen by phase correlation of the reduced pictures."""
    b, a, scale = before.coarse, after.coarse, before.coarse_scale
    window = cv2.createHanningWindow(b.shape[::-1], cv2.CV_32F)
    # OpenCV 5.0 multiplies the window into the pictures it is given, in place, where their size suits its transform.
    (dx, dy), _ = cv2.phaseCorrelate(b.copy(), a.copy(), window)
    motion = np.eye(3)
    motion[:2, 2] = dx / scale, dy / scale
    return motion


def _mismatch(before: Prepared, after: Prepared, motion: Matrix) -> float:
    """Mean difference of the reduced pictures after a motion, where they overlap."""
    b, a, scale = before.coarse, after.coarse, before.coarse_scale
    height, width = b.shape
    centre = np.array([[1, 0, (width - 1) / 2], [0, 1, (height - 1) / 2], [0, 0, 1]])
    scaled = np.diag([scale, scale, 1]) @ motion @ np.diag([1 / scale, 1 / scale, 1])
    warp = centre @ scaled @ np.linalg.inv(centre)
    moved = cv2.warpPerspective(b, warp, (width, height), borderMode=cv2.BORDER_CONSTANT, borderValue=-1.0)
    seen = moved >= 0
    share = float(seen.mean())
    if share < 0.15:
        return float("inf")
    return float(np.abs(moved - a)[seen].mean()) / np.sqrt(share)


def _registered(before: Gray, after: Gray, guess: Matrix) -> Step:
    """Direct registration of the pictures (Evangelidis & Psarakis 2008) where too few features are found."""
    if min(float(before.std()), float(after.std())) < 2.0:
        return _unknown(0.0)  # nothing to see: no motion is the sensible value
    scale = 0.5
    b, a = (cv2.resize(g, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) for g in (before, after))
    warp = np.eye(2, 3, dtype=np.float32)
    warp[:, 2] = guess[:2, 2] * scale
    criteria = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 30, 1e-4)
    try:
        agreement, warp = cv2.findTransformECC(b, a, warp, cv2.MOTION_TRANSLATION, criteria)
    except cv2.error:  # it did not converge
        return _unknown(0.1, guess)
    motion = np.eye(3)
    motion[:2, 2] = warp[:, 2] / scale
    return _unknown(round(float(np.clip(agreement, 0, 1)) * 0.4, 4), motion)


def follow_from(reference: Prepared, after: Gray, guess: Matrix) -> Matrix | None:
    """The homography from a reference to another frame near a guess, about the centre; None if it is not found."""
    step = _follow_features(reference, after, guess)
    if step is None or step.confidence < 0.2:
        return None
    return step.motions[MODELS.index("homography")]
