"""The course of a shot through its take, from speeds at some of its frames: exact, and as areas under a curve.

Progress `u` counts frames of the take along the direction of play, from 0 where the span begins to its number of frames
where it ends; the middle of the first frame is at a half. Time is in seconds of the reel. Between two points the speed
goes over on a polynomial of time, straight or soft (the cubic without slope at its ends) or a mix of both; as all of
them are even about their middle, the time between two points is what lies between them by the mean of their speeds.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Pace, Shot

Numbers = NDArray[np.float64]

_HALF = Fraction(1, 2)
_SPEED_STEPS = 100_000
_HALVINGS = 60


@dataclass(frozen=True, kw_only=True)
class Leg:
    """A stretch of the course: from progress `u`, for `seconds`, from speed `before` to `after` in frames a second.

    `since`: how much of a longer leg, of `whole_s` seconds, comes before it; the speeds are those of the longer one.
    """

    u: Fraction
    seconds: Fraction
    before: Fraction
    after: Fraction
    ease: Fraction = Fraction(1)
    since: Fraction = Fraction(0)
    whole_s: Fraction = Fraction(0)

    @property
    def stands(self) -> bool:
        """Whether the picture stands still in it."""
        return self.before == self.after == 0

    @property
    def _whole(self) -> Fraction:
        return self.whole_s or self.seconds

    @property
    def end_u(self) -> Fraction:
        return self.u_at(self.seconds)

    def u_at(self, t: Fraction) -> Fraction:
        """Progress so many seconds after it begins."""
        whole = self._whole
        if self.before == self.after or not whole:
            return self.u + self.before * t
        area = _area((self.since + t) / whole, self.ease) - _area(self.since / whole, self.ease)
        return self.u + self.before * t + (self.after - self.before) * whole * area

    def speed_at(self, t: Fraction) -> Fraction:
        whole = self._whole
        if self.before == self.after or not whole:
            return self.before
        s = (self.since + t) / whole
        return self.before + (self.after - self.before) * ((1 - self.ease) * s + self.ease * s * s * (3 - 2 * s))

    def seen(self, t: Numbers) -> tuple[Numbers, Numbers]:
        """Progress and speed, each (n,), so many seconds (n,) after it begins: for drawing."""
        whole = float(self._whole)
        before, grows = float(self.before), float(self.after - self.before)
        if not grows or not whole:
            return float(self.u) + before * t, np.full(len(t), before)
        ease, since = float(self.ease), float(self.since) / whole
        s = since + t / whole
        area = (1 - ease) * s * s / 2 + ease * s**3 * (1 - s / 2) - float(_area(self.since / self._whole, self.ease))
        return (
            float(self.u) + before * t + grows * whole * area,
            before + grows * ((1 - ease) * s + ease * s * s * (3 - 2 * s)),
        )

    def part(self, a: Fraction, b: Fraction) -> "Leg":
        """What of it lies between two instants."""
        return replace(self, u=self.u_at(a), seconds=b - a, since=self.since + a, whole_s=self._whole)

    def time_of(self, u: Fraction) -> Fraction:
        """When it is at a progress that it passes; to a part in 2**60 where there is no closed form."""
        if self.before == self.after:
            return (u - self.u) / self.before if self.before else Fraction(0)
        low, high, rises = Fraction(0), self.seconds, self.end_u >= self.u
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            middle = middle.limit_denominator(2**_HALVINGS)
            if (self.u_at(middle) < u) == rises:
                low = middle
            else:
                high = middle
        return high


def _area(s: Fraction, ease: Fraction) -> Fraction:
    """Under the step from 0 to 1, up to a share of its time."""
    return (1 - ease) * s * s / 2 + ease * s**3 * (1 - s / 2)


def legs_of(shot: Shot, rate: Fraction, plain: Fraction) -> tuple[Leg, ...]:
    """The course of a shot of a take of a rate; `plain`: how many frames go by in a second where no speed is set.

    What lies outside of the span is left out, and points that no course between their neighbours reaches as well.
    There is at least one leg; a course that goes nowhere has one without time.
    """
    frames = Fraction(shot.span.frames)
    if not shot.pace.points:
        return (Leg(u=Fraction(0), seconds=frames / plain, before=plain, after=plain),)
    cut = tuple(part for leg, _ in _uncut(shot.pace, shot, rate) for part in _within(leg, frames))
    middle = Fraction(min(max(progress_of(shot, shot.pace.points[0].frame), _HALF), frames - _HALF))
    return cut or (Leg(u=middle, seconds=Fraction(0), before=Fraction(0), after=Fraction(0)),)


def point_times(shot: Shot, rate: Fraction) -> tuple[Fraction | None, ...]:
    """When the course of a shot comes to each of its points, in seconds; None for those that it never comes to."""
    times: list[Fraction | None] = [None] * len(shot.pace.points)
    frames, gone = Fraction(shot.span.frames), Fraction(0)
    for leg, reached in _uncut(shot.pace, shot, rate) if times else ():
        gone += sum((part.seconds for part in _within(leg, frames)), Fraction(0))
        if reached is not None and 0 <= progress_of(shot, shot.pace.points[reached].frame) <= frames:
            times[reached] = gone
    return tuple(times)


def progress_of(shot: Shot, instant: Fraction | int) -> Fraction:
    """How far in the shot an instant of its take is, in frames along the direction of play."""
    return shot.span.end - _HALF - instant if shot.reverse else instant + _HALF - shot.span.first


def instant_of(shot: Shot, u: Fraction) -> Fraction:
    """The instant of the take at a progress: a whole number is the middle of that frame."""
    return shot.span.end - _HALF - u if shot.reverse else shot.span.first + u - _HALF


def _uncut(pace: Pace, shot: Shot, rate: Fraction) -> Iterator[tuple[Leg, int | None]]:
    """The legs before anything is cut to the span, each with the point that it ends at."""
    points = pace.points
    speeds = [_speed(each.speed) * rate for each in points]
    at, speed = progress_of(shot, points[0].frame), speeds[0]
    edge = Fraction(0) if speed > 0 else Fraction(shot.span.frames)
    if speed and (at - edge) / speed > 0:
        yield Leg(u=edge, seconds=(at - edge) / speed, before=speed, after=speed), 0
    else:
        yield Leg(u=at, seconds=Fraction(0), before=speed, after=speed), 0
    ease = _ease(points[0].ease)
    yield from _stay(at, points[0].stays_s)
    for number, (point, next_speed) in enumerate(zip(points[1:], speeds[1:], strict=True), start=1):
        there = progress_of(shot, point.frame)
        mean = (speed + next_speed) / 2
        if there != at:
            if not mean or (there - at) / mean < 0:
                continue  # no course leads there
            yield Leg(u=at, seconds=(there - at) / mean, before=speed, after=next_speed, ease=ease), number
        else:
            yield Leg(u=at, seconds=Fraction(0), before=next_speed, after=next_speed), number
        at, speed, ease = there, next_speed, _ease(point.ease)
        yield from _stay(at, point.stays_s)
    edge = Fraction(shot.span.frames) if speed > 0 else Fraction(0)
    if speed and (edge - at) / speed > 0:
        yield Leg(u=at, seconds=(edge - at) / speed, before=speed, after=speed), None


def _stay(at: Fraction, stays_s: float) -> Iterator[tuple[Leg, int | None]]:
    if stays_s > 0:
        seconds = Fraction(stays_s).limit_denominator(_SPEED_STEPS)
        yield Leg(u=at, seconds=seconds, before=Fraction(0), after=Fraction(0)), None


def _within(leg: Leg, frames: Fraction) -> Iterator[Leg]:
    """What of a leg lies in the span: legs go one way only."""
    low, high = sorted((leg.u, leg.end_u))
    if high < 0 or low > frames or not leg.seconds:
        return
    if low >= 0 and high <= frames:
        yield leg
        return
    rises = leg.end_u > leg.u
    bottom = leg.time_of(Fraction(0)) if low < 0 else (Fraction(0) if rises else leg.seconds)
    top = leg.time_of(frames) if high > frames else (leg.seconds if rises else Fraction(0))
    begin, end = sorted((bottom, top))
    if end > begin:
        yield leg.part(begin, end)


def _speed(speed: float) -> Fraction:
    """A speed as it was meant: 0.1 is a tenth."""
    return Fraction(speed).limit_denominator(_SPEED_STEPS)


def _ease(ease: float) -> Fraction:
    return Fraction(ease).limit_denominator(1000)
