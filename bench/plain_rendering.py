"""How an afternoon's work with a general library would make the same pictures: what a render's cost is held against.

Pictures are BGR of 8 bits, blur is the mean of sixteen of them as they are coded (no light), flow is DIS at its medium
preset. Quality is judged elsewhere; here it is the time that counts.
"""

from collections.abc import Callable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Frame = NDArray[np.uint8]
Plain = Callable[[Sequence[Frame], int], Frame]
"""Makes the picture at a frame of those that were read."""

_SAMPLES = 16


def as_shot(frames: Sequence[Frame], at: int) -> Frame:
    return frames[at]


def held(frames: Sequence[Frame], at: int) -> Frame:
    """One cubic warp: a calm path and a gate are one matrix."""
    turn = np.array([[0.8, 0.01 * np.sin(at), 60.0], [-0.01 * np.sin(at), 0.8, 40.0 + at]])
    height, width = frames[at].shape[:2]
    return cv2.warpAffine(frames[at], turn, (width, height), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)


def camera_blur(frames: Sequence[Frame], at: int) -> Frame:
    """The frame moved by the camera's own step, sixteen times over."""
    return _smeared(frames[at], 12.0, 3.0)


def made_whip(frames: Sequence[Frame], at: int) -> Frame:
    return _smeared(frames[at], 160.0, 0.0)


def blur_of_all(frames: Sequence[Frame], at: int) -> Frame:
    """The frame moved along the flow to the next one, sixteen times over."""
    after = frames[min(at + 1, len(frames) - 1)]
    flow = _flow(frames[at], after)
    total = np.zeros(frames[at].shape, np.float32)
    for share in (np.arange(_SAMPLES) + 0.5) / _SAMPLES:
        cv2.accumulate(_moved(frames[at], flow, share), total)
    return cv2.convertScaleAbs(total, alpha=1 / _SAMPLES)


def quick(frames: Sequence[Frame], at: int) -> Frame:
    """Ten times as fast: the mean of what lies between, each blurred as above."""
    parts = [blur_of_all(frames, k).astype(np.float32) for k in range(at * 10, min(at * 10 + 10, len(frames)))]
    return np.mean(parts, axis=0).astype(np.uint8)


def quarter(frames: Sequence[Frame], at: int) -> Frame:
    """Between two frames: both moved there along their flows, and mixed."""
    first, share = at // 4, at % 4 / 4
    before, after = frames[first], frames[min(first + 1, len(frames) - 1)]
    if share == 0:
        return before
    there = _moved(before, _flow(before, after), share), _moved(after, _flow(after, before), 1 - share)
    return cv2.addWeighted(there[0], 1 - share, there[1], share, 0)


def everything(frames: Sequence[Frame], at: int) -> Frame:
    """Half as fast: between two frames, warped, and moved sixteen times over."""
    between = quarter(frames, at * 2)
    return _smeared(held((between,), 0), 12.0, 3.0)


def _smeared(frame: Frame, across: float, down: float) -> Frame:
    height, width = frame.shape[:2]
    total = np.zeros(frame.shape, np.float32)
    for share in (np.arange(_SAMPLES) + 0.5) / _SAMPLES - 0.5:
        shift = np.array([[1.0, 0.0, across * share], [0.0, 1.0, down * share]])
        cv2.accumulate(cv2.warpAffine(frame, shift, (width, height), borderMode=cv2.BORDER_REFLECT), total)
    return cv2.convertScaleAbs(total, alpha=1 / _SAMPLES)


def _flow(before: Frame, after: Frame) -> NDArray[np.float32]:
    grey = (cv2.cvtColor(each, cv2.COLOR_BGR2GRAY) for each in (before, after))
    return cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(*grey, None)


def _moved(frame: Frame, flow: NDArray[np.float32], share: float) -> Frame:
    height, width = frame.shape[:2]
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    return cv2.remap(
        frame,
        x - np.float32(share) * flow[..., 0],
        y - np.float32(share) * flow[..., 1],
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )
