"""Where an intended move starts, stops or turns: held paths may bend there, and nowhere sooner."""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.importing import importing
from clevrin.core.motion.trace.trace import Trace

Numbers = NDArray[np.float64]

_AROUND_S = 0.4
"""Over how long the speed before and after is taken: longer than most shake, shorter than a move."""
_LASTS_S, _LASTS = 1.0, 0.5
"""A sway comes back: over so long, too, the speed must be another, by this share of what it changed at once."""
_JOLT_FRAMES = 5
_OVER_UNREST = 1.5
"""A change of speed counts from this multiple of how much the speed varies around it."""
_CLEAR = 3.0
"""A change of speed counts from this multiple of what is usual in the take."""
_LEAST_WIDTHS_PER_S = 0.04
"""A change of speed that is smaller spoils nothing when it is met a little early."""


def turning_frames(trace: Trace, fast: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(frames,): where the mean speed changes too suddenly to be a part of a slow move.

    Compares the mean motion of the 0.4 s before and after each frame, whips (`fast`) left out, with what is usual in
    the take, and looks whether it lasts for a second. Costs about a millisecond for 1,000 frames.
    """
    with importing:
        from scipy.ndimage import median_filter

    turning = np.zeros(trace.frames, bool)
    reach = max(3, round(_AROUND_S * float(trace.rate)))
    if trace.frames < 2 * reach + 2:
        return turning
    corner = np.hypot(trace.width, trace.height) / 2
    steps = (trace.similarity - (1.0, 0.0, 0.0, 0.0)) * (corner, corner, 1.0, 1.0)
    steps[0] = steps[1]
    even = median_filter(steps, size=(_JOLT_FRAMES, 1), mode="nearest")  # a jolt is not the start of a move
    change, unrest = _changes(even, steps, ~fast, reach, known=0.5)
    long = max(reach, round(_LASTS_S * float(trace.rate)))
    lasting, _ = _changes(even, steps, ~fast, long, known=0.8)
    along = (lasting * change).sum(axis=1) / np.maximum(1e-12, (change**2).sum(axis=1))
    change = np.sqrt((change**2).sum(axis=1))
    least = _LEAST_WIDTHS_PER_S * trace.width / float(trace.rate)
    limit = max(_CLEAR * float(np.median(change)), least)
    change[(change < _OVER_UNREST * unrest) | (along < _LASTS)] = 0.0  # nor is a burst of shake, nor a sway
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


def _changes(
    even: Numbers, steps: Numbers, counts: NDArray[np.bool_], reach: int, *, known: float
) -> tuple[Numbers, Numbers]:
    """By how much the mean step from each frame on differs from that before it, and how far steps are from their means.

    (frames, 4) and (frames,), px per frame; the means are of `even` steps, the unrest is that of `steps` as they are.
    No change is told where less than the share `known` of either side is there and counts.
    """
    weights = counts.astype(float)
    at = np.arange(len(steps))
    before, after = np.maximum(0, at - reach), np.minimum(len(steps), at + reach)

    def summed(values: Numbers) -> Numbers:
        return np.concatenate([np.zeros((1, values.shape[1])), np.cumsum(values * weights[:, None], axis=0)])

    sums, squares = summed(even), summed(np.column_stack([steps, (steps**2).sum(axis=1)]))
    numbers = np.concatenate([[0.0], np.cumsum(weights)])
    means, spreads = [], []
    for low, high in ((before, at), (at, after)):
        number = np.maximum(1.0, numbers[high] - numbers[low])[:, None]
        means.append((sums[high] - sums[low]) / number)
        mean = (squares[high] - squares[low]) / number
        spreads.append(np.maximum(0.0, mean[:, 4] - (mean[:, :4] ** 2).sum(axis=1)))
    change = means[1] - means[0]
    enough = np.minimum(numbers[at] - numbers[before], numbers[after] - numbers[at]) >= known * reach
    return np.where((enough & counts)[:, None], change, 0.0), np.sqrt((spreads[0] + spreads[1]) / 2)
