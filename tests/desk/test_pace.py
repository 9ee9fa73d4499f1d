"""The Pace bench under a user's hands: points, ticks, lengths, ramps, what is made between frames, and undoing each."""

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from clevrin.core.document import Area, AreaPart, Drawn, Hold, Join, Marker, Outline, Pace, PacePoint, Span
from clevrin.core.document.edits import AddMarker, PutArea, SetHold, SetLeaves, TrimShot
from clevrin.core.document.files import load
from clevrin.core.pace import placed_shots
from clevrin.core.sound.mix import ReelSound
from clevrin.demo.music import music
from clevrin.desk.pace import bench as pace_bench
from clevrin.desk.pace.fields import BLUR, FRAMES, SPEED
from tests.core.test_beats import written


@pytest.fixture
def pace(demo):
    """The Pace bench with the first shot: 30 frames of it, not held and as shot."""
    session = demo.window.session
    session.do(SetHold(shot_id=session.shot.id, hold=Hold()))
    session.do(TrimShot(shot_id=session.shot.id, span=Span(first=40, end=70)))
    demo.key(Qt.Key.Key_4)
    demo.until(lambda: demo.window.pace.viewer.pixels)
    return demo


def bench(hands):
    return hands.window.pace


def points(hands) -> list[tuple[int, float]]:
    return [(point.frame, point.speed) for point in hands.window.session.shot.pace.points]


def frames(hands) -> int:
    return bench(hands).seen.frames


def look_at(hands, at: int) -> None:
    hands.until(lambda: not bench(hands).reloading)
    bench(hands).look_at(at)
    hands.until(lambda: bench(hands).curve.playhead == at)


def on_curve(hands, at: float, speed: float) -> tuple[float, float]:
    curve = bench(hands).curve
    return curve.x_of(at), curve.y_of(speed)


def double_click(hands, at: float, speed: float) -> None:
    place = QPoint(*(round(v) for v in on_curve(hands, at, speed)))
    QTest.mouseDClick(bench(hands).curve, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place)


def test_a_double_click_sets_a_speed_and_the_length_follows(pace):
    double_click(pace, 15, 0.5)
    (point,) = points(pace)
    assert point[0] == 55 and point[1] == pytest.approx(0.5, rel=0.05)
    assert frames(pace) == pytest.approx(60, abs=3)
    pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert points(pace) == [] and frames(pace) == 30


def test_the_slowest_speeds_of_the_curve_can_be_set(pace):
    """Where the curve meets the ground, forward and backward: what is read off it is a speed that there is."""
    curve = bench(pace).curve
    for y in range(2, curve.height() - 2):
        speed = curve.speed_at(y)
        assert PacePoint(frame=0, speed=speed).speed == speed
    for speed in (1 / 16, -1 / 16):
        double_click(pace, 15, speed)
        assert min(abs(abs(point[1]) - 1 / 16) for point in points(pace)) < 0.01
        pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def test_a_point_is_dragged_up_and_its_ease_by_its_bar_each_one_step(pace):
    double_click(pace, 8, 1.0)
    double_click(pace, 22, 1.0)
    curve = bench(pace).curve
    place = curve.place_of(0)
    pace.drag(curve, (place.x(), place.y()), (place.x(), curve.y_of(4.0)))
    assert points(pace)[0][1] == pytest.approx(4.0, rel=0.08) and points(pace)[1][1] == 1.0
    shorter = frames(pace)
    assert shorter < 25
    look_at(pace, round(bench(pace).seen.places[0]))
    handle = curve.handle_of(0)
    pace.drag(curve, (handle.x(), handle.y()), (handle.x() - 46, handle.y()))
    assert pace.window.session.shot.pace.points[0].ease == pytest.approx(0.0, abs=0.1)
    for _ in range(2):
        pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert points(pace)[0][1] == 1.0 and frames(pace) == 30


@pytest.mark.parametrize("reverse", [False, True])
def test_a_ramp_that_is_dragged_snaps_to_a_beat(pace, reverse):
    session = pace.window.session
    if reverse:
        pace.key(Qt.Key.Key_R)
    double_click(pace, 8, 0.5)
    double_click(pace, 50, 1.0)
    session.do(AddMarker(marker=Marker(frame=24, kind="beat")))
    curve = bench(pace).curve
    start = curve.place_of(0)
    near = curve.x_of(24) + 4
    pace.drag(curve, (start.x(), start.y()), (near, start.y()))
    assert bench(pace).seen.places[0] == pytest.approx(24, abs=1.1)  # half a frame of the take, at half the speed
    pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    place = curve.place_of(0)
    pace.drag(curve, (place.x(), place.y()), (near, place.y()), modifier=Qt.KeyboardModifier.ShiftModifier)
    assert bench(pace).seen.places[0] != pytest.approx(24, abs=0.5)


