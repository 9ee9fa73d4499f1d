"""Where what is pinned to a shot is at the moments that a frame of the reel shows. Pure."""

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from math import ceil, floor

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.pinned import Film
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.render.measured.carried import OWN_SQUARE, PinKnown
from clevrin.core.render.plan import Layer, Pin, PinSample, row9
from clevrin.core.render.planning.shutter_samples import Lying, Moments
from clevrin.core.render.resolving.resolving import ResolvedShot

Matrix = NDArray[np.float64]

_SMEAR_PX = 1.0
_MOST_SAMPLES = 63
_STEPS = 4
_HARDLY_PX = 0.2
_FAR = 1e7


def pinned_to(layer: Layer, moments: Moments) -> tuple[Pin, ...]:
    """What is seen of all that is pinned to a shot at a frame of the reel.

    Where a frame is shown as it was shot the middle of the open shutter is that frame.
    """
    middle, half = moments.shown.instant(), _own_half(moments.course)
    if len(layer.samples) == 1:
        middle = Fraction(layer.samples[0].instant).limit_denominator(10_000)
    else:
        half = max(half, moments.open_frames / 2)
    return _seen(moments.lying, middle, half)


def pinned_still(resolved: ResolvedShot, frame: int, held_from_out: Matrix) -> tuple[Pin, ...]:
    """What is seen of it on a frame of the take, through the take's own shutter."""
    if resolved.course is None:
        return ()
    lying = Lying(resolved=resolved, course=resolved.course, held_from_out=held_from_out)
    return _seen(lying, Fraction(frame), _own_half(resolved.course))


def _own_half(course: Trace) -> Fraction:
    """Half of how long a take's shutter was open, in its frames."""
    return Fraction(course.shutter_deg or 0.0).limit_denominator(1000) / 720


def _seen(lying: Lying, middle: Fraction, half: Fraction) -> tuple[Pin, ...]:
    found = (_Placing(known=each, lying=lying, middle=middle, half=half).pin for each in lying.resolved.pinned)
    return tuple(each for each in found if each is not None)


@dataclass(frozen=True, kw_only=True, eq=False)
class _Placing:
    """An element while the shutter is open: from `half` before the `middle` to as long after it, in frames."""

    known: PinKnown
    lying: Lying
    middle: Fraction
    half: Fraction

    @property
    def pin(self) -> Pin | None:
        """The element as it is seen; None where nothing of it is."""
        pinned, middle = self.known.pinned, self.middle
        half = self.half if pinned.blurs else Fraction(0)
        begins, ends = middle - half, middle + half
        seen = self.known.seen(float(middle))
        if seen <= 0 or self._behind_the_camera(middle):
            return None
        length = self._movement(begins, ends)
        count = 1 if length < _HARDLY_PX else min(_MOST_SAMPLES, ceil(length / _SMEAR_PX) + 1) | 1
        at = [begins + (ends - begins) * Fraction(2 * k + 1, 2 * count) for k in range(count)]
        frame = round(middle)
        return Pin(
            of=pinned.of,
            samples=tuple(PinSample(own_from_out=row9(self._own_from_out(each)), weight=1 / count) for each in at),
            frame=self.known.film_frame(float(middle)) if isinstance(pinned.of, Film) else 0,
            seen=seen,
            behind=tuple(each.at(frame) for each in self.known.behind),
            wrap=pinned.wrap,
            grain=pinned.grain,
        )

    def _own_from_out(self, instant: Fraction) -> Matrix:
        """Output pixels to the element's own square, at a moment between frames as between those about it."""
        return self.lying.between_frames(self._of_frame, instant)

    def _of_frame(self, frame: int) -> Matrix:
        found = self._known.get(frame)
        if found is None:
            own = np.linalg.inv(self.known.src_from_own(frame)) @ self.lying.laid(frame)
            found = self._known[frame] = np.asarray(own / own[2, 2])
        return found

    @cached_property
    def _known(self) -> dict[int, Matrix]:
        """What `_of_frame` has found: many moments of an open shutter lie between the same few frames."""
        return {}

    def _movement(self, begins: Fraction, ends: Fraction) -> float:
        """How far its corners move on the output between two moments, the one that moves most, in pixels."""
        steps = (begins + (ends - begins) * Fraction(k, _STEPS) for k in range(_STEPS + 1))
        gone = np.array([apply(np.asarray(np.linalg.inv(self._own_from_out(each))), OWN_SQUARE) for each in steps])
        return float(np.hypot(*np.moveaxis(np.diff(gone, axis=0), -1, 0)).sum(axis=0).max())

    def _behind_the_camera(self, instant: Fraction) -> bool:
        """Whether it would be seen from behind, or larger than anything: its plane has turned away."""
        for frame in {floor(instant), ceil(instant)}:
            corners = np.column_stack([OWN_SQUARE, np.ones(4)]) @ self.known.src_from_own(frame).T
            away = corners[:, 2] * np.sign(corners[:, 2].sum())
            if (away <= 1e-6).any() or np.abs(corners[:, :2] / corners[:, 2:]).max() > _FAR:
                return True
        return False
