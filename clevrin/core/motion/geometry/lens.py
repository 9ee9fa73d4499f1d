"""What a lens tells of homographies: how those of one take follow from their similarities."""

from dataclasses import dataclass

import numpy as np

from clevrin.core.motion.geometry.models import Matrix, Points

LACKING = np.zeros((4, 8))
LACKING[0, [0, 4]] = 1, -1
LACKING[1, [1, 3]] = 1, 1
LACKING[2, 6] = LACKING[3, 7] = 1
"""What a homography has beyond a similarity: unlike growth, shear, and the two terms of perspective."""
_FORGETTING = 0.98
_ALIKE = 30.0
"""Fits from one key frame err alike: so many of them count as one witness of the lens."""
_LEAST_ALLOWED_PX = 0.1
_LEARNS_ALONE, _FIRST_EXCESS_PX = 3, 0.4
"""Fits before a habit says anything, and how far off it may be then."""
_BLURRED_PX = 0.5
"""Deviation at the corners from which on a fit is too rough to tell how well a habit predicts."""
_USELESS = 3.0
"""Times a fit's own deviation from which on what a habit allows would not change the fit."""


def weakly_allowed(shift: Points | float, radius_px: float) -> Points:
    """(...): how far the four may be off where nothing else tells, for shifts (...) in radii.

    As large as a pixel at the corners, or a tenth of the movement.
    """
    return np.maximum(1.0 / radius_px, 0.1 * np.asarray(shift))


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

    def expected(self, scaled: Matrix, radius_px: float) -> tuple[Points, float]:
        """The four for a fit in radii, and the deviation that is allowed."""
        if self.fits < _LEARNS_ALONE or self.weight <= 0:
            return np.zeros(4), float(weakly_allowed(np.hypot(*scaled[:2, 2]), radius_px))
        inverse_square = max(0.0, self.weighted / self.weight)
        unsure = np.sqrt(_ALIKE / self.weight) * float(np.hypot(*scaled[:2, 2]))
        allowed = float(np.sqrt((_LEAST_ALLOWED_PX / radius_px) ** 2 + unsure**2 + max(0.0, self.excess)))
        return _turning(scaled, inverse_square), allowed

    def expected_of(self, scaled: Matrix, spread: float, radius_px: float, shift: float) -> tuple[Points, float]:
        """What a fit made without it is to be held to, and how far off it may be; weakly where that says nothing."""
        four, allowed = self.expected(scaled, radius_px)
        off = LACKING @ scaled.reshape(-1)[:8] - four
        if allowed < _USELESS * spread and float((off**2).mean()) < 9 * (spread**2 + allowed**2):
            return four, allowed
        return np.zeros(4), float(weakly_allowed(shift, radius_px))

    def learn(self, lesson: "Lesson") -> None:
        """Takes in a fit made without it."""
        scaled, radius_px = lesson.scaled, lesson.radius_px
        off = LACKING @ scaled.reshape(-1)[:8] - self.expected(scaled, radius_px)[0]
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
    four: Points = LACKING @ motion.reshape(-1)[:8]
    return four
