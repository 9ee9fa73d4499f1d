"""The jobs: each does with a counted hand what an editor is asked for, and says whether the film is what was wanted."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import Qt

from clevrin.core.media.probe import probe
from clevrin.core.media.reading import FilmReader
from clevrin.core.pace import reel_frames
from tests.jobs.hand import CTRL, SHIFT, CountedHand


@dataclass(frozen=True, kw_only=True)
class Job:
    """What is asked for; `other`: how many actions it took with tools that were not made for this or before, `aim`."""

    id: str
    words: str
    before: int
    aim: int
    do: Callable[[CountedHand], None]
    suite: bool = False


def _is_whole(hand: CountedHand) -> None:
    """The film is as long as the reel, as fast, and no frame of it is black or torn off at an edge."""
    path = hand.rendered()
    facts, reel = probe(path), hand.session.project.reel
    assert facts.frames == reel_frames(hand.session.project) and facts.rate == reel.rate
    assert (facts.width, facts.height) == reel.size
    with FilmReader(path) as film:
        for frame in np.linspace(0, facts.frames - 1, 5).round().astype(int):
            y = film.read(int(frame)).y
            sides = y[:, 0], y[:, -1], y[0], y[-1]
            assert y.std() > 8 and all(side.max() > 24 for side in sides), f"frame {frame}"


def _laid_and_said(hand: CountedHand, words: str, *films: str) -> None:
    """Films are dropped, a first reel is made of them, and the rest is said."""
    hand.drop(*films)
    hand.first_reel(len(films))
    hand.say(words)


def _speeds(hand: CountedHand) -> set[float]:
    return {point.speed for shot in hand.shots for point in shot.pace.points}


def one_take(hand: CountedHand) -> None:
    hand.drop("hill")
    ridge = hand.window.log.ridge
    middle = ridge.height() / 2
    hand.drag(ridge, (ridge.x_of_frame(0), middle), (ridge.x_of_frame(20), middle))
    hand.drag(ridge, (ridge.x_of_frame(150), middle), (ridge.x_of_frame(90), middle))
    hand.first_reel(1)
    hand.say("slow is 0.5, fast is 1, out of the start")
    hand.hold_key(Qt.Key.Key_B)
    hand.key(Qt.Key.Key_R, CTRL)
    (shot,) = hand.shots
    assert shot.hold.how == "float" and abs(shot.span.first - 20) <= 2 and abs(shot.span.end - 90) <= 2
    assert min(_speeds(hand)) == 0.5
    _is_whole(hand)


def axes_and_strength(hand: CountedHand) -> None:
    _laid_and_said(hand, "settle 2.5, axes roll, brought back 30, render now", "hill")
    (shot,) = hand.shots
    assert shot.hold.settle_s == 2.5 and shot.hold.returned == 0.3 and "roll" not in shot.hold.axes
    _is_whole(hand)


def wide_to_tight(hand: CountedHand) -> None:
    _laid_and_said(hand, "fast 10, shutter 360, ready moves slow push, render now", "hill")
    (shot,) = hand.shots
    assert _speeds(hand) == {10.0} and shot.pace.shutter.angle_deg == 360
    first, *_, last = shot.gate().poses
    assert shot.hold.how == "float" and last.width < 0.9 * first.width
    _is_whole(hand)


def slow_to_a_quarter(hand: CountedHand) -> None:
    _laid_and_said(hand, "slow 4, keep 90, ready moves punch in, render now", "walk-past")
    (shot,) = hand.shots
    assert _speeds(hand) == {0.25} and shot.hold.keep == 0.9 and shot.gate().poses
    _is_whole(hand)


def crop_limit(hand: CountedHand) -> None:
    _laid_and_said(hand, "keep 92, settle 3, let blur, render now", "walk-past")
    (shot,) = hand.shots
    assert (shot.hold.keep, shot.hold.settle_s) == (0.92, 3.0)
    _is_whole(hand)


def made_joins_on_four(hand: CountedHand) -> None:
    _laid_and_said(
        hand,
        "cut 1, thrown whip 14, cut 2, push-through, cut 3, fracture, shaken 2, render now",
        "hill",
        "doorstep",
        "burst",
        "bunting",
    )
    joins = [shot.leave for shot in hand.shots[:-1]]
    assert [each.kind for each in joins] == ["thrown whip", "push-through", "fracture"]
    assert joins[0].given["length"] == 14 and joins[2].given["shaken"] == 2
    _is_whole(hand)


def turned_round_with_a_dissolve(hand: CountedHand) -> None:
    _laid_and_said(hand, "shot 2, mirror, shot 1, reverse, dissolve 4, render now", "walk-past", "hill")
    first, second = hand.shots
    assert first.reverse and second.mirror and first.leave.dissolve_frames == 4
    _is_whole(hand)


def cut_at_the_peaks(hand: CountedHand) -> None:
    _laid_and_said(hand, "shutter 180, render now", "walk-past", "hill")
    assert hand.shots[0].leave.kind == "whip cut" and hand.shots[0].pace.shutter.angle_deg == 180
    _is_whole(hand)


def rolls(hand: CountedHand) -> None:
    _laid_and_said(hand, "choose all, fast 2, into the end, render now", "somersault", "cartwheel")
    first, second = hand.shots
    assert first.leave.kind == "whip cut" and first.pace.points and second.pace.points
    _is_whole(hand)


def both_whips(hand: CountedHand) -> None:
    _laid_and_said(hand, "dissolve 4, render now", "walk-past", "hill")
    assert (hand.shots[0].leave.kind, hand.shots[0].leave.dissolve_frames) == ("whip cut", 4)
    _is_whole(hand)


def seven_ordered(hand: CountedHand) -> None:
    _laid_and_said(
        hand,
        "choose all, into the middle, shot 3, duplicate, reverse, render now",
        "walk-past",
        "hill",
        "look-up",
        "look-down",
        "somersault",
        "cartwheel",
        "burst",
    )
    assert len(hand.shots) == 8 and any(shot.reverse for shot in hand.shots)
    assert all(shot.pace.points for shot in hand.shots)
    _is_whole(hand)


def thrown_between_still(hand: CountedHand) -> None:
    _laid_and_said(hand, "thrown whip, render now", "doorstep", "burst")
    assert hand.shots[0].leave.kind == "thrown whip"
    _is_whole(hand)


def slide_that_goes_on(hand: CountedHand) -> None:
    _laid_and_said(hand, "slide 20, render now", "hill", "bunting")
    assert hand.shots[0].leave.kind == "slide" and hand.shots[0].leave.given["length"] == 20
    _is_whole(hand)


def past_a_subject(hand: CountedHand) -> None:
    _laid_and_said(
        hand,
        "choose all, fast is 20, into the middle, follow what moves, shutter 180, where it is fast, render now",
        "picnic",
        "walk-past",
    )
    assert all(shot.hold.how != "none" and shot.gate().follows for shot in hand.shots)
    assert max(_speeds(hand)) == 20 and all(shot.pace.shutter.full_at > 1 for shot in hand.shots)
    _is_whole(hand)


def axes_one_after_the_other(hand: CountedHand) -> None:
    window = hand.window
    hand.drop_unknown("hill")
    hand.click(window.header.strip.stop_button)
    hand.hands.until(window.log.sheet.resume_button.isVisible)
    hand.click(window.log.sheet.resume_button)
    hand.hands.measured()
    hand.key(Qt.Key.Key_V)
    assert window.log.mark_buttons["vectors"].isChecked()
    hand.first_reel(1)
    hand.say("settle 3, axes pan, axes tilt, lock-off, render now")
    (shot,) = hand.shots
    assert shot.hold.how == "lock-off" and shot.hold.settle_s == 3 and not {"pan", "tilt"} & set(shot.hold.axes)
    _is_whole(hand)


def upright_of_four(hand: CountedHand) -> None:
    hand.drop("picnic", "walk-past", "hill", "parade")
    hand.first_reel(4)
    hand.say("render upright as well, choose all, shutter 180, where it is fast, follow what moves, shot 2")
    for _ in range(4):
        hand.key(Qt.Key.Key_Right, SHIFT)
    hand.say("follow what moves 2, render all")
    (upright,) = hand.session.project.outputs
    follows = [shot.gate(upright.id).follows for shot in hand.shots]
    assert all(follows) and max(map(len, follows)) == 2
    _is_whole(hand)
    facts = probe(next(hand.folder.glob("*upright*")))
    assert (facts.width, facts.height) == (upright.width, upright.height)
    assert facts.frames == reel_frames(hand.session.project)


def lent_over_the_reel(hand: CountedHand) -> None:
    _laid_and_said(hand, "over the reel: somersault, play", "walk-past", "hill", "somersault")
    assert hand.window.player.playing
    hand.say("over the reel: hill, render now")
    (over,) = hand.session.project.reel.over
    assert (over.first, over.end) == (0, reel_frames(hand.session.project))
    assert [each.name for each in hand.session.project.motions] == ["somersault", "hill"]
    assert over.loan.lender_id == hand.session.project.motions[-1].id
    _is_whole(hand)


def held_on_guides(hand: CountedHand) -> None:
    hand.drop("picnic", "hill")
    hand.lay_music()
    hand.first_reel(2)
    hand.make_small()
    window = hand.window
    takes = [hand.session.project.take(shot.take_id) for shot in hand.shots]
    hand.say("shot 1, areas of the take")
    hand.click(window.sides.areas.tools.buttons["disc"])
    hand.in_picture(window.log.viewer, (0.5, 0.5), (0.65, 0.7))
    hand.say(
        "hold what moves, right third, slow 2, into the end, keep sharp disc 1, duplicate, reverse, "
        "choose all, shutter 180, flash, land on the beat, render now"
    )
    first, copy, last = hand.shots
    assert first.hold.how == "anchor" and first.hold.anchor.place == (2 / 3, 1 / 3) and not first.reverse
    assert copy.reverse and copy.take_id == first.take_id == takes[0].id != last.take_id
    assert first.pace.shutter.sharp.area == hand.session.project.take(first.take_id).areas[0].id
    assert {shot.leave.kind for shot in hand.shots[:-1]} == {"flash"}
    _is_whole(hand)


def words_behind_somebody(hand: CountedHand) -> None:
    hand.drop("walk-past", "picnic")
    hand.lay_music()
    hand.first_reel(2)
    hand.make_small()
    window = hand.window
    hand.say("shot 1, areas of the take")
    hand.click(window.sides.areas.tools.buttons["cut-out"])
    hand.hands.until(lambda: window.sides.areas.movers.buttons and window.sides.areas.movers.buttons[0].height() > 10)
    hand.click(window.sides.areas.movers.buttons[0])
    (area,) = hand.session.take.areas
    hand.say(
        "hold what moves, edge mirror, into the end, shutter 180, whose motion walking, land on the beat, pin words"
    )
    sheet = window.sides.pinned
    hand.click(sheet.words_button)
    hand.type("KITES")
    hand.click(sheet.pages.buttons["where"])
    hand.hands.until(lambda: sheet.area_buttons[area.id].height() > 10)
    hand.click(sheet.area_buttons[area.id])
    hand.key(Qt.Key.Key_R, CTRL)
    shot = hand.shots[0]
    assert (shot.hold.how, shot.hold.edge) == ("anchor", "mirror") and shot.loan.rig == "walking"
    (pinned,) = shot.pinned
    assert pinned.of.text == "KITES" and pinned.behind == (area.id,)
    _is_whole(hand)


def through_the_sky(hand: CountedHand) -> None:
    hand.drop("skyward", "earthward", "doorstep", "bunting", "hill")
    hand.first_reel(5)
    hand.make_small()
    window, names = hand.window, [hand.session.project.take(shot.take_id).name for shot in hand.shots]
    hand.say("take doorstep, follow a surface")
    hand.in_picture(window.log.viewer, (0.35, 0.3), (0.6, 0.65))
    hand.say("take bunting, areas of the take")
    hand.click(window.sides.areas.tools.buttons["half-plane"])
    hand.in_picture(window.log.viewer, (0.5, 0.1), (0.5, 0.9))
    first = names.index("skyward") + 1
    by_hand = [cut for cut in range(1, 5) if cut != first]
    hand.say(
        f"cut {first}, ramps that meet, cut {by_hand[0]}, match cut, cut {by_hand[1]}, doorway, "
        f"cut {by_hand[2]}, passing edge, render now"
    )
    assert {shot.leave.kind for shot in hand.shots[:-1]} >= {"match cut", "doorway", "passing edge"}
    _is_whole(hand)


def round_a_subject(hand: CountedHand) -> None:
    hand.drop("picnic", "alongside", "doorstep", "hill")
    hand.first_reel(4)
    hand.make_small()
    window, names = hand.window, [hand.session.project.take(shot.take_id).name for shot in hand.shots]
    hand.say("take doorstep, follow a surface")
    hand.in_picture(window.log.viewer, (0.35, 0.3), (0.6, 0.65))
    hand.say("take picnic, areas of the take")
    hand.click(window.sides.areas.tools.buttons["disc"])
    hand.in_picture(window.log.viewer, (0.5, 0.5), (0.65, 0.7))
    hand.say(
        f"shot {names.index('picnic') + 1}, counter-zoom 0.5, rush outward, how long 0.2, keep sharp disc 1, "
        "cut 1, roll-over, quarter turns 4, cut 2, doorway, render now"
    )
    shot = hand.shots[names.index("picnic")]
    assert shot.pace.shutter.rush is not None and shot.pace.shutter.sharp and shot.gate().counter_zoom.amount == 0.5
    assert hand.shots[0].leave.kind == "roll-over" and hand.shots[0].leave.given["turns"] == 4
    assert hand.shots[1].leave.kind == "doorway"
    _is_whole(hand)


JOBS = (
    Job(id="one take", words="trim, calm it, a slow passage in it, compare, render", before=18, aim=7, do=one_take),
    Job(id="axes", words="axes, strength, motion brought back", before=8, aim=4, do=axes_and_strength, suite=True),
    Job(id="wide to tight", words="held, 10x, shutter 360, gate to close", before=29, aim=6, do=wide_to_tight),
    Job(id="slow", words="a quarter, frames never shot, crop limit, punch-in", before=34, aim=6, do=slow_to_a_quarter),
    Job(id="crop limit", words="crop limit, smoothness, what stays blurred", before=17, aim=5, do=crop_limit),
    Job(id="made joins", words="three kinds and a shake on four", before=20, aim=10, do=made_joins_on_four),
    Job(
        id="turned round",
        words="backward, mirrored, a dissolve in the blur",
        before=21,
        aim=5,
        do=turned_round_with_a_dissolve,
    ),
    Job(id="blur peaks", words="cut at the peaks, colours agree, shutter", before=12, aim=4, do=cut_at_the_peaks),
    Job(id="rolls", words="two rolls sped up, joined in the roll, eased", before=20, aim=7, do=rolls),
    Job(id="both whips", words="both whips and a few frames of dissolve", before=10, aim=4, do=both_whips),
    Job(id="seven takes", words="ordered, one doubled and backward, ramps", before=14, aim=6, do=seven_ordered),
    Job(id="thrown", words="a thrown whip between shots that stand", before=13, aim=4, do=thrown_between_still),
    Job(id="past a subject", words="20x past it, in the middle, blur where fast", before=25, aim=9, do=past_a_subject),
    Job(
        id="axes one by one",
        words="vectors, long float, axes, lock-off, measuring stopped",
        before=18,
        aim=9,
        do=axes_one_after_the_other,
    ),
    Job(id="upright", words="upright of four, the subject changes, both shapes", before=40, aim=12, do=upright_of_four),
    Job(id="lent", words="another take's motion over the reel, two attempts", before=18, aim=7, do=lent_over_the_reel),
    Job(
        id="guides",
        words="held on guides, slowed, a copy backward, blur with an area, on beats",
        before=45,
        aim=15,
        do=held_on_guides,
    ),
    Job(
        id="words",
        words="music, anchor, words behind a cut-out, shake, blur",
        before=45,
        aim=18,
        do=words_behind_somebody,
    ),
    Job(
        id="sky",
        words="into the sky and out, match cut, a print that opens, a wipe",
        before=88,
        aim=22,
        do=through_the_sky,
    ),
    Job(
        id="orbit",
        words="counter-zoom, full roll, doorway, blur outward but for the subject",
        before=56,
        aim=20,
        do=round_a_subject,
    ),
    Job(id="slide", words="a slide that goes on, its length changed", before=14, aim=5, do=slide_that_goes_on),
)
