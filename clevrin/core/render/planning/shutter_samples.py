"""Which moments of its take a frame of the reel shows: one, or those for which the shutter is open. Pure.

Between two frames the camera, as it was traced, and the path of the hold are taken to go on a cubic through their four
neighbours (Lagrange): hands shake so quickly that straight lines between frames are off by half of what they do. At the
ends of a take there are three; a curve through these is half believed.
"""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from math import ceil, floor, sqrt
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Pace
from clevrin.core.matte import Matte
from clevrin.core.motion.geometry.models import apply, longest_way
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.render.measured.carried import AreaKnown
from clevrin.core.render.plan import Between, Sample, Spared, row9
from clevrin.core.render.resolving.resolving import Held, ResolvedShot, Shown

Matrix = NDArray[np.float64]

FITS = Fraction(1, 16)
"""So near to a frame that was shot nothing between frames is made."""
_AT_THE_ENDS = 0.5
_SMEAR_PX = 1.5
"""Two samples of an open shutter lie so near to each other, or as near as the take's own blur is long."""
_FEWEST_SAMPLES, _MOST_SAMPLES = 7, 127
_FAST = 4
"""From so many frames of the take in an open shutter on, no moments between them are made: they are many enough."""
_STEPS = 6


@dataclass(frozen=True, kw_only=True, eq=False)
class Lying:
    """How an output of a `size` in pixels lies on the frames of a shot's take, and at moments between them.

    `course`: how its camera moved. `held_from_out` takes pixels of the output to those of the held picture.
    """

    resolved: ResolvedShot
    course: Trace
    held_from_out: Matrix

    def between_frames(self, of_frame: Callable[[int], Matrix], instant: Fraction) -> Matrix:
        """A map that is known for frames, at a moment that may lie between them: on a curve through its neighbours."""
        state, frame = self.resolved.state, floor(instant)
        span = self.resolved.shot.span
        low, high = (span.first, span.end - 1) if isinstance(state, Held) else (0, self.course.frames - 1)
        if instant == frame:
            return of_frame(frame)
        nodes = [k for k in range(frame - 1, frame + 3) if min(low, frame) <= k <= max(high, frame + 1)]
        nodes = [k for k in nodes if 0 <= k < self.course.frames]
        share = float(instant - frame)
        wanted = 1.0 if len(nodes) == 4 else _AT_THE_ENDS
        curved = _lagrange(np.array(nodes, float) - frame, share)
        straight = np.array([1 - share if k == frame else share if k == frame + 1 else 0.0 for k in nodes])
        weights = wanted * curved + (1 - wanted) * straight
        return np.asarray(sum(w * of_frame(k) for w, k in zip(weights, nodes, strict=True)))

    def at(self, base: int, instant: Fraction) -> Matrix:
        """Output pixels to where what stands there at a moment is in a frame, as the background moves."""
        return self.between_frames(lambda frame: self.laid(frame, base), instant)

    def laid(self, frame: int, base: int | None = None) -> Matrix:
        """How the output lies on a frame, in its own pixels or in those of another one as the background moves."""
        base = frame if base is None else base
        known = self._known.get((base, frame))
        if known is None:
            state = self.resolved.state
            path = state.path.at(frame) if isinstance(state, Held) else np.eye(3)
            matrix = self.between(frame, base) @ path @ self.held_from_out
            known = self._known[base, frame] = np.asarray(matrix / matrix[2, 2])
        return known

    @cached_property
    def _known(self) -> dict[tuple[int, int], Matrix]:
        """What `laid` has found: many samples of an open shutter lie between the same few frames."""
        return {}

    def between(self, before: int, after: int) -> Matrix:
        """Pixels of a frame to those of another one."""
        low, high = sorted((before, after))
        product: Matrix = np.eye(3)
        for k in range(low + 1, high + 1):
            product = self.course.motions[k] @ product
        if before > after:
            product = np.asarray(np.linalg.inv(product))
        return np.asarray(product / product[2, 2])


