"""The one map between a shot's frames on the reel and instants of its take.

Every reader of time asks it: planning, sound, tracks, whips, ridges, joins, snapping and hand-over. A frame of the reel
is sampled at its middle, and stands for an instant of the take in frames of it: a whole number is the middle of that
frame, what lies between two is a moment that was not shot. All of it is exact.
"""

from bisect import bisect_right
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import accumulate
from math import ceil

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Shot
from clevrin.core.pace.curve import Leg, instant_of, legs_of, progress_of

Numbers = NDArray[np.float64]

_HALF = Fraction(1, 2)
_SETTLES_FRAMES = 24
"""Over how many frames of the reel the course comes from showing its first frame to where it is by itself."""
_REFINED = 16
_FITS = Fraction(1, 25)
"""A frame in 25 that is left out or shown twice is seen less than 24 that are made."""
_AT_EDGE = Fraction(1, 10**6)


@dataclass(frozen=True, kw_only=True, eq=False)
class Seen:
    """A course at many frames of the reel, each (n,): as `progress`, `moment`, `speed` and `fits` say of one."""

    progress: Numbers
    moment: Numbers
    speed: Numbers
    fits: NDArray[np.bool_]


def plain_frames(source_frames: int, rate: Fraction, reel_rate: Fraction) -> int:
    """How many frames of the reel some of a take last at an even rate: at least one."""
    # round(frames * reel_rate / rate) in whole numbers: Fraction takes ten times as long.
    over, under = source_frames * reel_rate.numerator * rate.denominator, reel_rate.denominator * rate.numerator
    return max(1, _rounded(over, under))


def _rounded(numerator: int, denominator: int) -> int:
    """The nearest whole number, of two the even one."""
    whole, rest = divmod(numerator, denominator)
    return whole + (2 * rest > denominator or (2 * rest == denominator and whole % 2 == 1))


def fits(per_frame: Fraction) -> bool:
    """Whether so many frames of a take in one of the reel are a whole number of them, or as good as."""
    whole = round(per_frame)
    return whole >= 1 and abs(per_frame - whole) <= _FITS * whole


