"""What fits a cut, and one move of several takes: which kinds, why, how long, and on which beats."""

from fractions import Fraction

import pytest

from clevrin.core.document import Project, Reel, Shot, Span
from clevrin.core.document.edits import FollowShot
from clevrin.core.join.assemble import Measured
from clevrin.core.join.kinds import KINDS
from clevrin.core.join.kinds.kind import Seen, SeenSide
from clevrin.core.join.one_move import LEAST_SHOT_S, OneMove, Wish, one_move
from clevrin.core.join.suggesting import seen_at_cut, suggestions
from clevrin.core.join.survey import Library, could_follow, survey_reel
from clevrin.core.media.reading import FilmReader
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.demo.footage_maker import FOOTAGE

STILL = SeenSide()
REEL = Reel(rate=Fraction(30))


def side(**seen) -> SeenSide:
    return SeenSide(**seen)


@pytest.mark.parametrize(
    ("before", "after", "more", "kind", "words"),
    [
        (STILL, STILL, {}, "thrown whip", "stand still"),
        (side(velocity=(0.8, 0)), STILL, {}, "thrown whip", "first shot's camera is going"),
        (STILL, side(velocity=(0, -1.5)), {}, "thrown whip", "next shot's camera is going"),
        (side(velocity=(2, 0)), side(velocity=(2.1, 0)), {}, "whip cut", "agrees to 95 %"),
        (side(growth=1.0), STILL, {}, "push-through", "the push"),
        (side(growth=-1.0), side(growth=-0.8), {}, "push-through", "the pull back"),
        (side(turn_deg=-120), side(turn_deg=-90), {}, "roll-over", "the roll"),
        (side(even=True), STILL, {}, "soft dissolve", "nothing in one of the pictures"),
        (side(lightness=5), side(lightness=60), {}, "dip", "dark"),
        (side(lightness=30, velocity=(0.3, 0)), side(lightness=85, velocity=(-0.3, 0)), {}, "thrown whip", "goes on"),
    ],
)
def test_the_kind_that_fits_is_what_the_shots_call_for(before, after, more, kind, words):
    best = suggestions(Seen(before=before, after=after, **more))[0]
    assert best.kind.id == kind and words in best.fit.why


def test_every_kind_says_how_it_fits_and_can_be_set_so():
    seen = Seen(before=side(growth=-1.0), after=side(turn_deg=50), on_beat=True, colour_delta_e=50)
    found = suggestions(seen)
    assert {each.kind.id for each in found} == set(KINDS)
    for each in found:
        assert 0 <= each.fit.score <= 100 and each.fit.why.endswith((".", "%."))
        known = {setting.id: setting for setting in each.kind.settings}
        assert all(known[name].checked(value) == value for name, value in each.join.given.items())
    push = next(each for each in found if each.kind.id == "push-through")
    assert push.join.given["way"] == "out"
    roll = next(each for each in found if each.kind.id == "roll-over")
    assert roll.join.given["turns"] > 0


def test_on_a_beat_a_jolt_and_a_flash_count_for_more_and_again_for_less():
    plain, beat = (Seen(before=STILL, after=STILL, on_beat=on) for on in (False, True))
    for kind in ("flash", "fracture"):
        assert KINDS[kind].fits(beat).score > KINDS[kind].fits(plain).score
    assert suggestions(plain)[0].kind.id == "thrown whip"
    assert suggestions(plain, before="thrown whip")[0].kind.id == "push-through"


@pytest.fixture
def measured(demo_take, demo_trace):
    readers = {}

    def film(take):
        return readers[take.id]

    def make(name: str) -> Measured:
        take = demo_take(name)
        readers[take.id] = FilmReader(FOOTAGE / f"{name}.mp4")
        return Measured(take=take, trace=demo_trace(name), film=film)

    yield make
    for reader in readers.values():
        reader.close()


@pytest.fixture
def four(measured):
    return [measured(name) for name in ("walk-past", "hill", "picnic", "somersault")]


def project_of(move: OneMove) -> Project:
    takes = tuple(each.take for each in move.takes)
    return Project(takes=takes, reel=REEL.changed(shots=move.shots))


def test_what_is_seen_at_a_cut_is_what_the_cameras_do(measured):
    takes = [measured("walk-past"), measured("somersault")]
    shots = (
        Shot(take_id=takes[0].take.id, span=Span(first=0, end=138)),
        Shot(take_id=takes[1].take.id, span=Span(first=45, end=90), mirror="horizontal"),
    )
    project = Project(takes=tuple(each.take for each in takes), reel=REEL.changed(shots=shots))
    row = placed_shots(project)
    seen = seen_at_cut(row[0], row[1], (takes[0].trace, takes[1].trace), takes[0].film)
    assert seen.before.velocity[0] > 1.5 and not seen.before.still
    plain = takes[1].trace.turn_deg[45] * 30
    assert seen.after.turn_deg == pytest.approx(-plain) and seen.after.turns == (-1 if plain > 0 else 1)
    blind = seen_at_cut(row[0], row[1], (None, None), takes[0].film)
    assert blind.before.still and not blind.before.known and blind.colour_delta_e == pytest.approx(seen.colour_delta_e)


