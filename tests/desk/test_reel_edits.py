"""Every edit of the reel with mouse and keys, and all of it undone."""

import itertools
from fractions import Fraction

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from clevrin.core.document import Marker, NamedSpan, Span, edits
from clevrin.core.pace import placed_shots, reel_frames
from clevrin.desk.reel.format_sheet import FormatSheet
from clevrin.desk.reel.layout import ReelLayout, Sight, slipped
from tests.core.test_document import shot, three_shots

CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier
ALT = Qt.KeyboardModifier.AltModifier


def spans(demo) -> list[tuple[int, int]]:
    return [(s.span.first, s.span.end) for s in demo.window.session.project.reel.shots]


def box(demo, index: int) -> tuple[float, float, float, float]:
    return demo.window.reel.layout_now.shot_box(index)


def foot_of(demo, index: int) -> tuple[float, float]:
    x, y, w, h = box(demo, index)
    return x + w / 2, y + h - 6


def undone(demo, before) -> None:
    """Undoes one step with the key, and finds what was there before."""
    demo.key(Qt.Key.Key_Z, CTRL)
    assert demo.window.session.project == before


# Keys


def test_split_at_the_playhead(demo):
    session = demo.window.session
    before, frames = session.project, reel_frames(session.project)
    session.move_playhead(60)
    demo.key(Qt.Key.Key_Slash)
    assert spans(demo)[:2] == [(0, 60), (60, 138)] and reel_frames(session.project) == frames
    first, second = session.project.reel.shots[:2]
    assert first.leave.kind == "plain cut" and second.leave == before.reel.shots[0].leave
    assert session.shot.id == second.id and first.hold == second.hold
    session.move_playhead(60)
    demo.key(Qt.Key.Key_Slash)
    assert demo.window.trouble.isVisible() and "at a cut" in demo.window.trouble.text()
    undone(demo, before)


def test_split_of_a_shot_that_plays_backward_keeps_the_order_of_its_frames(demo):
    session = demo.window.session
    session.choose_shot(session.project.reel.shots[0].id)
    demo.key(Qt.Key.Key_R)
    assert session.shot.reverse
    session.move_playhead(30)
    demo.key(Qt.Key.Key_Slash)
    assert spans(demo)[:2] == [(108, 138), (0, 108)]


@pytest.mark.parametrize(("key", "span", "playhead"), [(Qt.Key.Key_I, (40, 138), 0), (Qt.Key.Key_O, (0, 41), 40)])
def test_what_is_before_or_after_the_playhead_is_removed_within_the_shot(demo, key, span, playhead):
    session = demo.window.session
    before = session.project
    session.move_playhead(40)
    demo.key(key, SHIFT)
    assert spans(demo)[0] == span and session.playhead == playhead
    assert spans(demo)[1:] == [(s.span.first, s.span.end) for s in before.reel.shots[1:]]
    undone(demo, before)


def test_duplicate_remove_and_the_gap_is_closed(demo):
    session = demo.window.session
    before = session.project
    demo.click(demo.window.reel, foot_of(demo, 0))
    QTest.mouseClick(demo.window.reel, Qt.MouseButton.LeftButton, CTRL, QPoint(*map(round, foot_of(demo, 1))))
    assert len(session.shot_ids) == 2
    demo.key(Qt.Key.Key_D, CTRL)
    names = [session.project.take(s.take_id).name for s in session.project.reel.shots]
    assert names == ["walk-past", "hill", "walk-past", "hill", "picnic"]
    assert session.shot_ids == tuple(s.id for s in session.project.reel.shots[2:4])
    demo.key(Qt.Key.Key_Delete)
    assert session.project.reel == before.reel
    row = placed_shots(session.project)
    assert all(a.end == b.start for a, b in itertools.pairwise(row))
    demo.key(Qt.Key.Key_Z, CTRL)
    undone(demo, before)


def test_settings_are_copied_to_several_shots(demo):
    session = demo.window.session
    first = session.project.reel.shots[0]
    session.do(edits.SetHold(shot_id=first.id, hold=first.hold.changed(keep=0.7, settle_s=3.0)))
    session.choose_shot(first.id)
    before = session.project
    demo.key(Qt.Key.Key_F)
    demo.key(Qt.Key.Key_C, CTRL)
    demo.key(Qt.Key.Key_A, CTRL)
    demo.key(Qt.Key.Key_V, CTRL)
    assert all(s.hold.keep == 0.7 and s.mirror == "horizontal" for s in session.project.reel.shots)
    assert [s.span for s in session.project.reel.shots] == [s.span for s in before.reel.shots]
    demo.key(Qt.Key.Key_Z, CTRL)
    undone(demo, before)


