"""The three benches: what is pressed, and what is then seen."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from clevrin.core.document import Join, Pace, PacePoint, Placement, Span, Track
from clevrin.core.document.edits import AddTrack, PaceShots, RemoveTake, SetLeaves, SplitShot, TrimShot
from clevrin.core.join.kinds import KINDS
from clevrin.core.pace import placed_shots
from clevrin.core.render import Sources, picture
from clevrin.core.render.picture import plan_at
from clevrin.core.render.planning.shot_map import fitted_size
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.desk.background.plans import Plans
from clevrin.desk.background.prepared import Prepared
from clevrin.desk.playback.programmes import reel_plans
from clevrin.desk.reel import view as reel_view
from clevrin.desk.widgets import theme
from tests.desk.conftest import pixels_of
from tests.films import mean_error
from tests.marks import long

SHIFT = Qt.KeyboardModifier.ShiftModifier


def shows_frame(hands, frame: int) -> None:
    hands.until(lambda: hands.window.log.transport.frame_words.startswith(f"frame {frame} "))


def test_the_steps_are_entered_by_key_and_by_button(demo):
    window = demo.window
    for key, button, bench in (
        (Qt.Key.Key_2, "steady", window.steady),
        (Qt.Key.Key_5, "join", window.join),
        (Qt.Key.Key_1, "log", window.log),
    ):
        demo.key(key)
        assert bench.isVisible() and window.rail.buttons[button].isChecked()
        demo.key(Qt.Key.Key_1)
        demo.click(window.rail.buttons[button])
        assert bench.isVisible()


# Log


def test_the_viewer_shows_the_very_frame(demo):
    window = demo.window
    take = window.session.project.takes[1]
    demo.look_at(take.id)
    demo.until(lambda: window.log.viewer.pixels)
    for frame in (0, 77, 149):
        window.player.seek(frame)
        shows_frame(demo, frame)
        shown = window.log.viewer.pixels[0][..., 2::-1]
        sources = Sources.of()
        from clevrin.core.document import Project, Reel, Shot

        plain = Project(takes=(take,), reel=Reel(shots=(Shot(take_id=take.id, span=Span(first=0, end=150)),)))
        expected = picture(plain, frame, shown.shape[1::-1], sources, quality="draft")
        sources.close()
        assert mean_error(shown, expected) < 1.0
        seen = pixels_of(window.log.viewer)
        rect = window.log.viewer.picture_rect()
        inside = seen[rect.top() : rect.bottom() + 1, rect.left() : rect.right() + 1]
        assert inside.shape == shown.shape and mean_error(inside, shown) < 1.0


def test_frames_are_stepped_by_keys(demo):
    demo.look_at(demo.window.session.project.takes[0].id)
    shows_frame(demo, 0)
    for key, modifier, frame in (
        (Qt.Key.Key_Right, Qt.KeyboardModifier.NoModifier, 1),
        (Qt.Key.Key_Right, SHIFT, 11),
        (Qt.Key.Key_Left, Qt.KeyboardModifier.NoModifier, 10),
        (Qt.Key.Key_Left, SHIFT, 0),
        (Qt.Key.Key_Left, SHIFT, 0),
        (Qt.Key.Key_PageDown, Qt.KeyboardModifier.NoModifier, 137),
    ):
        demo.key(key, modifier)
        shows_frame(demo, frame)


def test_the_span_is_chosen_by_keys_and_by_its_brackets(demo):
    window, session = demo.window, demo.window.session
    take = session.project.takes[1]
    demo.look_at(take.id)
    window.player.seek(40)
    shows_frame(demo, 40)
    demo.key(Qt.Key.Key_I)
    window.player.seek(90)
    shows_frame(demo, 90)
    demo.key(Qt.Key.Key_O)
    assert session.take.span == Span(first=40, end=91)
    assert "Span 1: 40 to 90" in window.log.sheet.span_words
    ridge = window.log.ridge
    y = ridge.height() / 2
    demo.drag(ridge, (ridge.x_of_frame(39.5), y), (ridge.x_of_frame(60), y))
    assert session.take.span.first in range(59, 62)
    demo.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.take.span == Span(first=40, end=91)
    demo.drag(ridge, (ridge.x_of_frame(39.5), y), (ridge.x_of_frame(70), y), drop=False)
    demo.key(Qt.Key.Key_Escape)
    assert session.take.span == Span(first=40, end=91)


def test_a_click_on_the_ridge_looks_there(demo):
    take = demo.window.session.project.takes[0]
    demo.look_at(take.id)
    ridge = demo.window.log.ridge
    demo.click(ridge, (ridge.x_of_frame(100), 40))
    shows_frame(demo, 100)


def test_a_double_click_on_a_card_puts_the_take_on_the_reel(demo):
    take = demo.window.session.project.takes[3]
    viewport = demo.window.log.cards.list.viewport()
    QTest.mouseDClick(viewport, Qt.MouseButton.LeftButton, pos=demo.card(take.id).center())
    assert demo.window.session.project.reel.shots[-1].take_id == take.id


def test_cards_show_the_ridge_in_the_hue_of_the_whip(demo):
    """The walk whips right (ember), the bunting left (kelp): red over blue, and green over red."""
    takes = {t.name: t for t in demo.window.session.project.takes}
    for name, redder in (("walk-past", True), ("bunting", False)):
        card = demo.card(takes[name].id)
        seen = pixels_of(demo.window.log.cards.list.viewport())
        foot = seen[card.top() + 66 : card.top() + 96, 8:-16].reshape(-1, 3).astype(int)
        vivid = foot[foot.max(axis=1) - foot.min(axis=1) > 60]
        assert len(vivid) > 60
        assert (vivid[:, 0].mean() > vivid[:, 1].mean() + 30) == redder


def test_moving_the_pointer_across_a_card_runs_through_the_take(demo):
    cards = demo.window.log.cards.list
    take = demo.window.session.project.takes[0]
    card = demo.card(take.id)
    pictures = []
    for share in (0.1, 0.9):
        QTest.mouseMove(cards.viewport(), card.topLeft() + QPoint(round(6 + 96 * share), 30))
        assert cards.hovered is not None and cards.hovered[0] == take.id
        thumbnail = lambda: pixels_of(cards.viewport())[card.top() + 8 : card.top() + 58, 8:100]  # noqa: E731
        demo.until(lambda thumbnail=thumbnail: thumbnail().std() > 25)
        pictures.append(thumbnail())
    assert mean_error(*pictures) > 8


# Join


@pytest.fixture
def join(demo):
    demo.key(Qt.Key.Key_5)
    demo.until(lambda: demo.window.join.table.rowCount() > 0)
    return demo


def test_a_join_that_is_taken_is_shown_as_it_is(join):
    bench = join.window.join
    assert bench.strips.meeting.out_frame == 137 and bench.strips.meeting.in_frame == 9
    assert "agree" in bench.sheet.agreement.text() and not bench.take_button.isEnabled()
    assert bench.kind.buttons["whip cut"].isChecked()


def test_up_and_down_preview_and_enter_takes(join):
    bench, session = join.window.join, join.window.session
    before = session.project
    QTest.keyClick(bench.table, Qt.Key.Key_Down)
    QTest.keyClick(bench.table, Qt.Key.Key_Down)
    proposal = bench.table.chosen
    assert proposal is not None and session.project == before  # trying changes nothing
    assert bench.strips.meeting.out_frame == proposal.out_frame
    join.until(lambda: bench.viewer.pixels)
    assert join.window.player.playing and join.window.player.programme.loop
    join.key(Qt.Key.Key_Return)
    assert session.project.reel.shots[0].span.end == proposal.out_frame + 1
    assert session.project.reel.shots[1].span.first == proposal.in_frame
    session.undo()
    assert session.project == before


def test_the_table_gives_the_reasons_in_figures(join):
    table = join.window.join.table
    row = [table.item(0, column).text() for column in range(table.columnCount())]
    taken, angle, speed, colours = row[3].split(" · ")
    assert taken == "taken" and "taken" not in table.item(1, 3).text(), "the demo's own join is the best one"
    assert row[1:3] == ["137", "9"] and angle.endswith("°") and speed.startswith("× ") and colours.startswith("ΔE")
    assert "its blur: × " in table.item(0, 3).toolTip() and "they play: forward" in table.item(0, 3).toolTip()
    scores = [int(table.item(r, 0).text()) for r in range(table.rowCount())]
    assert scores == sorted(scores, reverse=True) and scores[0] > 85


def test_the_moving_picture_is_the_largest_thing(join):
    bench = join.window.join
    join.until(lambda: bench.viewer.picture_rect().width() > 0)
    areas = {part: part.width() * part.height() for part in (bench.viewer, bench.table, bench.strips)}
    assert max(areas, key=areas.get) in (bench.viewer, bench.strips)
    picture = bench.viewer.picture_rect()
    assert picture.width() > 0.5 * bench.strips.width() and picture.height() > bench.strips.height()


def test_the_two_ridges_meet_as_one_hump(join):
    """Both sides are bright at the cut and as high as each other there."""
    strips = join.window.join.strips
    join.until(lambda: strips.meeting is not None)
    seen = pixels_of(strips).astype(int)
    middle = seen.shape[1] // 2
    heights = []
    for x in (middle - 12, middle + 12):
        column = seen[:, x]
        vivid = (column[:, 0] - column[:, 2] > 90) & (column[:, 0] > 150)
        band = np.flatnonzero(vivid[seen.shape[0] // 4 : 3 * seen.shape[0] // 4])
        heights.append(len(band))
    assert min(heights) > 30 and abs(heights[0] - heights[1]) < 0.2 * max(heights)


def test_dissolve_and_kind_are_edits(join):
    bench, session = join.window.join, join.window.session
    bench.dissolve.slider.setValue(5)
    assert session.project.reel.shots[0].leave.dissolve_frames == 5
    session.undo()
    assert session.project.reel.shots[0].leave.dissolve_frames == 2 and bench.dissolve.number == 2
    join.click(bench.kind.buttons["plain cut"])
    assert session.project.reel.shots[0].leave.kind == "plain cut"
    join.click(bench.kind.buttons["whip cut"])
    assert session.project.reel.shots[0].leave.kind == "whip cut"


def test_takes_without_agreeing_whips_stay_a_plain_cut(join):
    window = join.window
    window.session.choose_shot(window.session.project.reel.shots[1].id)
    join.until(lambda: "No moves" in window.join.finding_note.text())
    assert window.join.table.rowCount() == 0


def test_opposite_whips_are_proposed_mirrored_and_taken_so(measured_demo, hands):
    window, session = hands.window, hands.window.session
    hands.drop_files(FOOTAGE / "walk-past.mp4", FOOTAGE / "bunting.mp4")
    hands.until(lambda: len(session.project.takes) == 2)
    hands.measured()
    for take in session.project.takes:
        hands.click_card(take.id)
        hands.click(window.log.sheet.put_button)
    hands.key(Qt.Key.Key_5)
    hands.until(lambda: window.join.table.rowCount() > 0)
    assert window.join.table.item(0, 3).text().startswith("mirrored · ")
    assert "it lies: across" in window.join.table.item(0, 3).toolTip()
    hands.click(window.join.take_button)
    assert session.project.reel.shots[1].mirror == "horizontal"


def made_while_played(hands, monkeypatch, frames: list[int]) -> list[int]:
    """The frames that were not prepared when they were looked for."""
    made, player = [], hands.window.player
    player.stop()
    hands.qtbot.wait(200)  # what was asked for while it played has begun by then
    hands.until(lambda: not hands.window.jobs.busy)
    real = Plans.made
    monkeypatch.setattr(Plans, "made", lambda *given: made.append(1) or real(*given))
    missed = []
    for frame in frames:
        shown: list[int] = []
        keep = player.shown.connect(lambda number, _, shown=shown: shown.append(number))
        player.seek(frame)
        hands.until(lambda frame=frame, shown=shown: frame in shown)
        player.shown.disconnect(keep)
        if made:
            missed.append(frame)
        made.clear()
    return missed


def test_the_loop_round_a_join_with_ramps_is_prepared(join, monkeypatch):
    window = join.window
    join.click(window.join.ramps_button)
    join.until(lambda: not window.join.reloading)
    join.until(lambda: window.join.context.preparing.trusts and not window.jobs.is_running(("prepare",)))
    heavy = sorted(window.join.context.preparing.trusts)
    assert heavy
    assert made_while_played(join, monkeypatch, heavy) == []


def test_the_reel_is_prepared_about_the_playhead(demo, monkeypatch):
    monkeypatch.setattr("clevrin.desk.playback.programmes._PREPARED_S", 1.0)
    window = demo.window
    window.session.do(
        PaceShots(paces=((window.session.shot.id, Pace(points=(PacePoint(frame=60, speed=0.6),), in_between="mix")),))
    )
    window.log.look_at(reel=True)
    demo.until(lambda: window.join.context.preparing.trusts and not window.jobs.is_running(("prepare",)))
    preparing = window.join.context.preparing
    heavy = sorted(preparing.trusts)
    assert made_while_played(demo, monkeypatch, heavy[:3]) == []
    # Another start finds them on the shelf.
    store, size = (
        window.measurements.store,
        fitted_size(window.session.project.reel.size, window.log.viewer.wanted_size),
    )
    plans, later = reel_plans(window.session.project, size, 0, 1000), Prepared(store.shelf)
    kept = [later.get(plans.name_of(plans.at(store, frame))) for frame in heavy[:3]]
    assert all(each is not None and each.shape[:2] == size[::-1] for each in kept)


def test_moving_the_playhead_paints_the_reel_no_second_time(demo, monkeypatch):
    reel, painted = demo.window.reel, []
    demo.until(lambda: not demo.window.jobs.busy)
    demo.until(lambda: not reel._still.waits and not reel._finer.isActive())
    real = reel_view.paint_ruler
    monkeypatch.setattr(reel_view, "paint_ruler", lambda *given: painted.append(1) or real(*given))
    before, moved = pixels_of(reel), 0
    for frame in range(30, 90, 2):
        demo.window.session.move_playhead(frame)
        demo.qtbot.wait(5)
        moved += 1
    # Only the line is moved; small pictures that come in late may be painted meanwhile, some together.
    assert len(painted) < moved / 3 and (pixels_of(reel) != before).any()
    painted.clear()
    demo.window.reel.zoom(1)
    demo.until(lambda: painted)


def test_a_bench_without_shots_says_what_to_do(hands):
    hands.key(Qt.Key.Key_2)
    assert "press Enter" in hands.window.steady.after.words
    hands.key(Qt.Key.Key_5)
    assert not hands.window.join.take_button.isEnabled()


def test_the_strips_of_a_join_are_painted_whatever_has_become_of_their_takes(demo):
    """A repaint may come between a change of the document and what follows from it."""
    demo.window.enter_step("join")
    demo.until(lambda: demo.window.join.table.proposals)
    strips = demo.window.join.strips
    meeting = strips.meeting
    demo.window.session.do(RemoveTake(take_id=meeting.outgoing_take.id, label="Remove"))
    strips.show_meeting(meeting)
    assert not strips.grab().isNull()


def test_a_proposal_that_was_tried_is_dropped_when_the_bench_is_entered_for_another_pair(demo):
    window, session = demo.window, demo.window.session
    window.enter_step("join")
    demo.until(lambda: window.join.table.proposals)
    window.join.table.selectRow(0)
    assert window.join.trying is not None
    demo.key(Qt.Key.Key_1)
    session.choose_shot(session.project.reel.shots[-1].id)
    window.enter_step("join")
    assert window.join.trying is None


def test_proposals_of_another_pair_are_dropped_with_it(demo):
    """After a change of the reel what was proposed before cannot be tried any more."""
    window = demo.window
    window.enter_step("join")
    demo.until(lambda: window.join.table.proposals)
    first, second = window.join.pair
    window.session.do(TrimShot(shot_id=second.id, span=Span(first=second.span.first, end=second.span.first + 20)))
    assert not window.join.table.proposals and window.join.trying is None
    window.session.undo()
    demo.until(lambda: window.join.table.proposals)
    window.session.do(RemoveTake(take_id=first.take_id, label="Remove"))
    assert not window.join.table.proposals
    assert window.join.showing() is not None or window.join.pair is None


# Joins that were not shot


@pytest.fixture
def second_join(demo):
    """The Join bench with the cut from the hill to the picnic, where no whips agree."""
    session = demo.window.session
    session.choose_shot(session.project.reel.shots[1].id)
    demo.key(Qt.Key.Key_5)
    demo.until(lambda: not demo.window.join.reloading and demo.window.join.viewer.pixels)
    return demo


def leave(hands) -> Join:
    return hands.window.session.project.reel.shots[1].leave


def test_a_kind_is_taken_by_mouse_and_by_key_each_one_step(second_join):
    bench, session = second_join.window.join, second_join.window.session
    before = session.project
    second_join.click(bench.kind.buttons["push-through"])
    assert leave(second_join).kind == "push-through" and bench.kind.buttons["push-through"].isChecked()
    second_join.until(lambda: bench.viewer.height() > 200)
    assert not bench.table.isVisible()
    second_join.key(Qt.Key.Key_T)
    assert leave(second_join).kind == "roll-over"
    second_join.key(Qt.Key.Key_T, SHIFT)
    second_join.key(Qt.Key.Key_T, SHIFT)
    assert leave(second_join).kind == "thrown whip"
    for _ in range(4):
        second_join.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project == before and bench.table.isVisible()


def test_what_a_join_makes_is_drawn_into_the_hump(second_join):
    bench = second_join.window.join

    def light() -> int:
        """How much of the middle of the strips is as light as text."""
        seen = pixels_of(bench.strips).astype(int)
        third = seen.shape[0] // 3
        return int((seen[third : 2 * third].min(axis=-1) > 200).sum())

    plain = light()
    second_join.click(bench.kind.buttons["thrown whip"])
    made = bench.strips.meeting.made
    assert made is not None and made.widths_per_s.max() > 3
    second_join.until(lambda: light() > plain + 100)
    second_join.click(bench.kind.buttons["flash"])
    assert bench.strips.meeting.made.widths_per_s.max() < 1  # light moves nothing


def test_both_sides_are_seen_over_each_other_or_what_differs(second_join):
    """A shot that is split goes on as it was: nothing differs at such a cut."""
    bench, session = second_join.window.join, second_join.window.session

    def shown(what: str) -> float:
        second_join.click(bench.over.buttons[what])
        second_join.until(lambda: not bench.reloading and bench.viewer.pixels)
        player = second_join.window.player
        before = bench.viewer.pixels[0] if bench.viewer.pixels else None
        player.seek(player.programme.first + 20)
        second_join.until(lambda: bench.viewer.pixels and bench.viewer.pixels[0] is not before)
        return float(bench.viewer.pixels[0][..., :3].mean())

    assert shown("difference") > 8 and shown("both") > 60
    first = session.project.reel.shots[0]
    session.do(SplitShot(shot_id=first.id, at=first.span.first + 60, new_id="behind"))
    session.choose_shot(first.id)
    second_join.until(lambda: bench.pair is not None and bench.pair[1].id == "behind")
    assert shown("difference") < 0.5
    shown("edges")
    pixels = bench.viewer.pixels[0][..., :3].astype(int)
    light, one_side = (np.abs(pixels - theme.bgra(name)[:3]).max(axis=2) < 4 for name in ("text", "ember"))
    assert light.sum() > 400 and one_side.sum() < 0.05 * light.sum()  # both have the same edges
    second_join.click(bench.over.buttons["no"])


def test_a_loop_goes_slowly_without_its_sound(second_join):
    bench, player = second_join.window.join, second_join.window.player
    usual = player.programme.rate
    second_join.click(bench.loop.buttons["4"])
    second_join.until(lambda: player.programme.rate == usual / 4)
    assert player.programme.sound is None and player.playing and bench.loop.buttons["4"].isChecked()
    second_join.click(bench.loop.buttons["1"])
    second_join.until(lambda: player.programme.rate == usual)


def test_a_join_is_copied_with_its_settings_and_pasted_to_all_that_are_chosen(second_join):
    bench, session = second_join.window.join, second_join.window.session
    second_join.click(bench.kind.buttons["flash"])
    bench.settings.controls["length"].slider.setValue(9)
    flash = leave(second_join)
    second_join.key(Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier | SHIFT)
    session.choose_shots(shot.id for shot in session.project.reel.shots)
    before = session.project
    second_join.key(Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier | SHIFT)
    leaves = [shot.leave for shot in session.project.reel.shots]
    assert leaves[:-1] == [flash] * (len(leaves) - 1) and leaves[-1].kind == "plain cut"
    session.undo()
    assert session.project == before


def test_a_kind_is_given_to_all_joins_of_the_chosen_shots_at_once(second_join):
    bench, session = second_join.window.join, second_join.window.session
    before = session.project
    session.choose_shots(shot.id for shot in session.project.reel.shots)
    second_join.click(bench.kind.buttons["flash"])
    assert [shot.leave.kind for shot in session.project.reel.shots] == ["flash", "flash", "plain cut"]
    bench.settings.controls["length"].slider.setValue(7)
    assert [shot.leave.given.get("length") for shot in session.project.reel.shots] == [9.0, 9.0, None]
    for _ in range(2):
        second_join.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project == before


def test_the_arrow_of_a_thrown_whip_is_dragged(second_join):
    bench, session = second_join.window.join, second_join.window.session
    second_join.click(bench.kind.buttons["thrown whip"])
    second_join.until(lambda: bench.viewer.picture_rect().width() > 300)
    second_join.window.player.stop()
    assert bench.settings.auto_buttons["direction"].isChecked()
    before = session.project
    rect = bench.viewer.picture_rect()
    tip, middle = bench.hand.tip(rect), rect.center()
    second_join.drag(bench.viewer, (tip.x(), tip.y()), (middle.x(), middle.y() - 0.32 * rect.width()))
    given = leave(second_join).given
    assert given["direction"] == pytest.approx(90, abs=2) and given["distance"] == pytest.approx(2.0, abs=0.1)
    assert not bench.settings.auto_buttons["direction"].isChecked()
    second_join.click(bench.settings.auto_buttons["direction"])
    assert leave(second_join).given["direction"] == "auto"
    for _ in range(2):
        second_join.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project == before


@long
def test_a_made_join_is_prepared_while_it_plays(second_join):
    window = second_join.window
    second_join.click(window.join.kind.buttons["thrown whip"])
    second_join.until(lambda: not window.join.reloading and window.player.playing)
    second_join.until(lambda: len(window.join.context.preparing.trusts) >= 8)  # all that move
    assert window.player.playing


def test_a_roll_is_dragged_by_its_arc_and_typed(second_join):
    bench = second_join.window.join
    second_join.click(bench.kind.buttons["roll-over"])
    second_join.until(lambda: bench.viewer.picture_rect().width() > 300)
    second_join.window.player.stop()
    rect = bench.viewer.picture_rect()
    tip, middle = bench.hand.tip(rect), rect.center()
    radius = 0.32 * rect.height()
    second_join.drag(bench.viewer, (tip.x(), tip.y()), (middle.x() - radius, middle.y()))
    assert leave(second_join).given["turns"] == 1.0
    entry = bench.settings.controls["length"].entry
    for typed, length in (("24", 24.0), ("900", 24.0), ("long", 24.0)):
        second_join.click(entry)
        entry.selectAll()
        QTest.keyClicks(entry, typed)
        QTest.keyClick(entry, Qt.Key.Key_Return)
        assert leave(second_join).given["length"] == length
    assert bench.trouble.isVisible() and "2 frames to 120 frames" in bench.trouble.text()


def test_colours_are_balanced_at_a_click_and_left_alone_at_another(second_join):
    bench, session = second_join.window.join, second_join.window.session
    before = session.project
    second_join.click(bench.balance_button)
    second_join.until(lambda: leave(second_join).given)
    assert {"balance_red", "balance_length"} <= set(leave(second_join).given) and bench.balance_button.isChecked()
    assert "ΔE" in second_join.window.header.strip.words
    second_join.click(bench.balance_button)
    assert leave(second_join).given == {} and not bench.balance_button.isChecked()
    for _ in range(2):
        second_join.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project == before


def test_what_a_join_lacks_is_said_beside_it(second_join):
    bench, session = second_join.window.join, second_join.window.session
    second_join.click(bench.kind.buttons["soft dissolve"])
    assert "nothing beyond its cut" in bench.sheet.short.text()  # the hill ends with its take
    shots = session.project.reel.shots
    session.do(TrimShot(shot_id=shots[2].id, span=Span(first=20, end=26)))
    assert "instead of 20" in bench.sheet.short.text()


def test_a_kind_of_a_later_version_is_looked_at_as_a_cut(second_join):
    session = second_join.window.session
    shot = session.project.reel.shots[1]
    session.do(SetLeaves(leaves=((shot.id, Join(kind="paper crane", settings={"folds": 7.0})),)))
    bench = second_join.window.join
    assert not any(button.isChecked() for button in bench.kind.buttons.values())
    second_join.key(Qt.Key.Key_T)
    assert leave(second_join).kind in KINDS


@long
def test_a_doorway_is_given_a_surface_of_either_take_and_goes_through_it(second_join):
    window, session = second_join.window, second_join.window.session
    bench = window.join
    hill, picnic = (session.project.take(shot.take_id) for shot in session.project.reel.shots[1:3])
    corners = ((500.0, 250.0), (800.0, 250.0), (800.0, 420.0), (500.0, 420.0))
    for take, name, frame in ((hill, "slope", 120), (picnic, "meadow", 60)):
        placed = (Placement(frame=frame, places=corners),)
        session.do(AddTrack(take_id=take.id, track=Track(id=name, name=name, kind="surface", placed=placed)))
    second_join.until(lambda: not window.jobs.busy)
    second_join.click(bench.kind.buttons["doorway"])
    combo = bench.settings.controls["surface"].property("combo")
    assert [combo.itemText(at) for at in range(combo.count())] == ["none", "slope in hill", "meadow in picnic"]
    assert len(plan_of(window, -6).layers) == 1  # without a surface it is a cut
    for at, way, within in ((2, "out", 4), (1, "in", -6)):
        combo.setCurrentIndex(at)
        combo.activated.emit(at)
        assert leave(second_join).given["surface"] == combo.itemData(at) and combo.currentIndex() == at
        assert bench.settings.controls["way"].buttons[way].isChecked()
        inside = [layer for layer in plan_of(window, within).layers if layer.matte is not None]
        assert [layer.take_id for layer in inside] == [hill.id if way == "out" else picnic.id]
    session.undo()
    assert leave(second_join).given["surface"] == "meadow"
    session.undo()
    assert combo.currentIndex() == 0


@long
def test_a_match_cut_goes_where_both_subjects_move_alike(second_join):
    window, session = second_join.window, second_join.window.session
    bench = window.join
    second_join.click(bench.kind.buttons["match cut"])
    row = bench.laying
    assert row.isVisible() and not row.alike_button.isEnabled()
    pair = bench.pair
    ways = ((100.0, 8.0), (-200.0, 8.0))
    for shot, (start, step) in zip(pair, ways, strict=True):
        take = session.project.take(shot.take_id)
        placed = tuple(Placement(frame=k, places=((start + step * k, 300.0),)) for k in range(take.facts.frames))
        session.do(AddTrack(take_id=take.id, track=Track(name="kite", kind="point", placed=placed)))
    followed = [session.project.take(shot.take_id).tracks[-1] for shot in pair]
    second_join.until(lambda: all(window.track_jobs.of(track) is not None for track in followed))
    for combo, track in zip(row.combos, followed, strict=True):
        second_join.until(lambda combo=combo, track=track: combo.findData(track.id) > 0)
        combo.setCurrentIndex(combo.findData(track.id))
        combo.activated.emit(combo.currentIndex())
    before = session.project.reel.shots
    second_join.click(row.alike_button)
    second_join.until(lambda: "Laid by" in row.note.text())
    out, into = (session.project.shot(each.id) for each in pair)
    last, first = out.span.end - 1, into.span.first
    assert (-200 + 8 * first) - (100 + 8 * last) == pytest.approx(8, abs=40)  # both are held, each in its own way
    assert row.note.text().startswith(f"Frames {last} and {first}: 0.0") and "(1 of" in row.note.text()
    left = [placed for placed in placed_shots(session.project) if placed.shot.id in (out.id, into.id)]
    assert all(placed.frames >= placed.reel_rate for placed in left), "a second of each is left"
    assert f"leaves {float(left[0].frames / left[0].reel_rate):.1f} s of {left[0].take.name} and " in row.note.text()
    assert session.project.shot(out.id).leave.settings, "the pictures lie on each other at the new place"
    second_join.click(row.alike_button)
    second_join.until(lambda: "(2 of" in row.note.text() and "Laid by" in row.note.text())
    session.undo()
    session.undo()
    assert session.project.reel.shots == before


def differs(hands) -> float:
    """How much the sides of the cut differ at it, over each other."""
    bench, player = hands.window.join, hands.window.player
    bench.over.buttons["no"].click()
    bench.over.buttons["difference"].click()
    hands.until(lambda: not bench.reloading and bench.viewer.pixels)
    shown: list[int] = []
    keep = player.shown.connect(lambda frame, _: shown.append(frame))
    cut = next(p for p in placed_shots(hands.window.session.project) if p.shot.id == bench.pair[0].id).end
    player.stop()
    player.seek(cut, scrubbing=False)
    hands.until(lambda: cut in shown)
    player.shown.disconnect(keep)
    return float(bench.viewer.pixels[0][..., :3].mean())


def test_a_match_cut_lays_the_pictures_on_each_other_by_what_is_chosen(second_join):
    window, session = second_join.window, second_join.window.session
    bench = window.join
    row = bench.laying
    assert not row.isVisible()
    first = session.project.reel.shots[1]
    session.do(SplitShot(shot_id=first.id, at=first.span.first + 60, new_id="behind"))
    session.choose_shot(first.id)
    second_join.until(lambda: bench.pair is not None and bench.pair[1].id == "behind")
    second_join.click(bench.kind.buttons["match cut"])
    assert row.isVisible() and row.combos[0].itemText(0) == "the picture as a whole"
    second_join.click(row.button)
    second_join.until(lambda: "places" in row.note.text())
    given = leave(second_join).given
    assert abs(given["x"]) < 0.02 and given["times"] == pytest.approx(1, abs=0.01)  # one frame later of one take
    assert session.history.undo_label == "Lay pictures on each other"
    before, after = (plan_of(window, late).layers[0] for late in (-1, 0))
    bare = [each.matrix for each in (before, after)]
    assert np.abs(bare[0] - bare[1])[:2, 2].max() < 8 and before.frame + 1 == after.frame
    apart = differs(second_join)
    bench.settings.controls["x"].slider.setValue(0)
    assert leave(second_join).given["x"] == -1
    assert differs(second_join) > 3 * apart  # sides are judged as the join lays them on each other
    session.undo()
    session.undo()
    assert "x" not in leave(second_join).given


def plan_of(window, late: int):
    """The plan of a frame so many after the cut behind the second shot."""
    project = window.session.project
    return plan_at(project, placed_shots(project)[1].end + late, (320, 180), window.measurements.store)
