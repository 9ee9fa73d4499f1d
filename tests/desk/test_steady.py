"""The Steady bench under a user's hands: views, chart, anchors, edges, all shots at once, lent motion."""

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from clevrin.core.document import Area, AreaPart, Drawn, Hold, Outline, Placement, Span, Track
from clevrin.core.document.edits import AddTrack, PutArea, SetHold, TrimShot
from clevrin.core.document.holding import AXES
from clevrin.core.render.sources import Sources
from clevrin.desk.steady.fields import EDGE, LENT
from clevrin.desk.widgets import theme
from tests.desk.conftest import pixels_of
from tests.films import mean_error


@pytest.fixture
def steady(demo):
    demo.key(Qt.Key.Key_2)
    demo.until(lambda: demo.window.steady.before.pixels and demo.window.steady.after.pixels)
    return demo


def test_before_and_after_are_shown_in_step(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.window.player.seek(60)
    steady.until(lambda: bench.lanes.playhead == 60)
    steady.measured()
    steady.until(lambda: mean_error(bench.before.pixels[0], bench.after.pixels[0]) > 3)
    from clevrin.core.render import plan_at

    sources = Sources.of()
    frame = session.project.shot(session.shot.id).span.first + 60
    layer = plan_at(session.project, frame, (320, 180), sources.measured).layers[0]
    sources.close()
    assert layer.frame == 60


def test_changing_the_hold_shows_in_picture_and_figures(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.click(bench.sheet.controls["how"].buttons["none"])
    assert session.shot.hold.how == "none" and not bench.sheet.controls["settle"].isEnabled()
    steady.until(lambda: np.array_equal(bench.before.pixels[0], bench.after.pixels[0]))
    steady.click(bench.sheet.controls["how"].buttons["float"])
    steady.until(lambda: "after:" in bench.after_note.text())
    assert "shake over 1 Hz" in bench.before_note.text()


def test_a_dragged_slider_is_one_step_and_a_double_click_puts_it_back(steady):
    bench, session = steady.window.steady, steady.window.session
    before = session.project
    slider = bench.sheet.controls["keep"].slider
    from PySide6.QtWidgets import QStyle, QStyleOptionSlider

    option = QStyleOptionSlider()
    slider.initStyleOption(option)
    handle = slider.style().subControlRect(
        QStyle.ComplexControl.CC_Slider, option, QStyle.SubControl.SC_SliderHandle, slider
    )
    at = handle.center()
    steady.drag(slider, (at.x(), at.y()), (at.x() - 60, at.y()))
    assert session.shot.hold.keep < 0.8
    assert bench.sheet.controls["keep"].entry.text() == f"{session.shot.hold.keep * 100:.0f} %"
    session.undo()
    assert session.project == before
    session.redo()
    QTest.mouseDClick(bench.sheet.controls["keep"].name, Qt.MouseButton.LeftButton)
    assert session.shot.hold.keep == 0.85


def test_axes_are_switched_and_the_last_one_stays(steady):
    bench, session = steady.window.steady, steady.window.session
    for axis in ("pan", "roll", "zoom"):
        steady.click(bench.sheet.controls["axes"].buttons[axis])
    assert session.shot.hold.axes == ("tilt",)
    steady.click(bench.sheet.controls["axes"].buttons["tilt"])
    assert session.shot.hold.axes == ("tilt",) and bench.sheet.controls["axes"].buttons["tilt"].isChecked()
    assert "At least one axis" in bench.sheet.trouble.text()


def test_lock_off_is_measured_in_the_background_and_shown(steady):
    bench, window = steady.window.steady, steady.window
    picnic = window.session.project.reel.shots[2]
    window.session.choose_shot(picnic.id)
    steady.click(bench.sheet.controls["how"].buttons["lock-off"])
    steady.until(lambda: "nothing is empty" in bench.sheet.controls["keep"].note.text())
    assert not bench.sheet.controls["settle"].isVisible()
    sheet, hold = bench.sheet, window.session.shot.hold
    window.session.do(SetHold(shot_id=picnic.id, hold=hold.changed(keep=0.99)))
    steady.until(lambda: "stand quite still at" in sheet.standing.text())
    steady.click(sheet.stand_button)
    kept = window.session.shot.hold.keep
    assert 0.5 < kept < 0.99 and f"{kept * 100:.1f} %" in sheet.standing.text()
    steady.until(lambda: sheet.standing.text() == "It stands quite still.")
    assert not sheet.stand_button.isEnabled()


def test_b_held_down_shows_the_picture_as_shot(steady):
    bench = steady.window.steady
    steady.window.player.seek(60)
    steady.until(lambda: bench.lanes.playhead == 60 and mean_error(bench.before.pixels[0], bench.after.pixels[0]) > 3)
    for kind, same in ((QEvent.Type.KeyPress, True), (QEvent.Type.KeyRelease, False)):
        QApplication.sendEvent(steady.window, QKeyEvent(kind, Qt.Key.Key_B, Qt.KeyboardModifier.NoModifier))
        steady.until(lambda same=same: np.array_equal(bench.before.pixels[0], bench.after.pixels[0]) == same)


def test_the_divide_shows_both_in_one_picture(steady):
    bench = steady.window.steady
    steady.click(bench.view_buttons["divide"])
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
    steady.click(bench.view_buttons["two"])
    assert bench.before.isVisible()


def figure(bench) -> np.ndarray:
    """The held picture as it is shown."""
    return bench.after.pixels[-1][..., :3].astype(int)


def choose(steady, name: str):
    """Chooses the shot of a take, and waits for its picture."""
    session = steady.window.session
    take = next(each for each in session.project.takes if each.name == name)
    shot = next(each for each in session.project.reel.shots if each.take_id == take.id)
    session.choose_shot(shot.id)
    steady.until(lambda: session.shot.id == shot.id and not steady.window.jobs.busy)
    return shot


def test_the_dot_on_the_chart_is_dragged_to_another_budget_as_one_step(steady):
    bench, session = steady.window.steady, steady.window.session
    chart, before = bench.sheet.chart, session.project
    steady.until(lambda: chart.chart is not None and not steady.window.jobs.busy)
    dot = chart.dot()
    steady.drag(chart, (dot.x(), dot.y()), (chart._x(0.94), dot.y()))
    assert session.shot.hold.keep == pytest.approx(0.94, abs=0.011)
    steady.until(lambda: f"keeps {session.shot.hold.keep * 100:.0f} %" in bench.after_note.text())
    session.undo()
    assert session.project == before
    # Up is more shake left: a shorter settle.
    steady.until(lambda: not steady.window.jobs.busy)
    dot = chart.dot()
    steady.drag(chart, (dot.x(), dot.y()), (dot.x(), dot.y() - 25))
    assert session.shot.hold.settle_s < 1.2


def test_frames_that_set_the_price_are_spared_and_the_gate_grows(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.until(lambda: bench.sheet.price.text().startswith("Frames"))
    steady.until(lambda: "keeps" in bench.sheet.controls["keep"].note.text())
    before = steady.window.measurements.held(session.shot).least_kept_in(session.shot.span)
    steady.click(bench.sheet.spare_button)
    assert len(session.shot.hold.spared) == 1
    steady.until(lambda: steady.window.measurements.held(session.shot) is not None)
    assert steady.window.measurements.held(session.shot).least_kept_in(session.shot.span) > before + 0.01


def test_the_outline_shows_all_of_the_source_around_the_gate(steady):
    bench = steady.window.steady
    steady.window.player.seek(60)
    steady.click(bench.view_buttons["outline"])
    steady.until(lambda: not bench.before.isVisible() and len(bench.after.pixels) == 1)
    ember = theme.colour("ember")

    def rim() -> np.ndarray:
        seen = figure(bench)
        return np.abs(seen - (ember.blue(), ember.green(), ember.red())).max(axis=2) < 12

    steady.until(lambda: rim().sum() > 500)
    rows, columns = np.nonzero(rim())
    height, width = rim().shape
    assert (columns.max() - columns.min()) / width == pytest.approx(0.7, abs=0.03)
    assert (rows.max() - rows.min()) / height == pytest.approx(0.7, abs=0.03)
    line = figure(bench)[height // 2]
    outside = line[(columns.min() - width // 40) : columns.min() - 4]
    assert outside.std() > 3  # the source goes on beyond the gate
    assert outside.mean() < line[columns.min() + 4 :][: width // 40].mean()  # dimmed


def test_an_anchor_is_set_by_clicking_the_subject_and_dragged_to_its_place(steady):
    window, bench, session = steady.window, steady.window.steady, steady.window.session
    choose(steady, "picnic")
    window.player.seek(60)
    steady.until(lambda: bench.lanes.playhead == 60)
    steady.click(bench.sheet.controls["how"].buttons["anchor"])
    assert "Click the point" in bench.sheet.anchor_note.text()
    rect = bench.before.picture_rect()
    house = rect.left() + 0.263 * rect.width(), rect.top() + 0.338 * rect.height()
    steady.click(bench.before, house)
    track = session.project.takes[2].tracks[0]
    assert track.placed[0].frame == 60 and session.shot.hold.anchor.track_id == track.id
    steady.until(lambda: window.measurements.held(session.shot) is not None and not window.jobs.busy)
    path = window.measurements.held(session.shot)
    assert not path.bridged.all()
    # The point stands still in the held picture, wherever the take is looked at.
    places = [bench.on_picture.as_held(session.shot, frame) for frame in (60, 80, 120)]
    assert all(place is not None for place in places)
    assert np.ptp(np.array(places) * (1280, 720), axis=0).max() < 1.5
    at = bench.on_picture.as_held(session.shot, window.player.frame)
    rect = bench.after.picture_rect()
    start = rect.left() + at[0] * rect.width(), rect.top() + at[1] * rect.height()
    steady.drag(bench.after, start, (rect.left() + 0.4 * rect.width(), rect.top() + 0.45 * rect.height()))
    assert session.shot.hold.anchor.place == pytest.approx((0.4, 0.45), abs=0.01)
    session.undo()
    assert session.shot.hold.anchor.place is None
    steady.click(bench.sheet.controls["place"].buttons["centre"])
    assert session.shot.hold.anchor.place == (0.5, 0.5)
    steady.click(bench.sheet.controls["besides"].buttons["turn"])
    assert "no turn" in bench.sheet.trouble.text() and not session.shot.hold.anchor.turn


def test_a_click_that_cannot_be_followed_gives_way_to_the_next_one(steady, monkeypatch):
    window, bench, session = steady.window, steady.window.steady, steady.window.session
    choose(steady, "picnic")
    window.player.seek(60)
    steady.until(lambda: bench.lanes.playhead == 60)
    steady.click(bench.sheet.controls["how"].buttons["anchor"])
    rect = bench.before.picture_rect()
    steady.click(bench.before, (rect.left() + 0.85 * rect.width(), rect.top() + 0.04 * rect.height()))
    (sky,) = session.project.takes[2].tracks
    steady.until(lambda: not window.jobs.busy and window.track_jobs.of(sky) is not None)
    followed = window.track_jobs.of(sky)
    seen = (np.arange(followed.frames) == 60)[:, None, None]
    lost = replace(followed, places=np.where(seen, followed.places, np.nan))
    monkeypatch.setattr(window.track_jobs, "of", lambda _: lost)
    steady.click(bench.before, (rect.left() + 0.263 * rect.width(), rect.top() + 0.338 * rect.height()))
    monkeypatch.undo()
    (house,) = session.project.takes[2].tracks
    assert house.placed != sky.placed and session.shot.hold.anchor.track_id == house.id
    steady.until(lambda: not window.jobs.busy and bench.sheet.anchor_note.text().startswith("Click another"))


def test_a_surface_that_is_followed_already_is_chosen_and_its_turn_is_held(steady):
    window, bench, session = steady.window, steady.window.steady, steady.window.session
    shot = choose(steady, "picnic")
    corners = (300.0, 225.0), (390.0, 225.0), (390.0, 265.0), (300.0, 265.0)
    track = Track(name="House", kind="surface", placed=(Placement(frame=60, places=corners),))
    session.do(AddTrack(take_id=shot.take_id, track=track))
    steady.click(bench.sheet.controls["how"].buttons["anchor"])
    assert bench.sheet.subjects.isVisible() and bench.sheet.subjects.currentIndex() == -1
    bench.sheet.subjects.setCurrentIndex(0)
    bench.sheet.subjects.activated.emit(0)
    assert session.shot.hold.anchor.track_id == track.id
    steady.click(bench.sheet.controls["besides"].buttons["turn"])
    assert session.shot.hold.anchor.turn
    steady.until(lambda: window.measurements.held(session.shot) is not None and not window.jobs.busy)
    path = window.measurements.held(session.shot)
    assert not path.bridged_at(60)
    turned = path.src_from_held[path.rows(session.shot.span)]
    angle = np.degrees(np.arctan2(turned[:, 1, 0], turned[:, 0, 0]))
    assert np.ptp(angle) > 0.1  # it turns with the house, which sways by the hand


def test_steady_all_gives_every_shot_the_hold_without_its_idle_axes(steady):
    bench, session = steady.window.steady, steady.window.session
    for each in session.project.reel.shots:
        session.choose_shot(each.id)
        steady.click(bench.sheet.controls["how"].buttons["none"])
    choose(steady, "hill")
    steady.click(bench.sheet.controls["how"].buttons["float"])
    before = session.project
    steady.click(bench.sheet.all_button)
    holds = [shot.hold for shot in session.project.reel.shots]
    assert [hold.how for hold in holds] == ["float"] * len(holds)
    assert all("pan" in hold.axes and "zoom" not in hold.axes for hold in holds)  # no zoom was ever shaken
    session.undo()
    assert session.project == before


def test_choosing_a_hold_leaves_out_axes_with_nothing_to_remove(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.click(bench.sheet.controls["how"].buttons["none"])
    assert session.shot.hold.axes == AXES
    steady.click(bench.sheet.controls["how"].buttons["float"])
    assert session.shot.hold.axes == ("pan", "tilt", "roll")
    assert "zoom: little to remove" in bench.sheet.controls["axes"].note.text()


def test_an_area_is_not_borrowed_and_that_is_undone(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.click(bench.sheet.pages.buttons[EDGE])
    take = session.project.take(session.shot.take_id)
    drawn = Drawn(shape="box", outlines=(Outline(frame=9, places=((9, 9), (90, 9), (90, 90), (9, 90))),))
    area = Area(name="stroller", parts=(AreaPart(of=drawn),))
    session.do(PutArea(take_id=take.id, area=area))
    assert not bench.sheet.not_borrowed_setting.isVisible()
    steady.click(bench.sheet.controls["edge"].buttons["borrow"])
    combo = bench.sheet.not_borrowed
    steady.until(bench.sheet.not_borrowed_setting.isVisible)
    combo.setCurrentIndex(1)
    combo.activated.emit(1)
    assert session.shot.hold.not_borrowed == area.id and combo.currentText() == "stroller"
    combo.setCurrentIndex(0)
    combo.activated.emit(0)
    assert session.shot.hold.not_borrowed is None
    session.undo()
    assert session.shot.hold.not_borrowed == area.id


def test_edges_are_seen_in_the_held_picture(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.window.player.seek(62)
    steady.until(lambda: bench.lanes.playhead == 62)
    steady.click(bench.sheet.pages.buttons[EDGE])

    def dark() -> int:
        return int((figure(bench).max(axis=2) < 3).sum())

    for edge, seen in (
        ("bare", lambda: 300 < dark() < 6000),
        ("trim", lambda: dark() > 6000),  # a steady frame all round
        ("smear", lambda: dark() == 0),
        ("fill", lambda: dark() == 0),
    ):
        steady.click(bench.sheet.controls["edge"].buttons[edge])
        assert session.shot.hold.edge == edge
        steady.until(seen)


def test_a_number_is_typed_and_one_out_of_range_is_refused_with_the_range(steady):
    bench, session = steady.window.steady, steady.window.session
    for setting, text in ((bench.sheet.controls["settle"], "2.4"), (bench.sheet.controls["keep"], "70")):
        steady.click(setting.entry)
        setting.entry.selectAll()
        QTest.keyClicks(setting.entry, text)
        QTest.keyClick(setting.entry, Qt.Key.Key_Return)
    assert session.shot.hold.settle_s == 2.4 and session.shot.hold.keep == 0.7
    for setting, text, says in (
        (bench.sheet.controls["settle"], "21", "Settle goes from 0.0 s to 20.0 s."),
        (bench.sheet.controls["keep"], "12", "Keep at least goes from 30 % to 100 %."),
        (bench.sheet.controls["keep"], "lots", "Keep at least goes from 30 % to 100 %."),
    ):
        steady.click(setting.entry)
        setting.entry.selectAll()
        QTest.keyClicks(setting.entry, text)
        QTest.keyClick(setting.entry, Qt.Key.Key_Return)
        assert bench.sheet.trouble.text() == says
    assert session.shot.hold.settle_s == 2.4 and session.shot.hold.keep == 0.7
    assert bench.sheet.controls["keep"].entry.text() == "70 %"


def test_performing_moves_the_gate_where_the_mouse_went_and_keeps_attempts(steady):
    window, bench, session = steady.window, steady.window.steady, steady.window.session
    session.do(TrimShot(shot_id=session.shot.id, span=Span(first=60, end=100)))  # it is played in its own time
    steady.click(bench.sheet.pages.buttons[LENT])
    for attempt in (1, 2):
        steady.click(bench.sheet.perform_button)
        rect = bench.after.picture_rect()

        def ended(rect=rect) -> bool:
            share = (window.player.frame - session.shot.span.first) / session.shot.span.frames
            at = QPointF(rect.center().x() + 0.12 * share * rect.width(), rect.center().y())
            event = QMouseEvent(
                QEvent.Type.MouseMove,
                at,
                QPointF(bench.after.mapToGlobal(at)),
                Qt.MouseButton.NoButton,
                Qt.MouseButton.NoButton,
                Qt.KeyboardModifier.NoModifier,
            )
            QApplication.sendEvent(bench.after, event)
            return bench.performance is None

        steady.until(ended)
        assert [motion.name for motion in session.project.motions] == [f"attempt {k + 1}" for k in range(attempt)]
    course = np.array(session.project.motions[-1].course)
    assert len(course) == session.shot.span.frames
    assert course[-1, 0] > 0.04 and np.diff(course[:, 0]).min() > -1e-3  # the mouse went to the right
    assert session.shot.loan.lender_id == session.project.motions[-1].id
    steady.until(lambda: window.measurements.held(session.shot) is not None)
    path = window.measurements.held(session.shot)
    first, last = (path.at(session.shot.span.first + k) for k in (0, session.shot.span.frames - 1))
    session.undo()
    steady.until(lambda: window.measurements.held(session.shot) is not None)
    assert bench.sheet.lenders.currentText() == "attempt 1"
    assert last[0, 2] - first[0, 2] > 30  # px: the gate went over the picture


def test_a_hand_lends_its_motion_and_more_of_it_shakes_more(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.click(bench.sheet.pages.buttons[LENT])
    lenders = bench.sheet.lenders
    lenders.setCurrentText("hand: walking")
    lenders.activated.emit(lenders.currentIndex())
    assert session.shot.loan.rig == "walking"
    shaken = []
    for amount in (0.5, 1.0):
        bench.sheet.controls["amount"].set_number(amount)
        bench.sheet.controls["amount"].value_changing.emit(amount)
        bench.sheet.controls["amount"].value_changed.emit(amount)
        steady.until(lambda: steady.window.measurements.held(session.shot) is not None)
        path = steady.window.measurements.held(session.shot)
        middle = path.src_from_held @ (640.0, 360.0, 1.0)  # the corners lean as well
        shaken.append(float(np.diff(middle[:, 1] / middle[:, 2], n=2).std()))
    assert shaken[1] > 1.3 * shaken[0]  # what is taken out of the shot itself is in both
    steady.click(bench.sheet.other_button)
    assert session.shot.loan.seed == 2


def test_a_motion_file_of_a_wrong_shape_is_told_with_line_and_column(steady, tmp_path):
    bench, session = steady.window.steady, steady.window.session
    bad = tmp_path / "walk.csv"
    bad.write_text("# size 1280x720\n# rate 25/1\ndx_px,dy_px,roll_deg,scale\n0,0,0,1\n1,x,0,1\n")
    bench.edits.read_motion(bad)
    assert bench.sheet.trouble.text() == "walk, line 5, column dy_px: 'x' is not a number."
    assert session.shot.loan is None
    bad.write_text("# size 1280x720\n# rate 25/1\ndx_px,dy_px,roll_deg,scale\n0,0,0,1\n1,2,0,1\n")
    bench.edits.read_motion(bad)
    assert session.project.motions[0].name == "walk" and session.shot.loan.lender == "motion"


def test_settings_are_copied_to_another_shot(steady):
    session = steady.window.session
    steady.do("copy-settings")
    first = session.shot.hold
    choose(steady, "picnic")
    steady.click(steady.window.steady.sheet.controls["how"].buttons["none"])
    steady.do("paste-settings")
    assert session.shot.hold == first != Hold()


def test_what_is_of_one_take_alone_is_not_copied_to_another(steady):
    session = steady.window.session
    hold = session.shot.hold.changed(spared=(Span(first=50, end=60),), reference=55)
    session.do(SetHold(shot_id=session.shot.id, hold=hold))
    steady.do("copy-settings")
    choose(steady, "picnic")
    steady.do("paste-settings")
    assert session.shot.hold == hold.changed(spared=(), reference=None)


def test_a_reel_with_clear_edges_is_rendered_to_a_film_that_carries_them(steady, tmp_path):
    import av

    window, session = steady.window, steady.window.session
    for shot in session.project.reel.shots[1:]:
        session.choose_shot(shot.id)
        steady.key(Qt.Key.Key_Delete)
    session.choose_shot(session.project.reel.shots[0].id)
    steady.click(window.steady.sheet.pages.buttons[EDGE])
    steady.click(window.steady.sheet.controls["edge"].buttons["clear"])
    session.do(TrimShot(shot_id=session.shot.id, span=Span(first=50, end=53)))
    window.rendering.render_to(tmp_path / "reel.mov")
    steady.until(lambda: (tmp_path / "reel.mov").exists() and not window.jobs.busy)
    with av.open(str(tmp_path / "reel.mov")) as film:
        alpha = [frame.to_ndarray(format="rgba")[..., 3] for frame in film.decode(video=0)]
    assert len(alpha) == 3 and min((a == 0).sum() for a in alpha) > 300
    window.rendering.render_to(tmp_path / "reel.mp4")
    assert "cannot carry what is clear" in window.trouble.text()
    window.jobs.stop_shown()


def test_bounds_of_an_axis_are_typed_and_a_wrong_one_is_refused(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.click(bench.sheet.pages.buttons[EDGE])
    entry = bench.sheet.bounds.entries["pan"]

    def typed(text: str) -> None:
        steady.click(entry)
        entry.selectAll()
        QTest.keyClicks(entry, text)
        QTest.keyClick(entry, Qt.Key.Key_Return)

    typed("0.4")
    assert session.shot.hold.bounds.pan == 0.004 and entry.text() == "0.4 %"
    steady.until(lambda: steady.window.measurements.held(session.shot) is not None)
    path = steady.window.measurements.held(session.shot)
    centre = np.array([639.5, 359.5, 1.0])
    moved = path.src_from_held[path.rows(session.shot.span)] @ centre
    assert np.abs(moved[:, 0] - 639.5).max() < 0.0045 * 1280
    typed("far")
    assert "from 0 to 100 %" in bench.sheet.trouble.text() and session.shot.hold.bounds.pan == 0.004
    entry.setFocus()
    entry.clear()
    QTest.keyClick(entry, Qt.Key.Key_Return)
    assert session.shot.hold.bounds.pan is None


def test_the_mesh_is_shown_as_a_grid_if_wanted(steady):
    bench, session = steady.window.steady, steady.window.session
    steady.click(bench.sheet.pages.buttons[EDGE])
    assert not bench.sheet.grid_button.isVisible()
    steady.click(bench.sheet.controls["mesh"].buttons["mesh"])
    steady.until(lambda: steady.window.measurements.held(session.shot) is not None)
    steady.until(lambda: not steady.window.jobs.busy)
    plain = pixels_of(bench.after)
    steady.click(bench.sheet.grid_button)
    steady.until(lambda: mean_error(plain, pixels_of(bench.after)) > 0.5)
    assert steady.window.measurements.held(session.shot).bend is not None


def test_a_motion_is_read_through_the_file_dialog(steady, tmp_path):
    from clevrin.core.motion.trace.motion_csv import motion_csv

    session = steady.window.session
    trace = steady.window.measurements.store.trace(session.project.takes[1])
    (tmp_path / "hill.csv").write_text(motion_csv(trace, "hill.mp4"))
    steady.do("import-motion")
    steady.name_file(tmp_path / "hill.csv")
    assert session.project.motions[0].name == "hill" and session.shot.loan.lender_id == session.project.motions[0].id
