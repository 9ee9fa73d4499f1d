"""Speeds that do what is wanted: ready ramps, a shot as long as it should be, a frame where it should be.

Each gives another `Pace` for a shot; none of them changes the frames of its span.
"""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from clevrin.core.document import Pace, PacePoint, Shot
from clevrin.core.document.pacing import FASTEST, SLOWEST, bounded_speed
from clevrin.core.errors import ClevrinError
from clevrin.core.pace.conform import Placed
from clevrin.core.pace.curve import legs_of, point_times, progress_of

_HALVINGS = 40
_LEAST_SCALE, _MOST_SCALE = SLOWEST / FASTEST, FASTEST / SLOWEST


@dataclass(frozen=True, kw_only=True)
class Clock:
    """How a shot's time goes where nothing is said: its take's `rate`, frames of it a second, and the reel's rate."""

    rate: Fraction
    plain: Fraction
    reel_rate: Fraction

    @staticmethod
    def of(placed: Placed) -> "Clock":
        """That of a shot on a reel."""
        return Clock(rate=placed.take.facts.rate, plain=placed.rate, reel_rate=placed.reel_rate)

    def frames(self, shot: Shot) -> float:
        """How many frames of the reel the speeds of a shot make it last, not rounded."""
        return float(sum(leg.seconds for leg in legs_of(shot, self.rate, self.plain)) * self.reel_rate)

    def speed(self) -> float:
        """The speed where nothing is said."""
        return float(self.plain / self.rate)


def put(pace: Pace, number: int, point: PacePoint, *, instead: bool) -> Pace:
    """The pace with a point at a place in the order of play, instead of the one there or before it."""
    return pace.changed(points=(*pace.points[:number], point, *pace.points[number + instead :]))


def as_long_as(shot: Shot, frames: int, clock: Clock, kept: frozenset[int] = frozenset()) -> Pace:
    """Speeds with which a shot lasts so many frames of the reel: all but the `kept` ones give way alike.

    Raises `ClevrinError` where no speeds can do that.
    """
    pace = shot.pace
    if not pace.points:
        middle = (shot.span.first + shot.span.end - 1) // 2
        pace = pace.changed(points=(PacePoint(frame=middle, speed=bounded_speed(clock.speed())),))
    free = [k for k, point in enumerate(pace.points) if point.speed and k not in kept]
    if not free:
        free = [k for k, point in enumerate(pace.points) if point.speed]

    def scaled(by: float) -> Pace:
        return pace.changed(
            points=tuple(
                point.changed(speed=bounded_speed(point.speed * by)) if k in free else point
                for k, point in enumerate(pace.points)
            ),
            length_frames=None,
        )

    found = _bisected(lambda by: clock.frames(shot.changed(pace=scaled(by))) - frames)
    if found is None:
        low, high = (clock.frames(shot.changed(pace=scaled(by))) for by in (_MOST_SCALE, _LEAST_SCALE))
        raise ClevrinError(f"This shot cannot last {frames} frames: with these speeds {low:.0f} to {high:.0f} can be.")
    return scaled(found)


