"""What is drawn over the picture in the Log bench: vectors, points, surfaces, areas left out; and measuring by hand."""

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from clevrin.core.document import Take
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.tracks.track_csv import read_track
from clevrin.demo.footage_maker import FOOTAGE
from tests.desk.conftest import Hands, pixels_of
from tests.films import cut_film, moving_film, shift

HOUSE = np.array([380.0, 460.0])
"""A place in the picnic take that has something to hold on to at its frame 100, in its pixels."""


AT = 20
"""The frame on which things are placed."""


@pytest.fixture(scope="session")
def short_picnic(tmp_path_factory) -> Path:
    """A second of the picnic about its frame 100: what follows through it does so in a third of the time."""
    return cut_film(FOOTAGE / "picnic.mp4", tmp_path_factory.mktemp("films") / "picnic.mp4", 100 - AT, 140)


@pytest.fixture
def picnic(hands: Hands, measured_demo, short_picnic) -> Hands:
    """The picnic is looked at, at the frame on which things are placed."""
    hands.drop_files(short_picnic)
    hands.until(lambda: len(hands.window.session.project.takes) == 1)
    hands.measured()
    go_to(hands, AT)
    return hands


def go_to(hands: Hands, frame: int) -> None:
    hands.window.player.seek(frame)
    hands.until(lambda: hands.window.log.frame_of(hands.window.session.take) == frame)
    hands.until(lambda: hands.window.log.marks.frame == frame)


def take_of(hands: Hands) -> Take:
    found = hands.window.session.take
    assert found is not None
    return found


def in_view(hands: Hands, px: np.ndarray) -> tuple[float, float]:
    """Where a place of the take's picture lies in the viewer."""
    rect, facts = hands.window.log.viewer.picture_rect(), take_of(hands).facts
    share = (np.asarray(px) + 0.5) / (facts.width, facts.height)
    return rect.left() + share[0] * rect.width(), rect.top() + share[1] * rect.height()


def place_point(hands: Hands, px: np.ndarray = HOUSE) -> None:
    hands.click(hands.window.log.mark_buttons["point"])
    hands.click(hands.window.log.viewer, in_view(hands, px))
    hands.until(lambda: not hands.window.jobs.busy)


def seen(hands: Hands):
    (only,) = hands.window.log.marks.seen_tracks
    return only


def test_vectors_are_drawn_while_the_button_is_down(picnic):
    viewer, button = picnic.window.log.viewer, picnic.window.log.mark_buttons["vectors"]
    plain = pixels_of(viewer)
    picnic.key(Qt.Key.Key_V)
    assert button.isChecked()
    drawn = pixels_of(viewer)
    changed = (np.abs(drawn.astype(int) - plain).max(axis=2) > 60).mean()
    assert 0.001 < changed < 0.2
    # They are where corners were followed to.
    vectors = picnic.window.measurements.vectors(take_of(picnic), AT)
    rect = viewer.picture_rect()
    for x, y in vectors.after[vectors.follows][:20]:
        at = round(rect.top() + y * rect.height()), round(rect.left() + x * rect.width())
        around = np.abs(drawn.astype(int) - plain)[at[0] - 2 : at[0] + 3, at[1] - 2 : at[1] + 3]
        assert around.max() > 40
    picnic.click(button)
    assert np.array_equal(pixels_of(viewer), plain)


def test_vectors_of_a_subject_are_told_apart(hands, measured_demo):
    hands.drop_files(FOOTAGE / "parade.mp4")
    hands.until(lambda: len(hands.window.session.project.takes) == 1)
    hands.measured()
    vectors = hands.window.measurements.vectors(take_of(hands), 20)
    share = vectors.after[~vectors.follows]
    assert len(share) > 30 and vectors.follows.sum() > 30
    on_cloth = (share[:, 0] > 0.28) & (share[:, 0] < 0.88) & (share[:, 1] > 0.22) & (share[:, 1] < 0.9)
    assert on_cloth.mean() > 0.85


