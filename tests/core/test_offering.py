"""What is offered for shots and cuts: only what was measured to fit, with its price, and nothing that is there."""

import sys
from contextlib import ExitStack
from dataclasses import replace
from fractions import Fraction

import pytest

from clevrin.core.document import Follow, Gate, Hold, Output, Pace, PacePoint, Project, Reel, Shot, Shutter, Span
from clevrin.core.document.edits import SetGate, SetHold
from clevrin.core.hold.verdict import Verdict, judge
from clevrin.core.join.balancing import Balance
from clevrin.core.join.cut_candidates import Moves
from clevrin.core.join.survey import Library, survey_cut
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.movers import Mover
from clevrin.core.motion.whips import find_whips
from clevrin.core.offering import Known, best_first, cut_offers, first_reel, shot_offers
from clevrin.core.pace import placed_shots


def verdict(**fields) -> Verdict:
    usual = {"cost": "easy", "sentence": "", "keep_float": 0.943, "keep_lock_off": 0.4, "idle": (), "blurred": ()}
    shake = {"pan": 3.0, "tilt": 3.0, "roll": 0.1, "zoom": 0.1}
    return Verdict(**{**usual, "shake": shake, **fields})


@pytest.fixture
def reel(demo_take):
    def made(name: str = "hill", rate: int = 30, outputs=(), **fields) -> Project:
        take = demo_take(name)
        shot = Shot(take_id=take.id, span=take.whole, **fields)
        return Project(takes=(take,), reel=Reel(rate=Fraction(rate), shots=(shot,)), outputs=outputs)

    return made


def offers(project: Project, **known):
    return {each.kind: each for each in shot_offers(project, placed_shots(project)[0], Known(**known))}


def test_a_hold_is_offered_with_what_stays_and_uses_no_more_than_that(reel):
    project = reel()
    offer = offers(project, verdict=verdict())["hold"]
    assert offer.told == "Float it: 94 % of the width stays" and offer.step == "steady"
    hold = offer.make(project).apply(project).reel.shots[0].hold
    assert (hold.how, hold.keep) == ("float", 0.85)
    costly = offers(project, verdict=verdict(cost="costly", keep_float=0.764, idle=("zoom",)))["hold"]
    hold = costly.make(project).apply(project).reel.shots[0].hold
    assert hold.keep == 0.75 and "zoom" not in hold.axes and costly.worth < offer.worth
    still = offers(project, verdict=verdict(keep_lock_off=0.9))["hold"]
    assert still.words == "Have it stand still" and still.price.startswith("90 %")


@pytest.mark.parametrize(
    "known",
    [{}, {"verdict": verdict(cost="hopeless")}, {"verdict": verdict(idle=("pan", "tilt", "roll", "zoom"))}],
)
def test_no_hold_is_offered_that_nothing_speaks_for(reel, known):
    assert "hold" not in offers(reel(), **known)


def test_what_was_chosen_already_is_not_offered_otherwise(reel):
    assert not offers(reel(hold=Hold(how="lock-off")), verdict=verdict())
    ramp = Pace(points=(PacePoint(frame=0, speed=1), PacePoint(frame=40, speed=8)))
    assert list(offers(reel(pace=ramp))) == ["blur"]
    assert not offers(reel(pace=ramp.changed(shutter=Shutter(angle_deg=90))))
    gate = Gate(output="up", follows=(Follow(tracks=("t",)),))
    upright = Output(id="up", name="upright", width=1080, height=1920)
    mover = Mover(first=4, last=40, frame=20, box=(0, 0, 9, 9), middle=(300.0, 200.0), share=0.02)
    assert not offers(reel(outputs=(upright,), gates=(gate,)), movers=[mover])


def test_an_offer_whose_shot_was_changed_meanwhile_does_nothing(reel):
    project = reel()
    offer = offers(project, verdict=verdict())["hold"]
    changed = SetHold(shot_id=project.reel.shots[0].id, hold=Hold(how="lock-off")).apply(project)
    assert offer.make(changed) is None and offer.make(project.changed(reel=Reel())) is None


def test_a_quick_take_is_offered_slowly_and_a_fast_ramp_is_blurred(reel):
    project = reel("picnic")
    assert float(project.takes[0].facts.rate) >= 50
    offer = offers(project)["slow"]
    assert "on a reel of 30/s" in offer.price
    made = offer.make(project).apply(project)
    placed = placed_shots(made)[0]
    assert placed.frames == pytest.approx(project.takes[0].facts.frames, abs=1)
    ramp = reel(pace=Pace(points=(PacePoint(frame=0, speed=1), PacePoint(frame=40, speed=20))))
    shutter = offers(ramp)["blur"].make(ramp).apply(ramp).reel.shots[0].pace.shutter
    assert (shutter.angle_deg, shutter.full_at) == (180, 4.0)


def test_what_moves_is_followed_in_the_outputs_that_show_less(reel):
    outputs = (
        Output(id="up", name="upright", width=1080, height=1920),
        Output(id="wide", name="wide", width=1920, height=1080),
    )
    mover = Mover(first=4, last=40, frame=20, box=(0, 0, 90, 90), middle=(300.0, 200.0), share=0.02)
    project = reel(outputs=outputs)
    (offer,) = shot_offers(project, placed_shots(project)[0], Known(movers=[mover]))
    assert offer.words == "Follow what moves in it, in upright" and "2.0 % of the picture" in offer.price
    edit = offer.make(project)
    assert isinstance(edit, SetGate)
    made = edit.apply(project)
    (track,) = made.takes[0].tracks
    assert made.reel.shots[0].gate("up").follows[0].tracks == (track.id,)
    assert track.placed[0].frame == 20 and not offers(made, movers=[mover])


