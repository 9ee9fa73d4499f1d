"""What an afternoon's work with a general library gives: the yardstick that every row is to be ahead of.

Corners of each frame, Lucas-Kanade forward and back on pictures 640 wide, a consensus homography from frame to frame;
held by smoothing the sum of these with a Gaussian, enlarged as far as is asked for.
"""

from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.geometry.models import summed_up

Numbers = NDArray[np.float64]

_WIDTH = 640


def plain_motions(path: Path) -> Numbers:
    """(frames, 3, 3): homographies in full-size pixels, previous frame to each; the identity where none is found."""
    motions, before = [np.eye(3)], None
    with FilmReader(path) as reader:
        for frame in range(reader.frames):
            luma = reader.read_luma(frame)
            scale = min(1.0, _WIDTH / luma.shape[1])
            size = (round(luma.shape[1] * scale), round(luma.shape[0] * scale))
            after = cv2.resize(luma, size, interpolation=cv2.INTER_AREA)
            if before is not None:
                to_work = np.array([[scale, 0, scale / 2 - 0.5], [0, scale, scale / 2 - 0.5], [0, 0, 1.0]])
                step = np.linalg.inv(to_work) @ _step(before, after) @ to_work
                motions.append(step / step[2, 2])
            before = after
    return np.array(motions)


def _step(before: NDArray[np.uint8], after: NDArray[np.uint8]) -> Numbers:
    corners = cv2.goodFeaturesToTrack(before, 400, 0.01, 8)
    if corners is None or len(corners) < 8:
        return np.eye(3)
    there, found, _ = cv2.calcOpticalFlowPyrLK(before, after, corners, None, winSize=(21, 21), maxLevel=4)
    back, again, _ = cv2.calcOpticalFlowPyrLK(after, before, there, None, winSize=(21, 21), maxLevel=4)
    good = (found[:, 0] == 1) & (again[:, 0] == 1) & (np.hypot(*(back - corners)[:, 0].T) < 0.7)
    if good.sum() < 8:
        return np.eye(3)
    motion, _ = cv2.findHomography(corners[good], there[good], cv2.USAC_MAGSAC, 1.0, maxIters=2000, confidence=0.999)
    return np.eye(3) if motion is None else motion


def plain_hold(motions: Numbers, size: tuple[int, int], sigma: float, keep: float) -> Numbers:
    """(frames, 3, 3): source from output pixels, the course smoothed over `sigma` frames, enlarged by `keep`."""
    course = summed_up(motions)
    frames = len(course)
    at = np.arange(frames)
    centre = np.array([(size[0] - 1) / 2, (size[1] - 1) / 2])
    zoom = np.array([[keep, 0, centre[0] * (1 - keep)], [0, keep, centre[1] * (1 - keep)], [0, 0, 1.0]])
    held = []
    for k in range(frames):
        weights = np.exp(-(((at - k) / sigma) ** 2) / 2)
        to_others = course @ np.linalg.inv(course[k])
        to_others /= to_others[:, 2:, 2:]
        smooth = (weights[:, None, None] * to_others).sum(axis=0) / weights.sum()
        held.append(np.linalg.inv(smooth / smooth[2, 2]) @ zoom)
    return np.array(held)
