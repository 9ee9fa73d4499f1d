"""Matching: the pairs of frames at which a cut is not seen, and the cut there."""

from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest

from clevrin.core.document import Pace, PacePoint, Project, Reel, Shot, Span, Take
from clevrin.core.join import Proposal, Side, joined, match, rank_pairs
from clevrin.core.join.assemble import Measured, assemble
from clevrin.core.join.between import velocity_at_cut
from clevrin.core.join.cut_candidates import Moves, _outermost
from clevrin.core.join.match import side_of_shot
from clevrin.core.join.one_move import why_matched
from clevrin.core.join.whip_cut import combined
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE
from tests.films import about, moving_film, shift, under_a_sky
from tests.marks import later, long


@pytest.fixture
def side(demo_trace):
    def make(name: str, **other) -> Side:
        with FilmReader(FOOTAGE / f"{name}.mp4") as reader:
            return Side.of(reader, demo_trace(name), **other)

    return make


def test_the_walk_is_joined_to_the_hill_at_both_peaks(side):
    best = rank_pairs(side("walk-past"), side("hill"))[0]
    assert abs(best.out_frame - 137) <= 1 and abs(best.in_frame - 9) <= 1
    assert best.mirror is None and not best.reverse_out and not best.reverse_in
    assert best.score > 85 and best.direction_diff_deg < 3
    assert best.speed_ratio == pytest.approx(1, abs=0.1) and best.blur_ratio == pytest.approx(1, abs=0.1)


def test_whips_that_go_opposite_ways_are_proposed_mirrored(side):
    best = rank_pairs(side("walk-past"), side("bunting"))[0]
    assert best.mirror == "horizontal" and not best.reverse_out and not best.reverse_in
    assert abs(best.out_frame - 137) <= 3 and abs(best.in_frame - 10) <= 1
    assert best.direction_diff_deg < 3 and best.score > 60


def test_without_mirroring_opposite_whips_score_low(side):
    found = rank_pairs(side("walk-past"), side("bunting"), mirror=False)
    assert all(p.mirror is None for p in found)
    assert not found or found[0].score < 20
    assert rank_pairs(side("walk-past"), side("bunting"), mirror=False, reverse=False) == ()


def rolled(path, sense: float, seed: int, peak: int = 20):
    """A take whose camera rolls by 100 degrees about a frame, or stands nearer by 2.6 times (`sense` 0)."""

    def course(t: float) -> np.ndarray:
        gone = 0.5 + 0.5 * np.tanh((t - peak) / 3.0)
        scale = 2.6**gone / 1.6 if not sense else 1.0
        return shift(340, 420) @ about((160, 90), sense * 100 * gone, 1 / scale)

    moving_film(path, course, frames=40, size=(320, 180), shutter=0.3, seed=seed)
    with FilmReader(path) as reader:
        trace = trace_take(TraceRequest(path=path), Shelf(path.parent / "shelf"), Silent())
        return Side.of(reader, trace)


@long
def test_rolls_meet_rolls_of_one_sense_and_pushes_pushes(tmp_path):
    one, alike, other = (rolled(tmp_path / f"{k}.mp4", sense, k) for k, sense in enumerate((1.0, 1.0, -1.0)))
    push, again = (rolled(tmp_path / f"{k}.mp4", 0.0, k) for k in (5, 6))
    best = rank_pairs(one, alike)[0]
    assert best.move == "roll" and best.mirror is None and best.direction_diff_deg == 0
    assert abs(best.out_frame - 20) <= 2 and abs(best.in_frame - 20) <= 2 and best.score > 15
    opposite = rank_pairs(one, other)[0]
    assert opposite.mirror in ("horizontal", "vertical") or opposite.reverse_in != opposite.reverse_out
    pushed = rank_pairs(push, again)[0]
    assert pushed.move == "push" and pushed.mirror is None and not pushed.reverse_in and pushed.score > 15
    assert rank_pairs(one, push) == () and rank_pairs(one, alike, moves=("whip",)) == ()


