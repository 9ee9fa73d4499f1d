"""The Reframe bench under a user's hands: poses, easing, following, levelling, outputs and guides."""

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit

from clevrin.core.document import Hold, Span
from clevrin.core.document.edits import RemoveOutput, RemoveShots, SetHold, TrimShot
from clevrin.core.document.files import load
from clevrin.core.media.probe import probe
from clevrin.desk.reframe.fields import FOLLOW, LAID, POSES, SHAPE
from tests.desk.conftest import pixels_of
from tests.films import mean_error


@pytest.fixture
def reframe(demo):
    """The Reframe bench with the first shot, which is not held."""
    session = demo.window.session
    session.do(RemoveOutput(output_id=session.project.outputs[0].id))
    session.do(SetHold(shot_id=session.shot.id, hold=Hold()))
    demo.key(Qt.Key.Key_3)
    demo.until(lambda: demo.window.reframe.whole.pixels and demo.window.reframe.result.pixels)
    return demo


@pytest.fixture
def upright(reframe):
    """The same through an upright output."""
    bench = reframe.window.reframe
    bench.sheet.pages.show_page(SHAPE)
    reframe.click(bench.sheet.shapes.buttons["upright"])
    bench.sheet.pages.show_page(POSES)
    reframe.until(lambda: bench.result.pixels[0].shape[0] > bench.result.pixels[0].shape[1])
    return reframe


def gate(hands):
    bench = hands.window.reframe
    return hands.window.session.shot.gate(bench.output)


def on_picture(hands, x: float, y: float) -> tuple[float, float]:
    """A place of the source in the viewer of the whole picture."""
    rect = hands.window.reframe.whole.picture_rect()
    return rect.left() + (x + 0.5) / 1280 * rect.width(), rect.top() + (y + 0.5) / 720 * rect.height()


def go_to(hands, frame: int) -> None:
    bench, player = hands.window.reframe, hands.window.player
    hands.until(lambda: not bench.reloading)
    player.seek(frame)
    hands.until(lambda: bench.lanes.playhead == frame and player.frame == frame)


def typed(hands, entry: QLineEdit, words: str) -> None:
    """Clicks into a field, and types over what it says."""
    hands.click(entry)
    entry.selectAll()
    QTest.keyClicks(entry, words)
    hands.type_key(Qt.Key.Key_Return)


def seen(hands):
    """The gate as it is solved, once it is: what the document asks for is what is drawn."""
    bench, window = hands.window.reframe, hands.window
    hands.until(lambda: not window.jobs.busy and not bench.reloading)
    bench.refresh()
    return bench.seen


def test_the_gate_is_dragged_sized_and_turned_and_each_is_one_step(upright):
    bench, session = upright.window.reframe, upright.window.session
    go_to(upright, 20)
    before = session.project
    upright.drag(bench.whole, on_picture(upright, 640, 400), on_picture(upright, 440, 400))
    (pose,) = gate(upright).poses
    assert pose.frame == 20 and pose.x == pytest.approx(440, abs=4) and pose.width == pytest.approx(405, abs=1)
    session.undo()
    assert session.project == before
    session.redo()
    # A corner makes it smaller about its middle; it is in the picture, whatever was done.
    corner = seen(upright).corners(20)[2]
    upright.drag(bench.whole, on_picture(upright, *(corner - 1)), on_picture(upright, *(corner - (100, 180))))
    small = gate(upright).poses[0]
    assert small.width < 260 and (small.x, small.frame) == (pose.x, 20)
    quad = seen(upright).corners(20)
    rect = bench.whole.picture_rect()
    top = (quad[0] + quad[1]) / 2
    down = (quad[3] + quad[0]) / 2 - quad[0]
    knob = top + down / np.hypot(*down) * 26 * 1280 / rect.width()
    upright.drag(bench.whole, on_picture(upright, *knob), on_picture(upright, *(knob + np.array([60, 40]))))
    assert gate(upright).poses[0].turn_deg < -5  # dragged to the right: clockwise
    corners = seen(upright).corners(20)
    assert corners.min() >= -1 and (corners <= (1280, 720)).all()