def frame_at(shot: Shot, frame: int, at_s: float, clock: Clock) -> Pace:
    """Speeds with which a frame of the take stands so many seconds after the start of its shot.

    What comes before it gives way, and what comes after keeps its speeds. Raises `ClevrinError` where none can.
    """
    pace = shot.pace
    speed = _speed_at(shot, frame, clock)
    if not speed:
        raise ClevrinError("A frame that stands still is moved by how long it stays.")
    begin = shot.first_shown
    earlier = [p for p in pace.points if (p.frame > frame if shot.reverse else p.frame < frame)]
    later = [p for p in pace.points if (p.frame < frame if shot.reverse else p.frame > frame)]
    if len(earlier) + len(later) + sum(p.frame == frame for p in pace.points) != len(pace.points):
        raise ClevrinError("Frames of a shot that turns round cannot be moved one by one.")
    if abs(frame - begin) < 2:
        raise ClevrinError("A frame so near to the start of its shot cannot be moved.")
    if not earlier:
        earlier = [PacePoint(frame=(begin + frame) // 2, speed=_speed_at(shot, (begin + frame) // 2, clock))]

    def bent(by: float) -> Pace:
        gives_way = tuple(p.changed(speed=bounded_speed(p.speed * by)) if p.speed else p for p in earlier)
        return pace.changed(points=(*gives_way, PacePoint(frame=frame, speed=speed), *later))

    def off(by: float) -> float:
        made = shot.changed(pace=bent(by))
        reached = point_times(made, clock.rate)[len(earlier)]
        return float(reached) - at_s if reached is not None else -at_s

    found = _bisected(off)
    if found is None:
        raise ClevrinError("No speed brings that frame there.")
    return bent(found)


def _speed_at(shot: Shot, frame: int, clock: Clock) -> float:
    """The speed at a frame of the take, where the course comes to it first."""
    u = progress_of(shot, frame)
    for leg in legs_of(shot, clock.rate, clock.plain):
        low, high = sorted((leg.u, leg.end_u))
        if low <= u <= high and leg.seconds:
            return bounded_speed(float(leg.speed_at(leg.time_of(u)) / clock.rate))
    return clock.speed()


def _bisected(off: Callable[[float], float]) -> float | None:
    """Where a falling function of a scale is 0, between the least and the most scale; None where it is nowhere."""
    low, high = _LEAST_SCALE, _MOST_SCALE
    if off(low) < -0.5 or off(high) > 0.5:
        return None
    for _ in range(_HALVINGS):
        middle = (low * high) ** 0.5
        low, high = (middle, high) if off(middle) > 0 else (low, middle)
    return high


@dataclass(frozen=True, kw_only=True)
class Ready:
    """A ready ramp: its words, and its points for a shot, from how slow and how fast it is to be."""

    words: str
    help: str
    points: Callable[[Shot, float, float], tuple[PacePoint, ...]]


def _at(shot: Shot, share: float) -> int:
    """The frame of the take at a share of the way through a shot."""
    frame = round(share * (shot.span.frames - 1))
    return shot.span.end - 1 - frame if shot.reverse else shot.span.first + frame


def _points(*speeds: tuple[float, float]) -> Callable[[Shot], tuple[PacePoint, ...]]:
    def made(shot: Shot) -> tuple[PacePoint, ...]:
        found: dict[int, PacePoint] = {}
        for share, speed in speeds:
            frame = _at(shot, share)
            found.setdefault(frame, PacePoint(frame=frame, speed=bounded_speed(speed)))
        return tuple(found.values())

    return made


def _into_the_middle(shot: Shot, slow: float, fast: float) -> tuple[PacePoint, ...]:
    return _points((0.15, slow), (0.5, fast), (0.85, slow))(shot)


def _out_of_the_start(shot: Shot, slow: float, fast: float) -> tuple[PacePoint, ...]:
    return _points((0.0, fast), (0.4, slow))(shot)


def _into_the_end(shot: Shot, slow: float, fast: float) -> tuple[PacePoint, ...]:
    return _points((0.6, slow), (1.0, fast))(shot)


def _back_and_forth(shot: Shot, slow: float, fast: float) -> tuple[PacePoint, ...]:
    there, near, back = _at(shot, 1.0), _at(shot, 0.85), _at(shot, 0.1)
    return (
        PacePoint(frame=near, speed=bounded_speed(slow)),
        PacePoint(frame=there, speed=0.0),
        PacePoint(frame=near, speed=bounded_speed(-slow)),
        PacePoint(frame=back, speed=bounded_speed(-slow)),
    )


READY: dict[str, Ready] = {
    "middle": Ready(words="into the middle", help="Slow, fast, slow", points=_into_the_middle),
    "start": Ready(words="out of the start", help="Fast at first, then slow", points=_out_of_the_start),
    "end": Ready(words="into the end", help="Slow at first, then ever faster", points=_into_the_end),
    "back": Ready(words="back and forth", help="To the end, round, and back to the start", points=_back_and_forth),
}


def frozen(pace: Pace, frame: int, seconds: float, speed: float, *, reverse: bool = False) -> Pace:
    """The pace with a picture that stands still: from a speed to none, for so long, and on at that speed.

    `reverse`: whether the shot plays backward, and so through its points.
    """
    if speed <= 0:
        raise ClevrinError("A picture is frozen where it goes forward.")
    points = [p for p in pace.points if p.frame != frame]
    way = -1 if reverse else 1
    at = next((k for k, each in enumerate(points) if way * each.frame > way * frame), len(points))
    step = PacePoint(frame=frame, speed=bounded_speed(speed))
    points[at:at] = [step, PacePoint(frame=frame, speed=0.0, stays_s=seconds), step]
    return pace.changed(points=tuple(points))