def whipped(path, way: tuple[float, float], seed: int) -> tuple[Side, Trace]:
    """A take as high as it is wide whose camera whips from place to place about frame 30, the way given (y down)."""

    def course(t: float) -> np.ndarray:
        gone = 260 * np.tanh((t - 30) / 3.0)
        return shift(500 + way[0] * gone, 500 + way[1] * gone)

    moving_film(path, course, frames=60, size=(240, 240), shutter=0.5, seed=seed)
    with FilmReader(path) as reader:
        trace = trace_take(TraceRequest(path=path), Shelf(path.parent / "shelf"), Silent())
        return Side.of(reader, trace), trace


@pytest.mark.parametrize(("way", "turns"), [((0.0, 1.0), 1), later((0.0, -1.0), 3)])
def test_a_tilt_follows_a_pan_where_its_picture_is_turned(tmp_path, way, turns):
    (out, _), (in_, trace) = whipped(tmp_path / "a.mp4", (1.0, 0.0), 3), whipped(tmp_path / "b.mp4", way, 4)
    assert rank_pairs(out, in_, reverse=False) == ()
    best = rank_pairs(out, in_, reverse=False, turned=True)[0]
    assert (best.turns, best.mirror) == (turns, None) and best.direction_diff_deg < 3
    assert 40 < best.score <= 60  # it is the last resort: it costs most of a wide picture
    take = take_in(tmp_path / "b.mp4")
    shot = Shot(take_id=take.id, span=take.whole)
    _, arrives = joined(shot, shot, best, (60, 60))
    assert (arrives.turns, arrives.mirror) == (turns, None)
    x, y = velocity_at_cut(placed(take, arrives), trace, leaving=False)
    assert x > 2 and abs(y) < 0.05 * x  # as it lies now its camera goes to the right
    lying = replace(in_, turns=turns, stretches=tuple(each.turned(turns, in_.wide) for each in in_.stretches))
    again = rank_pairs(out, lying, reverse=False)[0]
    assert again.turns == turns and again.score > 70  # as it lies already, it costs nothing more


def test_proposals_are_ranked_and_differ(side):
    found = rank_pairs(side("walk-past"), side("hill"))
    assert [p.score for p in found] == sorted((p.score for p in found), reverse=True)
    for number, p in enumerate(found):
        for q in found[:number]:
            same_kind = (p.mirror, p.reverse_out, p.reverse_in) == (q.mirror, q.reverse_out, q.reverse_in)
            assert not same_kind or abs(p.out_frame - q.out_frame) > 2 or abs(p.in_frame - q.in_frame) > 2


def test_a_take_without_whips_matches_nothing(side):
    assert rank_pairs(side("picnic"), side("hill")) == ()


@long
def test_whips_of_other_footage_and_rates_are_matched(tmp_path):
    """An upward whip at 30 frames/s, and the same speed in the world at 60: half as many pixels a frame."""
    reach, sides = 560, []
    for name, rate, peak in (("out.mp4", 30, 20), ("in.mp4", 60, 12)):
        width = 3.2 * rate / 30

        def motion(t: float, peak=peak, width=width) -> np.ndarray:
            return shift(380, 520 - reach / 2 * np.tanh((t - peak) / width))

        frames = 26 if rate == 30 else 44
        moving_film(tmp_path / name, motion, frames=frames, rate=Fraction(rate), shutter=0.5, seed=rate)
        trace = trace_take(TraceRequest(path=tmp_path / name), Shelf(tmp_path), Silent())
        with FilmReader(tmp_path / name) as reader:
            sides.append(Side.of(reader, trace))
    best = rank_pairs(*sides)[0]
    assert best.mirror is None and best.direction_diff_deg < 2
    assert abs(best.out_frame - 20) <= 1 and abs(best.in_frame - 12) <= 2
    assert best.speed_ratio == pytest.approx(1, abs=0.15)  # a frame beside the peak is 10 % slower
    assert best.blur_ratio == pytest.approx(0.5, abs=0.08)  # the same shutter angle is half as long at 60


