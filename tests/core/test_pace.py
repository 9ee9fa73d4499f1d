"""Takes of any rate on a reel of any rate."""

from dataclasses import replace
from fractions import Fraction
from itertools import pairwise
from math import floor

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from clevrin.core.document import Project, Reel, Shot, Span, Take
from clevrin.core.document.edits import AddTakes
from clevrin.core.pace import Placed, nominal_frame, placed_shots, reel_frame, reel_frames, shot_at
from clevrin.core.pace.conform import stamped_frame
from clevrin.core.pace.curve import progress_of
from tests.core.test_document import facts

RATES = st.sampled_from([Fraction(24), Fraction(30000, 1001), Fraction(30), Fraction(60), Fraction(120)])


def placed(span: Span, rate: Fraction, *, reverse: bool = False, frames: int = 400, start: int = 0) -> Placed:
    take = Take(id="t", name="t", path="/t", fingerprint="t", facts=facts(frames, rate=rate))
    shot = Shot(id="s", take_id="t", span=span, reverse=reverse)
    project = Project(takes=(take,), reel=Reel(rate=Fraction(30), shots=(shot,)))
    only = placed_shots(project)[0]
    return Placed(shot=shot, take=take, start=start, end=start + only.frames, rate=only.rate, reel_rate=only.reel_rate)


@given(RATES, st.booleans(), st.integers(0, 300), st.integers(1, 100))
def test_a_shot_shows_its_own_frames_in_order(rate, reverse, first, length):
    span = Span(first=first, end=first + length)
    row = placed(span, rate, reverse=reverse)
    shown = [nominal_frame(row, k) for k in range(row.frames)]
    assert all(frame in span for frame in shown[:-1])
    assert shown == sorted(shown, reverse=reverse)
    assert shown[0] == (span.end - 1 if reverse else span.first)


def test_equal_rates_show_every_frame_once():
    row = placed(Span(first=10, end=40), Fraction(30))
    assert [nominal_frame(row, k) for k in range(30)] == list(range(10, 40))


def test_twice_the_rate_shows_every_second_frame_and_both_ends():
    row = placed(Span(first=0, end=60), Fraction(60))
    shown = [nominal_frame(row, k) for k in range(row.frames)]
    assert row.frames == 30 and shown[:3] == [0, 2, 4] and shown[-1] == 59
    assert {b - a for a, b in pairwise(shown)} <= {2, 3}


@given(RATES, st.booleans(), st.integers(0, 100), st.integers(2, 200))
def test_what_was_matched_at_either_end_of_a_shot_is_shown(rate, reverse, first, length):
    row = placed(Span(first=first, end=first + length), rate, reverse=reverse)
    shown = [nominal_frame(row, k) for k in range(row.frames)]
    if row.frames > 1:
        assert (shown[0], shown[-1]) == (row.shot.first_shown, row.shot.last_shown)


@given(RATES, st.booleans(), st.integers(2, 200))
def test_frames_are_as_late_as_they_are_early(rate, reverse, length):
    """From the middle of what is shown to the middle of the frame that shows it."""
    row = placed(Span(first=0, end=length), rate, reverse=reverse)
    for at in range(row.frames):
        frame = nominal_frame(row, at)
        late_s = (at + 0.5) / 30 - (floor(progress_of(row.shot, frame)) + 0.5) / float(rate)
        assert abs(late_s) <= max(1 / 30, 1 / float(rate))


@given(RATES, st.booleans(), st.integers(0, 100), st.integers(1, 120), st.integers(0, 300))
def test_the_way_back_from_a_frame_to_the_reel_finds_where_it_is_shown(rate, reverse, first, length, frame):
    row = placed(Span(first=first, end=first + length), rate, reverse=reverse)
    at = reel_frame(row, frame)
    assert 0 <= at < row.frames
    steps, shown = floor(progress_of(row.shot, frame)), floor(progress_of(row.shot, nominal_frame(row, at)))
    assert shown >= steps or at == row.frames - 1
    assert at == 0 or floor(progress_of(row.shot, nominal_frame(row, at - 1))) < steps


def phone_stamps(frames: int, seed: int) -> tuple[float, ...]:
    """When frames of a phone stand: 30 a second, one in twenty left out, with 10 ms of jitter."""
    rng = np.random.default_rng(seed)
    kept = np.sort(rng.permutation(np.arange(1, frames))[: round(frames * 0.95)])
    times = np.append(0, kept) / 30 + rng.uniform(-0.01, 0.01, len(kept) + 1)
    times -= times[0]
    return tuple(float(t) for t in times)


