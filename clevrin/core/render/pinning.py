"""Where what is pinned to a shot is at the moments that a frame of the reel shows. Pure."""

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from math import ceil, floor

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.pinned import Film
from clevrin.core.motion.models import apply
from clevrin.core.render.known import OWN_SQUARE, PinKnown
from clevrin.core.render.moments import Moments
from clevrin.core.render.plan import Layer, Pin, PinSample, row9

Matrix = NDArray[np.float64]

_SMEAR_PX = 1.0
_MOST_SAMPLES = 63
_STEPS = 4
_HARDLY_PX = 0.2
_FAR = 1e7


def pinned_to(layer: Layer, moments: Moments) -> tuple[Pin, ...]:
    """What is seen of all that is pinned to a shot at a frame of the reel."""
    found = (_Placing(known=each, layer=layer, moments=moments).pin for each in moments.shown.resolved.pinned)
    return tuple(each for each in found if each is not None)


@dataclass(frozen=True, kw_only=True, eq=False)
class _Placing:
    known: PinKnown
    layer: Layer
    moments: Moments

    @property
    def pin(self) -> Pin | None:
        """The element as it is seen; None where nothing of it is."""
        begins, middle, ends = self._open
        pinned = self.known.pinned
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

    @cached_property
    def _open(self) -> tuple[Fraction, Fraction, Fraction]:
        """From when to when it is seen, and the middle: as long as the shutter is open that blurs what is about it.

        Where a frame is shown as it was shot the middle is that frame, and the shutter that of the take.
        """
        moments, samples = self.moments, self.layer.samples
        middle = moments.shown.instant()
        if len(samples) == 1:
            middle = Fraction(samples[0].instant).limit_denominator(10_000)
        if not self.known.pinned.blurs:
            return middle, middle, middle
        half = Fraction(moments.course.shutter_deg or 0.0).limit_denominator(1000) / 720
        if len(samples) > 1:
            half = max(half, moments.open_frames / 2)
        return middle - half, middle, middle + half

    def _own_from_out(self, instant: Fraction) -> Matrix:
        """Output pixels to the element's own square, at a moment between frames as between those about it."""
        return self.moments.between_frames(self._of_frame, instant)

    def _of_frame(self, frame: int) -> Matrix:
        own = np.linalg.inv(self.known.src_from_own(frame)) @ self.moments.laid(frame)
        return np.asarray(own / own[2, 2])

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
