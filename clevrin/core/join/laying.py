"""How two pictures come to lie on each other: by the same thing in both, or as a whole.

A similarity is found: place, turn and size. By points and surfaces it is the least-squares one (Umeyama 1991,
doi:10.1109/34.88573); by pictures that of most of their matching corners (SIFT, Lowe 2004; random sampling), made finer
by correlation (Evangelidis and Psarakis 2008, doi:10.1109/TPAMI.2008.113).
"""

from dataclasses import dataclass
from math import atan2, degrees, hypot

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.direct import most_alike

Numbers = NDArray[np.float64]
Luma = NDArray[np.uint8]

_FEWEST = 12
_RATIO = 0.8
_APART_PX = 3.0
_FINEST, _ROUNDS = 1e-5, 60


@dataclass(frozen=True, kw_only=True)
class Laid:
    """Places of the outgoing picture to those of the incoming one: (x, y) in widths, y down, at its middle.

    `turn` in degrees clockwise, `times` in size. `residual`: what is left between what was laid on each other, RMS in
    widths; `points`: by how many places it was found.
    """

    x: float
    y: float
    turn: float
    times: float
    residual: float
    points: int

    @property
    def settings(self) -> dict[str, float]:
        """As a match cut has them."""
        return {
            "x": round(self.x, 5),
            "y": round(self.y, 5),
            "turn": round(self.turn, 3),
            "times": round(self.times, 4),
        }


def laid_by_places(before: Numbers, after: Numbers) -> Laid:
    """The similarity that takes places (n, 2) of the outgoing picture to those of the incoming one; of one: a shift."""
    middle, target = before.mean(axis=0), after.mean(axis=0)
    a = 1 + 0j
    if len(before) > 1:
        z, w = (_complex(each - each.mean(axis=0)) for each in (before, after))
        a = complex((np.conj(z) * w).sum() / max(1e-12, float((np.abs(z) ** 2).sum())))
    b = complex(*target) - a * complex(*middle)
    left = a * _complex(before) + b - _complex(after)
    return _laid(a, b, float(np.sqrt((np.abs(left) ** 2).mean())), len(before))


def laid_by_pictures(before: Luma, after: Luma) -> Laid | None:
    """The similarity of two pictures (h, w) of one size; None where they have too little in common.

    Costs some 200 ms for 960x540.
    """
    finder = cv2.SIFT.create(3000)
    (first, one), (second, other) = (finder.detectAndCompute(each, None) for each in (before, after))
    if one is None or other is None or min(len(first), len(second)) < _FEWEST:
        return None
    pairs = cv2.BFMatcher(cv2.NORM_L2).knnMatch(one, other, k=2)
    good = [each[0] for each in pairs if len(each) == 2 and each[0].distance < _RATIO * each[1].distance]
    if len(good) < _FEWEST:
        return None
    here = np.array([first[each.queryIdx].pt for each in good])
    there = np.array([second[each.trainIdx].pt for each in good])
    cv2.setRNGSeed(1)  # the same pictures are laid in the same way
    found, kept = cv2.estimateAffinePartial2D(here, there, method=cv2.RANSAC, ransacReprojThreshold=_APART_PX)
    if found is None or int(kept.sum()) < _FEWEST:
        return None
    fine = _finer(before, after, found)
    height, width = before.shape
    chosen = kept.ravel() > 0
    size = float(width)
    middle = np.array([(width - 1) / 2, (height - 1) / 2])
    corners = np.array([[-1.0, -1], [1, -1], [1, 1], [-1, 1]]) * middle * 0.6 + middle
    moved = corners @ fine[:, :2].T + fine[:, 2]
    whole = laid_by_places((corners - middle) / size, (moved - middle) / size)
    left = here[chosen] @ fine[:, :2].T + fine[:, 2] - there[chosen]
    apart = float(np.sqrt((left**2).sum(axis=1).mean())) / size
    return Laid(x=whole.x, y=whole.y, turn=whole.turn, times=whole.times, residual=apart, points=int(kept.sum()))


def _finer(before: Luma, after: Luma, found: Numbers) -> Numbers:
    """A map made finer so that what it lays on each other is most alike; as it was where that finds nothing."""
    steps = cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, _ROUNDS, _FINEST
    fine = most_alike(before, after, found, cv2.MOTION_AFFINE, steps)
    return np.asarray(found if fine is None else fine[1], np.float64)


def _complex(places: Numbers) -> NDArray[np.complex128]:
    return np.asarray(places[:, 0] + 1j * places[:, 1])


def _laid(a: complex, b: complex, residual: float, points: int) -> Laid:
    return Laid(
        x=b.real,
        y=b.imag,
        turn=degrees(atan2(a.imag, a.real)),
        times=hypot(a.real, a.imag),
        residual=residual,
        points=points,
    )