def test_between_poses_the_gate_goes_and_the_picture_shows_it(upright):
    bench = upright.window.reframe
    for frame, x in ((10, 300), (70, 900)):
        go_to(upright, frame)
        upright.do("pose")
        upright.drag(bench.whole, on_picture(upright, 640 if frame == 10 else 300, 400), on_picture(upright, x, 400))
    assert [pose.frame for pose in gate(upright).poses] == [10, 70]
    states = seen(upright).states
    assert states[10, 0] == pytest.approx(300, abs=4) and states[70, 0] == pytest.approx(900, abs=4)
    assert (np.diff(states[10:71, 0]) > 0).all()
    go_to(upright, 40)
    upright.until(lambda: bench.result.pixels)
    halfway = bench.result.pixels[0].copy()
    upright.do("pose-after")
    upright.until(lambda: bench.lanes.playhead == 70)
    upright.until(lambda: mean_error(halfway, bench.result.pixels[0]) > 5)
    upright.do("pose-before")
    upright.until(lambda: bench.lanes.playhead == 10)
    trail = bench.gate_view().trail
    assert len(trail) == upright.window.session.shot.span.frames


def test_easing_is_chosen_and_dragged_and_a_pose_is_moved_in_time(upright):
    bench, session = upright.window.reframe, upright.window.session
    for frame, size in ((10, 1.0), (50, 0.6), (90, 0.8)):
        go_to(upright, frame)
        typed(upright, bench.sheet.controls["size"].entry, f"{size * 100:.0f}")
    go_to(upright, 50)
    upright.click(bench.sheet.controls["arrive"].buttons["straight"])
    upright.click(bench.sheet.controls["leave"].buttons["soft"])
    pose = gate(upright).pose_at(50)
    assert (pose.arrive, pose.leave) == (1.0, 0.5) and pose.width == pytest.approx(243, abs=1)
    seen(upright)
    end = bench.lanes.handle_of(pose, 1)
    upright.drag(bench.lanes, (end.x(), end.y()), (end.x() - 60, end.y()))
    assert gate(upright).pose_at(50).leave == 0.0
    seen(upright)
    at = bench.lanes.place_of(gate(upright).pose_at(50), 1)
    to = bench.lanes.x_of(64)
    before = session.project
    upright.drag(bench.lanes, (at.x(), at.y()), (to, at.y()))
    assert [p.frame for p in gate(upright).poses] == [10, 64, 90]
    session.undo()
    assert session.project == before
    # Never two on one frame: over another pose it waits on the near side of it.
    upright.drag(bench.lanes, (at.x(), at.y()), (bench.lanes.x_of(90), at.y()))
    assert len(gate(upright).poses) == 3