def shot(first: int, end: int, **other) -> Shot:
    return Shot(take_id="t", span=Span(first=first, end=end), **other)


def proposal(**other) -> Proposal:
    values = dict(
        out_frame=40,
        in_frame=9,
        mirror=None,
        reverse_out=False,
        reverse_in=False,
        move="whip",
        direction_diff_deg=0.0,
        speed_ratio=1.0,
        blur_ratio=1.0,
        colour_delta_e=0.0,
        score=90.0,
        out_left_s=1.0,
        in_left_s=1.0,
    )
    return Proposal(**{**values, **other})


def test_a_cut_trims_both_sides_to_the_pair():
    outgoing, incoming = joined(shot(5, 60), shot(0, 100), proposal(), (60, 100))
    assert outgoing.span == Span(first=5, end=41) and incoming.span == Span(first=9, end=100)
    assert outgoing.leave.kind == "whip cut" and outgoing.leave.dissolve_frames == 2


def test_a_side_that_is_played_backward_is_trimmed_at_its_other_end():
    outgoing, incoming = joined(
        shot(0, 60), shot(0, 100), proposal(reverse_out=True, reverse_in=True, in_frame=80), (60, 100)
    )
    assert outgoing.reverse and outgoing.span == Span(first=40, end=60)
    assert incoming.reverse and incoming.span == Span(first=0, end=81)


def test_the_incoming_side_is_mirrored_against_a_mirrored_outgoing_one():
    _, incoming = joined(shot(0, 60, mirror="horizontal"), shot(0, 100), proposal(mirror="horizontal"), (60, 100))
    assert incoming.mirror is None
    assert combined("horizontal", "vertical") == "both" and combined("both", "both") is None


def placed(take: Take, shot: Shot) -> Placed:
    """A shot alone on a reel."""
    on_it = shot.changed(take_id=take.id)
    return placed_shots(Project(takes=(take,), reel=Reel(rate=Fraction(30), shots=(on_it,))))[0]


def test_a_shot_joined_at_its_other_end_keeps_its_way_of_playing(demo_take, demo_trace):
    alone = placed(demo_take("hill"), shot(4, 150, reverse=False))
    with FilmReader(FOOTAGE / "hill.mp4") as reader:
        kept = side_of_shot(Moves.of(reader, demo_trace("hill")), alone, leaving=False, alone=False)
        free = side_of_shot(Moves.of(reader, demo_trace("hill")), alone, leaving=False, alone=True)
    assert kept.reverse is False and free.reverse is None


@pytest.mark.parametrize("reverse", [False, True])
def test_shots_are_matched_as_fast_as_they_play(demo_take, demo_trace, reverse):
    plain = shot(0, 147, reverse=False)
    points = (PacePoint(frame=100, speed=1.0), PacePoint(frame=137, speed=2.0))
    ramped = plain.changed(pace=Pace(points=points)).played(reverse=reverse)
    with FilmReader(FOOTAGE / "walk-past.mp4") as reader:
        moves = Moves.of(reader, demo_trace("walk-past"))
        usual, fast = (
            side_of_shot(moves, placed(demo_take("walk-past"), each), leaving=True, alone=True)
            for each in (plain, ramped)
        )
    whip, by = usual.stretches[0], 137 - usual.stretches[0].numbers[0]
    assert np.allclose(
        fast.stretches[0].velocity[by:], 2 * whip.velocity[by:], rtol=0.01
    )  # behind the point it goes on so
    assert (fast.stretches[0].velocity[0, 0] / whip.velocity[0, 0]) == pytest.approx(1.75, abs=0.25)
    seconds = float(placed(demo_take("walk-past"), ramped).frames / Fraction(30))
    assert fast.seconds(0, 147) == pytest.approx(seconds, abs=0.04)


