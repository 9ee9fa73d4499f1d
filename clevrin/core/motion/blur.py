"""How long the motion blur of a frame is, seen from the picture itself, and the shutter angle of a take."""

import cv2
import numpy as np
from numpy.typing import NDArray

LEAST_MOTION_PX = 8.0
"""Working pixels per frame under which blur is too short to be told from the picture's own softness."""
_LONGEST_SHARE, _SHORTEST_SHARE = 1.08, 0.08
_FEWEST_FRAMES = 3
_AGREES, _MOST_AGREE, _DISTINCT = 0.25, 0.4, 0.25
_LENGTHS = 72
_SPREAD = np.linspace(0.9, 1.1, 7)
_SLOPES = np.arange(0.8, 3.3, 0.3)
_LOWEST_CYCLES = 3.0


def blur_length(gray: NDArray[np.uint8], motion_px: tuple[float, float]) -> tuple[float, float] | None:
    """Length of the blur along the motion, and how distinctly it was seen; None where it cannot be told.

    A picture smeared evenly over L pixels has lost its energy at the frequencies k / L: its power spectrum along
    the smear is that of the scene times a squared sinc (Cannon 1976, doi:10.1109/TASSP.1976.1162770). Here the
    scene's own spectrum is a power law and the noise is white, and L is the length for which the three together
    explain the logarithm of the measured spectrum best; the lens lets L vary over the picture by a tenth.
    `gray` is (h, w) uint8, `motion_px` the displacement per frame in the same pixels; lengths are in those pixels
    too. Costs about 5 ms at 640x360.
    """
    speed = float(np.hypot(*motion_px))
    if speed < LEAST_MOTION_PX:
        return None
    along = _turned_along(gray, motion_px)
    height, width = along.shape
    if width < 2.5 * speed or height < 16:
        return None
    along = along - cv2.blur(along, (2 * int(1.5 * speed) + 1, 1))
    power = (np.abs(np.fft.rfft(along * np.hanning(width), axis=1)) ** 2).mean(axis=0)
    cycles = np.arange(len(power)) / width
    lengths = np.geomspace(max(2.5, _SHORTEST_SHARE * speed), _LONGEST_SHARE * speed, _LENGTHS)
    used = (cycles > _LOWEST_CYCLES / width) & (cycles < min(0.35, 4.5 / lengths[0]))
    misfit = _misfit(np.log(power[used] + 1e-9), cycles[used], lengths)
    best = int(np.argmin(misfit))
    if best in (0, _LENGTHS - 1):
        return None
    before, at, after = misfit[best - 1 : best + 2]
    curve = before - 2 * at + after
    part = 0.5 * (before - after) / curve if curve > 0 else 0.0
    length = float(lengths[best] * (lengths[best + 1] / lengths[best]) ** part)
    return length, float(np.clip(1 - at / np.median(misfit), 0, 1))


def _turned_along(gray: NDArray[np.uint8], motion_px: tuple[float, float]) -> NDArray[np.float32]:
    """The picture turned so that the motion runs along its rows, cut to what the turned picture covers."""
    height, width = gray.shape
    turn = np.arctan2(motion_px[1], motion_px[0])
    turn = (turn + np.pi / 2) % np.pi - np.pi / 2
    upright = abs(turn) > np.pi / 4
    if upright:
        gray, turn = cv2.rotate(gray, cv2.ROTATE_90_COUNTERCLOCKWISE), turn - np.copysign(np.pi / 2, turn)
        height, width = width, height
    if abs(turn) > 1e-3:
        rotate = cv2.getRotationMatrix2D(((width - 1) / 2, (height - 1) / 2), float(np.degrees(turn)), 1.0)
        gray = cv2.warpAffine(gray, rotate, (width, height), flags=cv2.INTER_LINEAR)
    sine = abs(np.sin(turn))
    y = min(height // 3, int(np.ceil(width / 2 * sine)))
    x = min(width // 4, int(np.ceil(height / 2 * sine)))
    return gray[y : height - y, x : width - x].astype(np.float32)


def _misfit(
    log_power: NDArray[np.float64], cycles: NDArray[np.float64], lengths: NDArray[np.float64]
) -> NDArray[np.float64]:
    """(lengths,): how badly each blur length explains a spectrum, at its best slope, level and noise."""
    smeared = np.sinc(cycles[None, None] * lengths[:, None, None] * _SPREAD[None, :, None]) ** 2
    smeared = smeared.mean(axis=1)  # (lengths, cycles)
    floor = np.exp(np.percentile(log_power, 5))
    best = np.full(len(lengths), np.inf)
    for slope in _SLOPES:
        scene = cycles**-slope
        for noise in (0.25, 0.5, 0.9):
            signal = np.log(np.maximum(np.exp(log_power) - noise * floor, 0.02 * np.exp(log_power)))
            level = np.median(signal - np.log(scene * smeared + 1e-6 * scene.mean()), axis=1)
            model = np.exp(level)[:, None] * scene * smeared + noise * floor
            error = np.abs(np.log(model) - log_power).mean(axis=1)
            best = np.minimum(best, error)
    return best


def fit_shutter(
    lengths_px: NDArray[np.float64], distinctness: NDArray[np.float64], speeds_px: NDArray[np.float64]
) -> float | None:
    """The shutter angle of a take in degrees: the weighted median of length / speed over its fast frames.

    All arrays (frames,), NaN where nothing was measured. None where fewer than three frames tell,
    and where they do not agree, or none of them tells it distinctly: so it is with a take without blur.
    """
    usable = np.isfinite(lengths_px) & (speeds_px >= LEAST_MOTION_PX) & (distinctness > 0.05)
    if usable.sum() < _FEWEST_FRAMES:
        return None
    share = lengths_px[usable] / speeds_px[usable]
    weight = distinctness[usable] * speeds_px[usable]
    order = np.argsort(share)
    total = np.cumsum(weight[order])
    middle = share[order][np.searchsorted(total, total[-1] / 2)]
    agreeing = np.abs(share / middle - 1) <= _AGREES
    distinct = float(np.mean(distinctness[usable][agreeing]))
    if weight[agreeing].sum() < _MOST_AGREE * total[-1] or distinct < _DISTINCT:
        return None
    return round(float(np.clip(middle * 360, 5, 360)), 1)
