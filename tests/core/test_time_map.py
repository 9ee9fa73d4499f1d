"""Speeds of a shot: exact courses, both ends shown, the same both ways, and back again from the take to the reel."""

from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from clevrin.core.document import Pace, PacePoint, Project, Reel, Shot, Span, Take
from clevrin.core.errors import ClevrinError
from clevrin.core.pace import (
    Placed,
    nominal_frame,
    placed_shots,
    reel_instant,
    reel_position,
    stamped_instant,
    stamped_instants,
)
from clevrin.core.pace.shaping import READY, Clock, as_long_as, frame_at, frozen
from tests.core.test_document import facts

LEAST = 1 / 16


def paced(
    *points: tuple[int, float] | PacePoint,
    span: tuple[int, int] = (0, 200),
    reverse: bool = False,
    rate: int = 30,
    ease: float = 1.0,
    **pace,
) -> Placed:
    """The only shot of a reel of 30 frames a second, with speeds at frames of its take."""
    take = Take(id="t", name="t", path="/t", fingerprint="t", facts=facts(400, rate=Fraction(rate)))
    made = tuple(p if isinstance(p, PacePoint) else PacePoint(frame=p[0], speed=p[1], ease=ease) for p in points)
    shot = Shot(take_id="t", span=Span(first=span[0], end=span[1]), pace=Pace(points=made, **pace))
    if reverse:
        shot = shot.played(reverse=True)
    return placed_shots(Project(takes=(take,), reel=Reel(rate=Fraction(30), shots=(shot,))))[0]


def shown(placed: Placed) -> list[int]:
    return [nominal_frame(placed, k) for k in range(placed.frames)]


def instants(placed: Placed) -> list[Fraction]:
    return [reel_instant(placed, k) for k in range(placed.frames)]


SPEEDS = st.lists(st.tuples(st.integers(0, 199), st.floats(LEAST, 32)), min_size=1, max_size=6).map(
    lambda found: sorted(dict(found).items())
)


@settings(deadline=None, max_examples=40)
@given(SPEEDS, st.floats(0, 1), st.booleans(), st.sampled_from([24, 30, 60, 120]))
def test_a_ramp_plays_its_span_from_the_first_frame_to_the_last_in_order(points, ease, reverse, rate):
    placed = paced(*points, ease=ease, reverse=reverse, rate=rate)
    way = shown(placed)
    assert way == sorted(way, reverse=reverse)
    if placed.frames > 1:
        assert (way[0], way[-1]) == (placed.shot.first_shown, placed.shot.last_shown)


