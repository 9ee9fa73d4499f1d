"""How long the motion blur of a frame is, seen from the picture itself, and the shutter angle of a take."""

import cv2
import numpy as np
from numpy.typing import NDArray

LEAST_MOTION_PX = 8.0
"""Working pixels per frame under which blur is too short to be told from the picture's own softness."""
_LONGEST_SHARE, _SHORTEST_SHARE = 1.1, 0.06
_FEWEST_FRAMES = 3


def blur_length(gray: NDArray[np.uint8], motion_px: tuple[float, float]) -> tuple[float, float] | None:
    """Length of the blur along the motion, and how distinctly it was seen; None where it cannot be told.

    A picture smeared evenly over L pixels has, after derivation along the smear, an autocorrelation with a
    minimum at lag L (Yitzhaky & Kopeika 1997, doi:10.1006/gmip.1997.0435). `gray` is (h, w) uint8,
    `motion_px` the displacement per frame in the same pixels; lengths are in those pixels too. Costs about
    3 ms at 640x360.
    """
    speed = float(np.hypot(*motion_px))
    if speed < LEAST_MOTION_PX:
        return None
    height, width = gray.shape
    turn = np.arctan2(motion_px[1], motion_px[0])
    turn = (turn + np.pi / 2) % np.pi - np.pi / 2
    rotate = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), float(np.degrees(turn)), 1.0)
    along = cv2.warpAffine(gray, rotate, (width, height), flags=cv2.INTER_LINEAR).astype(np.float32)
    inset_y, inset_x = _inset(width, height, turn)
    along = along[inset_y : height - inset_y, inset_x : width - inset_x]
    longest = int(_LONGEST_SHARE * speed) + 3
    if along.shape[1] < 2.5 * longest or along.shape[0] < 16:
        return None
    # Noise is taken down across the smear first: it would put a false minimum at lag 1.
    along = cv2.blur(along, (1, 5))
    slope = np.diff(along, axis=1)
    slope -= cv2.blur(slope, (2 * longest + 1, 1))
    slope = np.clip(slope, -3 * slope.std(), 3 * slope.std())
    length = cv2.getOptimalDFTSize(slope.shape[1] + longest)
    power = np.abs(np.fft.rfft(slope, length, axis=1)) ** 2
    correlation = np.fft.irfft(power.sum(axis=0), length)[: longest + 1]
    correlation /= np.arange(slope.shape[1], slope.shape[1] - longest - 1, -1)
    correlation /= max(correlation[0], 1e-9)
    first = max(2, int(_SHORTEST_SHARE * speed))
    lag = first + int(np.argmin(correlation[first:longest]))
    if lag >= longest - 1 or lag <= first:
        return None
    before, at, after = correlation[lag - 1 : lag + 2]
    curve = before - 2 * at + after
    part = 0.5 * (before - after) / curve if curve > 0 else 0.0
    return lag + float(part), float(np.clip(-at, 0, 1))


def _inset(width: int, height: int, turn: float) -> tuple[int, int]:
    """How much of each side a turned picture does not cover, for small turns; at most a third."""
    sine = abs(np.sin(turn))
    y = min(height // 3, int(np.ceil(width / 2 * sine)))
    x = min(width // 3, int(np.ceil(height / 2 * sine)))
    return y, x


def fit_shutter(
    lengths_px: NDArray[np.float64], distinctness: NDArray[np.float64], speeds_px: NDArray[np.float64]
) -> float | None:
    """The shutter angle of a take in degrees: the weighted median of length / speed over its fast frames.

    All arrays (frames,), NaN where nothing was measured. None where fewer than three frames tell.
    """
    usable = np.isfinite(lengths_px) & (speeds_px >= LEAST_MOTION_PX) & (distinctness > 0.05)
    if usable.sum() < _FEWEST_FRAMES:
        return None
    share = lengths_px[usable] / speeds_px[usable]
    weight = distinctness[usable] * speeds_px[usable]
    order = np.argsort(share)
    total = np.cumsum(weight[order])
    middle = share[order][np.searchsorted(total, total[-1] / 2)]
    return round(float(np.clip(middle * 360, 5, 360)), 1)