def test_what_is_to_stand_still_is_chosen_by_a_click(hands, measured_demo):
    hands.drop_files(FOOTAGE / "alongside.mp4")
    hands.until(lambda: len(hands.window.session.project.takes) == 1)
    hands.measured()
    go_to(hands, 40)
    window, fence = hands.window, np.array([808.0, 640.0])
    before = window.measurements.trace(take_of(hands))
    plain = pixels_of(window.log.viewer)
    hands.click(window.log.mark_buttons["standing"])
    assert window.log.marks.shows_vectors  # to see what there is to choose from
    vectors = window.measurements.vectors(take_of(hands), 40)
    on_wall = vectors.after[:, 1] < 0.6
    assert vectors.follows[on_wall].mean() > 0.9 and vectors.follows[~on_wall].mean() < 0.5
    assert set(np.unique(vectors.groups)) > {0, 1}
    hands.click(window.log.viewer, in_view(hands, fence))
    hands.measured()
    pointed = take_of(hands).pointed
    assert pointed is not None and pointed.frame == 40
    assert pointed.place == pytest.approx((808 / 1280, 640 / 720), abs=0.003)
    assert window.log.sheet.marks.table.item(0, 1).text() == "pointed at on 40"
    after = window.measurements.trace(take_of(hands))
    spot = fence[None]
    nearer = [np.abs(apply(each.motions[40], spot) - spot).sum() for each in (before, after)]
    assert nearer[1] > nearer[0] + 0.5  # what is near moves more
    assert (np.abs(pixels_of(window.log.viewer).astype(int) - plain).max(axis=2) > 60).any()
    hands.click(window.log.sheet.marks.forget_button)
    assert take_of(hands).pointed is None and window.log.sheet.marks.isHidden()
    window.session.undo()
    assert take_of(hands).pointed == pointed


def test_a_point_is_placed_by_a_click_and_followed_both_ways(picnic):
    window = picnic.window
    place_point(picnic)
    (track,) = take_of(picnic).tracks
    assert track.name == "Point 1" and track.placed[0].frame == AT
    assert np.hypot(*(np.array(track.placed[0].places[0]) - HOUSE)) < 2.0  # a pixel of the viewer is 1.9 of the take
    followed = window.track_jobs.of(track)
    assert followed is not None and followed.known[:55].all()
    go_to(picnic, 55)
    assert seen(picnic).source == "followed" and seen(picnic).confidence > 0.7
    assert window.log.sheet.marks.table.item(0, 0).text() == "Point 1"
    window.session.undo()
    assert take_of(picnic).tracks == () and window.log.marks.seen_tracks == []
    assert window.log.sheet.marks.isHidden()
    window.session.redo()
    picnic.until(lambda: window.log.marks.seen_tracks)


def test_where_there_is_nothing_to_hold_on_to_the_list_says_so(picnic):
    place_point(picnic, np.array([760.0, 250.0]))
    assert picnic.window.log.sheet.marks.table.item(0, 1).text() == "nothing to hold on to"


def test_a_correction_by_dragging_stays_and_what_is_beside_it_follows(picnic):
    place_point(picnic)
    go_to(picnic, 50)
    before = seen(picnic).places[0]
    start = in_view(picnic, before)
    picnic.drag(picnic.window.log.viewer, start, (start[0] + 10, start[1] - 6))
    picnic.until(lambda: not picnic.window.jobs.busy)
    (track,) = take_of(picnic).tracks
    assert [each.frame for each in track.placed] == [AT, 50]
    scale = 1280 / picnic.window.log.viewer.picture_rect().width()
    assert np.allclose(np.array(track.placed[1].places[0]) - before, (10 * scale, -6 * scale), atol=0.1)
    go_to(picnic, 50)
    assert seen(picnic).source == "placed"
    assert picnic.window.session.history.undo_label == "Correct track"


