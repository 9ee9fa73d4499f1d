"""The three benches: what is pressed, and what is then seen."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from clevrin.core.document import Span
from clevrin.core.render import Sources, picture
from clevrin.demo.footage_maker import FOOTAGE
from tests.desk.conftest import pixels_of
from tests.films import mean_error

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
        sources = Sources()
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


# Steady


@pytest.fixture
def steady(demo):
    demo.key(Qt.Key.Key_2)
    demo.until(lambda: demo.window.steady.before.pixels and demo.window.steady.after.pixels)
    return demo


def test_before_and_after_are_shown_in_step(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.window.player.seek(60)
    steady.until(lambda: bench.lanes._playhead == 60)
    steady.measured()
    steady.until(lambda: mean_error(bench.before.pixels[0], bench.after.pixels[0]) > 3)
    from clevrin.core.render.planner import plan_frame

    sources = Sources()
    frame = session.project.shot(session.shot.id).span.first + 60
    layer = plan_frame(session.project, frame, (320, 180), sources).layers[0]
    sources.close()
    assert layer.frame == 60


def test_changing_the_hold_shows_in_picture_and_figures(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.click(bench.how.buttons["none"])
    assert session.shot.hold.how == "none" and not bench.settle.isEnabled()
    steady.until(lambda: np.array_equal(bench.before.pixels[0], bench.after.pixels[0]))
    steady.click(bench.how.buttons["float"])
    steady.until(lambda: "after:" in bench._after_note.text())
    assert "shake over 1 Hz" in bench._before_note.text()


def test_a_dragged_slider_is_one_step_and_a_double_click_puts_it_back(steady):
    bench, session = steady.window.steady, steady.window.session
    before = session.project
    slider = bench.keep.slider
    from PySide6.QtWidgets import QStyle, QStyleOptionSlider

    option = QStyleOptionSlider()
    slider.initStyleOption(option)
    handle = slider.style().subControlRect(
        QStyle.ComplexControl.CC_Slider, option, QStyle.SubControl.SC_SliderHandle, slider
    )
    at = handle.center()
    steady.drag(slider, (at.x(), at.y()), (at.x() - 60, at.y()))
    assert session.shot.hold.keep < 0.8
    assert bench.keep.value.text() == f"{session.shot.hold.keep * 100:.0f} %"
    session.undo()
    assert session.project == before
    session.redo()
    QTest.mouseDClick(bench.keep.name, Qt.MouseButton.LeftButton)
    assert session.shot.hold.keep == 0.85


def test_axes_are_switched_and_the_last_one_stays(steady):
    bench, session = steady.window.steady, steady.window.session
    for axis in ("pan", "roll", "zoom"):
        steady.click(bench.axes.buttons[axis])
    assert session.shot.hold.axes == ("tilt",)
    steady.click(bench.axes.buttons["tilt"])
    assert session.shot.hold.axes == ("tilt",) and bench.axes.buttons["tilt"].isChecked()
    assert "At least one axis" in bench.trouble.text()


def test_lock_off_is_measured_in_the_background_and_shown(steady):
    bench, window = steady.window.steady, steady.window
    picnic = window.session.project.reel.shots[2]
    window.session.choose_shot(picnic.id)
    steady.click(bench.how.buttons["lock-off"])
    steady.until(lambda: "nothing is empty" in bench.keep._note.text())
    assert not bench.settle.isVisible()


def test_b_held_down_shows_the_picture_as_shot(steady):
    bench = steady.window.steady
    steady.window.player.seek(60)
    steady.until(lambda: bench.lanes._playhead == 60 and mean_error(bench.before.pixels[0], bench.after.pixels[0]) > 3)
    for kind, same in ((QEvent.Type.KeyPress, True), (QEvent.Type.KeyRelease, False)):
        QApplication.sendEvent(steady.window, QKeyEvent(kind, Qt.Key.Key_B, Qt.KeyboardModifier.NoModifier))
        steady.until(lambda same=same: np.array_equal(bench.before.pixels[0], bench.after.pixels[0]) == same)


def test_the_divide_shows_both_in_one_picture(steady):
    bench = steady.window.steady
    steady.click(bench.divide_button)
    steady.until(lambda: len(bench.after.pixels) == 2 and not bench.before.isVisible())
    steady.until(lambda: bench.after.picture_rect().height() == bench.after.pixels[1].shape[0])
    rect = bench.after.picture_rect()
    steady.drag(
        bench.after, (rect.center().x(), rect.center().y()), (rect.left() + rect.width() // 4, rect.center().y())
    )
    seen = pixels_of(bench.after)[rect.top() : rect.bottom() + 1, rect.left() : rect.right() + 1]
    before, after = (p[..., 2::-1] for p in bench.after.pixels)
    quarter = seen.shape[1] // 4
    assert mean_error(seen[:, : quarter - 3], before[: seen.shape[0], : quarter - 3]) < 2
    assert mean_error(seen[:, quarter + 3 :], after[: seen.shape[0], quarter + 3 : seen.shape[1]]) < 2
    steady.click(bench.two_button)
    assert bench.before.isVisible()


# Join


@pytest.fixture
def join(demo):
    demo.key(Qt.Key.Key_5)
    demo.until(lambda: demo.window.join.table.rowCount() > 0)
    return demo


def test_a_join_that_is_taken_is_shown_as_it_is(join):
    bench = join.window.join
    assert bench.strips.meeting.out_frame == 137 and bench.strips.meeting.in_frame == 9
    assert "agree" in bench._agreement.text() and not bench.take_button.isEnabled()
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
    assert row[1:3] == ["137", "9"] and row[3].endswith("°") and row[4].startswith("× ") and row[6].startswith("ΔE")
    scores = [int(table.item(r, 0).text()) for r in range(table.rowCount())]
    assert scores == sorted(scores, reverse=True) and scores[0] > 85


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
    assert min(heights) > 40 and abs(heights[0] - heights[1]) < 0.2 * max(heights)


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
    join.until(lambda: "No whips" in window.join._finding.text())
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
    assert window.join.table.item(0, 7).text() == "across"
    hands.click(window.join.take_button)
    assert session.project.reel.shots[1].mirror == "horizontal"


def test_a_bench_without_shots_says_what_to_do(hands):
    hands.key(Qt.Key.Key_2)
    assert "press Enter" in hands.window.steady.after.words
    hands.key(Qt.Key.Key_5)
    assert not hands.window.join.take_button.isEnabled()