def test_escape_drops_a_drag_under_way(pace):
    double_click(pace, 15, 1.0)
    place = bench(pace).curve.place_of(0)
    pace.drag(bench(pace).curve, (place.x(), place.y()), (place.x(), place.y() - 60), drop=False)
    assert points(pace)[0][1] > 1.5
    pace.key(Qt.Key.Key_Escape)
    assert points(pace)[0][1] == 1.0


def test_speeds_of_a_shot_that_plays_backward_are_all_played(pace):
    pace.do("reverse")
    for at in (8, 22, 15):
        double_click(pace, at, 1.0)
    frames_of_points = [frame for frame, _ in points(pace)]
    assert frames_of_points == sorted(frames_of_points, reverse=True) and len(frames_of_points) == 3
    assert None not in bench(pace).seen.places
    look_at(pace, 12)
    pace.click(bench(pace).sheet.freeze_button)
    assert None not in bench(pace).seen.places and frames(pace) == pytest.approx(60, abs=1)


def test_what_is_not_measured_yet_is_prepared_once_it_is(pace, monkeypatch):
    plans, asked, measured = pace_bench.shot_plans, [], []

    def half(*args):
        whole = plans(*args)

        def plan(store, frame, size):
            asked.append(frame)
            return replace(whole.plan(store, frame, size), unmeasured=() if measured else ("its take",))

        return replace(whole, plan=plan)

    monkeypatch.setattr(pace_bench, "shot_plans", half)
    double_click(pace, 15, 0.5)
    jobs = pace.window.jobs
    pace.until(lambda: asked and not jobs.is_running(("prepare",)))
    assert not bench(pace).ticks.prepared
    measured.append(True)
    bench(pace).measurements_changed()
    pace.until(lambda: bench(pace).ticks.prepared)


def test_a_tick_is_dragged_to_where_its_frame_should_be_shown(pace):
    ticks = bench(pace).ticks
    x = ticks.x_of_frame(55)
    pace.drag(ticks, (x, 12), (ticks.x_of(24), 12))
    seen = bench(pace).seen
    assert seen.reel_place(55) == pytest.approx(24, abs=1.0)
    assert seen.frames == pytest.approx(30 + 9, abs=2)
    pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert points(pace) == []


def test_a_locked_length_stays_and_the_rest_gives_way(pace):
    double_click(pace, 6, 1.0)
    double_click(pace, 22, 1.0)
    pace.click(bench(pace).sheet.lock_button)
    assert pace.window.session.shot.pace.length_frames == 30
    curve = bench(pace).curve
    place = curve.place_of(0)
    pace.drag(curve, (place.x(), place.y()), (place.x(), curve.y_of(0.5)))
    speeds = dict(points(pace))
    assert frames(pace) == 30
    assert min(speeds.values()) < 0.6 and max(speeds.values()) > 1.1
    pace.click(bench(pace).sheet.lock_button)
    assert pace.window.session.shot.pace.length_frames is None


def test_a_picture_is_frozen_and_stays_as_long_as_is_said(pace):
    look_at(pace, 15)
    pace.click(bench(pace).sheet.freeze_button)
    assert [speed for _, speed in points(pace)] == [1.0, 0.0, 1.0]
    assert frames(pace) == pytest.approx(60, abs=1)
    still = bench(pace).seen.instants
    assert (still == 55).sum() in (30, 31)
    pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert frames(pace) == 30


def test_a_ready_ramp_goes_on_all_chosen_shots(pace):
    session = pace.window.session
    chosen = [shot.id for shot in session.project.reel.shots[:2]]
    session.choose_shots(chosen)
    pace.click(bench(pace).sheet.controls["ready"].buttons["middle"])
    assert all(len(session.project.shot(id).pace.points) == 3 for id in chosen)
    pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert all(session.project.shot(id).pace == Pace() for id in chosen)


def test_a_shot_ends_at_the_next_marker(pace):
    session = pace.window.session
    session.do(AddMarker(marker=Marker(frame=50, kind="beat")))
    pace.click(bench(pace).sheet.marker_button)
    assert frames(pace) == 50 and session.shot.pace.length_frames == 50


def test_a_shot_lasts_to_the_whip_of_the_next_and_the_rest_stays_where_it_was(pace):
    session = pace.window.session
    shots = session.project.reel.shots
    pace.click(bench(pace).sheet.whip_button)
    assert "no whip behind its start" in bench(pace).sheet.trouble.text()  # the hill begins at its whip's peak
    session.do(TrimShot(shot_id=shots[1].id, span=Span(first=0, end=150)))
    before = session.project
    rest = [placed.start for placed in placed_shots(before)[2:]]
    pace.until(lambda: not bench(pace).reloading)
    pace.click(bench(pace).sheet.whip_button)
    row = placed_shots(session.project)
    assert row[1].shot.span.first == 9 and row[0].frames == 30 + 9 and [p.start for p in row[2:]] == rest
    pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project == before


