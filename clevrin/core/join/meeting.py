"""Ramps that meet: the speeds of both sides of a cut with which the picture goes on as fast as it went.

What is seen to move goes by as fast as the camera did, times the speed at which the shot plays, times by how much it is
enlarged. Both sides give way alike: the speed on the screen at the cut is the geometric mean of the two, within the
bounds that are set. Where its change is to agree as well, the ramps are straight, and as long as it takes.
"""

from dataclasses import dataclass
from fractions import Fraction
from math import sqrt

import numpy as np

from clevrin.core.document import PacePoint, Shot, Span, Take
from clevrin.core.document.pacing import bounded_speed
from clevrin.core.join.kinds.kind import CORNER_WIDTHS
from clevrin.core.join.match import Proposal
from clevrin.core.join.whip_cut import joined
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.pace import speed

LONGEST_REACH_S = 1.0
_SHORTEST_REACH_S = 0.15
_OVER_FRAMES = 2
_SLOWEST, _FASTEST, _STILL = 0.25, 4.0, 1e-3
_NEARLY = 1.25
_STEPS = 40


@dataclass(frozen=True, kw_only=True)
class CutSide:
    """A shot at a cut: how fast the picture moves there at the speed as shot, in widths a second.

    `change`: by how much that grows in a second of the take, along the direction of play. `plain`: the speed at which
    the shot plays away from the cut; `room_s`: how much of the take there is for a ramp, in its own seconds.
    """

    widths_per_s: float
    change: float
    plain: float
    room_s: float

    @staticmethod
    def of(trace: Trace, shot: Shot, *, leaving: bool, plain: float = 1.0, enlarged: float = 1.0) -> "CutSide":
        """A shot at its end (`leaving`) or its start, from how its camera moved."""
        frame = shot.last_shown if leaving else shot.first_shown
        way = -1 if shot.reverse else 1
        around = [frame + way * k for k in (-_OVER_FRAMES, 0, _OVER_FRAMES)]
        speeds = [_widths_per_s(trace, k) * enlarged for k in around]
        over_s = 2 * _OVER_FRAMES / float(trace.rate)
        return CutSide(
            widths_per_s=speeds[1],
            change=(speeds[2] - speeds[0]) / over_s,
            plain=plain,
            room_s=(shot.span.frames - 1) / float(trace.rate),
        )


@dataclass(frozen=True, kw_only=True)
class Meeting:
    """The solved speeds: of the shot that leaves at the cut, of the one that arrives, and how long their ramps last.

    `met`: whether the speed on the screen agrees; `change_met`: whether its change does, by ramps that are straight.
    """

    leave: float
    arrive: float
    leave_s: float
    arrive_s: float
    met: bool
    change_met: bool

    @property
    def words(self) -> str:
        """What it does, for people."""
        how = "meet" if self.met else "nearly meet"
        return f"speeds {how}: leave at {self.leave:.3g}×, arrive at {self.arrive:.3g}×"


def meet(
    leaving: CutSide,
    arriving: CutSide,
    *,
    slowest: float = _SLOWEST,
    fastest: float = _FASTEST,
    reach_s: float = LONGEST_REACH_S,
    change_too: bool = False,
) -> Meeting | None:
    """The speeds at which two sides meet; None where one of them does not move at all."""
    out, in_ = leaving.widths_per_s, arriving.widths_per_s
    if min(out, in_) < _STILL:
        return None
    wanted = sqrt(out * leaving.plain * in_ * arriving.plain)
    low, high = max(slowest * out, slowest * in_), min(fastest * out, fastest * in_)
    met = low <= high
    on_screen = min(max(wanted, low), high) if met else wanted
    leave = min(max(on_screen / out, slowest), fastest)
    arrive = min(max(on_screen / in_, slowest), fastest)
    longest = min(reach_s, _fits_s(leaving, leave)), min(reach_s, _fits_s(arriving, arrive))
    solved = _lengths(leaving, arriving, (leave, arrive), longest) if change_too and met else None
    leave_s, arrive_s = solved or longest
    return Meeting(
        leave=round(leave, 4),
        arrive=round(arrive, 4),
        leave_s=leave_s,
        arrive_s=arrive_s,
        met=met,
        change_met=solved is not None,
    )


def ramped(
    leaving: Shot, arriving: Shot, meeting: Meeting, rates: tuple[float, float], plain: tuple[float, float]
) -> tuple[Shot, Shot]:
    """The two shots with the ramps of a meeting; `rates`: frames of their takes a second, `plain`: their own speeds."""
    ease = 0.0 if meeting.change_met else 1.0
    cut = leaving.last_shown
    reach = max(1, round(meeting.leave_s * (plain[0] + meeting.leave) / 2 * rates[0]))
    far = min(max(cut - _way(leaving) * reach, leaving.span.first), leaving.span.end - 1)
    before = (
        PacePoint(frame=far, speed=bounded_speed(plain[0]), ease=ease),
        PacePoint(frame=cut, speed=bounded_speed(meeting.leave)),
    )
    arrived = _arriving(arriving, meeting.arrive, meeting.arrive_s, (rates[1], plain[1]), ease)
    return _with_points(leaving, before, at_end=True), arrived


