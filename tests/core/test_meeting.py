"""Ramps that meet: across the cut the picture goes on as fast as it went."""

from fractions import Fraction

import numpy as np
import pytest

from clevrin.core.document import Project, Reel, Shot, Span, Take
from clevrin.core.join.meeting import CutSide, Meeting, meet, ramped
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.pace import Placed, placed_shots
from tests.core.test_document import facts
from tests.core.traces import trace_of, whip_course

FRAMES = 120


def whip(width_px: float, peak: int = 60) -> Trace:
    """A take with a whip of so many pixels about a frame."""
    return trace_of(whip_course(FRAMES, peak, width_px))


def sides(traces: tuple[Trace, Trace], shots: tuple[Shot, Shot]) -> tuple[CutSide, CutSide]:
    return CutSide.of(traces[0], shots[0], leaving=True), CutSide.of(traces[1], shots[1], leaving=False)


def made(traces: tuple[Trace, Trace], shots: tuple[Shot, Shot], meeting: Meeting) -> tuple[Placed, Placed]:
    """The two shots with their ramps, on a reel."""
    takes = tuple(
        Take(id=name, name=name, path=f"/{name}", fingerprint=name, facts=facts(FRAMES, rate=Fraction(30)))
        for name in ("a", "b")
    )
    both = ramped(*shots, meeting, (30.0, 30.0), (1.0, 1.0))
    row = placed_shots(Project(takes=takes, reel=Reel(rate=Fraction(30), shots=both)))
    return row[0], row[1]


def on_screen(placed: Placed, trace: Trace, *, leaving: bool) -> tuple[float, float]:
    """Widths a second at the frame at the cut, and its change in a second, from the course and the camera."""
    last = placed.frames - 1
    at = [last - 1, last] if leaving else [0, 1]
    speeds = []
    for k in at:
        frame = float(placed.shot.span.first + placed.time.progress(k)) - 0.5
        camera = np.interp(frame, np.arange(trace.frames) - 0.5, np.hypot(*trace.velocity_px.T)) / trace.width
        speeds.append(camera * float(placed.rate_at(placed.start + k)))
    return speeds[1 if leaving else 0], (speeds[1] - speeds[0]) * 30


@pytest.mark.parametrize(("left", "right"), [(500, 900), (900, 500), (700, 700), (400, 1100)])
def test_the_speed_on_the_screen_goes_on_across_the_cut(left, right):
    traces = whip(left), whip(right)
    shots = Shot(take_id="a", span=Span(first=10, end=60)), Shot(take_id="b", span=Span(first=61, end=110))
    meeting = meet(*sides(traces, shots))
    assert meeting is not None and meeting.met
    assert meeting.leave * meeting.arrive == pytest.approx(1, rel=0.15)
    before, after = made(traces, shots, meeting)
    out, in_ = on_screen(before, traces[0], leaving=True)[0], on_screen(after, traces[1], leaving=False)[0]
    assert out / in_ == pytest.approx(1, abs=0.02)
    plain_out, plain_in = sides(traces, shots)
    assert abs(out / in_ - 1) <= abs(plain_out.widths_per_s / plain_in.widths_per_s - 1) + 0.01


def test_its_change_goes_on_as_well_where_that_is_wanted():
    traces = whip(500), whip(900)
    shots = Shot(take_id="a", span=Span(first=5, end=58)), Shot(take_id="b", span=Span(first=60, end=115))
    plain = meet(*sides(traces, shots))
    even = meet(*sides(traces, shots), change_too=True)
    assert plain is not None and even is not None and even.leave == plain.leave
    if not even.change_met:
        pytest.skip("these two have no ramps with which it agrees")
    grows = [on_screen(p, t, leaving=k == 0)[1] for k, (p, t) in enumerate(zip(made(traces, shots, even), traces,
             strict=True))]  # fmt: skip
    assert grows[0] == pytest.approx(grows[1], abs=0.25 * max(map(abs, grows)))


def test_bounds_are_kept_and_said():
    quick, slow = whip(1200), whip(40)
    shots = Shot(take_id="a", span=Span(first=10, end=60)), Shot(take_id="b", span=Span(first=61, end=110))
    found = meet(*sides((quick, slow), shots), slowest=0.5, fastest=2.0)
    assert found is not None and not found.met and "nearly" in found.words
    assert 0.5 <= found.leave <= 2 and 0.5 <= found.arrive <= 2


def test_a_side_that_stands_still_meets_nothing():
    still = trace_of(np.zeros((FRAMES, 2)))
    shots = Shot(take_id="a", span=Span(first=10, end=60)), Shot(take_id="b", span=Span(first=61, end=110))
    assert meet(*sides((whip(500), still), shots)) is None


def test_what_a_shot_has_at_its_other_end_stays():
    from clevrin.core.document import Pace, PacePoint

    traces = whip(500), whip(900)
    early = Pace(points=(PacePoint(frame=12, speed=0.5), PacePoint(frame=20, speed=1.0)))
    shots = (
        Shot(take_id="a", span=Span(first=10, end=60), pace=early),
        Shot(take_id="b", span=Span(first=61, end=110)).played(reverse=True),
    )
    meeting = meet(*sides(traces, shots))
    assert meeting is not None
    leaving, arriving = ramped(*shots, meeting, (30.0, 30.0), (1.0, 1.0))
    assert leaving.pace.points[0] == early.points[0] and leaving.pace.points[-1].frame == 59
    assert [p.frame for p in arriving.pace.points] == sorted((p.frame for p in arriving.pace.points), reverse=True)


def test_rolls_meet_by_what_goes_by_at_their_corners():
    def rolling(degrees: float) -> Trace:
        return trace_of(np.zeros((FRAMES, 2)), roll_deg=degrees * 8 * np.tanh((np.arange(FRAMES) - 60) / 8))

    traces = rolling(12), rolling(6)
    shots = Shot(take_id="a", span=Span(first=10, end=60)), Shot(take_id="b", span=Span(first=61, end=110))
    out, in_ = sides(traces, shots)
    assert out.widths_per_s == pytest.approx(np.radians(12) * 0.57 * 30, rel=0.05)
    assert out.widths_per_s / in_.widths_per_s == pytest.approx(2, rel=0.05)
    meeting = meet(out, in_)
    assert meeting is not None and meeting.met and meeting.leave == pytest.approx(0.5**0.5, rel=0.05)