def test_one_move_cuts_where_moves_agree_and_makes_what_is_missing(four):
    move = one_move(four, REEL, Wish())
    kinds = [passage.join.kind for passage in move.passages]
    assert kinds[0] == "whip cut" and move.passages[0].proposal is not None and "whip" in move.passages[0].why
    assert all(KINDS[kind].long for kind in kinds[1:]) and [shot.leave.kind for shot in move.shots[:-1]] == kinds
    assert move.shots[3].span.first in range(43, 48)  # the roll of its own is entered where it is fastest
    assert kinds[2] == "roll-over" and move.remarks == ()
    assert move.frames == placed_shots(project_of(move))[-1].end


def test_one_move_is_as_long_as_is_wanted_and_no_shot_vanishes(four):
    for wanted in (12.0, 8.0):
        move = one_move(four, REEL, Wish(length_s=wanted))
        assert move.frames / 30 == pytest.approx(wanted, abs=0.15) and not move.remarks
        assert move.shots[0].span.end in range(136, 141)  # what was matched is not trimmed
        assert all(placed.frames >= 30 * LEAST_SHOT_S - 1 for placed in placed_shots(project_of(move)))
    short = one_move(four, REEL, Wish(length_s=2.0))
    assert short.frames / 30 > 3.9 and "is kept" in short.remarks[0]
    long = one_move(four, REEL, Wish(length_s=60.0))
    assert "s less" in long.remarks[0]


def test_cuts_of_one_move_fall_on_beats(four):
    beats = tuple(range(0, 900, 18))
    move = one_move(four, REEL, Wish(length_s=10.0, beats=beats))
    ends = [placed.end for placed in placed_shots(project_of(move))[:-1]]
    on = sum(end in beats for end in ends)
    assert on >= 2 and f"{on} of 3 cuts fall on a beat." in move.remarks
    spans = [(each.take.span, shot.span) for each, shot in zip(move.takes, move.shots, strict=True)]
    assert all(whole.first <= span.first and span.end <= whole.end for whole, span in spans)


def test_the_order_is_kept_or_found_and_it_can_be_stopped(measured):
    takes = [measured("hill"), measured("walk-past")]
    kept, found = (one_move(takes, REEL, Wish(best_order=best)) for best in (False, True))
    assert [each.take.name for each in kept.takes] == ["hill", "walk-past"]
    assert [each.take.name for each in found.takes] == ["walk-past", "hill"]

    def enough() -> None:
        raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        one_move(takes, REEL, Wish(), enough)
    alone = one_move(takes[:1], REEL, Wish(length_s=2.0, beats=(0, 30)))
    assert alone.passages == () and alone.frames == 60


def library(takes: list[Measured]) -> Library:
    moves = {each.take.id: each.moves for each in takes}
    return Library(film=takes[0].film, moves=lambda take: moves[take.id])


def test_what_could_follow_comes_in_order_of_what_agrees(measured):
    takes = [measured(name) for name in ("walk-past", "picnic", "bunting", "hill")]
    shot = Shot(take_id=takes[0].take.id, span=takes[0].take.whole)
    project = Project(takes=tuple(each.take for each in takes), reel=REEL.changed(shots=(shot,)))
    rest = [each.take for each in takes[1:]]
    found = could_follow(project, shot.id, rest, library(takes), Silent())
    assert [each.take.name for each in found] == ["hill", "bunting", "picnic"]
    best, mirrored, made = found
    assert best.proposal is not None and best.score == best.proposal.score and best.incoming.span.first in range(8, 11)
    assert mirrored.incoming.mirror == "horizontal" and mirrored.outgoing.leave.kind == "whip cut"
    assert made.proposal is None and made.outgoing.leave.kind == made.suggestion.kind.id
    for each in found:
        after = FollowShot(outgoing=each.outgoing, incoming=each.incoming).apply(project)
        assert [shot.id for shot in after.reel.shots] == [shot.id, each.incoming.id]


def test_every_cut_of_a_reel_is_surveyed(measured):
    takes = [measured(name) for name in ("walk-past", "hill", "picnic")]
    spans = Span(first=0, end=138), Span(first=9, end=150), Span(first=0, end=100)
    shots = tuple(Shot(take_id=each.take.id, span=span) for each, span in zip(takes, spans, strict=True))
    project = Project(takes=tuple(each.take for each in takes), reel=REEL.changed(shots=shots))
    first, second = survey_reel(project, library(takes), Silent())
    assert first.shot_id == shots[0].id and first.proposal is not None and first.fits[0].kind.id == "whip cut"
    assert first.seen.apart < 0.1
    assert second.proposal is None and second.fits[0].kind.id == "thrown whip" and len(second.fits) == len(KINDS)
    assert survey_reel(project.changed(reel=REEL.changed(shots=shots[:1])), library(takes), Silent()) == ()
