"""Where an intended move starts, stops or turns: held paths may bend there, and nowhere sooner."""

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import median_filter

from clevrin.core.motion.trace import Trace
from clevrin.core.motion.whips import find_whips

Numbers = NDArray[np.float64]

_AROUND_S = 0.4
"""Over how long the speed before and after is taken: longer than most shake, shorter than a move."""
_JOLT_FRAMES = 5
_CLEAR = 3.0
"""A change of speed counts from this multiple of what is usual in the take."""
_LEAST_WIDTHS_PER_S = 0.04
"""A change of speed that is smaller spoils nothing when it is met a little early."""


def fast_frames(trace: Trace) -> NDArray[np.bool_]:
    """(frames,): which frames belong to whips."""
    fast = np.zeros(trace.frames, bool)
    for whip in find_whips(trace):
        fast[whip.start : whip.end + 1] = True
    return fast


def turning_frames(trace: Trace, fast: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(frames,): where the mean speed changes too suddenly to be a part of a slow move.

    Compares the mean motion of the 0.4 s before and after each frame, whips (`fast`) left out, with what is usual in
    the take. Costs well under a millisecond for 1,000 frames.
    """
    turning = np.zeros(trace.frames, bool)
    reach = max(3, round(_AROUND_S * float(trace.rate)))
    if trace.frames < 2 * reach + 2:
        return turning
    corner = np.hypot(trace.width, trace.height) / 2
    steps = (trace.similarity - (1.0, 0.0, 0.0, 0.0)) * (corner, corner, 1.0, 1.0)
    steps[0] = steps[1]
    steps = median_filter(steps, size=(_JOLT_FRAMES, 1), mode="nearest")  # a jolt is not the start of a move
    change = _changes(steps, ~fast, reach)
    least = _LEAST_WIDTHS_PER_S * trace.width / float(trace.rate)
    limit = max(_CLEAR * float(np.median(change)), least)
    while (peak := float(change.max())) > limit:
        at = int(change.argmax())
        high = change > peak / 2
        first, last = at, at
        while first > 0 and high[first - 1]:
            first -= 1
        while last + 1 < len(change) and high[last + 1]:
            last += 1
        # A sudden change is as wide as the frames that were taken together; what is wider took longer.
        half = max(1, (last - first + 1 - reach) // 2 + 1)
        turning[max(0, at - half) : at + half] = True
        change[max(0, first - reach // 2) : last + reach // 2 + 1] = 0.0
    return turning


def _changes(steps: Numbers, counts: NDArray[np.bool_], reach: int) -> Numbers:
    """(frames,): by how much the mean step from each frame on differs from that before it; px per frame."""
    weights = counts.astype(float)
    sums = np.concatenate([np.zeros((1, 4)), np.cumsum(steps * weights[:, None], axis=0)])
    numbers = np.concatenate([[0.0], np.cumsum(weights)])
    at = np.arange(len(steps))
    before, after = np.maximum(0, at - reach), np.minimum(len(steps), at + reach)

    def mean(low: NDArray[np.int64], high: NDArray[np.int64]) -> Numbers:
        return (sums[high] - sums[low]) / np.maximum(1.0, numbers[high] - numbers[low])[:, None]

    change = np.sqrt(((mean(at, after) - mean(before, at)) ** 2).sum(axis=1))
    enough = np.minimum(numbers[at] - numbers[before], numbers[after] - numbers[at]) >= reach / 2
    return np.where(enough & counts, change, 0.0)
