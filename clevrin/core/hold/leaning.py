"""What a gate that is a similarity leaves of a camera's turning: perspective and shear that come and go.

A camera that tilts by half a degree moves the picture's middle, which a gate follows; its corners go another way by
some pixels more. Straight lines stay straight when this is taken out as well.
"""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.hold.doubt import trusted
from clevrin.core.importing import importing
from clevrin.core.motion.geometry.models import rescaled, similarities_of
from clevrin.core.motion.trace.trace import Trace

Numbers = NDArray[np.float64]

_SHORTEST, _LONGEST = 4.0, 45.0
"""Frames over which the slow course of the leaning is looked for, at least and at most: one deviation."""
_REACH = 2.0
_LOOKS = 8
"""So often is looked within one deviation: what is slow needs not be seen in every frame."""
_FURTHEST, _SMALLEST = 0.35, 0.7
"""How far in radii, and by how much, the held picture may have moved and changed its size to be compared."""
_ENOUGH = 5.0
"""Frames' worth of weight from which on the slow course is known."""
_FADE_FRAMES = 3.0


def settled_leaning(trace: Trace, span: Span, maps: Numbers, settle_s: float, fast: NDArray[np.bool_]) -> Numbers:
    """Gates (span.frames, 3, 3) about the centre that lean with the camera, so that what they show does not.

    For each frame the four numbers of a homography that a similarity lacks (two of shear and stretch, two of
    perspective) are looked at on the way to its neighbours, in the held picture: what they are on their slow course,
    by a weighted regression over time, is what they should be. `fast` (span.frames,): whips, which keep theirs. As far
    as it is no larger than the trace's own deviation nothing is done. Costs about a tenth of a second for 1,000 frames.
    """
    with importing:
        from scipy.ndimage import gaussian_filter1d

    n = len(maps)
    if n < 3 or trace.model in ("translation", "similarity"):
        return maps
    radius = float(np.hypot(*trace.centre))
    gates = rescaled(maps, radius)
    moved = rescaled(trace.about_centre[span.first : span.end], radius)
    steps = moved.copy()
    steps[1:] = np.linalg.inv(gates[1:]) @ moved[1:] @ gates[:-1]
    lean = _slow_course(steps, float(np.clip(settle_s * float(trace.rate) / 2, _SHORTEST, _LONGEST)), fast)
    half = trace.centre / radius
    lean *= trusted(trace, span, _at_corners(lean, half) * radius, corners=True)[:, None]
    calm = 2 * gaussian_filter1d((~fast).astype(float), _FADE_FRAMES, mode="nearest") - 1
    lean *= np.where(fast, 0.0, np.clip(calm, 0, 1))[:, None]
    leaned = np.repeat(np.eye(3)[None], n, axis=0)
    leaned[:, 0, 0], leaned[:, 1, 1] = 1 + lean[:, 0] / 2, 1 - lean[:, 0] / 2
    leaned[:, 0, 1] = leaned[:, 1, 0] = lean[:, 1] / 2
    leaned[:, 2, :2] = lean[:, 2:]
    return rescaled(gates @ np.linalg.inv(leaned), 1 / radius)


def _slow_course(steps: Numbers, deviation: float, fast: NDArray[np.bool_]) -> Numbers:
    """(n, 4): where the four are on their slow course, seen from each frame, by steps (n, 3, 3) in the held picture."""
    n = len(steps)
    sums = np.zeros((n, 3))  # of the weights, times the distance, times its square
    stride = max(1, round(deviation / _LOOKS))
    lean, leant = np.zeros((n, 4)), np.zeros((n, 4))  # of the four, and times the distance
    sums[:, 0] = 1.0
    for way in (1, -1):
        onward = np.concatenate([steps[1:], np.eye(3)[None]]) if way > 0 else np.linalg.inv(steps)
        total, seen = np.repeat(np.eye(3)[None], n, axis=0), ~fast
        for distance in range(1, int(_REACH * deviation) + 1):
            at = np.arange(n) + way * distance
            known = (at >= 0) & (at < n)
            at = at.clip(0, n - 1)
            # From the frame `distance - 1` away on to the next one.
            total = onward[(at - way).clip(0, n - 1)] @ total
            if distance % stride:
                seen = seen & known & ~fast[at]
                continue
            total /= total[:, 2:, 2:]
            four, size, away = _lacking(total)
            seen = seen & known & ~fast[at] & (away < _FURTHEST) & (size > _SMALLEST) & (size < 1 / _SMALLEST)
            weight = stride * seen * np.exp(-((distance / deviation) ** 2) / 2)
            signed = way * distance
            sums += weight[:, None] * (1.0, signed, signed**2)
            lean += weight[:, None] * four
            leant += weight[:, None] * four * signed
    determinant = sums[:, 0] * sums[:, 2] - sums[:, 1] ** 2
    middle = sums[:, 2:] * lean - sums[:, 1:2] * leant
    slow = np.where(determinant[:, None] > 1e-6, middle / np.maximum(determinant, 1e-6)[:, None], 0.0)
    return np.asarray(slow * np.clip((sums[:, :1] - 1) / _ENOUGH, 0, 1))


def _lacking(motions: Numbers) -> tuple[Numbers, Numbers, Numbers]:
    """Of homographies (n, 3, 3) in radii: the four (n, 4), and the size (n,) and the way (n,) of their similarity."""
    a, b, x, y = similarities_of(motions).T
    similar = np.zeros_like(motions)
    similar[:, 0, 0] = similar[:, 1, 1] = a
    similar[:, 1, 0], similar[:, 0, 1] = b, -b
    similar[:, 0, 2], similar[:, 1, 2], similar[:, 2, 2] = x, y, 1
    rest = np.linalg.solve(similar, motions)
    rest /= rest[:, 2:, 2:]
    four = np.stack(
        [rest[:, 0, 0] - rest[:, 1, 1], rest[:, 0, 1] + rest[:, 1, 0], rest[:, 2, 0], rest[:, 2, 1]], axis=1
    )
    return four, np.hypot(a, b), np.hypot(x, y)


def _at_corners(lean: Numbers, half: Numbers) -> Numbers:
    """(n,): by how much the four (n, 4) move the picture's corners, RMS, in radii."""
    x, y = half
    stretch, shear, across, down = lean.T
    squares = np.zeros(len(lean))
    for sx, sy in ((x, y), (x, -y)):
        over = across * sx + down * sy
        squares += (stretch * sx / 2 + shear * sy / 2 - over * sx) ** 2
        squares += (shear * sx / 2 - stretch * sy / 2 - over * sy) ** 2
    return np.asarray(np.sqrt(squares / 2))