def test_a_drag_is_put_back_with_escape_and_a_pose_is_removed(upright):
    bench, session = upright.window.reframe, upright.window.session
    go_to(upright, 30)
    before = session.project
    upright.drag(bench.whole, on_picture(upright, 640, 400), on_picture(upright, 400, 300), drop=False)
    assert gate(upright).poses
    upright.key(Qt.Key.Key_Escape)
    assert session.project == before
    QTest.mouseRelease(bench.whole, Qt.MouseButton.LeftButton)
    upright.key(Qt.Key.Key_X)
    assert gate(upright).pose_at(30) is not None
    upright.key(Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert gate(upright).pose_at(30).x == pytest.approx(643.5, abs=0.6)
    upright.click(bench.sheet.remove_button)
    assert not gate(upright).poses
    bench.sheet.remove_button.setEnabled(True)
    upright.do("remove-pose")
    assert "No pose stands" in bench.sheet.trouble.text()


@pytest.mark.parametrize("name", ["push", "pull", "punch", "punch-back", "left", "right", "reveal"])
def test_every_ready_move_stays_in_the_picture(upright, name):
    bench = upright.window.reframe
    go_to(upright, 30)
    upright.click(bench.sheet.controls["ready"].buttons[name])
    poses = gate(upright).poses
    assert len(poses) >= 2
    found = seen(upright)
    first, last = (found.states[k, 2] for k in (0, -1))
    assert {"push": first > last, "pull": first < last, "reveal": first < last}.get(name, True)
    for frame in (0, 30, 36, 60, 130):
        corners = found.corners(frame)
        assert corners.min() >= -0.51 and (corners <= (1279.51, 719.51)).all()
    upright.click(bench.sheet.mirror_button)
    mirrored = gate(upright).poses
    assert mirrored[0].x == pytest.approx(1279 - poses[0].x)
    upright.click(bench.sheet.round_button)
    assert gate(upright).poses[0].width == pytest.approx(mirrored[-1].width)
    upright.click(bench.sheet.clear_button)
    assert not gate(upright).poses


def test_a_subject_is_clicked_followed_handed_over_and_let_go(upright):
    bench, session = upright.window.reframe, upright.window.session
    sheet = bench.sheet
    sheet.pages.show_page(FOLLOW)
    assert not sheet.controls["room"].isEnabled()
    go_to(upright, 60)
    upright.click(sheet.pick_button)
    upright.click(bench.whole, on_picture(upright, 505, 287))
    assert not sheet.pick_button.isChecked()
    (follow,) = gate(upright).follows
    (track,) = session.take.tracks
    assert follow.tracks == (track.id,) and follow.frame == 0 and track.placed[0].frame == 60
    upright.until(lambda: upright.window.track_jobs.of(track) is not None)
    seen(upright)
    upright.click(sheet.controls["place"].buttons["left"])
    bench.edits.change_follow({"calm_s": 0.5})
    assert gate(upright).follows[0].place == (1 / 3, 0.5)
    known = upright.window.track_jobs.of(track).known
    moving = seen(upright).states[:, 0]
    assert known.sum() > 20 and np.ptp(moving) > 50
    go_to(upright, 100)
    upright.click(sheet.pick_button)
    upright.click(bench.whole, on_picture(upright, 700, 300))
    assert [each.frame for each in gate(upright).follows] == [0, 100]
    upright.until(lambda: not upright.window.jobs.busy)
    assert sheet.controls["handover"].isVisible()
    upright.click(sheet.controls["size_too"])
    assert "A point has no size" in sheet.trouble.text()
    upright.click(sheet.stop_button)
    assert not gate(upright).follows and len(session.take.tracks) == 2
    session.undo()
    assert len(gate(upright).follows) == 2


def test_what_moves_by_itself_is_offered_and_one_click_follows_it_in_every_output(upright):
    bench, session = upright.window.reframe, upright.window.session
    session.choose_shot(session.project.reel.shots[1].id)
    bench.sheet.pages.show_page(FOLLOW)
    upright.until(lambda: bench.mover_row.buttons and not upright.window.jobs.busy)
    upright.until(lambda: all(not button.icon().isNull() for button in bench.mover_row.buttons))
    upright.click(bench.mover_row.buttons[0])
    (follow,) = gate(upright).follows
    track = session.take.track(follow.tracks[0])
    upright.until(lambda: upright.window.track_jobs.of(track) is not None)
    assert seen(upright).path is not None
    # Another output begins with what is followed.
    bench.sheet.pages.show_page(SHAPE)
    upright.click(bench.sheet.shapes.buttons["square"])
    assert session.project.outputs[1].id == bench.output
    assert gate(upright).follows == (follow,)
    session.undo()
    assert len(session.project.outputs) == 1


def test_counter_zoom_runs_against_the_camera(upright):
    bench = upright.window.reframe
    bench.edits.counter(1.0)
    assert gate(upright).counter_zoom.amount == 1.0
    found = seen(upright)
    assert found.path is not None and np.ptp(found.states[:, 2]) > 5
    bench.edits.counter(0.0)
    assert gate(upright).rests


def test_a_line_is_drawn_and_the_shot_is_level(reframe):
    bench, session = reframe.window.reframe, reframe.window.session
    reframe.click(bench.sheet.level_button)
    reframe.drag(bench.whole, on_picture(reframe, 300, 400), on_picture(reframe, 700, 365))
    assert not bench.sheet.level_button.isChecked()
    assert gate(reframe).level_deg == pytest.approx(5.0, abs=0.3)
    assert seen(reframe).states[40, 3] == pytest.approx(5.0, abs=0.3)
    # Something upright is meant as well.
    reframe.click(bench.sheet.level_button)
    reframe.drag(bench.whole, on_picture(reframe, 600, 600), on_picture(reframe, 620, 200))
    assert gate(reframe).level_deg == pytest.approx(-2.9, abs=0.4)
    reframe.click(bench.sheet.unlevel_button)
    assert gate(reframe).rests and not session.shot.gates


def test_outputs_are_added_named_sized_seen_beside_each_other_and_removed(upright, tmp_path):
    bench, session, sheet = upright.window.reframe, upright.window.session, upright.window.reframe.sheet
    (output,) = session.project.outputs
    assert (output.name, output.width, output.height) == ("upright", 1080, 1920)
    sheet.pages.show_page(SHAPE)
    typed(upright, sheet.name_entry, "for phones")
    assert session.project.outputs[0].name == "for phones"
    for wrong in ("wide", "0x100", "101x99"):
        typed(upright, sheet.size_entry, wrong)
        assert sheet.trouble.text() and session.project.outputs[0].height == 1920
    typed(upright, sheet.size_entry, "720x1280")
    assert session.project.size_of(output.id) == (720, 1280)
    bench.look_beside(None)
    upright.until(lambda: bench.other.isVisible() and bench.other.pixels)
    wide = bench.other.pixels[0]
    assert wide.shape[1] > wide.shape[0] and "reel" in bench.other_label.text()
    for name in ("middle", "thirds", "diagonals", "safe"):
        plain = pixels_of(bench.result)
        upright.click(sheet.guides.buttons[name])
        assert (pixels_of(bench.result) != plain).any()
    first, *others = session.project.reel.shots
    session.do(RemoveShots(shot_ids=tuple(each.id for each in others)))
    session.do(TrimShot(shot_id=first.id, span=Span(first=20, end=32)))
    out = tmp_path / "phone.mp4"
    upright.click(sheet.render_button)
    upright.name_file(out)
    upright.until(lambda: out.exists() and not upright.window.jobs.busy)
    facts = probe(out)
    assert (facts.width, facts.height) == (720, 1280)
    upright.click(sheet.drop_button)
    assert not session.project.outputs and bench.output is None
    session.undo()
    assert session.project.outputs
    upright.do("save")
    upright.until(lambda: session.saved)
    assert load(session.path).outputs == session.project.outputs


def test_the_picture_is_turned_and_fitted(reframe):
    bench, session = reframe.window.reframe, reframe.window.session
    sheet = bench.sheet
    sheet.pages.show_page(LAID)
    before = bench.result.pixels[0].copy()
    reframe.click(sheet.controls["turns"].buttons["1"])
    assert session.shot.turns == 1
    reframe.until(lambda: mean_error(before, bench.result.pixels[0]) > 5)
    reframe.click(sheet.controls["fit"].buttons["blurred"])
    assert session.shot.fit == "blurred"
    reframe.until(lambda: not bench.reloading)
    reframe.click(sheet.controls["fit"].buttons["reel"])
    reframe.click(sheet.controls["fit_all"].buttons["bars"])
    bench.edits.colour_bars("#205080")
    assert (session.shot.fit, session.project.reel.fit, session.project.reel.bars) == (None, "bars", "#205080")
    reframe.until(lambda: np.abs(bench.result.pixels[0][4, 4, :3].astype(int) - (0x80, 0x50, 0x20)).max() < 8)
    for _ in range(5):
        session.undo()
    assert session.shot.turns == 0 and session.project.reel.fit == "fill"


def test_a_neighbour_is_laid_over_the_result_and_never_rendered(reframe):
    bench, session = reframe.window.reframe, reframe.window.session
    bench.sheet.pages.show_page(SHAPE)
    plain = bench.result.pixels[0].astype(int)
    other = session.project.reel.shots[1]
    reframe.click(bench.sheet.overlays.buttons["after"])
    reframe.until(lambda: mean_error(plain, bench.result.pixels[0]) > 3)
    over = bench.result.pixels[0].astype(int)
    ghost = 2 * over - plain  # half of each
    reframe.click(bench.sheet.overlays.buttons["differs-after"])
    reframe.until(lambda: mean_error(over, bench.result.pixels[0]) > 3)
    differs = bench.result.pixels[0].astype(int)[..., :3]
    assert np.abs(differs - np.abs(ghost - plain)[..., :3]).mean() < 2
    reframe.click(bench.sheet.overlays.buttons["before"])  # there is none before the first
    reframe.until(lambda: mean_error(plain, bench.result.pixels[0]) < 0.5)
    session.choose_shot(other.id)
    reframe.until(lambda: bench.result.pixels)
    assert session.saved or session.project.reel.shots[1] == other


def test_the_gate_rests_where_most_is_to_be_seen(upright):
    bench = upright.window.reframe
    upright.until(lambda: bench.sheet.rest_button.isEnabled())
    go_to(upright, 30)
    upright.click(bench.sheet.rest_button)
    (pose,) = gate(upright).poses
    assert pose.frame == 30 and pose.width == pytest.approx(405, abs=1)
    detail = bench.movers.of(bench.seen.shot).detail
    assert detail[:, int(pose.x / 20) - 3 : int(pose.x / 20) + 3].mean() > 0.9 * detail.mean()


def test_lines_of_ones_own_and_a_safe_area_are_each_outputs_own(reframe):
    bench, sheet = reframe.window.reframe, reframe.window.reframe.sheet
    sheet.pages.show_page(SHAPE)
    reframe.click(sheet.guides.buttons["lines"])
    rect = bench.result.picture_rect()
    left, top = rect.left(), rect.top()
    at = (left + 0.4 * rect.width(), top + 0.5 * rect.height())
    reframe.drag(bench.result, (at[0], at[1] - 40), at)
    ((kind, share),) = bench.guides.own.lines
    assert kind == "down" and share == pytest.approx(0.4, abs=0.02)
    reframe.drag(bench.result, (left + 5, top + 0.25 * rect.height()), (left + 60, top + 0.25 * rect.height()))
    assert [each[0] for each in bench.guides.own.lines] == ["down", "across"]
    reframe.drag(bench.result, at, (left - 60, at[1]))  # out of the picture: gone
    assert [each[0] for each in bench.guides.own.lines] == ["across"]
    typed(reframe, sheet.safe.entry, "80")
    assert bench.guides.own.safe == pytest.approx(0.8)
    reframe.click(sheet.shapes.buttons["square"])
    assert bench.guides.own.lines == [] and sheet.safe.number == pytest.approx(0.9)
    bench.look_at_output(None)
    assert sheet.safe.number == pytest.approx(0.8) and len(bench.guides.own.lines) == 1


def test_poses_are_put_on_the_other_chosen_shots(upright):
    bench, session = upright.window.reframe, upright.window.session
    go_to(upright, 20)
    upright.do("pose")
    upright.click(bench.sheet.others_button)
    assert "Choose the other shots" in bench.sheet.trouble.text()
    first, second, *_ = session.project.reel.shots
    session.choose_shots((second.id, first.id))
    go_to(upright, 20)
    upright.click(bench.sheet.others_button)
    put = session.project.shot(second.id).gate(bench.output)
    assert [pose.frame for pose in put.poses] == [20 - first.span.first + second.span.first]


def test_without_a_shot_the_bench_says_where_shots_come_from(hands):
    hands.key(Qt.Key.Key_3)
    bench = hands.window.reframe
    assert "There is no shot yet" in bench.whole.words and not bench.sheet.pages.isEnabled()
    bench.edits.put_here()
    bench.edits.follow_at((3, 3))
    bench.edits.level(3.0)
    assert not hands.window.session.project.outputs


def test_the_gate_is_solved_with_the_hold(demo):
    """Held, a pose is as large and level as it says, though the camera shakes."""
    demo.key(Qt.Key.Key_3)
    bench = demo.window.reframe
    go_to(demo, 40)
    typed(demo, bench.sheet.controls["size"].entry, "60")
    found = seen(demo)
    assert np.allclose(found.states[:, 2], 0.6 * 1280, rtol=0.02) and np.abs(found.states[:, 3]).max() < 1e-6
    place = QPointF(*on_picture(demo, *found.corners(40).mean(axis=0)))
    assert bench.hands.cursor(place, bench.whole.picture_rect()) == Qt.CursorShape.SizeAllCursor
    assert isinstance(bench.sheet.name_entry, QLineEdit) and "pose" in bench.sheet.set_button.text().lower()
