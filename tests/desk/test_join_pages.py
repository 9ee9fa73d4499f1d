"""All cuts, what could follow, and one move: listed with reasons, tried in the viewer, taken, and undone."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from clevrin.core.document import Marker
from clevrin.core.document.edits import JudgeTakes, RemoveShots, SetBeats, SetLeaves
from clevrin.core.document.joining import Join
from clevrin.core.pace import placed_shots
from tests.films import mean_error
from tests.marks import long


@pytest.fixture
def look(demo):
    """Shows a page by clicking its button, and waits until it has lines."""

    def at(name: str):
        window = demo.window
        window.enter_step("join")
        demo.click(window.join.ways.buttons.buttons[name])
        page = window.join.ways.page
        assert page is not None and page.isVisible()
        demo.until(lambda: page.table.rowCount() > 0)
        return page

    return at


def words(table, row: int) -> list[str]:
    return [table.item(row, column).text() for column in range(table.columnCount())]


def test_kinds_are_small_moving_pictures_of_the_two_shots_best_first(demo):
    window, session = demo.window, demo.window.session
    second = session.project.reel.shots[1]
    session.do(SetLeaves(leaves=((second.id, Join()),)))
    session.choose_shot(second.id)
    window.enter_step("join")
    demo.click(window.join.ways.buttons.buttons["kinds"])
    page = window.join.ways.page
    demo.until(lambda: len(page.tiles.tiles) > 5 and all(page.tiles.pictures_of(each.id) for each in page.tiles.tiles))
    scores = [tile.score for tile in page.tiles.tiles]
    assert scores == sorted(scores, reverse=True) and page.tiles.tiles[0].id == "thrown whip"
    assert "whip cut" not in {tile.id for tile in page.tiles.tiles}  # nothing agrees here
    pictures = page.tiles.pictures_of("thrown whip")
    first, middle = (image_pixels(pictures[at]) for at in (0, len(pictures) // 2))
    assert len(pictures) > 6 and mean_error(first, middle) > 5
    assert mean_error(middle, image_pixels(page.tiles.pictures_of("flash")[3])) > 5

    before = session.project
    QTest.mouseMove(page.tiles, page.tiles.place_of("push-through").center().toPoint())
    assert "push-through: " in page.note.text() and "push-through" in window.join.take_button.text()
    at = page.tiles.place_of("push-through").center().toPoint()
    QTest.mouseClick(page.tiles, Qt.MouseButton.LeftButton, pos=at)
    assert session.project.reel.shots[1].leave.kind == "push-through"
    assert window.join.kind.buttons["push-through"].isChecked() and not window.join.take_button.isEnabled()
    session.undo()
    assert session.project == before
    demo.until(lambda: page.found is not None)
    QTest.keyClick(page.tiles, Qt.Key.Key_Left)
    assert page.tiles.pointed == "thrown whip"
    demo.key(Qt.Key.Key_Return)
    assert session.project.reel.shots[1].leave.kind == "thrown whip"

    drawn = page.tiles.pictures_of("thrown whip")
    window.join.settings.controls["direction"].slider.setValue(90)
    demo.until(lambda: page.tiles.pictures_of("thrown whip") is not drawn)
    here, there = (image_pixels(each[len(each) // 2]) for each in (drawn, page.tiles.pictures_of("thrown whip")))
    assert mean_error(here, there) > 3  # the tile of the chosen kind shows its settings


def image_pixels(image: QImage) -> np.ndarray:
    rgb = image.convertToFormat(QImage.Format.Format_RGB888)
    flat = np.frombuffer(rgb.constBits(), np.uint8).reshape(rgb.height(), rgb.bytesPerLine())
    return flat[:, : 3 * rgb.width()].astype(np.uint8)


def test_all_cuts_are_listed_and_the_chosen_one_is_joined_as_it_fits(demo, look):
    window, session = demo.window, demo.window.session
    shots = session.project.reel.shots
    session.do(SetLeaves(leaves=((shots[1].id, Join()),)))
    page = look("all")
    demo.until(lambda: words(page.table, 0)[5])
    assert page.table.rowCount() == len(shots) - 1
    first, second = words(page.table, 0), words(page.table, 1)
    assert first[4] == "whip cut" and "whip ·" in first[5] and int(first[0]) > 90
    assert second[2:5] == ["hill", "picnic", "plain cut"] and second[5] == "none" and second[6] == "thrown whip"
    QTest.keyClick(page.table, Qt.Key.Key_Down)
    assert session.shot.id == shots[1].id and window.join.take_button.isEnabled()
    demo.until(lambda: window.join.viewer.pixels and window.join.viewer.height() > 150)
    before = session.project
    demo.key(Qt.Key.Key_Return)
    assert session.project.reel.shots[1].leave.kind == "thrown whip"
    demo.until(lambda: words(page.table, 1)[4:7] == ["thrown whip", "none", "thrown whip"])
    demo.until(lambda: not window.join.take_button.isEnabled())
    session.undo()
    assert session.project == before
    demo.key(Qt.Key.Key_E)
    assert window.join.ways.page is window.join.ways.pages["next"] and not page.isVisible()
    demo.key(Qt.Key.Key_T)
    assert session.project == before  # no cut of the reel is looked at
    demo.click(window.join.ways.buttons.buttons["cut"])
    assert window.join.strips.isVisible()


def test_what_could_follow_is_tried_and_put_behind_the_shot(demo, look):
    window, session = demo.window, demo.window.session
    session.do(RemoveShots(shot_ids=tuple(shot.id for shot in session.project.reel.shots[1:])))
    session.choose_shot(session.project.reel.shots[0].id)
    page = look("next")
    names = [words(page.table, row)[1] for row in range(page.table.rowCount())]
    assert names[0] == "hill" and "walk-past" not in names and len(names) == len(session.project.takes) - 1
    assert words(page.table, 0)[2] == "whip cut"
    before = session.project
    QTest.keyClick(page.table, Qt.Key.Key_Down)
    demo.until(lambda: window.player.playing and window.join.viewer.pixels)
    assert session.project == before  # trying changes nothing
    page.table.selectRow(0)
    demo.key(Qt.Key.Key_Return)
    joined = session.project.reel.shots
    assert [session.project.take(shot.take_id).name for shot in joined] == ["walk-past", "hill"]
    assert joined[0].leave.kind == "whip cut" and session.shot.id == joined[1].id
    demo.until(lambda: "Behind hill" in page.note.text())
    session.undo()
    assert session.project == before


def test_only_kept_takes_follow_when_that_is_wanted(demo, look):
    session = demo.window.session
    page = look("next")
    demo.click(page.controls[0].buttons["keep"])
    assert page.table.rowCount() == 0 and "once there are" in page.note.text()
    picnic = next(take for take in session.project.takes if take.name == "picnic")
    session.do(JudgeTakes(take_ids=(picnic.id,), worth="keep"))
    demo.until(lambda: page.table.rowCount() == 1)
    assert words(page.table, 0)[1] == "picnic"


def test_one_move_is_proposed_taken_in_part_and_undone(demo, look):
    window, session = demo.window, demo.window.session
    session.do(RemoveShots(shot_ids=tuple(shot.id for shot in session.project.reel.shots)))
    before = session.project
    page = look("move")
    assert page.table.rowCount() == 4
    rows = [words(page.table, row) for row in range(4)]
    assert rows[0][0] == "walk-past" and rows[0][3] == "whip cut" and "whip" in rows[0][5]
    assert all(row[5] for row in rows[:-1]) and "put behind" in page.note.text()
    page.table.selectRow(1)
    demo.until(lambda: window.player.playing and window.join.viewer.pixels)
    assert session.project == before

    page.length.slider.setValue(9)
    assert page.proposed is None and not window.join.take_button.isEnabled(), "what was proposed before is of before"
    demo.key(Qt.Key.Key_Return)
    assert session.project == before
    demo.until(lambda: page.note.text().startswith(("9.0 s", "9.1 s", "8.9 s")))
    picnic = next(row for row in range(4) if words(page.table, row)[0] == "picnic")
    page.table.item(picnic, 0).setCheckState(Qt.CheckState.Unchecked)
    demo.until(lambda: words(page.table, 3)[:2] == ["picnic", "left out"])
    demo.until(lambda: window.join.take_button.isEnabled())
    demo.click(window.join.take_button)
    made = session.project
    names = [made.take(shot.take_id).name for shot in made.reel.shots]
    assert len(names) == 3 and "picnic" not in names and made.reel.shots[0].leave.kind == "whip cut"
    assert placed_shots(made)[-1].end / 30 == pytest.approx(9, abs=0.3)
    session.undo()
    assert session.project == before
    page.table.item(3, 0).setCheckState(Qt.CheckState.Checked)
    demo.until(lambda: all(words(page.table, row)[1] != "left out" for row in range(4)))
    page.length.slider.setValue(20)
    demo.until(lambda: page.note.text() == "Looking for one move.")
    demo.do("new")
    demo.until(lambda: not session.project.takes and not window.jobs.busy)
    assert page.proposed is None and not session.project.reel.shots


@long
def test_one_move_can_fall_on_beats_and_in_the_order_that_joins_best(demo, look):
    session = demo.window.session
    page = look("move")
    session.do(RemoveShots(shot_ids=tuple(shot.id for shot in session.project.reel.shots)))
    session.do(SetBeats(beats=tuple(Marker(frame=frame, kind="beat") for frame in range(0, 1200, 20))))
    demo.click(page.order.buttons["best"])
    demo.click(page.beats.buttons["beats"])
    demo.until(lambda: "fall on a beat" in page.note.text())
    assert page.proposed is not None and page.proposed.passages[0].join.kind == "whip cut"


def test_pages_without_enough_say_what_they_need(hands):
    window = hands.window
    window.enter_step("join")
    for name, needs in (
        ("kinds", "two shots"),
        ("all", "two shots"),
        ("next", "once there are"),
        ("move", "two takes"),
    ):
        hands.click(window.join.ways.buttons.buttons[name])
        assert needs in window.join.ways.page.note.text() and not window.join.take_button.isEnabled()
        hands.key(Qt.Key.Key_Return)
        assert not window.session.project.reel.shots
