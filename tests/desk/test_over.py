"""Motion over the reel: laid, lent by another, moved, told how much room it takes, taken away, undone."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from clevrin.core.pace import placed_shots, reel_frames
from clevrin.core.render.picture import picture
from clevrin.core.render.sources import Sources
from tests.films import mean_error

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def sheet(demo):
    demo.key(Qt.Key.Key_H, SHIFT)
    sheet = demo.window._over_sheet
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
    sheet = hands.window._over_sheet
    assert not sheet.all_button.isEnabled()
    hands.window.over.lay_over_all()
    assert hands.window.session.project.reel.over == ()
    sheet.close()