def test_the_beats_of_a_sound_are_marked_and_undone_as_one(pace, tmp_path):
    session = pace.window.session
    samples, true = music((120,), 20, seed=3)
    written(tmp_path / "tune.wav", samples)
    session.do(AddMarker(marker=Marker(frame=5)))
    pace.window.music.mark_beats(tmp_path / "tune.wav")
    pace.until(lambda: len(session.project.reel.markers) > 4)
    beats = [marker.frame for marker in session.project.reel.markers if marker.kind == "beat"]
    assert abs(beats[1] - round(true[1] * 30)) <= 2 and len(session.project.reel.markers) == len(beats) + 1
    pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert [marker.frame for marker in session.project.reel.markers] == [5]


def test_cuts_land_on_the_beat_and_come_back_as_one(pace):
    session = pace.window.session
    pace.click(bench(pace).sheet.land_button)
    assert "no beats" in bench(pace).sheet.trouble.text()
    for frame in range(0, 400, 16):
        session.do(AddMarker(marker=Marker(frame=frame, kind="beat")))
    before = session.project
    pace.click(bench(pace).sheet.land_button)
    cuts = [placed.end for placed in placed_shots(session.project)[:-1]]
    assert all(cut % 16 == 0 for cut in cuts) and session.project != before
    pace.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project == before


def test_frames_between_are_prepared_and_their_trust_is_shown(pace):
    double_click(pace, 15, 0.5)
    # Others may be prepared as well: those that take long here.
    pace.until(lambda: set(np.flatnonzero(bench(pace).seen.invented)) <= bench(pace).ticks.prepared)
    assert len(bench(pace).ticks.trust) == int(bench(pace).seen.invented.sum()) > 5
    assert min(bench(pace).ticks.trust.values()) > 0.5
    bench(pace).sheet.pages.show_page(FRAMES)
    pace.click(bench(pace).sheet.controls["in_between"].buttons["nearest"])
    assert not bench(pace).seen.invented.any()
    assert "more than once" in bench(pace).sheet.made_note.text()


def test_blur_only_where_it_is_fast_is_one_click(pace):
    sheet, session = bench(pace).sheet, pace.window.session
    pace.click(sheet.pages.buttons["Blur"])
    assert not sheet.controls["where"].buttons["fast"].isEnabled() and not sheet.controls["full_at"].isVisible()
    bench(pace).edits.shutter({"angle_deg": 180.0})
    pace.click(sheet.controls["where"].buttons["fast"])
    assert session.shot.pace.shutter.full_at == 4.0 and sheet.controls["full_at"].isVisible()
    entry = sheet.controls["full_at"].entry
    pace.click(entry)
    entry.selectAll()
    QTest.keyClicks(entry, "2")
    QTest.keyClick(entry, Qt.Key.Key_Return)
    assert session.shot.pace.shutter.full_at == 2.0
    pace.click(sheet.controls["where"].buttons["everywhere"])
    assert session.shot.pace.shutter.full_at is None and not sheet.controls["full_at"].isVisible()


def test_a_shutter_blurs_what_rushes_by_and_b_shows_it_without(pace):
    look_at(pace, 15)
    double_click(pace, 15, 8.0)
    pace.until(lambda: not bench(pace).reloading)
    look_at(pace, 2)

    def detail() -> float:
        return float(np.abs(np.diff(bench(pace).viewer.pixels[0][..., 1].astype(float), axis=1)).mean())

    pace.until(lambda: bench(pace).viewer.pixels)
    sharp = detail()
    bench(pace).sheet.pages.show_page(BLUR)
    entry = bench(pace).sheet.controls["shutter"].entry
    pace.click(entry)
    entry.selectAll()
    QTest.keyClicks(entry, "360")
    QTest.keyClick(entry, Qt.Key.Key_Return)
    assert pace.window.session.shot.pace.shutter.angle_deg == 360
    pace.until(lambda: detail() < 0.9 * sharp)
    bench(pace).show_before(True)
    pace.until(lambda: detail() > 0.95 * sharp)
    bench(pace).show_before(False)


def test_a_swish_of_a_join_goes_where_the_camera_goes_here_too(pace):
    window, session = pace.window, pace.window.session
    own = Join(kind="thrown whip", settings={"direction": "auto", "swish": 1.0, "length": 12.0})
    session.do(SetLeaves(leaves=((session.project.reel.shots[0].id, own),)))
    placed = placed_shots(session.project)[0]
    showing = bench(pace).showing()
    rate = float(session.project.reel.rate)
    first = round((placed.end - 6) * 48_000 / rate)
    heard = showing.programme.sound(first, 4_800)
    course_of = window.measurements.course_of(session.project)
    assert np.array_equal(heard, ReelSound(session.project, course_of=course_of).read(first, 4_800))
    assert not np.array_equal(heard, ReelSound(session.project).read(first, 4_800))