@pytest.mark.parametrize("seed", range(5))
@pytest.mark.parametrize("reverse", [False, True])
def test_every_frame_of_a_phone_is_shown_once_at_its_own_instant(seed, reverse):
    times = phone_stamps(150, seed)
    rate = Fraction((len(times) - 1) / times[-1]).limit_denominator(1001)
    row = placed(Span(first=0, end=len(times)), rate, frames=len(times), reverse=reverse)
    shown = [stamped_frame(row, k, times) for k in range(row.frames)]
    assert sorted(set(shown)) == list(range(len(times)))  # none is lost
    assert len(shown) - len(set(shown)) <= 0.08 * len(shown)  # and what is doubled is what was left out
    ends = (*times[1:], times[-1] + 1 / 30)
    instants = [ends[-1] - ends[k] if reverse else times[k] for k in shown]
    assert max(abs(at / 30 - instant) for at, instant in enumerate(instants)) < 0.06


def test_a_take_that_plays_every_frame_does_so_whatever_its_stamps():
    times = phone_stamps(40, 1)
    row = placed(Span(first=0, end=len(times)), Fraction(30), frames=len(times))
    even = replace(row, take=row.take.changed(conform="every frame"))
    assert [stamped_frame(even, k, times) for k in range(row.frames)] == list(range(len(times)))


@pytest.mark.parametrize(
    ("own", "variable", "wanted"),
    [
        (Fraction(299, 10), True, Fraction(30000, 1001)),
        (Fraction(2997, 100), False, Fraction(30000, 1001)),
        (Fraction(24), False, Fraction(24)),
        (Fraction(15), False, Fraction(15)),
        (Fraction(240), False, Fraction(120)),
    ],
)
def test_the_first_take_gives_the_reel_a_rate_that_is_in_use(own, variable, wanted):
    take = Take(id="t", name="t", path="/t", fingerprint="t", facts=facts(rate=own, variable=variable))
    assert AddTakes(takes=(take,)).apply(Project()).reel.rate == wanted


def test_handles_reach_beyond_the_span_but_not_beyond_the_take():
    row = placed(Span(first=10, end=20), Fraction(30), frames=22)
    assert [nominal_frame(row, k) for k in (-3, -20, 11, 30)] == [7, 0, 21, 21]


def test_shots_stand_in_a_row_without_gaps():
    take = Take(id="t", name="t", path="/t", fingerprint="t", facts=facts(100))
    shots = tuple(Shot(id=str(k), take_id="t", span=Span(first=0, end=10 + k)) for k in range(4))
    project = Project(takes=(take,), reel=Reel(shots=shots))
    row = placed_shots(project)
    assert [p.start for p in row[1:]] == [p.end for p in row[:-1]]
    assert reel_frames(project) == 46
    assert shot_at(project, 10).shot.id == "1" and shot_at(project, 46) is None and shot_at(project, -1) is None


def test_variable_rate_follows_the_time_stamps():
    times = (0.0, 0.1, 0.2, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0, 1.1)  # a pause behind frame 2
    row = placed(Span(first=0, end=10), Fraction(10), frames=10)
    shown = [stamped_frame(row, k, times) for k in range(row.frames)]
    assert shown == sorted(shown) and shown.count(2) + shown.count(3) > 3 * shown.count(5)
    backward = placed(Span(first=0, end=10), Fraction(10), frames=10, reverse=True)
    assert sorted(stamped_frame(backward, k, times) for k in range(30))[0] == 0


@given(st.lists(st.floats(0.005, 0.2), min_size=3, max_size=60), st.booleans())
def test_any_time_stamps_give_frames_in_order(steps, reverse):
    times = tuple(float(sum(steps[:k])) for k in range(len(steps)))
    rate = Fraction((len(times) - 1) / times[-1]).limit_denominator(1001)
    if not Fraction(1, 10) <= rate <= 1000:
        return
    row = placed(Span(first=0, end=len(times)), rate, frames=len(times), reverse=reverse)
    shown = [stamped_frame(row, k, times) for k in range(row.frames)]
    assert shown == sorted(shown, reverse=reverse)