def test_markers_are_set_while_it_plays_and_the_nearest_is_removed(demo):
    window, session = demo.window, demo.window.session
    window.log.look_at(reel=True)
    demo.until(lambda: window.player.programme is not None and window.player.programme.end == 354)
    demo.key(Qt.Key.Key_Space)
    demo.until(lambda: session.playhead > 4)
    demo.key(Qt.Key.Key_M)
    assert window.player.playing
    demo.key(Qt.Key.Key_Space)
    assert session.project.reel.markers[0].frame > 4 and session.history.undo_label == "Set marker"
    session.move_playhead(200)
    demo.key(Qt.Key.Key_M, SHIFT)
    assert [m.kind for m in session.project.reel.markers] == ["marker", "beat"]
    session.move_playhead(190)
    demo.key(Qt.Key.Key_M, CTRL)
    assert [m.kind for m in session.project.reel.markers] == ["marker"]


def test_put_at_the_playhead_and_put_all_spans(demo):
    window, session = demo.window, demo.window.session
    take = session.project.takes[3]
    demo.look_at(take.id)
    for name, first in (("low", 5), ("high", 40)):
        span = NamedSpan(name=name, span=Span(first=first, end=first + 20))
        session.do(edits.AddSpan(take_id=take.id, span=span))
    before = session.project
    session.move_playhead(placed_shots(session.project)[1].start + 3)
    demo.key(Qt.Key.Key_Return, SHIFT)
    assert spans(demo)[1] == (5, 25) and len(spans(demo)) == 4
    demo.key(Qt.Key.Key_Return, CTRL)
    assert spans(demo)[-2:] == [(5, 25), (40, 60)]
    assert len(session.shot_ids) == 2
    demo.key(Qt.Key.Key_Z, CTRL)
    undone(demo, before)
    window.log.look_at(reel=False)


# Mouse


def test_trimming_snaps_to_the_whip_and_says_what_the_join_will_be(demo):
    window, session = demo.window, demo.window.session
    session.do(edits.TrimShot(shot_id=session.project.reel.shots[0].id, span=Span(first=0, end=120)))
    before = session.project
    x, y, w, h = box(demo, 0)
    px = window.reel.layout_now.px_per_frame
    start = (x + w - 2, y + h - 6)
    demo.drag(window.reel, start, (start[0] + 17.2 * px, start[1]), drop=False)
    assert spans(demo)[0] == (0, 138)  # 18 frames: the last one is the whip's peak
    assert "at whip peak 137" in window.reel.readout and "join → into →" in window.reel.readout
    assert "4.60 s" in window.reel.readout and session.playhead == 137
    demo.key(Qt.Key.Key_Escape)
    assert session.project == before
    demo.drag(window.reel, start, (start[0] + 17.2 * px, start[1]), modifier=SHIFT)
    assert spans(demo)[0] == (0, 137)  # with Shift nothing snaps
    undone(demo, before)


def test_alt_drag_slips_the_take_under_the_shot(demo):
    session = demo.window.session
    before = session.project
    x, y = foot_of(demo, 2)
    px = demo.window.reel.layout_now.px_per_frame
    demo.drag(demo.window.reel, (x, y), (x + 6.2 * px, y), modifier=ALT | SHIFT)
    assert spans(demo)[2] == (20 - 12, 170 - 12)  # 6 frames of the reel are 12 of a take of 60
    assert spans(demo)[:2] == [(0, 138), (9, 150)] and session.history.undo_label == "Slip shot"
    undone(demo, before)


def test_several_shots_are_moved_together(demo):
    session = demo.window.session
    before = session.project
    session.choose_shots(s.id for s in session.project.reel.shots[:2])
    x, y = foot_of(demo, 0)
    end = demo.window.reel.layout_now.x_of(350)
    demo.drag(demo.window.reel, (x, y), (end, y))
    names = [session.project.take(s.take_id).name for s in session.project.reel.shots]
    assert names == ["picnic", "walk-past", "hill"] and session.history.undo_label == "Move 2 shots"
    undone(demo, before)


def test_shots_are_chosen_with_ctrl_and_shift(demo):
    window, session = demo.window, demo.window.session
    ids = [s.id for s in session.project.reel.shots]
    click = lambda index, modifier: QTest.mouseClick(  # noqa: E731
        window.reel, Qt.MouseButton.LeftButton, modifier, QPoint(*map(round, foot_of(demo, index)))
    )
    click(0, Qt.KeyboardModifier.NoModifier)
    assert session.shot_ids == (ids[0],)
    click(2, SHIFT)
    assert set(session.shot_ids) == set(ids) and session.shot.id == ids[2]
    click(1, CTRL)
    assert set(session.shot_ids) == {ids[0], ids[2]}
    click(2, Qt.KeyboardModifier.NoModifier)
    assert session.shot_ids == (ids[2],)


def test_a_marker_is_dragged_to_a_cut(demo):
    window, session = demo.window, demo.window.session
    session.do(edits.AddMarker(marker=Marker(frame=100)))
    before = session.project
    layout = window.reel.layout_now
    demo.drag(window.reel, (layout.x_of(100.5), 14), (layout.x_of(138.5) + 3, 14))
    assert session.project.reel.markers[0].frame in (137, 138)  # the whip's peak, or the cut beside it
    undone(demo, before)


