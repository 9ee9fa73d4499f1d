"""Takes of any rate on a reel of any rate."""

from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from clevrin.core.document import Project, Reel, Shot, Span, Take
from clevrin.core.pace import Placed, nominal_frame, placed_shots, reel_frames, shot_at
from clevrin.core.pace.conform import stamped_frame
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
    shown = [nominal_frame(row, k, Fraction(30)) for k in range(row.frames)]
    assert all(frame in span for frame in shown[:-1])
    assert shown == sorted(shown, reverse=reverse)
    assert shown[0] == (span.end - 1 if reverse else span.first)


def test_equal_rates_show_every_frame_once():
    row = placed(Span(first=10, end=40), Fraction(30))
    assert [nominal_frame(row, k, Fraction(30)) for k in range(30)] == list(range(10, 40))


def test_twice_the_rate_shows_every_second_frame():
    row = placed(Span(first=0, end=60), Fraction(60))
    assert row.frames == 30 and [nominal_frame(row, k, Fraction(30)) for k in range(3)] == [0, 2, 4]


def test_handles_reach_beyond_the_span_but_not_beyond_the_take():
    row = placed(Span(first=10, end=20), Fraction(30), frames=22)
    assert [nominal_frame(row, k, Fraction(30)) for k in (-3, -20, 11, 30)] == [7, 0, 21, 21]


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
    shown = [stamped_frame(row, k, Fraction(30), times) for k in range(row.frames)]
    assert shown == sorted(shown) and shown.count(2) > 2 * shown.count(5)
    backward = placed(Span(first=0, end=10), Fraction(10), frames=10, reverse=True)
    assert sorted(stamped_frame(backward, k, Fraction(30), times) for k in range(30))[0] == 0


@given(st.lists(st.floats(0.005, 0.2), min_size=3, max_size=60), st.booleans())
def test_any_time_stamps_give_frames_in_order(steps, reverse):
    times = tuple(float(sum(steps[:k])) for k in range(len(steps)))
    rate = Fraction((len(times) - 1) / times[-1]).limit_denominator(1001)
    if not Fraction(1, 10) <= rate <= 1000:
        return
    row = placed(Span(first=0, end=len(times)), rate, frames=len(times), reverse=reverse)
    shown = [stamped_frame(row, k, Fraction(30), times) for k in range(row.frames)]
    assert shown == sorted(shown, reverse=reverse)
