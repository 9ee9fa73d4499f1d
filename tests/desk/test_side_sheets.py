"""Sheets beside the picture: they lie where the bench's own sheet was, and nothing else moves."""

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLineEdit, QScrollArea, QSlider, QWidget

from clevrin.desk.widgets.sheet import SliderSetting
from clevrin.desk.widgets.viewer import Viewer

SHIFT = Qt.KeyboardModifier.ShiftModifier
NO_KEY = Qt.KeyboardModifier.NoModifier
SHEETS = [
    ("log", Qt.Key.Key_R, SHIFT, "areas"),
    ("reframe", Qt.Key.Key_W, SHIFT, "pinned"),
    ("pace", Qt.Key.Key_H, NO_KEY, "music"),
    ("log", Qt.Key.Key_H, SHIFT, "over"),
]


def place_of(widget: QWidget) -> tuple[int, int, int, int]:
    at = widget.mapTo(widget.window(), QPoint(0, 0))
    return at.x(), at.y(), widget.width(), widget.height()


def places(window: QWidget) -> dict[int, tuple]:
    """Where everything stands that can be clicked, but for what it says."""
    kinds = (QAbstractButton, QSlider, QComboBox, QLineEdit, Viewer)
    seen = [each for kind in kinds for each in window.findChildren(kind) if each.isVisible()]
    return {id(each): (each, *place_of(each)[:2]) for each in seen}


def laid_out() -> None:
    """Lets what was just entered or resized find its places; what is computed takes longer."""
    for _ in range(5):
        QApplication.processEvents()


def moved(before: dict[int, tuple], after: dict[int, tuple]) -> list:
    return [before[each] for each in before.keys() & after.keys() if before[each][1:] != after[each][1:]]


@pytest.mark.parametrize("step, key, modifier, name", SHEETS)
def test_a_sheet_lies_beside_the_picture_and_its_key_closes_it(demo, step, key, modifier, name):
    window = demo.window
    window.resize(1280, 800)
    window.enter_step(step)
    laid_out()
    viewer = window.bench.viewers()[0] if window.bench.viewers() else window.bench.findChild(Viewer)
    own, picture = place_of(window.bench.sheet), place_of(viewer)
    demo.key(key, modifier)
    sheet = getattr(window.sides, name)
    demo.until(lambda: sheet.isVisible() and place_of(sheet) == own)
    assert place_of(viewer) == picture and not window.bench.sheet.isVisible()
    assert place_of(sheet)[1] + place_of(sheet)[3] <= window.height()
    window.resize(1280, 900)
    demo.until(lambda: place_of(sheet)[3] > own[3])
    window.resize(1280, 800)
    demo.key(key, modifier)
    demo.until(lambda: not sheet.isVisible() and window.bench.sheet.isVisible())
    assert place_of(window.bench.sheet) == own


def test_one_sheet_gives_way_to_another_and_to_another_step(demo):
    window = demo.window
    demo.key(Qt.Key.Key_R, SHIFT)
    demo.key(Qt.Key.Key_H)
    assert window.sides.shown is window.sides.music and not window.log.areas.active
    window.enter_step("steady")
    assert window.sides.shown is None and window.steady.sheet.isVisible() and not window.log.sheet.isHidden()


def test_escape_leaves_the_field_first_and_then_the_sheet(demo):
    window = demo.window
    demo.key(Qt.Key.Key_H)
    level = window.sides.music.sheet.controls["level"]
    assert isinstance(level, SliderSetting)
    entry = level.findChild(QLineEdit)
    demo.click(entry)
    demo.key(Qt.Key.Key_Escape)
    assert window.sides.music.isVisible() and not entry.hasFocus()
    demo.key(Qt.Key.Key_Escape)
    assert window.sides.shown is None and window.log.hasFocus()


def test_the_cross_closes_a_sheet(demo):
    demo.key(Qt.Key.Key_H)
    demo.click(demo.window.sides.music.close_button)
    assert demo.window.sides.shown is None


@pytest.mark.parametrize("step", ["steady", "join"])
def test_nothing_moves_while_what_is_proposed_is_found(demo, step):
    window = demo.window
    window.enter_step(step)
    laid_out()
    before = places(window)
    demo.until(lambda: not window.jobs.busy)
    if step == "steady":
        demo.until(lambda: "keeps" in window.steady.after_note.text() and window.steady.sheet.price.text())
    else:
        demo.until(lambda: window.join.table.isVisible() and not window.join.finding_note.text())
    assert len(before) > 20 and moved(before, places(window)) == []


def test_nothing_moves_when_something_is_told_or_asked(demo):
    window = demo.window
    before = places(window)
    window.notices.trouble("The file of picnic is not where it was. " * 6)
    demo.until(lambda: window.trouble.isVisible())
    assert moved(before, places(window)) == []
    assert place_of(window.header.undo_button)[:2] == before[id(window.header.undo_button)][1:]
    assert window.trouble.height() >= window.trouble.heightForWidth(window.trouble.width()), "all of it is seen"
    demo.click(window.trouble)
    demo.until(lambda: not window.trouble.parentWidget().isVisible())


def test_a_sheet_is_as_far_down_as_it_was_left(demo):
    window = demo.window
    window.resize(1280, 620)
    window.enter_step("steady")
    demo.until(lambda: not window.jobs.busy)
    area = next(each for each in window.steady.sheet.pages.findChildren(QScrollArea) if each.isVisible())
    area.verticalScrollBar().setValue(60)
    left_at = area.verticalScrollBar().value()
    assert left_at > 0
    window.enter_step("pace")
    window.enter_step("steady")
    shot = window.session.shot
    other = next(each for each in window.session.project.reel.shots if each.id != shot.id)
    window.session.choose_shot(other.id)
    demo.until(lambda: not window.jobs.busy)
    assert area.verticalScrollBar().value() == left_at