def test_a_lost_point_is_shown_and_taken_up_again(hands, measured_demo):
    """At the end of the walk a whip carries everything out of the picture."""
    demo, at = hands, 100
    hands.drop_files(FOOTAGE / "walk-past.mp4")  # what is known of it need not be measured
    hands.until(lambda: len(hands.window.session.project.takes) == 1)
    hands.measured()
    go_to(demo, at)
    place_point(demo, np.array([1100.0, 300.0]))
    demo.until(lambda: demo.window.player.frame != at)
    (track,) = take_of(demo).tracks
    followed = demo.window.track_jobs.of(track)
    lost = demo.window.player.frame
    assert lost in followed.lost and lost > at
    demo.until(lambda: demo.window.log.marks.seen_tracks and seen(demo).source == "lost")
    assert f"lost at {lost}" in demo.window.log.sheet.marks.table.item(0, 1).text() or lost in followed.lost
    at = in_view(demo, np.clip(seen(demo).places[0], 40, (1240, 680)))
    old = in_view(demo, seen(demo).places[0])
    if demo.window.log.viewer.picture_rect().contains(round(old[0]), round(old[1])):
        demo.drag(demo.window.log.viewer, old, at)
        demo.until(lambda: not demo.window.jobs.busy)
        assert take_of(demo).tracks[0].placed[-1].frame == lost


def test_a_surface_is_a_box_whose_corners_are_dragged(picnic):
    viewer = picnic.window.log.viewer
    picnic.key(Qt.Key.Key_U)
    assert picnic.window.log.mark_buttons["surface"].isChecked()
    a, b = in_view(picnic, HOUSE - 60), in_view(picnic, HOUSE + 60)
    picnic.drag(viewer, a, b)
    picnic.until(lambda: not picnic.window.jobs.busy)
    (track,) = take_of(picnic).tracks
    assert track.kind == "surface" and len(track.placed[0].places) == 4
    assert np.allclose(track.placed[0].places[0], HOUSE - 60, atol=3) and np.allclose(
        track.placed[0].places[2], HOUSE + 60, atol=3
    )
    go_to(picnic, AT)
    corner = in_view(picnic, np.array(track.placed[0].places[1]))
    picnic.drag(viewer, corner, (corner[0] + 8, corner[1]))
    picnic.until(lambda: not picnic.window.jobs.busy)
    moved = np.array(take_of(picnic).tracks[0].placed[0].places) - np.array(track.placed[0].places)
    assert moved[1][0] > 10 and np.abs(np.delete(moved, 1, axis=0)).max() < 1e-6
    assert len(take_of(picnic).tracks[0].placed) == 1


def test_an_area_is_left_out_carried_and_counted_again(picnic):
    window = picnic.window
    first = window.measurements.trace(take_of(picnic))
    picnic.click(window.log.mark_buttons["area"])
    picnic.drag(window.log.viewer, in_view(picnic, np.array([200.0, 200])), in_view(picnic, np.array([700.0, 600])))
    (area,) = take_of(picnic).left_out
    assert area.area == pytest.approx((200 / 1280, 200 / 720, 500 / 1280, 400 / 720), abs=0.006)
    assert window.measurements.is_measuring(take_of(picnic))
    picnic.measured()
    vectors = window.measurements.vectors(take_of(picnic), AT)
    x, y, w, h = area.area
    inside = (vectors.after > (x, y)).all(axis=1) & (vectors.after < (x + w, y + h)).all(axis=1)
    assert not inside.any() and len(inside) > 20
    picnic.click(window.log.sheet.marks.carry, (8, 8))
    assert take_of(picnic).left_out[0].carried and take_of(picnic).left_out[0].frame == AT
    picnic.measured()
    picnic.click(window.log.sheet.marks.forget_button)
    assert take_of(picnic).left_out == ()
    picnic.measured()
    assert np.array_equal(window.measurements.trace(take_of(picnic)).motions, first.motions)


def test_measuring_is_stopped_and_goes_on_when_asked(hands):
    window = hands.window
    hands.drop_files(FOOTAGE / "walk-past.mp4")
    hands.until(lambda: any(state.done > 20 for state in window.jobs.states if "Measuring" in state.what))
    hands.until(lambda: "/s" in window.header.strip.words)
    hands.click(window.header.strip.stop_button)
    take = take_of(hands)
    hands.until(lambda: window.measurements.is_stopped(take))
    hands.until(window.log.sheet.resume_button.isVisible)
    # Nothing begins it again by itself.
    window.log.sheet.note.setPlainText("Not now")
    assert not window.measurements.is_measuring(take_of(hands))
    hands.click(window.log.sheet.resume_button)
    hands.until(lambda: any(state.total for state in window.jobs.states))
    hands.measured()
    assert window.log.sheet.resume_button.isHidden() and window.measurements.trace(take_of(hands)).frames == 147