def test_at_a_cut_what_agrees_is_offered_and_colours_that_are_apart(demo_take, demo_trace):
    takes = demo_take("walk-past"), demo_take("hill")
    traces = {take.id: demo_trace(take.name) for take in takes}
    shots = tuple(Shot(take_id=take.id, span=take.whole) for take in takes)
    project = Project(takes=takes, reel=Reel(rate=Fraction(30), shots=shots))
    with FilmReader(takes[0].path) as first, FilmReader(takes[1].path) as second:
        films = dict(zip((take.id for take in takes), (first, second), strict=True))
        library = Library(
            film=lambda take: films[take.id], moves=lambda take: Moves.of(films[take.id], traces[take.id])
        )
        found = survey_cut(project, 0, library)
    balance = Balance(gains=(1.1, 1.0, 0.9), frames=20, before_de=12.4, after_de=1.2)
    match, colours = best_first(cut_offers(project, found, balance), "join")
    assert match.kind == "match" and match.words == "Cut in the whip" and "times as fast" in match.price
    assert colours.price == "its sides are ΔE 12 apart, ΔE 1 then"
    made = match.make(project).apply(project)
    assert made.reel.shots[0].leave.kind == "whip cut" and made.reel.shots[0].span.end < takes[0].facts.frames
    assert match.make(made) is None  # it is joined now
    both = colours.make(made).apply(made)
    assert both.reel.shots[0].leave.kind == "whip cut" and colours.make(both) is None
    near = Balance(gains=(1, 1, 1), frames=0, before_de=5, after_de=1)
    assert [each.kind for each in cut_offers(project, found, near)] == ["match"]


def test_offers_of_the_step_come_first(reel):
    project = reel("picnic")
    both = shot_offers(project, placed_shots(project)[0], Known(verdict=verdict()))
    assert [each.kind for each in best_first(both, "pace")] == ["slow", "hold"]
    assert [each.kind for each in best_first(both, "log")] == ["hold", "slow"]


def test_the_verdict_on_a_demo_take_gives_the_offer_that_holds(reel, demo_trace):
    trace = demo_trace("hill")
    project = reel()
    offer = offers(project, verdict=judge(trace, find_whips(trace)))["hold"]
    assert isinstance(offer.make(project), SetHold)
    assert Span(first=0, end=trace.frames) == project.takes[0].whole


def test_a_first_reel_is_ordered_joined_and_held_in_one_edit(demo_take, demo_trace):
    takes = tuple(demo_take(name) for name in ("walk-past", "hill", "somersault"))
    dropped = demo_take("picnic").changed(worth="drop")
    traces = {take.id: demo_trace(take.name) for take in takes}
    project = Project(takes=(*takes, dropped), reel=Reel(rate=Fraction(30)))
    with ExitStack() as open_films:
        films = {take.id: open_films.enter_context(FilmReader(take.path)) for take in takes}
        library = Library(
            film=lambda take: films[take.id], moves=lambda take: Moves.of(films[take.id], traces[take.id])
        )
        made = first_reel(project, library, lambda take: judge(traces[take.id], find_whips(traces[take.id])))
    after = made.edit.apply(project)
    shots = after.reel.shots
    assert {shot.take_id for shot in shots} == {take.id for take in takes} and made.edit.label == "Make a first reel"
    assert "whip cut" in {shot.leave.kind for shot in shots[:-1]} and "float" in {shot.hold.how for shot in shots}
    assert made.words.startswith(f"3 shots, {placed_shots(after)[-1].end / 30:.1f} s") and "floated" in made.words
    assert "ramps" not in made.words and not any(shot.pace.points for shot in shots), "both whip as fast"
    alone = Project(takes=takes[:1], reel=Reel(rate=Fraction(30)))
    one = first_reel(alone, library, lambda _: verdict())
    assert one.words.startswith("1 shot, ") and one.edit.shots[0].span == takes[0].whole


def test_a_first_reel_has_ramps_where_one_side_is_faster(demo_take, demo_trace, monkeypatch):
    takes = tuple(demo_take(name) for name in ("walk-past", "hill"))
    traces = {take.id: demo_trace(take.name) for take in takes}
    project = Project(takes=takes, reel=Reel(rate=Fraction(30)))
    first_reels = sys.modules["clevrin.core.offering.first_reel"]  # its name is that of its function as well
    plain = first_reels.one_move

    def faster(*given):
        move = plain(*given)
        (passage,) = move.passages
        return replace(move, passages=(replace(passage, proposal=replace(passage.proposal, speed_ratio=1.4)),))

    monkeypatch.setattr(first_reels, "one_move", faster)
    with ExitStack() as open_films:
        films = {take.id: open_films.enter_context(FilmReader(take.path)) for take in takes}
        library = Library(
            film=lambda take: films[take.id], moves=lambda take: Moves.of(films[take.id], traces[take.id])
        )
        made = first_reel(project, library, lambda _: None)
    assert "1 with ramps that meet" in made.words and all(shot.pace.points for shot in made.edit.shots)
