"""Guesses of the motion between two frames, from small copies of them: where following corners may begin."""

import cv2
import numpy as np

from clevrin.core.motion.geometry.models import Matrix, translation
from clevrin.core.motion.matching.working_picture import Prepared

_POLAR = 128


def best_first(before: Prepared, after: Prepared, known: list[Matrix]) -> list[Matrix]:
    """The known guesses, a shift by phase correlation, and a turn and growth where those fit badly; the best first.

    All in working pixels about the centre. Costs 1 to 2 ms, 4 ms with turn and growth.
    """
    guesses = [*known, phase_shift(before, after), np.eye(3)]
    scores = [mismatch(before, after, guess) for guess in guesses]
    if min(scores) > 0.35 * max(1.0, before.level[1]):
        turned = turn_and_growth(before, after)
        guesses += turned
        scores += [mismatch(before, after, guess) for guess in turned]
    return [guesses[k] for k in np.argsort(scores, kind="stable")]


def phase_shift(before: Prepared, after: Prepared) -> Matrix:
    """The translation seen by phase correlation of the reduced pictures."""
    b, a, scale = before.coarse, after.coarse, before.coarse_scale
    window = cv2.createHanningWindow(b.shape[::-1], cv2.CV_32F)
    # OpenCV 5.0 multiplies the window into the pictures it is given, in place, where their size suits its transform.
    (dx, dy), _ = cv2.phaseCorrelate(b.copy(), a.copy(), window)
    motion = np.eye(3)
    motion[:2, 2] = dx / scale, dy / scale
    return motion


def turn_and_growth(before: Prepared, after: Prepared) -> list[Matrix]:
    """Turns about the centre with growth, by phase correlation of spectra on log-polar axes, and the shift after it.

    Reddy & Chatterji 1996 (doi:10.1109/83.506761). A spectrum cannot tell a turn from one half a circle further:
    both are given.
    """
    polar = []
    for picture in (before.coarse, after.coarse):
        side = min(picture.shape)
        top, left = (picture.shape[0] - side) // 2, (picture.shape[1] - side) // 2
        square = picture[top : top + side, left : left + side]
        window = cv2.createHanningWindow((side, side), cv2.CV_32F)
        spectrum = np.log1p(np.abs(np.fft.fftshift(np.fft.fft2((square - square.mean()) * window)))).astype(np.float32)
        middle = (side // 2, side // 2)
        flags = cv2.WARP_POLAR_LOG | cv2.INTER_LINEAR
        polar.append(cv2.warpPolar(spectrum, (_POLAR, 2 * _POLAR), middle, side / 2, flags))
    window = cv2.createHanningWindow(polar[0].shape[::-1], cv2.CV_32F)
    (along, around), _ = cv2.phaseCorrelate(polar[0].copy(), polar[1].copy(), window)
    side = min(before.coarse.shape)
    growth = float(np.exp(-along * np.log(side / 2) / _POLAR))
    if not 0.5 < growth < 2:
        growth = 1.0
    found = []
    for half in (0.0, np.pi):
        turn = around * 2 * np.pi / (2 * _POLAR) + half
        c, s = growth * np.cos(turn), growth * np.sin(turn)
        turned = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
        moved = Prepared(warp_about_centre(before.sharp, turned, cv2.BORDER_REPLICATE))
        found.append(phase_shift(moved, after) @ turned)
    return found


def warp_about_centre(picture: np.ndarray, motion: Matrix, border: int, value: float = 0.0) -> np.ndarray:
    """A picture (h, w) moved by a homography about its centre, at its own size, bilinear."""
    height, width = picture.shape
    centre = translation((width - 1) / 2, (height - 1) / 2)
    warp = centre @ motion @ np.linalg.inv(centre)
    return cv2.warpPerspective(picture, warp, (width, height), borderMode=border, borderValue=value)


def overlapping(before: Prepared, after: Prepared, motion: Matrix) -> tuple[np.ndarray, np.ndarray]:
    """The values (n,) of both reduced pictures after a motion, where they overlap."""
    b, a, scale = before.coarse, after.coarse, before.coarse_scale
    scaled = np.diag([scale, scale, 1]) @ motion @ np.diag([1 / scale, 1 / scale, 1])
    moved = warp_about_centre(b, scaled, cv2.BORDER_CONSTANT, -1.0)
    seen = moved >= 0
    return moved[seen], a[seen]


def mismatch(before: Prepared, after: Prepared, motion: Matrix) -> float:
    """Mean difference of the reduced pictures after a motion, where they overlap, at one mean and contrast."""
    moved, there = overlapping(before, after, motion)
    share = len(moved) / before.coarse.size
    if share < 0.15:
        return float("inf")
    (mean_b, spread_b), (mean_a, spread_a) = before.level, after.level
    gain = spread_b / max(spread_a, 1.0)
    levelled = (there - mean_a) * gain + mean_b if abs(mean_a - mean_b) > 6 or abs(gain - 1) > 0.1 else there
    return float(np.abs(moved - levelled).mean()) / np.sqrt(share)