def test_what_was_stopped_at_once_is_resumed_at_once(hands, tmp_path):
    for number, name in enumerate("abc"):
        film = tmp_path / f"{name}.mp4"
        moving_film(film, lambda t: shift(300 + 2 * t, 300), frames=60 + number, size=(320, 180))
    hands.window.footage.open_files([tmp_path / f"{name}.mp4" for name in "abc"])
    measurements, takes = hands.window.measurements, lambda: hands.window.session.project.takes
    hands.until(lambda: len(takes()) == 3 and hands.window.jobs.states)
    while hands.window.jobs.states:
        hands.click(hands.window.header.strip.stop_button)
    stopped = [take for take in takes() if measurements.is_stopped(take)]
    assert len(stopped) >= 2
    hands.click_card(stopped[0].id)
    hands.until(hands.window.log.sheet.resume_button.isVisible)
    hands.click(hands.window.log.sheet.resume_button)
    assert not any(map(measurements.is_stopped, takes()))
    hands.measured()


def test_the_take_that_is_looked_at_is_measured_first(hands, tmp_path):
    names = "abcdef"
    for number, name in enumerate(names):
        moving_film(tmp_path / f"{name}.mp4", lambda t: shift(300 + 2 * t, 300), frames=40 + number, size=(320, 180))
    order: list[str] = []
    measurements = hands.window.measurements
    measurements.measured.connect(order.append)
    hands.window.footage.open_files([tmp_path / f"{name}.mp4" for name in names])
    takes = lambda: hands.window.session.project.takes  # noqa: E731
    hands.until(lambda: len(takes()) == 6 and any(map(measurements.is_measuring, takes())))
    chosen = takes()[-1].id
    hands.click_card(chosen)
    hands.measured()
    assert order.index(chosen) <= 2  # behind what was at work, or done, by then


def test_a_track_is_named_limited_and_forgotten(picnic):
    place_point(picnic)
    panel = picnic.window.log.sheet.marks
    panel.table.item(0, 0).setText("Chimney")
    assert take_of(picnic).tracks[0].name == "Chimney"
    panel.table.item(0, 0).setText("  ")
    assert take_of(picnic).tracks[0].name == "Chimney"
    panel.limit.slider.setValue(panel.limit.slider.maximum())
    assert take_of(picnic).tracks[0].limit == pytest.approx(0.98)
    picnic.until(lambda: not picnic.window.jobs.busy)
    strict = picnic.window.track_jobs.of(take_of(picnic).tracks[0])
    assert strict.confidence[strict.known].min() >= 0.98
    picnic.click(panel.forget_button)
    assert take_of(picnic).tracks == () and panel.isHidden()


def test_a_track_goes_out_and_comes_back_as_csv(picnic, tmp_path):
    place_point(picnic)
    picnic.do("export-track")
    picnic.name_file(tmp_path / "chimney")
    picnic.until((tmp_path / "chimney.csv").exists)
    take = take_of(picnic)
    assert len(read_track(tmp_path / "chimney.csv", take).placed) > 40
    picnic.do("import-track")
    picnic.name_file(tmp_path / "chimney.csv")
    picnic.until(lambda: len(take_of(picnic).tracks) == 2)
    picnic.until(lambda: not picnic.window.jobs.busy)
    first, second = (picnic.window.track_jobs.of(track) for track in take_of(picnic).tracks)
    assert np.allclose(first.places[first.known], second.places[first.known], atol=1e-3)
    (tmp_path / "wrong.csv").write_text("not a track\n")
    picnic.do("import-track")
    picnic.name_file(tmp_path / "wrong.csv")
    picnic.until(lambda: "not a track" in picnic.window.trouble.text())
    assert picnic.window.trouble.isVisible() and len(take_of(picnic).tracks) == 2


