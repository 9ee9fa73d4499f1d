"""Motion over the reel: laid, lent by another, moved, told how much room it takes, taken away, undone."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from clevrin.core.document import Loan, Over
from clevrin.core.document.edits import LayOver
from clevrin.core.hold.reel_motion import course_over
from clevrin.core.pace import placed_shots, reel_frames
from clevrin.core.render.picture import picture
from clevrin.core.render.sources import Sources
from tests.films import mean_error

NO_KEY = Qt.KeyboardModifier.NoModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def sheet(demo):
    demo.key(Qt.Key.Key_H, SHIFT)
    sheet = demo.window.sides.over
    assert sheet is not None and sheet.isVisible()
    yield sheet
    sheet.close()


@pytest.fixture
def pixels_at(demo):
    """The picture of a frame of the reel as it is rendered."""

    def seen(frame: int) -> np.ndarray:
        with Sources.of(demo.window.measurements.store) as sources:
            return picture(demo.window.session.project, frame, (320, 180), sources).astype(int)

    return seen


def move_mouse(viewer, share: float) -> None:
    """The mouse stands so far from the middle of the picture, in shares of its width."""
    rect = viewer.picture_rect()
    at = QPointF(rect.center().x() + share * rect.width(), rect.center().y())
    button = Qt.MouseButton.NoButton
    where = QPointF(viewer.mapToGlobal(at))
    QApplication.sendEvent(viewer, QMouseEvent(QEvent.Type.MouseMove, at, where, button, button, NO_KEY))


def laid(demo):
    return demo.window.session.project.reel.over


def test_motion_is_laid_over_the_whole_reel_and_seen_when_it_plays(demo, sheet, pixels_at):
    session = demo.window.session
    still = pixels_at(60)
    assert not sheet.remove_button.isEnabled() and not sheet.room.isVisible()
    before = session.project
    demo.click(sheet.all_button)
    (over,) = laid(demo)
    assert (over.first, over.end) == (0, reel_frames(session.project)) and over.loan.rig == "walking"
    assert mean_error(pixels_at(60), still) > 3
    kept = int(sheet.room.text().split(" %")[0].split()[-1])
    assert 80 < kept < 99
    sheet.sheet.controls["amount"].slider.setValue(sheet.sheet.controls["amount"].slider.value() + 12)
    assert int(sheet.room.text().split(" %")[0].split()[-1]) < kept
    session.undo()
    session.undo()
    assert session.project == before and mean_error(pixels_at(60), still) == 0


def test_it_is_laid_over_chosen_shots_across_their_joins(demo, sheet):
    session = demo.window.session
    row = placed_shots(session.project)
    session.choose_shots(placed.shot.id for placed in row[1:])
    demo.click(sheet.shots_button)
    (over,) = laid(demo)
    assert (over.first, over.end) == (row[1].start, row[-1].end)
    session.choose_shot(row[0].shot.id)
    demo.click(sheet.shots_button)
    assert [each.first for each in laid(demo)] == [0, row[1].start] and sheet.stretches.rowCount() == 2
    sheet.sheet.controls["end"].set_number(row[0].end)
    demo.window.over.set_stretch("", end=row[-1].end)  # not over its neighbour
    assert laid(demo)[0].end == row[1].start
    QTest.mouseClick(sheet.stretches.viewport(), Qt.MouseButton.LeftButton, pos=centre(sheet.stretches, 1))
    assert session.playhead == row[1].start
    demo.click(sheet.remove_button)
    assert [each.first for each in laid(demo)] == [0]
    demo.click(sheet.all_button)
    assert len(laid(demo)) == 1 and laid(demo)[0].end == row[-1].end


def centre(table, row: int):
    return table.visualItemRect(table.item(row, 0)).center()


def test_what_a_take_did_is_kept_and_laid(demo, sheet):
    session = demo.window.session
    demo.click(sheet.all_button)
    names = [sheet.lender.itemText(k) for k in range(sheet.lender.count())]
    assert "hand: running" in names and "hill" in names and "nobody" not in names
    sheet.lender.setCurrentIndex(names.index("hill"))
    sheet.lender.activated.emit(names.index("hill"))
    (over,) = laid(demo)
    motion = session.project.motions[-1]
    assert over.loan.lender == "motion" and over.loan.lender_id == motion.id and motion.name == "hill"
    take = next(each for each in session.project.takes if each.name == "hill")
    trace = demo.window.measurements.trace(take)
    pans = np.array(motion.course)[:, 0]
    assert len(pans) == trace.frames and np.ptp(pans) > 0.3  # it whips
    assert not sheet.sheet.controls["seed"].isVisible() and sheet.lender.currentText() == "hill"
    demo.click(sheet.sheet.controls["lent"].buttons["shake"])
    assert laid(demo)[0].loan.lent == "shake" and len(session.project.motions) == 1
    session.undo()
    session.undo()
    assert session.project.motions == () and laid(demo)[0].loan.lender == "rig"


def test_without_shots_there_is_nothing_to_lay_it_over(hands):
    hands.key(Qt.Key.Key_H, SHIFT)
    sheet = hands.window.sides.over
    assert not sheet.all_button.isEnabled()
    hands.window.over.lay_over_all()
    assert hands.window.session.project.reel.over == ()
    sheet.close()


def test_it_is_performed_while_the_reel_plays_and_every_attempt_is_kept(demo, sheet, pixels_at):
    window, session = demo.window, demo.window.session
    cut = placed_shots(session.project)[0].end
    stretch = Over(first=cut - 25, frames=40, loan=Loan(lender="rig", rig="resting hands"), ease=4)
    session.do(LayOver(over=(stretch,)))
    window.enter_step("steady")
    still = pixels_at(cut + 8)
    for attempt in (1, 2):
        demo.click(sheet.perform_button)
        assert window.bench is window.log and window.log.shows_reel and sheet.perform_button.isChecked()

        def ended() -> bool:
            move_mouse(window.log.viewer, 0.1 * (window.player.frame - stretch.first) / stretch.frames)
            return not sheet.performing.running

        demo.until(ended)
        assert not window.player.playing and not sheet.perform_button.isChecked()
        assert [each.name for each in session.project.motions] == [f"attempt {k + 1}" for k in range(attempt)]
    (over,) = laid(demo)
    motion = session.project.motions[-1]
    assert (over.first, over.end) == (stretch.first, stretch.end) and over.loan.lender_id == motion.id
    course = np.array(motion.course)
    assert len(course) == 40 and course[-1, 0] > 0.03 and np.diff(course[:, 0]).min() > -1e-3  # to the right
    assert mean_error(pixels_at(cut + 8), still) > 3  # behind the cut as well
    demo.until(lambda: sheet.lender.currentText() == "attempt 2")
    session.undo()
    assert laid(demo)[0].loan.lender_id == session.project.motions[0].id and len(session.project.motions) == 1


def test_a_performance_that_is_stopped_is_kept_as_far_as_it_went_and_lies_over_all(demo, sheet):
    window, session = demo.window, demo.window.session
    demo.click(sheet.perform_button)
    demo.until(lambda: window.player.playing and window.player.frame > 8)
    move_mouse(window.log.viewer, 0.2)
    demo.until(lambda: window.player.frame > 14)
    window.player.stop()
    assert not sheet.performing.running
    (over,) = laid(demo)
    assert (over.first, over.end) == (0, reel_frames(session.project))
    assert session.history.undo_label == "Perform motion over the reel"
    session.undo()
    assert laid(demo) == () and session.project.motions == ()
    demo.click(sheet.perform_button)
    sheet.close()
    assert not sheet.performing.running and not window.player.playing


def test_motion_is_lent_as_far_as_the_picture_has_room_and_more_only_where_that_is_set(demo, sheet):
    window, session = demo.window, demo.window.session
    demo.click(sheet.all_button)
    walk = next(k for k in range(sheet.lender.count()) if "hill" in sheet.lender.itemText(k))
    sheet.lender.activated.emit(walk)
    (over,) = laid(demo)
    kept = course_over(session.project, over).least_kept
    assert over.loan.lender == "motion" and 0.85 <= kept < 0.9 and over.loan.amount < 1
    assert window.header.strip.words.startswith(f"Lent at {over.loan.amount * 100:.0f} %: more would leave")
    window.over.set_loan("", amount=1.0, size=1.0)
    assert course_over(session.project, laid(demo)[0]).least_kept < 0.85
