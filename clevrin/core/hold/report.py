"""What holding did: the motion as shot and as held along each axis, and the shake that is left."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.hold.held import HeldPath
from clevrin.core.importing import importing
from clevrin.core.motion.geometry.models import similarities_of
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.whips import Whip
from clevrin.core.runs import runs_of

Numbers = NDArray[np.float64]

SHAKE_HZ = 1.0
"""Motion quicker than this counts as shake."""
_SHORTEST_CALM_S = 0.6
_LOW_FREQUENCIES = 5
LITTLE = {"pan": 0.4, "tilt": 0.4, "roll": 0.03, "zoom": 0.05}
"""Shake below this (px at 1280 wide, degrees, %) is as good as none: taking it out can only do harm."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Course:
    """The course of a camera over a span, summed up from its steps; all arrays (frames,), starting at 0.

    `pan` and `tilt` in px (right and up positive), `roll` in degrees (anticlockwise), `zoom` in percent.
    """

    pan: Numbers
    tilt: Numbers
    roll: Numbers
    zoom: Numbers

    @property
    def axes(self) -> dict[str, Numbers]:
        return {"pan": self.pan, "tilt": self.tilt, "roll": self.roll, "zoom": self.zoom}


def course(trace: Trace, span: Span, path: HeldPath | None = None) -> Course:
    """The course of a span as shot, or as held by a path."""
    if path is None:
        steps = trace.similarity[span.first : span.end]
    else:
        gates = path.gates(span)
        before = np.concatenate([gates[:1], gates[:-1]])
        to_centre = np.eye(3)
        to_centre[:2, 2] = -trace.centre
        held = np.linalg.inv(gates) @ trace.motions[span.first : span.end] @ before
        steps = similarities_of(to_centre @ held @ np.linalg.inv(to_centre))
        # Counted on the source picture, not on the enlarged one, so that both courses compare.
        steps[:, 2:] *= np.hypot(*similarities_of(gates).T[:2])[:, None]
    a, b, x, y = steps.T
    turn, growth = np.degrees(np.arctan2(b, a)), np.log(np.hypot(a, b)) * 100
    start = np.arange(len(steps)) > 0
    return Course(
        pan=np.cumsum(-x * start),
        tilt=np.cumsum(y * start),
        roll=np.cumsum(turn * start),
        zoom=np.cumsum(growth * start),
    )


def shake(course: Course, rate: float, calm: NDArray[np.bool_]) -> dict[str, float]:
    """Root mean square of the motion over 1 Hz along each axis, in the axis's unit, over the calm frames.

    `calm` (frames,) leaves out whips; every run of calm frames of 0.6 s or more is filtered by itself, so that
    no whip rings into it. 0 where there is none.
    """
    runs = calm_runs(calm, rate)
    result = {}
    for axis, values in course.axes.items():
        quick = [quick_part(values[a:b], rate) for a, b in runs]
        result[axis] = float(np.sqrt(np.mean(np.concatenate(quick) ** 2))) if quick else 0.0
    return result


def quick_part(values: Numbers, rate: float) -> Numbers:
    """What of values (n, ...) at a rate is quicker than 1 Hz; they are continued for up to 3 s beyond their ends."""
    with importing:
        from scipy.signal import butter, sosfiltfilt

    high = butter(2, min(0.9, SHAKE_HZ / (rate / 2)), "high", output="sos")
    return np.asarray(sosfiltfilt(high, values, axis=0, padlen=min(len(values) - 1, 3 * round(rate))))


def shaken(trace: Trace, span: Span, whips: tuple[Whip, ...], path: HeldPath | None = None) -> dict[str, float]:
    """The shake of a span, see `shake`, as shot or as held by a path."""
    return shake(course(trace, span, path), float(trace.rate), calm_frames(trace, span, whips))


def shake_px(figures: dict[str, float]) -> float:
    """The shake in pan and tilt together."""
    return float(np.hypot(figures["pan"], figures["tilt"]))


def idle_axes(figures: dict[str, float], width: int) -> tuple[str, ...]:
    """The axes of a picture of a width in which there is as good as nothing to remove, by their `shake`."""
    limits = {axis: limit * (width / 1280 if axis in ("pan", "tilt") else 1.0) for axis, limit in LITTLE.items()}
    return tuple(axis for axis, value in figures.items() if value < limits[axis])


def residual_px(course: Course) -> Numbers:
    """(frames,): how far the picture goes from the frame before, in px."""
    return np.hypot(np.diff(course.pan, prepend=0.0), np.diff(course.tilt, prepend=0.0))


def calm_runs(calm: NDArray[np.bool_], rate: float) -> list[tuple[int, int]]:
    """The runs of calm frames, first and end, that are long enough to tell shake in."""
    return [(a, b) for a, b in runs_of(calm) if b - a >= max(12, _SHORTEST_CALM_S * rate)]


def calm_frames(trace: Trace, span: Span, whips: tuple[Whip, ...]) -> NDArray[np.bool_]:
    """(span.frames,): whether a frame is away from all whips, by a few frames for the filter's sake."""
    calm = np.ones(trace.frames, bool)
    for whip in whips:
        calm[max(0, whip.start - 4) : whip.end + 5] = False
    return calm[span.first : span.end]


@dataclass(frozen=True, kw_only=True)
class Measures:
    """Figures in use in the field, after Liu et al. 2013 (doi:10.1145/2461912.2461995); each is 1 at best.

    `cropping`: the mean share of the picture's size that is seen. `distortion`: the least ratio of the two sides by
    which the picture is stretched, over all frames. `stability`: the share of the energy of the held course, without
    its mean, that lies in its five lowest frequencies, the worst of pan, tilt and roll.
    """

    cropping: float
    distortion: float
    stability: float


def measures(trace: Trace, span: Span, path: HeldPath) -> Measures:
    """The field's measures of a held span; an axis that stands still is wholly stable."""
    gates = path.gates(span)
    stretch = np.linalg.svd(gates[:, :2, :2] / gates[:, 2:, 2:], compute_uv=False)
    held = course(trace, span, path)
    shares = []
    for axis in ("pan", "tilt", "roll"):
        values = held.axes[axis]
        energy = np.abs(np.fft.rfft(values - values.mean()))[1:] ** 2
        stands = float(values.std()) < LITTLE[axis]
        shares.append(1.0 if stands else float(energy[:_LOW_FREQUENCIES].sum() / energy.sum()))
    return Measures(
        cropping=float(path.kept[path.rows(span)].mean()),
        distortion=float((stretch[:, 1] / stretch[:, 0]).min()),
        stability=min(shares),
    )
