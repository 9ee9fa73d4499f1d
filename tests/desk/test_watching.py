"""Watching in the Finish bench: all of a screen, outputs beside each other, safe areas and scopes."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from clevrin.core.document import Output
from clevrin.core.document.edits import AddOutput
from clevrin.desk.finish.sheet import WATCH
from tests.desk.conftest import pixels_of


@pytest.fixture
def watching(demo):
    """The Finish bench with its page of watching, over a reel with an upright output and a square one."""
    session = demo.window.session
    for output in (Output(id="square", name="square", width=500, height=500),):
        session.do(AddOutput(output=output))
    demo.key(Qt.Key.Key_6)
    demo.click(demo.window.finish.sheet.pages.buttons[WATCH])
    shown(demo)
    return demo


def shown(hands) -> None:
    """Waits until the bench shows what it is to show."""
    finish = hands.window.finish
    arrived: list[int] = []
    hands.until(lambda: not finish.reloading)
    keep = hands.window.player.shown.connect(lambda frame, _: arrived.append(frame))
    hands.window.player.seek(hands.window.player.frame)
    hands.until(lambda: arrived)
    hands.window.player.shown.disconnect(keep)


def test_outputs_play_in_step_beside_the_reel(watching):
    stage = watching.window.finish.stage
    outputs = watching.window.session.project.outputs
    assert not any(each.isVisible() for each in stage.others)
    watching.click(watching.window.finish.sheet.beside.buttons["all"])
    shown(watching)
    seen = [each for each in stage.others if each.isVisible()]
    assert len(seen) == len(outputs) == 2
    assert [each.label.text().split(" · ")[0] for each in seen] == [each.name for each in outputs]
    for place, output in zip(seen, outputs, strict=True):
        height, width = place.viewer.pixels[0].shape[:2]
        assert width / height == pytest.approx(output.width / output.height, rel=0.02)
    watching.window.player.seek(60)
    shown(watching)
    assert watching.window.player.frame == 60
    combo = watching.window.finish.sheet.output
    combo.setCurrentIndex(combo.findData("square"))
    combo.activated.emit(combo.findData("square"))
    shown(watching)
    assert stage.main.label.text().startswith("square") and seen[0].label.text().startswith("the reel")
    watching.click(watching.window.finish.sheet.beside.buttons["alone"])
    shown(watching)
    assert not any(each.isVisible() for each in stage.others) and not stage.main.label.isVisible()


def test_the_picture_fills_a_screen_as_large_as_that_is_and_escape_gives_it_back(watching):
    window, stage = watching.window, watching.window.finish.stage
    before = stage.viewer.pixels[0].shape
    watching.key(Qt.Key.Key_F11)
    watching.until(lambda: stage.big is not None and stage.big.isActiveWindow())
    assert stage.big.isFullScreen() and stage.big.size() == stage.big.screen().size()
    shown(watching)
    assert stage.big.viewer.pixels[0].shape[0] > before[0]
    assert np.array_equal(stage.big.viewer.pixels[0], stage.viewer.pixels[0])
    at = window.player.frame
    QTest.keyClick(stage.big, Qt.Key.Key_Right)  # its keys are those of the main window
    watching.until(lambda: window.player.frame == at + 1)
    QTest.keyClick(stage.big, Qt.Key.Key_Escape)
    assert stage.big is None
    shown(watching)
    assert stage.viewer.pixels[0].shape == before
    watching.click(window.finish.sheet.screen_button)
    assert stage.big is not None
    window.activateWindow()
    watching.until(lambda: window.isActiveWindow())
    watching.key(Qt.Key.Key_1)  # another step has no big picture
    assert stage.big is None


def test_safe_areas_are_drawn_over_the_picture_and_not_into_it(watching):
    viewer, sheet = watching.window.finish.viewer, watching.window.finish.sheet
    before, picture = pixels_of(viewer).astype(int), viewer.pixels[0].copy()
    watching.click(sheet.drawn.buttons["safe"])
    shown(watching)
    changed = np.abs(pixels_of(viewer).astype(int) - before).max(axis=-1) > 20
    rect = viewer.picture_rect()
    inside = changed[rect.top() : rect.bottom(), rect.left() : rect.right()]
    rows, columns = np.nonzero(inside)
    assert rows.min() / inside.shape[0] == pytest.approx(0.035, abs=0.01)
    assert columns.min() / inside.shape[1] == pytest.approx(0.035, abs=0.01)
    middle = inside[inside.shape[0] // 4 : -inside.shape[0] // 4, inside.shape[1] // 3 : -inside.shape[1] // 3]
    assert not middle.any() and np.array_equal(viewer.pixels[0], picture)


def test_scopes_show_the_picture_that_is_looked_at(watching):
    stage, sheet = watching.window.finish.stage, watching.window.finish.sheet
    assert not stage.scopes.isVisible()
    watching.click(sheet.drawn.buttons["light"])
    watching.click(sheet.drawn.buttons["colour"])
    shown(watching)
    assert stage.scopes.isVisible()
    one = pixels_of(stage.scopes)
    assert (one.max(axis=-1) > 120).sum() > 300  # something is counted
    watching.window.player.seek(300)
    watching.until(lambda: not np.array_equal(pixels_of(stage.scopes), one))
    watching.click(sheet.drawn.buttons["light"])
    watching.click(sheet.drawn.buttons["colour"])
    assert not stage.scopes.isVisible()
