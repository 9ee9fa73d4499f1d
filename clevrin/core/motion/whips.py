"""Whips: stretches of very fast camera motion, with start, peak, end and direction."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.trace.trace import Trace

WhipKind = Literal["pan", "tilt", "diagonal", "roll", "zoom"]

LEAST_WIDTHS_PER_S = 0.9
_LEAST_TURN_PER_S = 150.0
_LEAST_GROWTH_PER_S = 0.75
"""What counts as fast in each kind: picture widths, degrees, and natural logarithms of the size per second."""
_TIMES_CALM = 4.0
_FOOT = 0.06
"""A whip starts and ends where the speed falls under this share of its peak, or stops falling."""
_KEPT_DIRECTION = 0.7
_LONGEST_S = 1.6
_TURNS_BACK_S = 0.35
_BESIDE = 2
"""Of so many frames beside a peak one has to be known: a dissolve at the peak hides three."""


@dataclass(frozen=True, kw_only=True)
class Whip:
    """Frames `start`, `peak` and `end` (the last one that still belongs to it); the rest is at the peak.

    `angle_deg` is the camera's direction (right 0, up 90), `speed_px` per frame at the centre, `blur_px` the smear;
    of a roll or a zoom, which have no direction (0), both are RMS values over the picture. `turn_deg` is how far the
    picture turns in a frame (anticlockwise as seen), `growth` the factor by which it grows.
    """

    start: int
    peak: int
    end: int
    angle_deg: float
    speed_px: float
    blur_px: float
    kind: WhipKind
    turn_deg: float
    growth: float

    def __contains__(self, frame: int) -> bool:
        return self.start <= frame <= self.end


def find_whips(trace: Trace) -> tuple[Whip, ...]:
    """All whips of a take, in order of time.

    Shift, turn and growth are each counted in what is fast for their kind, and taken together. A peak counts when
    it is fast (0.9 picture widths, 150 degrees or a growth by 2.1 times per second) and over four times the take's
    calm level (the 30th percentile: takes that are half whip still have a calm part), goes one way, does not last
    longer than 1.6 s, which is what tells a whip from a fast pan, and does not turn back at once.
    """
    if trace.frames < 3:
        return ()
    course = _quickness(trace)
    speed = _smooth(np.sqrt((course**2).sum(axis=1)))
    level = max(1.0, _TIMES_CALM * float(np.percentile(speed, 30)))
    level = min(level, max(1.0, 0.6 * float(speed.max())))
    whips: list[Whip] = []
    frame = 0
    while frame < trace.frames:
        if speed[frame] < level:
            frame += 1
            continue
        stop = frame
        while stop < trace.frames and speed[stop] >= level:
            stop += 1
        whip = _whip_around(trace, course, speed, frame + int(np.argmax(speed[frame:stop])))
        if whip is not None and (not whips or whip.start > whips[-1].peak):
            whips.append(whip)
        frame = max(stop, whip.end if whip else 0) + 1
    return _without_swings(whips, course, trace)


def fast_frames(trace: Trace) -> NDArray[np.bool_]:
    """(frames,): which frames belong to whips."""
    fast = np.zeros(trace.frames, bool)
    for whip in find_whips(trace):
        fast[whip.start : whip.end + 1] = True
    return fast


def _quickness(trace: Trace) -> NDArray[np.float64]:
    """(frames, 4): how fast the picture goes right and down, turns and grows, each in what is fast for it."""
    rate = float(trace.rate)
    return np.column_stack(
        [
            trace.velocity_px / trace.width * rate / LEAST_WIDTHS_PER_S,
            trace.turn_deg * rate / _LEAST_TURN_PER_S,
            trace.growth * rate / _LEAST_GROWTH_PER_S,
        ]
    )


def _without_swings(whips: list[Whip], course: NDArray[np.float64], trace: Trace) -> tuple[Whip, ...]:
    """Whips without fast stretches that turn back at once by half of their way or more: those are violent shake."""
    swings: set[int] = set()
    for index in range(len(whips) - 1):
        before, after = whips[index : index + 2]
        if (after.start - before.end) / float(trace.rate) > _TURNS_BACK_S:
            continue
        a, b = (course[whip.start : whip.end + 1].sum(axis=0) for whip in (before, after))
        lengths = float(np.linalg.norm(a)), float(np.linalg.norm(b))
        opposite = float(a @ b) < -_KEPT_DIRECTION * lengths[0] * lengths[1]
        cut_off = before.start == 0 or after.end == trace.frames - 1
        if opposite and (cut_off or min(lengths) > 0.5 * max(lengths)):
            swings |= {index, index + 1}
    return tuple(whip for index, whip in enumerate(whips) if index not in swings)


def _whip_around(trace: Trace, course: NDArray[np.float64], speed: NDArray[np.float64], peak: int) -> Whip | None:
    start = _foot(speed, peak, -1)
    end = _foot(speed, peak, +1)
    way = course[start : end + 1]
    together = np.linalg.norm(way.sum(axis=0)) / max(1e-9, np.linalg.norm(way, axis=1).sum())
    if together < _KEPT_DIRECTION or (end - start) / float(trace.rate) > _LONGEST_S:
        return None
    if trace.confidence[max(0, peak - _BESIDE) : peak + _BESIDE + 1].max() < 0.1:
        return None
    x, y, turn, growth = course[max(start, peak - 2) : min(end, peak + 2) + 1].mean(axis=0)
    angle, speed_px = float(np.degrees(np.arctan2(y, -x))), float(np.hypot(*trace.velocity_px[peak]))
    kind = _kind(angle)
    if np.hypot(x, y) < max(abs(turn), abs(growth)):
        kind = "roll" if abs(turn) > abs(growth) else "zoom"
        angle, speed_px = 0.0, float(trace.whole_speed_px[peak])
    return Whip(
        start=start,
        peak=peak,
        end=end,
        angle_deg=round(angle, 2),
        speed_px=round(speed_px, 3),
        blur_px=round(speed_px * trace.open_share, 3),
        kind=kind,
        turn_deg=round(float(trace.turn_deg[peak]), 3),
        growth=round(float(np.exp(trace.growth[peak])), 5),
    )


def _kind(angle_deg: float) -> WhipKind:
    if abs(np.sin(np.radians(2 * angle_deg))) > np.sin(np.radians(50)):
        return "diagonal"
    return "pan" if abs(np.cos(np.radians(angle_deg))) > abs(np.sin(np.radians(angle_deg))) else "tilt"


def _foot(speed: NDArray[np.float64], peak: int, way: int) -> int:
    frame = peak
    while 0 <= frame + way < len(speed):
        following = speed[frame + way]
        if following < _FOOT * speed[peak]:
            break
        if following > speed[frame] * 1.02 and speed[frame] < 0.3 * speed[peak]:
            break
        frame += way
    return frame


def _smooth(speed: NDArray[np.float64]) -> NDArray[np.float64]:
    padded = np.pad(speed, 1, mode="edge")
    return (padded[:-2] + 2 * padded[1:-1] + padded[2:]) / 4