def test_tracks_and_areas_are_saved_with_the_project(picnic, tmp_path):
    place_point(picnic)
    window = picnic.window
    file = tmp_path / "kite.clevrin"
    window.projects.save_as(file)
    picnic.until(file.exists)
    picnic.until(lambda: not window.jobs.busy)
    window.projects.open(file)
    picnic.measured()
    picnic.look_at(window.session.project.takes[0].id)
    (track,) = take_of(picnic).tracks
    picnic.until(lambda: window.track_jobs.of(track) is not None)
    assert window.player.frame != window.track_jobs.of(track).lost  # nobody is led anywhere by opening a project


def test_in_the_reel_nothing_is_drawn_over_the_picture(picnic):
    place_point(picnic)
    log = picnic.window.log
    log.put_on_reel()
    log.look_at(reel=True)
    picnic.until(lambda: log.viewer.pixels and log.marks.seen_tracks == [])
    assert not log.mark_buttons["point"].isEnabled()
    QTest.keyClick(picnic.window, Qt.Key.Key_P)
    assert log.marks.mode == "look"


def test_escape_puts_back_what_is_dragged_over_the_picture(picnic):
    place_point(picnic)
    go_to(picnic, 40)
    before = take_of(picnic).tracks
    start = in_view(picnic, seen(picnic).places[0])
    picnic.drag(picnic.window.log.viewer, start, (start[0] + 30, start[1]), drop=False)
    picnic.key(Qt.Key.Key_Escape)
    end = tuple(round(v) for v in (start[0] + 30, start[1]))
    QTest.mouseRelease(picnic.window.log.viewer, Qt.MouseButton.LeftButton, pos=QPoint(*end))
    assert take_of(picnic).tracks == before
    picnic.key(Qt.Key.Key_P)
    assert picnic.window.log.marks.mode == "point"
    picnic.key(Qt.Key.Key_Escape)
    assert picnic.window.log.marks.mode == "look" and not picnic.window.log.mark_buttons["point"].isChecked()


def test_a_drag_goes_on_while_another_picture_is_shown(picnic):
    place_point(picnic)
    go_to(picnic, 40)
    viewer, start = picnic.window.log.viewer, in_view(picnic, seen(picnic).places[0])
    picnic.drag(viewer, start, (start[0] + 20, start[1]), drop=False)
    picnic.window.log.show_frame(40, viewer.pixels)  # as when the film's own picture follows its proxy's
    QTest.mouseRelease(viewer, Qt.MouseButton.LeftButton, pos=QPoint(round(start[0] + 20), round(start[1])))
    assert [each.frame for each in take_of(picnic).tracks[0].placed] == [AT, 40]


def test_a_take_that_is_removed_while_it_is_followed_is_followed_no_more(picnic):
    picnic.click(picnic.window.log.mark_buttons["point"])
    picnic.click(picnic.window.log.viewer, in_view(picnic, HOUSE))
    (track,) = take_of(picnic).tracks
    picnic.window.footage.remove_take()
    picnic.until(lambda: not picnic.window.jobs.busy)
    assert not picnic.window.track_jobs.is_following(track) and picnic.window.track_jobs.of(track) is None


@pytest.mark.parametrize("closed", [True, False])
def test_a_surface_is_dragged_although_areas_were_worked_on(picnic, closed):
    window = picnic.window
    window.log.look_at(reel=False)
    picnic.key(Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    picnic.until(lambda: window.sides.areas is not None and window.sides.areas.isVisible())
    if closed:
        window.sides.areas.close()
    window.activateWindow()
    picnic.key(Qt.Key.Key_U)
    assert window.log.mark_buttons["surface"].isChecked()
    assert not window.sides.areas.isVisible(), "it has nothing to work on any more"
    picnic.drag(window.log.viewer, in_view(picnic, HOUSE - 60), in_view(picnic, HOUSE + 60))
    picnic.until(lambda: not window.jobs.busy)
    (track,) = take_of(picnic).tracks
    assert track.kind == "surface" and not take_of(picnic).areas