@dataclass(frozen=True, kw_only=True)
class EvenTime:
    """A shot at an even rate: `rate` of its take's frames go by in a second of a reel of `reel_rate`, `frames` in all.

    Where the take has more frames than the reel, its span is spread so that its first and its last frame are shown:
    what was matched there is seen. Frames before and behind the shot are handles.
    """

    shot: Shot
    rate: Fraction
    reel_rate: Fraction
    frames: int

    def progress(self, at: int | Fraction) -> Fraction:
        """How far in its span the shot is at a frame of the reel, counted from its own first one."""
        stretch = self._stretch
        return _HALF + at * stretch if stretch is not None else (at + _HALF) * self.rate / self.reel_rate

    def moment(self, at: int | Fraction) -> Fraction:
        """The same where moments are made: what is slower than shot begins with a frame that was shot."""
        if self.rate >= self.reel_rate:
            return self.progress(at)
        moved = _HALF + at * self.rate / self.reel_rate
        return min(max(moved, _HALF), self.shot.span.frames - _HALF) if 0 <= at < self.frames else moved

    def at(self, u: Fraction) -> Fraction:
        """The frame of the reel at which it is so far; may lie outside of the shot."""
        stretch = self._stretch
        return (u - _HALF) / stretch if stretch is not None else u * self.reel_rate / self.rate - _HALF

    def speed(self, at: int | Fraction) -> Fraction:
        """How many frames of the take go by in one of the reel, along the direction of play."""
        return self.rate / self.reel_rate

    def fits(self, at: int | Fraction) -> bool:
        """Whether frames of the take fall on those of the reel, or as good as: then none has to be made."""
        return fits(self.rate / self.reel_rate)

    def seen(self, at: Numbers) -> Seen:
        """The same for many frames of the reel (n,) at once, not exact: for drawing."""
        per_frame = float(self.speed(0))
        stretch = self._stretch
        u = 0.5 + at * float(stretch) if stretch is not None else (at + 0.5) * per_frame
        moved = u if self.rate >= self.reel_rate else 0.5 + at * per_frame
        inside = np.clip(moved, 0.5, self.shot.span.frames - 0.5)
        fitting = np.full(len(at), self.fits(0))
        return Seen(progress=u, moment=inside, speed=np.full(len(at), per_frame), fits=fitting)

    def step(self, at: int) -> int:
        """Which frame of the span, in the order of play, is the nearest to what a frame of the reel stands for."""
        stretch = self._stretch
        return round(at * stretch) if stretch is not None else int(self.progress(at) // 1)

    @cached_property
    def _stretch(self) -> Fraction | None:
        """How many frames of the take go by from one of the reel to the next where it has more of them, else None."""
        if self.rate <= self.reel_rate or self.shot.span.frames < 2:
            return None
        return Fraction(self.shot.span.frames - 1, max(1, self.frames - 1))


@dataclass(frozen=True, kw_only=True)
class PacedTime:
    """A shot that has speeds of its own; all of its span is played over `frames` of a reel of `reel_rate`.

    The first frame of the reel shows the first one of the course, and where it is fast at its ends, the last one the
    last; the way there is made up for over a second, so that nothing jumps.
    """

    shot: Shot
    legs: tuple[Leg, ...]
    reel_rate: Fraction
    frames: int

    @staticmethod
    def of(shot: Shot, rate: Fraction, plain: Fraction, reel_rate: Fraction) -> "PacedTime":
        """The map of a shot of a take of a rate; `plain`: frames of it a second where no speed is set."""
        legs = legs_of(shot, rate, plain)
        seconds = sum((leg.seconds for leg in legs), Fraction(0))
        frames = shot.pace.length_frames or max(1, round(seconds * reel_rate))
        return PacedTime(shot=shot, legs=legs, reel_rate=reel_rate, frames=frames)

    def progress(self, at: int | Fraction) -> Fraction:
        leg, since = self._leg(at)
        if leg.stands:
            return leg.u
        moved = leg.u_at(since) + self._made_up(at)
        return min(max(moved, _HALF), self.shot.span.frames - _HALF) if 0 <= at < self.frames else moved

    def moment(self, at: int | Fraction) -> Fraction:
        return self.progress(at)

    def at(self, u: Fraction) -> Fraction:
        for number, leg in enumerate(self.legs):
            low, high = sorted((leg.u, leg.end_u))
            if low <= u <= high and leg.seconds:
                return self._refined((self._begins[number] + leg.time_of(u)) / self._scale - _HALF, u)
        before = (u < _HALF) == (self.legs[0].before >= 0)
        edge = Fraction(0) if before else Fraction(self.frames - 1)
        speed = self.speed(edge)
        return edge + (u - self.progress(edge)) / speed if speed else edge

    def _refined(self, at: Fraction, u: Fraction) -> Fraction:
        """Where the shot is so far, near a place that leaves out what is made up for at its ends."""
        if not self._made_up(at):
            return at
        way = 1 if self.speed(at) >= 0 else -1
        low = high = at
        while (self.progress(low) - u) * way > 0 and low > 0:
            low -= 1
        while (self.progress(high) - u) * way < 0 and high < self.frames - 1:
            high += 1
        for _ in range(_REFINED):
            middle = (low + high) / 2
            low, high = (middle, high) if (self.progress(middle) - u) * way < 0 else (low, middle)
        return high.limit_denominator(10**6)

    def speed(self, at: int | Fraction) -> Fraction:
        leg, since = self._leg(at)
        return leg.speed_at(since) * self._scale

    def fits(self, at: int | Fraction) -> bool:
        return self._fits_along(self._leg(at)[0])

    def _fits_along(self, leg: Leg) -> bool:
        ends = [abs(speed) * self._scale for speed in (leg.before, leg.after)]
        return all(map(fits, ends)) and round(ends[0]) == round(ends[1])

    def seen(self, at: Numbers) -> Seen:
        scale, begins = float(self._scale), np.array([float(each) for each in self._begins])
        seconds = (at + 0.5) * scale
        number = np.clip(np.searchsorted(begins, seconds, "right") - 1, 0, len(self.legs) - 1)
        u, speed, fitting = np.zeros(len(at)), np.zeros(len(at)), np.zeros(len(at), bool)
        for k in np.unique(number):
            leg, here = self.legs[k], number == k
            since = seconds[here] - begins[k]
            inner = np.clip(since, 0.0, float(leg.seconds))
            moved, per_s = leg.seen(inner)
            u[here], speed[here] = moved + per_s * (since - inner), per_s * scale
            fitting[here] = self._fits_along(leg)
            if not leg.stands:
                u[here] += self._made_up_seen(at[here])
        inside = (at >= 0) & (at < self.frames)
        moved = np.where(inside, np.clip(u, 0.5, self.shot.span.frames - 0.5), u)
        return Seen(progress=moved, moment=moved, speed=speed, fits=fitting)

    def _made_up_seen(self, at: Numbers) -> Numbers:
        first, last, reach_in, reach_out = (float(each) for each in self._made_up_at_ends)
        share_in = np.clip(1 - at / reach_in, 0, 1) if reach_in else np.zeros(len(at))
        share_out = np.clip(1 - (self.frames - 1 - at) / reach_out, 0, 1) if reach_out else np.zeros(len(at))
        return first * (1.0 if first > 0 else share_in) + last * share_out

    def step(self, at: int) -> int:
        # A moment half way between two frames shows the one that was there already.
        return max(0, ceil(self.progress(at)) - 1)

    @cached_property
    def _begins(self) -> tuple[Fraction, ...]:
        """When each leg begins, and when the last one ends."""
        return (Fraction(0), *accumulate(leg.seconds for leg in self.legs))

    @cached_property
    def _scale(self) -> Fraction:
        """Seconds of the course in one frame of the reel; where its length is said, the whole of it fits into that."""
        seconds = self._begins[-1]
        return seconds / self.frames if seconds and self.shot.pace.length_frames else 1 / self.reel_rate

    def _leg(self, at: int | Fraction) -> tuple[Leg, Fraction]:
        """What is played at the middle of a frame of the reel, and how long it has been; beyond the ends it goes on."""
        seconds = (at + _HALF) * self._scale
        number = min(max(bisect_right(self._begins, seconds) - 1, 0), len(self.legs) - 1)
        leg, since = self.legs[number], seconds - self._begins[number]
        if since < 0 or since > leg.seconds:
            speed = leg.speed_at(Fraction(0) if since < 0 else leg.seconds)
            start = leg.u if since < 0 else leg.end_u - speed * leg.seconds
            return Leg(u=start, seconds=leg.seconds, before=speed, after=speed), since
        return leg, since

    def _made_up(self, at: int | Fraction) -> Fraction:
        """By how much more the course is ahead than its speeds say, near the ends of the shot."""
        first, last, reach_in, reach_out = self._made_up_at_ends
        share_in = max(Fraction(0), 1 - Fraction(max(at, 0)) / reach_in) if reach_in else Fraction(0)
        if first > 0:
            share_in = Fraction(1)  # slower than shot: frames that were shot stay where they fall
        from_end = self.frames - 1 - min(at, self.frames - 1)
        share_out = max(Fraction(0), 1 - Fraction(from_end) / reach_out) if reach_out else Fraction(0)
        return first * share_in + last * share_out

    @cached_property
    def _even(self) -> bool:
        """Whether it plays at one speed."""
        return len({speed for leg in self.legs for speed in (leg.before, leg.after)}) == 1

    @cached_property
    def _made_up_at_ends(self) -> tuple[Fraction, Fraction, int, int]:
        """What is made up for at the first and at the last frame, and over how many frames."""
        scale = self._scale
        stands = [number for number, leg in enumerate(self.legs) if leg.stands]
        free_in = self._begins[stands[0]] / scale if stands else Fraction(self.frames)
        free_out = (self._begins[-1] - self._begins[stands[-1] + 1]) / scale if stands else Fraction(self.frames)
        most = self.frames - 1 if self._even else min(_SETTLES_FRAMES, max(1, self.frames // 2))
        first = self._off(0, self.legs[0].u)
        last = self._off(self.frames - 1, self.legs[-1].end_u) - max(first, Fraction(0))
        slow_end = last <= 0 < self.legs[-1].after
        return first, Fraction(0) if slow_end else last, min(most, int(free_in)), min(most, int(free_out))

    def _off(self, at: int, edge: Fraction) -> Fraction:
        """How far a frame of the reel is from the middle of the frame of the take at an edge of the span, if at one."""
        frames = self.shot.span.frames
        if min(abs(edge), abs(edge - frames)) > _AT_EDGE:
            return Fraction(0)
        leg, since = self._leg(at)
        return (_HALF if edge < _HALF else frames - _HALF) - leg.u_at(since)


TimeMap = EvenTime | PacedTime


def time_map(shot: Shot, take_rate: Fraction, plain: Fraction, reel_rate: Fraction) -> TimeMap:
    """The map of a shot; `plain`: how many frames of its take go by in a second where no speed is set."""
    if shot.pace.points or shot.pace.length_frames:
        return PacedTime.of(shot, take_rate, plain, reel_rate)
    frames = plain_frames(shot.span.frames, plain, reel_rate)
    return EvenTime(shot=shot, rate=plain, reel_rate=reel_rate, frames=frames)


def instant_at(time: TimeMap, at: int | Fraction) -> Fraction:
    """The instant of the take that a frame of the reel, counted from the shot's first one, stands for."""
    return instant_of(time.shot, time.progress(at))


def frame_of(time: TimeMap, instant: int | Fraction) -> Fraction:
    """The frame of the reel, counted from the shot's first one, at which an instant of the take stands first."""
    return time.at(progress_of(time.shot, instant))