@dataclass(frozen=True, kw_only=True, eq=False)
class Moments:
    """The moments of a shot at a frame of the reel, laid on an output of a `size` in pixels.

    `course`: how its camera moved. `held_from_out` takes pixels of the output to those of the held picture.
    """

    shown: Shown
    course: Trace
    held_from_out: Matrix
    size: tuple[int, int]

    @cached_property
    def lying(self) -> Lying:
        """How the output lies on the take."""
        return Lying(resolved=self.shown.resolved, course=self.course, held_from_out=self.held_from_out)

    @property
    def _pace(self) -> Pace:
        return self.shown.resolved.shot.pace

    @cached_property
    def samples(self) -> tuple[Sample, ...]:
        """All of them, in the order in which they are seen; more than one where blur is added."""
        pace, placed, instants = self._pace, self.shown.placed, self._open
        if len(instants) == 1:
            fitting = pace.made_between == "best" and placed.time.fits(self.shown.at - placed.start)
            if pace.made_between == "nearest" or fitting:
                return (self._of_frame(self.shown.frame, Fraction(self.shown.frame)),)
            return (self._sample(instants[0], 1.0),)
        weight = 1 / len(instants)
        base = self._nearest(instants[len(instants) // 2])
        if self._background_alone:
            return tuple(self._of_frame(base, each, weight) for each in instants)
        fast = abs(instants[-1] - instants[0]) >= _FAST or pace.made_between == "nearest"
        if fast:
            return tuple(self._of_frame(self._nearest(each), each, weight) for each in instants)
        return tuple(self._sample(each, weight) for each in instants)

    @property
    def added_blur_px(self) -> float:
        """How long the blur is that is added where the picture moves most, in pixels of the output."""
        instants = self._open
        if len(instants) < 2:
            return 0.0
        return self._movement(instants[0], instants[-1]) * len(instants) / (len(instants) - 1)

    @property
    def spared(self) -> Spared | Matte | None:
        """Where added blur does not count; None where none is added."""
        return None if len(self.samples) == 1 else self.sharp

    @cached_property
    def sharp(self) -> Spared | Matte | None:
        """What is to stay sharp, where the middle moment has it."""
        samples = self.samples
        sharp, followed = self._pace.shutter.sharp, self.shown.resolved.sharp
        if sharp is None or followed is None:
            return None
        middle = samples[len(samples) // 2]
        if isinstance(followed, AreaKnown):
            return followed.at(middle.frame)
        if not followed.known[middle.frame]:
            return None
        place: Matrix = np.array(followed.places[middle.frame].mean(axis=0), np.float64)
        x, y = apply(np.asarray(np.linalg.inv(middle.matrix), np.float64), place[None])[0]
        width = self.size[0]
        return Spared(x=float(x), y=float(y), radius=sharp.radius * width, feather=sharp.feather * width)

    @cached_property
    def _open(self) -> tuple[Fraction, ...]:
        """The moments at which an open shutter is sampled; where nothing is to be added, the middle alone.

        The take's own blur counts: two lengths add up by their squares, and so the added one is the root of the
        difference. It counts as far as the picture moves because the camera did: where a gate goes over a take that
        stands, nothing of that is blurred yet.
        """
        now, half = self.shown.instant(), self._half_open
        if not half:
            return (now,)
        begins, ends = self.shown.instant(-half), self.shown.instant(half)
        whole, own = abs(float(ends - begins)), self._own_shutter
        if whole <= 0:
            return (now,)
        moved = self._movement(begins, ends)
        own *= self._by_camera(begins, ends, moved)
        if whole <= own:
            return (now,)
        share = Fraction(sqrt(1 - (own / whole) ** 2)).limit_denominator(1000)
        own_px = moved * own / whole
        count = ceil(float(share) * moved / max(_SMEAR_PX, own_px))
        if not self._background_alone:
            count = max(count, _FEWEST_SAMPLES, ceil(whole * float(share)))
        count = min(count, _MOST_SAMPLES) | 1  # one of them is the middle
        if count < 2:
            return (now,)
        return tuple(self.shown.instant(half * share * (Fraction(2 * k + 1, count) - 1)) for k in range(count))

    @cached_property
    def _half_open(self) -> Fraction:
        """Half of the time for which the shutter is open here, in frames of the reel."""
        speed = float(self.shown.placed.speed_at(self.shown.at))
        return Fraction(self._pace.shutter.angle_at(speed)).limit_denominator(1000) / 720

    @property
    def _own_shutter(self) -> float:
        """For how much of a frame of the take its own shutter was open."""
        return (self.course.shutter_deg or 0.0) / 360

    @property
    def _background_alone(self) -> bool:
        """Whether what moves by itself gets no more blur: because that is wanted, or because it has enough."""
        half = self._half_open
        whole = abs(float(self.shown.instant(half) - self.shown.instant(-half)))
        return self._pace.shutter.blurs == "camera" or whole <= self._own_shutter

    def _by_camera(self, begins: Fraction, ends: Fraction, moved: float) -> float:
        """The share of a movement of the picture on the screen, in px, that the camera made, 0 to 1."""
        resolved = self.shown.resolved
        if not isinstance(resolved.state, Held) or not (resolved.shot.gates or resolved.shot.loan) or moved <= 0:
            return 1.0
        base = self._nearest((begins + ends) / 2)

        def standing(instant: Fraction) -> Matrix:
            """As it would go if the gate stood: frame for frame as the background does, laid as the middle one is."""
            gone = self.lying.between_frames(lambda frame: self.lying.between(frame, base), instant)
            return np.asarray(gone @ self.lying.laid(base))

        return min(1.0, self._way(begins, ends, standing) / moved)

    def _movement(self, begins: Fraction, ends: Fraction) -> float:
        """How far the picture moves on the screen between two moments where it moves most, in output pixels."""
        base = self._nearest((begins + ends) / 2)
        return self._way(begins, ends, lambda instant: self.lying.at(base, instant))

    def _way(self, begins: Fraction, ends: Fraction, laid: Callable[[Fraction], Matrix]) -> float:
        steps = (begins + (ends - begins) * Fraction(k, _STEPS) for k in range(_STEPS + 1))
        return longest_way(map(laid, steps), laid((begins + ends) / 2), self.size)

    def _nearest(self, instant: Fraction) -> int:
        return min(max(round(instant), 0), self.course.frames - 1)

    def _of_frame(self, frame: int, instant: Fraction, weight: float = 1.0) -> Sample:
        """What a moment shows of a frame, moved as its background is at that moment."""
        return Sample(frame=frame, src_from_out=row9(self.lying.at(frame, instant)), weight=weight)

    def _sample(self, instant: Fraction, weight: float) -> Sample:
        """A moment: a frame where one is near, or between two."""
        near = self._nearest(instant)
        if abs(instant - near) <= FITS:
            return self._of_frame(near, Fraction(near), weight)
        frame = floor(instant)
        made: Literal["mix", "flow"] = "mix" if self._pace.made_between == "mix" else "flow"
        between = Between(
            frame=frame + 1,
            share=float(instant - frame),
            to_from_src=row9(self.lying.between(frame, frame + 1)),
            made=made,
        )
        return Sample(frame=frame, src_from_out=row9(self.lying.at(frame, instant)), weight=weight, between=between)

    @property
    def open_frames(self) -> Fraction:
        """For how many frames of the take an open shutter is sampled; 0 where the middle alone is shown."""
        instants = self._open
        return abs(instants[-1] - instants[0]) * Fraction(len(instants), max(1, len(instants) - 1))


def _lagrange(nodes: NDArray[np.float64], at: float) -> NDArray[np.float64]:
    """The weights of values at nodes for the polynomial through them at a place."""
    return np.array([np.prod([(at - b) / (a - b) for b in nodes if b != a]) for a in nodes])