def tilted(path, seed: int, *, up: bool, colour: tuple[int, int, int] = (120, 160, 215), slow: float = 6.0) -> Side:
    """A take whose camera tilts up into the sky, or down out of it, about frame 30 of 60."""

    def course(t: float) -> np.ndarray:
        risen = 0.5 + 0.5 * np.tanh((t - 30) / slow)
        return shift(500, 760 - 400 * (risen if up else 1 - risen))

    moving_film(path, course, frames=60, size=(320, 180), shutter=0.3, seed=seed, world=under_a_sky(seed, colour))
    with FilmReader(path) as reader:
        return Side.of(reader, trace_take(TraceRequest(path=path), Shelf(path.parent / "shelf"), Silent()))


@long
def test_a_tilt_into_the_sky_is_joined_to_one_out_of_it(tmp_path):
    into, out_of = tilted(tmp_path / "a.mp4", 1, up=True), tilted(tmp_path / "b.mp4", 2, up=False)
    red = tilted(tmp_path / "c.mp4", 3, up=False, colour=(210, 90, 70))
    best = rank_pairs(into, out_of)[0]
    assert best.move == "even" and not best.reverse_out and not best.reverse_in and best.mirror is None
    assert 30 <= best.out_frame <= 42 and 18 <= best.in_frame <= 30  # little of the sky alone is seen
    assert best.score > 60 and best.colour_delta_e < 4
    assert all(p.score < 10 for p in rank_pairs(into, red, moves=("even",)))
    assert all(p.move != "even" for p in rank_pairs(into, out_of, moves=("whip", "roll", "push")))


def test_a_long_darkness_is_cut_at_its_ends():
    found = _outermost(200, 48)
    assert len(found) == 48 and found[0] == 0 and found[-1] == 199 and np.diff(found).max() == 153
    assert list(_outermost(5, 48)) == [0, 1, 2, 3, 4]


@pytest.fixture
def measured(demo_take, demo_trace):
    readers = []

    def make(name: str) -> Measured:
        reader = FilmReader(FOOTAGE / f"{name}.mp4")
        readers.append(reader)
        return Measured(take=demo_take(name), trace=demo_trace(name), film=lambda _: reader)

    yield make
    for reader in readers:
        reader.close()


def test_assembling_joins_in_the_given_order(measured):
    made = assemble(Reel(), [measured("walk-past"), measured("hill"), measured("picnic")])
    reel = made.reel
    assert [p is not None for p in made.joins] == [True, False]
    assert reel.shots[0].span.end in range(137, 140) and reel.shots[1].span.first in range(8, 11)
    assert reel.shots[0].leave.kind == "whip cut" and reel.shots[1].leave.kind == "plain cut"


def test_the_best_order_is_found(measured):
    takes = [measured(name) for name in ("hill", "walk-past")]
    made = assemble(Reel(), takes, best_order=True)
    assert [s.take_id for s in made.shots] == [takes[1].take.id, takes[0].take.id] and made.joins[0].score > 85


def whip_there_and_back(path, seed: int, *, frames: int = 60) -> None:
    """A take that a whip enters by and another one leaves by, with a second of calm between."""

    def motion(t: float) -> np.ndarray:
        return shift(300 + 150 * (np.tanh((t - 8) / 2.5) + np.tanh((t - frames + 9) / 2.5)), 420)

    moving_film(path, motion, frames=frames, size=(320, 180), shutter=0.5, seed=seed)


def test_a_chain_is_solved_as_a_whole_and_every_take_keeps_its_span(tmp_path):
    takes = []
    with Sources.of(Shelf(tmp_path / "shelf")) as sources:
        for number in range(3):
            path = tmp_path / f"{number}.mp4"
            whip_there_and_back(path, number + 1)
            take = take_in(path)
            trace = sources.measured.measure(take, Silent())
            takes.append(Measured(take=take, trace=trace, film=sources.films.reader))
        made = assemble(Reel(width=320, height=180), takes)
    assert all(proposal is not None for proposal in made.joins)
    assert all(shot.span.frames > 30 for shot in made.shots)  # all but the whips' outer halves
    for before, after in pairwise(made.joins):
        assert before.reverse_in == after.reverse_out