def test_the_wheel_zooms_and_scrolls_and_keys_do_too(demo):
    reel, session = demo.window.reel, demo.window.session

    def wheel(delta: int, modifier) -> None:
        at = QPointF(600, 90)
        event = QWheelEvent(
            at,
            QPointF(reel.mapToGlobal(at.toPoint())),
            QPoint(),
            QPoint(0, delta),
            Qt.MouseButton.NoButton,
            modifier,
            Qt.ScrollPhase.NoScrollPhase,
            False,
        )
        QApplication.sendEvent(reel, event)

    whole = reel.layout_now
    under = whole.frame_at(600)
    wheel(360, CTRL)
    near = reel.layout_now
    assert near.px_per_frame > 1.8 * whole.px_per_frame and abs(near.frame_at(600) - under) <= 1
    assert reel.bar.isVisible()
    wheel(-240, Qt.KeyboardModifier.NoModifier)
    assert reel.layout_now.scroll == pytest.approx(near.scroll + 240)
    reel.bar.setValue(0)
    assert reel.layout_now.scroll == 0
    demo.key(Qt.Key.Key_0)
    assert reel.layout_now == whole and not reel.bar.isVisible()
    session.move_playhead(300)
    demo.key(Qt.Key.Key_Plus)
    assert reel.layout_now.px_per_frame > whole.px_per_frame
    demo.key(Qt.Key.Key_Minus)
    assert reel.layout_now.px_per_frame == pytest.approx(whole.px_per_frame)


def test_the_reel_takes_any_size_and_rate_and_markers_stay_at_their_instants(demo):
    window, session = demo.window, demo.window.session
    session.do(edits.AddMarker(marker=Marker(frame=90)))
    before = session.project
    demo.do("format")
    sheet = next(d for d in window.findChildren(FormatSheet) if d.isVisible())
    demo.click(sheet.shape.buttons["9:16"])
    assert (sheet.width_box.value(), sheet.height_box.value()) == (720, 1280)
    sheet.rate.setEditText("fast")
    demo.click(sheet.take_button)
    assert sheet.trouble.isVisible() and "is no rate" in sheet.trouble.text()
    sheet.rate.setEditText("23.976")
    demo.click(sheet.take_button)
    reel = session.project.reel
    assert (reel.width, reel.height, reel.rate) == (720, 1280, Fraction(2997, 125))
    assert reel.markers[0].frame == round(90 * 23.976 / 30)
    undone(demo, before)
    window.log.look_at(reel=True)
    session.do(edits.SetReel(rate=Fraction(30), width=720, height=720))
    demo.until(
        lambda: (
            window.log.viewer.pixels and window.log.viewer.pixels[0].shape[0] == window.log.viewer.pixels[0].shape[1]
        )
    )


# The layout by itself


def layout(sight: Sight | None = None) -> ReelLayout:
    return ReelLayout.of(three_shots(), 1000, 150, sight)


def test_a_sight_stays_on_the_reel():
    near = layout(Sight(px_per_frame=20.0, scroll=500.0))
    assert near.px_per_frame == 20 and near.scroll == 500
    assert layout(Sight(px_per_frame=20.0, scroll=1e9)).scroll == near.content_px - near.room
    assert layout(Sight(px_per_frame=20.0, scroll=-5)).scroll == 0
    assert layout(Sight(px_per_frame=1e9)).px_per_frame < 50
    assert layout(Sight(px_per_frame=0.001)).px_per_frame == layout().px_per_frame


def test_only_shots_in_sight_are_drawn():
    assert list(layout().seen()) == [0, 1, 2]
    near = layout(Sight(px_per_frame=20.0, scroll=52 * 20.0))
    assert list(near.seen()) == [1, 2] or list(near.seen()) == [1]
    assert near.hit(near.x_of(60), 100).index == 1


def test_narrow_shots_have_no_knots_in_the_way():
    project = three_shots()
    shots = tuple(shot(f"s{k}", "t1", 0, 2) for k in range(400))
    project = project.changed(reel=project.reel.changed(shots=shots))
    narrow = ReelLayout.of(project, 1000, 150)
    assert narrow.knot_radius(5) == 0
    assert narrow.hit(narrow.x_of(11), 90).index == 5


def test_the_sight_follows_the_playhead():
    near = layout(Sight(px_per_frame=20.0, scroll=0.0))
    assert near.following(10) is None
    after = layout(near.following(120))
    assert near.x_of(120) > 1000 > after.x_of(120) > 72


@pytest.mark.parametrize("by", [-500, -3, 0, 3, 500])
@pytest.mark.parametrize("reverse", [False, True])
def test_a_slip_stays_within_the_take_and_as_long(by, reverse):
    project = three_shots()
    project = project.changed(reel=project.reel.changed(shots=(shot("s", "t1", 30, 60, reverse=reverse),)))
    span = slipped(placed_shots(project)[0], by)
    assert span.frames == 30 and 0 <= span.first <= 70
    if abs(by) == 3:
        assert span.first - 30 == (by if reverse else -by)
