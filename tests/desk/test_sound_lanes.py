"""The lanes of sound under the reel: what is dragged is heard, said and undone; and how loud the reel is."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from clevrin.core.document.edits import LayMusic
from clevrin.core.sound.mix import ReelSound
from clevrin.core.sound.music_track import take_in_music
from clevrin.demo.footage_maker import MUSIC
from clevrin.desk.finish.sheet import SOUND
from clevrin.desk.sound.layout import LANE_HEIGHT
from tests.desk.conftest import pixels_of


@pytest.fixture
def sounding(demo):
    """The Finish bench with the page of sound, over a reel with takes that have sound, and music."""
    session = demo.window.session
    session.do(LayMusic(music=take_in_music(MUSIC).changed(level_db=-12.0)))
    demo.key(Qt.Key.Key_6)
    demo.click(demo.window.finish.sheet.pages.buttons[SOUND])
    demo.until(lambda: demo.window.lanes.isVisible())
    demo.until(lambda: not demo.window.jobs.busy)
    return demo


def lanes(hands):
    return hands.window.lanes.layout_now


def shots(hands):
    return hands.window.session.project.reel.shots


def middle_of(hands, index: int) -> tuple[float, float]:
    found = lanes(hands)
    left, right = found.heard(index)
    return (left + right) / 2, found.top("takes") + LANE_HEIGHT * 0.8


def loudness(hands, first_s: float, end_s: float) -> float:
    """Mean power of what is heard of the reel there, in dB."""
    sound = ReelSound(hands.window.session.project).read(round(first_s * 48_000), round((end_s - first_s) * 48_000))
    return float(10 * np.log10((sound.astype(np.float64) ** 2).mean() + 1e-12))


def test_lanes_are_under_the_reel_on_the_page_of_sound_alone(sounding):
    window = sounding.window
    assert window.lanes.y() >= window.reel.geometry().bottom()
    sounding.click(window.finish.sheet.pages.buttons["deliver"])
    assert not window.lanes.isVisible()
    sounding.click(window.finish.sheet.pages.buttons[SOUND])
    assert window.lanes.isVisible()
    sounding.key(Qt.Key.Key_1)
    assert not window.lanes.isVisible()
    sounding.key(Qt.Key.Key_6)
    assert window.lanes.isVisible()


def test_a_shot_is_made_louder_by_dragging_and_its_sound_with_it(sounding):
    before = loudness(sounding, 0.5, 1.5)
    x, y = middle_of(sounding, 0)
    sounding.drag(sounding.window.lanes, (x, y), (x, y - 8), drop=False)
    assert "dB" in sounding.window.lanes.readout and "walk-past" in sounding.window.lanes.readout
    QTest.mouseRelease(sounding.window.lanes, Qt.MouseButton.LeftButton)
    level = shots(sounding)[0].sound.level_db
    assert 3 <= level <= 5 and loudness(sounding, 0.5, 1.5) > before + 2, "half a dB a pixel"
    assert sounding.window.session.shot.id == shots(sounding)[0].id
    assert sounding.window.finish.sheet.controls["shot level"].number == level
    sounding.do("undo")  # all of the drag is one step
    assert shots(sounding)[0].sound.level_db == 0 and loudness(sounding, 0.5, 1.5) == pytest.approx(before)


def test_with_shift_a_level_is_dragged_finer(sounding):
    x, y = middle_of(sounding, 0)
    widget = sounding.window.lanes
    QTest.mousePress(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier, QPoint(round(x), round(y)))
    for up in (4, 8, 12):
        at = QPointF(x, y - up)
        move = QMouseEvent(
            QEvent.Type.MouseMove,
            at,
            QPointF(widget.mapToGlobal(at)),
            Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.ShiftModifier,
        )
        QApplication.sendEvent(widget, move)
    QTest.mouseRelease(widget, Qt.MouseButton.LeftButton)
    assert shots(sounding)[0].sound.level_db == pytest.approx(1.0, abs=0.25)


def test_the_slider_of_music_follows_its_line_and_moves_it(sounding):
    session, sheet = sounding.window.session, sounding.window.finish.sheet
    field = sheet.controls["music level"]
    assert field.number == -12.0
    found = lanes(sounding)
    left, _, _, right = found.music()
    x, y = (left + right) / 2, found.top("music") + LANE_HEIGHT * 0.8
    sounding.drag(sounding.window.lanes, (x, y), (x, y - 8))
    assert field.number == session.project.music.level_db == pytest.approx(-8, abs=0.5)
    field.slider.setValue(field.slider.value() + 4)
    assert session.project.music.level_db == field.number > -8 and session.project.mix.music.level_db == 0


def test_where_music_makes_room_its_lane_shows_it(sounding):
    window = sounding.window
    top = lanes(sounding).top("music")
    before = pixels_of(window.lanes)[top : top + LANE_HEIGHT]
    window.finish.sound.lower_music(15.0)
    course = []
    window.finish.loudness_changed.connect(course.append)
    sounding.until(lambda: course and course[-1] is not None)
    shares = course[-1].music_share
    assert shares.min() == pytest.approx(10 ** (-15 / 20), rel=0.02)
    sounding.until(lambda: (pixels_of(window.lanes)[top : top + LANE_HEIGHT] != before).any())


def test_fades_are_dragged_from_either_end_and_never_over_each_other(sounding):
    found = lanes(sounding)
    comes, goes = found.fades(0)
    y = found.y_of("takes", 0.0)
    sounding.drag(sounding.window.lanes, (comes + 1, y), (comes + 41, y))
    over = shots(sounding)[0].sound.fade_in
    assert over == pytest.approx(40 / found.reel.px_per_frame, abs=1)
    sounding.drag(sounding.window.lanes, (goes - 1, y), (found.heard(0)[0] - 50, y))
    own = shots(sounding)[0].sound
    assert own.fade_in == over and own.fade_in + own.fade_out <= found.reel.row[0].frames
    x = lanes(sounding).fades(0)[0]
    QTest.mouseDClick(
        sounding.window.lanes, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
        sounding.window.lanes.rect().topLeft() + type(sounding.window.lanes.pos())(round(x), round(y)),
    )  # fmt: skip
    assert shots(sounding)[0].sound.fade_in == 0 and shots(sounding)[0].sound.fade_out == own.fade_out


def test_a_cut_of_the_sound_is_moved_and_widened(sounding):
    found = lanes(sounding)
    _, about, _ = found.crossing(0)
    y = found.top("takes") + LANE_HEIGHT * 0.8
    sounding.drag(sounding.window.lanes, (about, y), (about + 30, y))
    later = shots(sounding)[0].leave.given["sound_later"]
    assert later == pytest.approx(30 / found.reel.px_per_frame, abs=1)
    sounding.drag(sounding.window.lanes, (about + 30, y), (about + 30, y))  # a press alone changes nothing
    assert shots(sounding)[0].leave.given["sound_later"] == later
    found = lanes(sounding)
    assert found.crossing(0)[1] == pytest.approx(about + later * found.reel.px_per_frame, abs=1)
    sounding.do("undo")
    assert "sound_later" not in shots(sounding)[0].leave.given


def test_a_drag_is_put_back_by_escape(sounding):
    x, y = middle_of(sounding, 1)
    before = sounding.window.session.project
    sounding.drag(sounding.window.lanes, (x, y), (x, y + 10), drop=False)
    assert shots(sounding)[1].sound.level_db < 0
    sounding.key(Qt.Key.Key_Escape)
    assert sounding.window.session.project == before and not sounding.window.lanes.readout


def test_music_and_swishes_have_lanes_of_their_own(sounding):
    found, window = lanes(sounding), sounding.window
    left, comes, _, right = found.music()
    y = found.y_of("music", -12.0)
    sounding.drag(window.lanes, (comes + 1, y), (comes + 61, y))
    seconds = 60 / found.reel.px_per_frame / float(found.reel.rate)
    assert window.session.project.music.fade_in_s == pytest.approx(seconds, abs=0.05)
    x = (left + right) / 2
    sounding.drag(window.lanes, (x, y + 8), (x, y + 2))
    assert window.session.project.music.level_db > -12
    cut = found.reel.x_of(found.reel.row[0].end)
    foot = found.top("swishes") + LANE_HEIGHT - 3
    sounding.drag(window.lanes, (cut, foot), (cut, foot - 17))
    assert shots(sounding)[0].leave.given["swish"] == pytest.approx(0.5, abs=0.05)
    sounding.drag(window.lanes, (cut, foot), (cut, foot + 40))
    assert shots(sounding)[0].leave.given["swish"] == 0


def test_a_lane_is_muted_by_its_name_and_that_is_rendered_so(sounding):
    window, found = sounding.window, lanes(sounding)
    before = pixels_of(window.lanes)
    sounding.click(window.lanes, (20, found.top("music") + 10))
    assert window.session.project.mix.music.muted
    assert window.finish.sheet.controls["music heard"].buttons["muted"].isChecked()
    assert not np.array_equal(pixels_of(window.lanes)[:, :72], before[:, :72])  # struck out
    sounding.click(window.lanes, (20, found.top("takes") + 10))
    assert loudness(sounding, 0.5, 1.5) < -100
    sounding.click(window.finish.sheet.controls["music heard"].buttons["muted"])
    assert not window.session.project.mix.music.muted and loudness(sounding, 0.5, 1.5) > -60


def test_a_lane_that_is_listened_to_alone_is_no_matter_of_the_project(sounding):
    window = sounding.window
    project = window.session.project
    full = window.player.programme.sound(24_000, 4_800)
    sounding.click(window.finish.sheet.controls["music heard"].buttons["alone"])
    sounding.until(lambda: not window.finish.reloading)
    alone = window.player.programme.sound(24_000, 4_800)
    assert window.session.project is project and not window.session.project.mix.takes.muted
    assert np.abs(alone).max() > 0 and not np.array_equal(alone, full)
    assert np.array_equal(alone, ReelSound(project.changed(mix=project.mix.alone("music"))).read(24_000, 4_800))
    sounding.click(window.finish.sheet.controls["music heard"].buttons["alone"])
    sounding.until(lambda: not window.finish.reloading)
    assert np.array_equal(window.player.programme.sound(24_000, 4_800), full)


def test_the_sheet_sets_what_lanes_show(sounding):
    window, controls = sounding.window, sounding.window.finish.sheet.controls
    window.session.choose_shot(shots(sounding)[1].id)
    for name, typed in (("takes level", "-6"), ("lowered", "9"), ("shot comes", "0.5"), ("music goes", "2")):
        entry = controls[name].entry
        entry.setFocus()
        entry.setText(typed)
        QTest.keyClick(entry, Qt.Key.Key_Return)
    project = window.session.project
    assert project.mix.takes.level_db == -6 and project.mix.lowered_db == 9
    assert project.reel.shots[1].sound.fade_in == round(0.5 * float(project.reel.rate))
    assert project.music.fade_out_s == 2
    entry = controls["lowered"].entry
    entry.setFocus()
    entry.setText("200")
    QTest.keyClick(entry, Qt.Key.Key_Return)
    assert "0.0 dB to 30.0 dB" in window.finish.sheet.trouble.text() and project.mix.lowered_db == 9


def test_how_loud_the_reel_is_follows_what_is_done(sounding):
    window, meters = sounding.window, sounding.window.finish.sheet.meters
    sounding.until(lambda: "LUFS" in meters.words)
    said = meters.words
    sounding.until(lambda: meters.figures[0] > -70 or window.player.frame == 0)
    window.player.seek(45)
    sounding.until(lambda: meters.figures[0] > -50)
    entry = window.finish.sheet.controls["music level"].entry
    entry.setFocus()
    entry.setText("12")
    QTest.keyClick(entry, Qt.Key.Key_Return)
    sounding.until(lambda: meters.words != said and "LUFS" in meters.words)
    found = lanes(sounding)
    _, y, _, height = found.loud_box()
    drawn = pixels_of(window.lanes)[round(y) : round(y + height), 72:600].astype(int)
    assert (drawn[..., 2] > drawn[..., 0] + 40).any()  # the course of loudness, in the blue of what is measured
    for lane in ("takes", "music", "swishes"):
        sounding.click(window.lanes, (20, found.top(lane) + 10))
    sounding.until(lambda: meters.words == "nothing is heard")