def arriving_as_fast(
    shot: Shot, take: Take, trace: Trace, reel_rate: Fraction, widths_per_s: float, enlarged: float = 1.0
) -> tuple[Shot, float | None]:
    """A shot that arrives so fast that its picture goes by at a speed, and slows down to its own from there.

    Also gives that speed of play; None where its camera hardly moves, so that none is fast enough, and the shot as it
    was. `enlarged`: by how much its picture is at the cut.
    """
    plain = float(speed(take, reel_rate))
    side = CutSide.of(trace, shot, leaving=False, plain=plain, enlarged=enlarged)
    if side.widths_per_s * _FASTEST * _NEARLY < widths_per_s:
        return shot, None
    arrive = round(min(max(widths_per_s / side.widths_per_s, _SLOWEST), _FASTEST), 4)
    reach_s = min(LONGEST_REACH_S, _fits_s(side, arrive))
    return _arriving(shot, arrive, reach_s, (float(take.facts.rate), plain), 1.0), arrive


def _arriving(shot: Shot, arrive: float, over_s: float, rate_and_plain: tuple[float, float], ease: float) -> Shot:
    """A shot whose speed goes from one to its own over so many seconds."""
    rate, plain = rate_and_plain
    cut = shot.first_shown
    reach = max(1, round(over_s * (plain + arrive) / 2 * rate))
    far = min(max(cut + _way(shot) * reach, shot.span.first), shot.span.end - 1)
    after = (
        PacePoint(frame=cut, speed=bounded_speed(arrive), ease=ease),
        PacePoint(frame=far, speed=bounded_speed(plain)),
    )
    return _with_points(shot, after, at_end=False)


def _way(shot: Shot) -> int:
    return -1 if shot.reverse else 1


def with_ramps(
    shots: tuple[Shot, Shot],
    takes: tuple[Take, Take],
    traces: tuple[Trace, Trace],
    reel_rate: Fraction,
    enlarged: tuple[float, float] = (1.0, 1.0),
) -> tuple[tuple[Shot, Shot], Meeting | None]:
    """Two shots that follow each other with ramps that meet, and how they do: as they are where a side does not move.

    `enlarged`: by how much either is at the cut, as it is held and framed.
    """
    plain = float(speed(takes[0], reel_rate)), float(speed(takes[1], reel_rate))
    meeting = meet(
        CutSide.of(traces[0], shots[0], leaving=True, plain=plain[0], enlarged=enlarged[0]),
        CutSide.of(traces[1], shots[1], leaving=False, plain=plain[1], enlarged=enlarged[1]),
    )
    if meeting is None:
        return shots, None
    rates = float(takes[0].facts.rate), float(takes[1].facts.rate)
    return ramped(*shots, meeting, rates, plain), meeting


def proposed_meeting(proposal: Proposal, traces: tuple[Trace, Trace]) -> Meeting | None:
    """The speeds at which whole takes meet that are cut as a proposal says, at the speeds at which they were shot."""
    whole = [Shot(take_id="take", span=Span(first=0, end=trace.frames)) for trace in traces]
    leaving, arriving = joined(whole[0], whole[1], proposal, (traces[0].frames, traces[1].frames))
    return meet(CutSide.of(traces[0], leaving, leaving=True), CutSide.of(traces[1], arriving, leaving=False))


def _with_points(shot: Shot, points: tuple[PacePoint, ...], *, at_end: bool) -> Shot:
    """A shot with a ramp at one of its ends; what it has at the other one stays."""
    way = -1 if shot.reverse else 1
    edge = points[0].frame if at_end else points[-1].frame
    others = tuple(p for p in shot.pace.points if (edge - p.frame) * way * (1 if at_end else -1) > 0)
    made = (*others, *points) if at_end else (*points, *others)
    return shot.changed(pace=shot.pace.changed(points=made, length_frames=None))


def _fits_s(side: CutSide, speed: float) -> float:
    """The longest ramp that a shot has room for: half of it."""
    return max(_SHORTEST_REACH_S, side.room_s / (side.plain + speed))


def _lengths(
    leaving: CutSide, arriving: CutSide, speeds: tuple[float, float], longest: tuple[float, float]
) -> tuple[float, float] | None:
    """How long straight ramps last with which the change of the speed on the screen agrees: the longest there are."""
    leave, arrive = speeds
    best: tuple[float, float] | None = None
    for leave_s in np.linspace(longest[0], _SHORTEST_REACH_S, _STEPS):
        grows = (leave - leaving.plain) / leave_s * leaving.widths_per_s + leave**2 * leaving.change
        rest = grows - arrive**2 * arriving.change
        ramp = (arriving.plain - arrive) * arriving.widths_per_s
        if abs(ramp) < 1e-9:
            arrive_s = longest[1] if abs(rest) < 0.05 * max(1.0, abs(grows)) else -1.0
        else:
            arrive_s = ramp / rest if rest else -1.0
        if _SHORTEST_REACH_S <= arrive_s <= longest[1]:
            found = float(leave_s), float(arrive_s)
            if best is None or min(found) > min(best):
                best = found
    return best


def _widths_per_s(trace: Trace, frame: int) -> float:
    """How fast the picture goes by at the middle of a frame: from half of the way to it and half of the way from it.

    A roll or a push goes by at the picture's corners; where the camera turns aside as well, both count together.
    """
    rows = np.clip([frame, frame + 1], 1, trace.frames - 1)
    aside = trace.velocity_px[rows].mean(axis=0) / trace.width
    corners = CORNER_WIDTHS * np.array([np.radians(trace.turn_deg[rows].mean()), trace.growth[rows].mean()])
    return float(np.linalg.norm([*aside, *corners]) * float(trace.rate))