@long
def test_a_take_with_one_whip_between_two_others_is_not_given_up_for_its_joins(tmp_path):
    """Both joins are best at the same whip, which would leave a frame of the take between them."""
    takes = []
    with Sources.of(Shelf(tmp_path / "shelf")) as sources:
        for number in range(3):
            path = tmp_path / f"{number}.mp4"
            course = lambda t: shift(500 + 260 * np.tanh((t - 14) / 3.0), 500)  # noqa: E731
            moving_film(path, course, frames=40, size=(320, 180), shutter=0.5, seed=number)
            take = take_in(path)
            takes.append(Measured(take=take, trace=sources.measured.measure(take, Silent()), film=sources.films.reader))
        made = assemble(Reel(width=320, height=180), takes)
    assert min(shot.span.frames for shot in made.shots) >= 13
    assert sum(proposal is not None for proposal in made.joins) == 1


def test_how_a_take_is_conformed_counts_in_its_speed(demo_trace):
    with FilmReader(FOOTAGE / "walk-past.mp4") as reader:
        trace = demo_trace("walk-past")
        usual, half = (Side.of(reader, trace, rates=trace.rate / by) for by in (1, 2))
    assert np.allclose(half.stretches[0].velocity, usual.stretches[0].velocity / 2)
    best = rank_pairs(usual, half, reverse=False)[0]
    assert best.speed_ratio < 0.9  # the same whip at half the speed does not agree with itself


def test_what_a_join_leaves_is_part_of_the_proposal_and_of_its_rank(demo_trace):
    trace = demo_trace("walk-past")
    with FilmReader(FOOTAGE / "walk-past.mp4") as reader, FilmReader(FOOTAGE / "hill.mp4") as other:
        whole = Side.of(reader, trace)
        late_span = Span(first=130, end=trace.frames)
        late = Side.of(reader, trace, late_span, kept=late_span)
        arriving = Side.of(other, demo_trace("hill"))
    best, short = (rank_pairs(side, arriving, reverse=False)[0] for side in (whole, late))
    assert best.out_left_s == pytest.approx((best.out_frame + 1) / 30, abs=0.01) and best.short_s is None
    assert short.short_s == short.out_left_s < 0.5 and short.score < 0.5 * best.score


def proposed(score: float, **other) -> Proposal:
    values = dict(out_frame=20, in_frame=10, mirror=None, reverse_out=False, reverse_in=False, direction_diff_deg=1.0)
    values |= dict(speed_ratio=1.0, blur_ratio=1.0, colour_delta_e=5.0, out_left_s=2.0, in_left_s=2.0, move="whip")
    return Proposal(**{**values, "score": score, **other})


def test_what_turns_a_take_round_has_to_be_much_better_where_nobody_looks(monkeypatch):
    plain = proposed(45)
    backward = proposed(85, reverse_in=True)
    assert plain.worth_unseen > backward.worth_unseen == pytest.approx(42.5)
    assert proposed(85, mirror="horizontal").worth_unseen > plain.worth_unseen
    monkeypatch.setattr(match, "rank_pairs", lambda *_: (backward, plain))
    assert match.best_unseen(None, None) is plain


@pytest.mark.parametrize(
    ("other", "words"),
    [
        ({}, ()),
        ({"mirror": "vertical", "turns": 1}, ("mirrored", "turned by 90°")),
        ({"reverse_in": True}, ("in backward",)),
        ({"mirror": "both", "reverse_in": True, "reverse_out": True}, ("mirrored", "out and in backward")),
    ],
)
def test_what_is_turned_round_is_always_said(other, words):
    assert proposed(50, **other).turned_round == words
    told = why_matched(proposed(50, **other))
    assert all(each in told for each in words) and told.endswith(".")