def test_a_shot_rushes_outward_or_along_always_or_as_it_is_set(pace):
    session, sheet = pace.window.session, bench(pace).sheet
    sheet.pages.show_page(BLUR)
    look_at(pace, 10)
    before = bench(pace).viewer.pixels[0].copy()
    assert not sheet.controls["rush_amount"].isVisible()
    pace.click(sheet.controls["rush"].buttons["along"])
    assert session.shot.pace.shutter.rush.how == "along"
    direction = sheet.controls["rush_direction"]
    pace.until(lambda: direction.isVisible() and direction.entry.height() > 5)
    pace.click(direction.entry)
    direction.entry.selectAll()
    QTest.keyClicks(direction.entry, "90")
    QTest.keyClick(direction.entry, Qt.Key.Key_Return)
    assert session.shot.pace.shutter.rush.direction_deg == 90

    def smeared() -> bool:
        look = bench(pace).viewer.pixels
        rows = (
            [np.abs(np.diff(each[..., :3].astype(int), axis=0)).mean() for each in (before, look[0])]
            if look
            else [1, 1]
        )
        return rows[1] < 0.5 * rows[0]

    pace.until(smeared)
    pace.click(sheet.controls["rush_by"].buttons["points"])
    sheet.controls["rush_share"].slider.setValue(30)
    (point,) = session.shot.pace.shutter.rush.points
    assert point.share == 0.3 and point.frame == 50
    look_at(pace, 20)
    sheet.controls["rush_share"].slider.setValue(80)
    assert [each.frame for each in session.shot.pace.shutter.rush.points] == [50, 60]
    for _ in range(4):
        session.undo()
    assert session.shot.pace.shutter.rush.direction_deg == 0
    session.undo()
    assert session.shot.pace.shutter.rush is None and not sheet.controls["rush_amount"].isVisible()


def test_an_area_or_a_track_is_kept_sharp_and_put_back(pace):
    session = pace.window.session
    take = session.project.take(session.shot.take_id)
    corners = ((500.0, 200.0), (700.0, 200.0), (700.0, 500.0), (500.0, 500.0))
    outline = Outline(frame=take.facts.frames // 2, places=corners)
    door = Area(name="door", parts=(AreaPart(of=Drawn(shape="box", outlines=(outline,))),))
    session.do(PutArea(take_id=take.id, area=door))
    bench(pace).sheet.pages.show_page(BLUR)
    combo = bench(pace).sheet.spared
    names = [combo.itemText(at) for at in range(combo.count())]
    assert names[:2] == ["nothing", "door"]
    for at, wanted in ((1, door.id), (0, None)):
        combo.setCurrentIndex(at)
        combo.activated.emit(at)
        sharp = session.shot.pace.shutter.sharp
        assert (None if sharp is None else sharp.area) == wanted
    session.undo()
    assert session.shot.pace.shutter.sharp.area == door.id and combo.currentText() == "door"


def test_a_speed_is_typed_and_what_is_none_is_refused(pace):
    look_at(pace, 10)
    bench(pace).sheet.pages.show_page(SPEED)
    entry = bench(pace).sheet.controls["speed"].entry
    for words, wanted in (("2", 2.0), ("1e9", 2.0), ("-1", -1.0)):
        pace.click(entry)
        entry.selectAll()
        QTest.keyClicks(entry, words)
        QTest.keyClick(entry, Qt.Key.Key_Return)
        speeds = {speed for _, speed in points(pace)}
        assert wanted in speeds or words == "-1"


def test_paces_are_saved_and_opened_again(pace, tmp_path):
    double_click(pace, 15, 0.25)
    session = pace.window.session
    made = session.project
    session.save_as(tmp_path / "paced.clevrin")
    pace.until(lambda: (tmp_path / "paced.clevrin").exists())
    assert load(tmp_path / "paced.clevrin").reel.shots[0].pace == made.reel.shots[0].pace


def test_all_chosen_shots_last_as_long_as_is_said(pace):
    session = pace.window.session
    shots = session.project.reel.shots[:2]
    session.choose_shots([shot.id for shot in reversed(shots)])
    pace.until(lambda: bench(pace).seen is not None and bench(pace).seen.shot.id == shots[0].id)
    bench(pace).edits.last(36)
    assert [placed.frames for placed in placed_shots(session.project)[:2]] == [36, 36]
    speeds = [tuple(point.speed for point in session.project.shot(shot.id).pace.points) for shot in shots]
    assert speeds[0] != speeds[1], "each by its own speed"
    assert session.history.undo_label == "Last 36 frames"