@settings(deadline=None, max_examples=40)
@given(SPEEDS, st.floats(0, 1))
def test_what_is_between_two_frames_of_the_reel_is_what_the_speed_says(points, ease):
    """The area under the curve is frames of the take; by sums at a sixteenth of a frame."""
    time = paced(*points, ease=ease, span=(0, 200)).time
    inner = range(25, time.frames - 26)  # near its ends it makes up for showing both of them
    for at in inner[:: max(1, len(inner) // 8)]:
        steps = [float(time.speed(at + Fraction(2 * k + 1, 32))) for k in range(16)]
        moved = float(time.progress(at + 1) - time.progress(at))
        assert moved == pytest.approx(sum(steps) / 16, rel=0.02, abs=0.03)


@settings(deadline=None, max_examples=40)
@given(SPEEDS, st.floats(0, 1))
def test_backward_is_the_same_film_from_its_end(points, ease):
    forward, backward = paced(*points, ease=ease), paced(*points, ease=ease, reverse=True)
    assert forward.frames == backward.frames
    there, back = instants(forward), instants(backward)[::-1]
    fastest = max(speed for _, speed in points)  # half a frame of the reel may be over at either end
    assert max(abs(float(a - b)) for a, b in zip(there, back, strict=True)) <= 1.0 + 0.5 * fastest


@settings(deadline=None, max_examples=40)
@given(SPEEDS, st.integers(0, 199))
def test_a_frame_of_the_take_is_found_on_the_reel(points, frame):
    placed = paced(*points)
    at = reel_position(placed, frame)
    if 0 <= at <= placed.frames - 1:
        off = abs(float(reel_instant(placed, at) - frame))
        assert off <= 0.51 + abs(float(placed.time.speed(at)))


def test_half_speed_shows_every_frame_and_every_middle():
    placed = paced((100, 0.5), span=(10, 20))
    assert instants(placed)[:5] == [10, Fraction(21, 2), 11, Fraction(23, 2), 12]
    assert shown(placed) == [k for k in range(10, 20) for _ in range(2)]


def test_four_times_as_fast_shows_both_ends():
    placed = paced((0, 4.0), span=(0, 101))
    assert placed.frames == 25 and shown(placed)[0] == 0 and shown(placed)[-1] == 100
    assert {b - a for a, b in pairwise(shown(placed))} <= {4, 5}


def test_next_to_the_speed_as_shot_frames_fit_and_on_a_ramp_through_it_they_do_not():
    assert paced((0, 1.02)).time.fits(50) and paced((0, 2.0)).time.fits(50) and paced((0, 0.5), rate=60).time.fits(9)
    assert not paced((0, 0.5)).time.fits(50) and not paced((0, 1.3)).time.fits(50)
    ramp = paced((50, 0.5), (150, 2.0))
    assert not any(ramp.time.fits(k) for k in range(int(ramp.time.at(Fraction(60))), int(ramp.time.at(Fraction(140)))))


@settings(deadline=None, max_examples=25)
@given(SPEEDS, st.floats(0, 1), st.booleans(), st.sampled_from([24, 30, 60]))
def test_what_is_drawn_is_the_exact_course(points, ease, reverse, rate):
    for row in (paced(*points, ease=ease, reverse=reverse, rate=rate), paced(rate=rate, reverse=reverse)):
        seen = row.time.seen(np.arange(row.frames, dtype=float))
        for at in range(0, row.frames, max(1, row.frames // 12)):
            assert seen.moment[at] == pytest.approx(float(row.time.moment(at)), abs=1e-6)
            assert seen.speed[at] == pytest.approx(float(row.time.speed(at)), abs=1e-6)
            assert seen.fits[at] == row.time.fits(at)
        drawn = stamped_instants(row, None)
        assert drawn[-1] == pytest.approx(float(stamped_instant(row, row.start + row.frames - 1, None)), abs=1e-6)


def test_a_straight_ramp_lasts_as_long_as_the_mean_of_its_speeds():
    placed = paced((0, 1.0), (90, 3.0), span=(0, 91), ease=0)
    assert placed.frames == round(90 / 2 + 0.5 + 0.5 / 3)


def test_a_freeze_shows_one_frame_that_was_shot_for_its_time():
    stands = PacePoint(frame=50, speed=0, stays_s=1.0)
    placed = paced((50, 1.0), stands, (50, 1.0), span=(0, 100))
    assert placed.frames == 130
    assert sum(instant == 50 for instant in instants(placed)) in (30, 31)


def test_back_and_forth_stands_for_a_moment_where_it_turns():
    placed = paced((0, 1.0), (60, 1.0), (80, 0.0), (60, -1.0), (40, 0.0), (60, 1.0), span=(0, 100))
    way = [float(i) for i in instants(placed)]
    assert max(way[: placed.frames // 2]) == pytest.approx(80, abs=0.6)
    turns = np.flatnonzero(np.diff(np.sign(np.diff(way)[np.abs(np.diff(way)) > 1e-9])))
    assert len(turns) == 2 and way[-1] == 99
    assert np.abs(np.diff(way, 2)).max() < 0.2  # it swings, and never jerks


def test_a_trim_cuts_the_ramp_and_leaves_what_stays_as_it_was():
    whole = paced((50, 1.0), (150, 4.0), span=(0, 200))
    part = paced((50, 1.0), (150, 4.0), span=(0, 100))
    early = part.frames - 25  # its last second makes sure that its last frame is shown
    assert early > 30 and shown(whole)[:early] == shown(part)[:early]
    assert shown(part)[-1] == 99


def test_a_length_that_is_kept_is_kept():
    placed = paced((50, 1.0), (150, 4.0), span=(0, 200), length_frames=77)
    assert placed.frames == 77 and (shown(placed)[0], shown(placed)[-1]) == (0, 199)


def test_points_that_no_course_reaches_are_left_out():
    assert shown(paced((50, 1.0), (20, 2.0), (80, 1.0), span=(0, 100)))[-1] == 99
    still = paced((50, 0.0), span=(0, 100))
    assert still.frames == 1 and shown(still) == [50]


def test_a_speed_that_is_none_is_refused():
    for speed in (1e9, float("nan"), 0.01, -33):
        with pytest.raises(ValueError):
            PacePoint(frame=0, speed=speed)
    with pytest.raises(ValueError):
        PacePoint(frame=0, speed=1, stays_s=2)


CLOCK = Clock(rate=Fraction(30), plain=Fraction(30), reel_rate=Fraction(30))


@settings(deadline=None, max_examples=30)
@given(SPEEDS, st.integers(60, 600))
def test_a_shot_is_made_as_long_as_it_should_be_or_says_why_not(points, frames):
    shot = paced(*points).shot
    try:
        made = shot.changed(pace=as_long_as(shot, frames, CLOCK))
    except ClevrinError as error:
        assert "cannot last" in str(error)
        return
    assert abs(CLOCK.frames(made) - frames) <= 1


def test_what_is_kept_keeps_its_speed_when_the_length_is_locked():
    shot = paced((50, 1.0), (100, 2.0), (150, 1.0)).shot
    made = as_long_as(shot, 300, CLOCK, kept=frozenset({1}))
    assert made.points[1].speed == 2.0 and made.points[0].speed < 0.7
    assert abs(CLOCK.frames(shot.changed(pace=made)) - 300) < 1


def test_a_frame_is_brought_to_the_instant_where_it_should_be():
    for reverse in (False, True):
        shot = paced((50, 1.0), (150, 1.0), reverse=reverse).shot
        made = shot.changed(pace=frame_at(shot, 100, 5.0, CLOCK))
        row = paced(span=(0, 200), reverse=reverse)
        row = placed_shots(Project(takes=(row.take,), reel=Reel(rate=Fraction(30), shots=(made.changed(take_id="t"),))))
        assert float(reel_position(row[0], 100)) == pytest.approx(5.0 * 30 - 0.5, abs=0.6)
    with pytest.raises(ClevrinError, match="near"):
        frame_at(paced().shot, 1, 3.0, CLOCK)


@pytest.mark.parametrize("name", list(READY))
@pytest.mark.parametrize("reverse", [False, True])
def test_ready_ramps_play_from_end_to_end(name, reverse):
    shot = paced(span=(20, 120), reverse=reverse).shot
    made = shot.changed(pace=Pace(points=READY[name].points(shot, 0.5, 4.0)))
    take = paced().take
    row = placed_shots(Project(takes=(take,), reel=Reel(rate=Fraction(30), shots=(made,))))[0]
    way = shown(row)
    assert way[0] == made.first_shown
    assert way[-1] == (made.first_shown if name == "back" else made.last_shown)
    assert set(way) <= set(range(20, 120))


def test_a_frozen_picture_lies_among_the_other_speeds():
    shot = paced((50, 1.0), (150, 2.0)).shot
    made = frozen(shot.pace, 100, 2.0, 1.5)
    assert [p.frame for p in made.points] == [50, 100, 100, 100, 150]
    assert CLOCK.frames(shot.changed(pace=made)) > CLOCK.frames(shot) + 59
    back = paced((50, 1.0), (150, 2.0), reverse=True).shot
    turned = back.changed(pace=frozen(back.pace, 100, 2.0, 1.5, reverse=True))
    assert [p.frame for p in turned.pace.points] == [150, 100, 100, 100, 50]
    assert CLOCK.frames(turned) > CLOCK.frames(back) + 59
