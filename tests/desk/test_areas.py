"""Areas are drawn, dragged, clicked and set over the picture of a take, and used by a join."""

from fractions import Fraction

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLineEdit

from clevrin.core.document import Placement, Track
from clevrin.core.document.edits import AddTakes, AddTrack
from clevrin.core.document.files import load, save
from clevrin.core.matte import Matte, coverage
from clevrin.core.matte.areas import drawn_at
from clevrin.core.matte.matte import MattePart
from clevrin.core.media.grey_writing import GreyWriter
from clevrin.core.media.taking_in import take_in
from clevrin.demo.footage_maker import FILMED
from clevrin.demo.judging import true_coverage
from clevrin.desk.areas.edits import coloured_part, cut_part, drawn_part
from tests.desk.conftest import pixels_of
from tests.walking import AT, SIZE, Walking

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def areas(demo):
    """The sheet of areas over the first take, whose first frame is looked at."""
    take = demo.window.session.project.takes[0]
    demo.look_at(take.id)
    demo.key(Qt.Key.Key_R, SHIFT)
    sheet = demo.window.sides.areas
    assert sheet is not None and sheet.isVisible() and demo.window.log.areas.active
    demo.until(lambda: demo.window.log.viewer.pixels)
    yield demo
    sheet.close()


def place(hands, x: float, y: float) -> tuple[float, float]:
    rect = hands.window.log.viewer.picture_rect()
    return rect.x() + x * rect.width(), rect.y() + y * rect.height()


def drag(hands, start: tuple[float, float], end: tuple[float, float]) -> None:
    hands.drag(hands.window.log.viewer, place(hands, *start), place(hands, *end))


def click(hands, x: float, y: float) -> None:
    at = QPoint(*(round(v) for v in place(hands, x, y)))
    QTest.mouseClick(hands.window.log.viewer, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)


def of_take(hands):
    return hands.window.session.project.takes[0].areas


def tool(hands, name: str) -> None:
    hands.click(hands.window.sides.areas.tools.buttons[name])


def seen(hands, x: float, y: float) -> np.ndarray:
    """What is seen at a place of the picture: RGB."""
    at = place(hands, x, y)
    return pixels_of(hands.window.log.viewer)[round(at[1]), round(at[0])].astype(int)


def test_each_shape_is_drawn_with_its_tool_and_undone(areas):
    session = areas.window.session
    before = session.project
    tool(areas, "box")
    drag(areas, (0.2, 0.2), (0.6, 0.7))
    tool(areas, "disc")
    drag(areas, (0.5, 0.5), (0.6, 0.5))
    tool(areas, "half-plane")
    drag(areas, (0.3, 0.1), (0.3, 0.9))
    tool(areas, "curve")
    for at in ((0.2, 0.2), (0.4, 0.2), (0.4, 0.6), (0.2, 0.6), (0.2, 0.2)):
        click(areas, *at)
    made = of_take(areas)
    assert [each.name for each in made] == ["Box 1", "Disc 1", "Edge 1", "Curve 1"]
    assert [drawn_part(each).shape for each in made] == ["box", "disc", "half-plane", "curve"]
    box = drawn_part(made[0]).outlines[0]
    assert box.frame == areas.window.player.frame
    assert box.places[0] == pytest.approx((0.2 * 1280, 0.2 * 720), abs=3)
    assert box.places[2] == pytest.approx((0.6 * 1280, 0.7 * 720), abs=3)
    assert len(drawn_part(made[3]).outlines[0].places) == 4
    assert areas.window.log.areas.drawing.tool == "look" and areas.window.log.areas.edits.chosen == made[3]
    for _ in made:
        session.undo()
    assert session.project == before


def test_points_are_dragged_on_another_frame_and_it_goes_with_the_picture_between(areas):
    window, session = areas.window, areas.window.session
    tool(areas, "box")
    drag(areas, (0.3, 0.3), (0.5, 0.6))
    first = window.player.frame
    window.player.seek(first + 20)
    areas.until(lambda: window.log.transport.frame_words.startswith(f"frame {first + 20} "))
    take = session.project.takes[0]
    chain = window.measurements.store.chain(take, window.measurements.trace(take))
    part = drawn_part(of_take(areas)[0])
    carried = drawn_at(part, first + 20, chain, {})
    assert np.abs(np.array(carried) - np.array(part.outlines[0].places)).max() > 2  # the camera has moved
    corner = (carried[0][0] + 0.5) / 1280, (carried[0][1] + 0.5) / 720
    drag(areas, corner, (corner[0] + 0.05, corner[1] + 0.05))
    part = drawn_part(of_take(areas)[0])
    assert [each.frame for each in part.outlines] == [first, first + 20]
    assert part.outlines[1].places[0] == pytest.approx((carried[0][0] + 64, carried[0][1] + 36), abs=3)
    assert part.outlines[1].places[2] == pytest.approx(carried[2], abs=0.01)
    middle = (corner[0] + 0.1, corner[1] + 0.12)
    drag(areas, middle, (middle[0], middle[1] + 0.1))  # all of it
    moved = drawn_part(of_take(areas)[0]).outlines[1].places
    assert moved[2] == pytest.approx((carried[2][0], carried[2][1] + 72), abs=3)
    areas.click(window.sides.areas.sheet.controls["along"].buttons["nothing"])
    assert drawn_part(of_take(areas)[0]).along == "nothing"
    session.undo()
    session.undo()
    session.undo()
    assert len(drawn_part(of_take(areas)[0]).outlines) == 1


def test_colours_are_clicked_and_what_belongs_is_seen_in_three_ways(areas):
    window, session = areas.window, areas.window.session
    tool(areas, "colour")
    click(areas, 0.5, 0.93)  # the grass at the foot
    click(areas, 0.7, 0.9)
    (area,) = of_take(areas)
    part = coloured_part(area)
    assert len(part.picks) == 2 and part.picks[0].lab[1] < -5  # green
    tool(areas, "colour")  # pressed again it draws no more
    assert window.log.areas.drawing.tool == "look"
    sheet = window.sides.areas
    areas.click(sheet.seen.buttons["grey"])
    assert (seen(areas, 0.5, 0.93) > 200).all() and (seen(areas, 0.5, 0.3) < 60).all()
    areas.click(sheet.seen.buttons["alone"])
    plain = seen(areas, 0.5, 0.3)
    assert plain[2] > plain[1] and np.ptp(seen(areas, 0.5, 0.93)) < 140
    areas.click(sheet.sheet.controls["inverted"])
    areas.click(sheet.seen.buttons["grey"])
    assert (seen(areas, 0.5, 0.93) < 60).all()
    sheet.sheet.controls["tolerance"].slider.setValue(0)
    assert coloured_part(of_take(areas)[0]).tolerance == pytest.approx(0.5)
    session.undo()
    assert coloured_part(of_take(areas)[0]).tolerance == 14


def test_escape_drops_what_is_drawn_and_a_closed_sheet_gives_the_picture_back(areas):
    window = areas.window
    tool(areas, "curve")
    click(areas, 0.2, 0.2)
    click(areas, 0.4, 0.2)
    areas.key(Qt.Key.Key_Escape)
    assert window.log.areas.drawing.tool == "curve" and of_take(areas) == ()
    areas.key(Qt.Key.Key_Escape)
    assert window.log.areas.drawing.tool == "look"
    tool(areas, "box")
    drag(areas, (0.5, 0.5), (0.501, 0.5))  # hardly moved: no area
    assert of_take(areas) == ()
    window.sides.areas.close()
    assert not window.log.areas.active
    tool_of_marks = window.log.mark_buttons["surface"]
    areas.click(tool_of_marks)
    drag(areas, (0.4, 0.4), (0.6, 0.6))
    assert len(window.session.project.takes[0].tracks) == 1 and of_take(areas) == ()


def test_an_area_is_chosen_removed_saved_and_goes_into_a_join(areas, tmp_path):
    window, session = areas.window, areas.window.session
    sheet = window.sides.areas
    for at in (0.3, 0.6):
        tool(areas, "half-plane")
        drag(areas, (at, 0.1), (at, 0.9))
    assert [sheet.areas.item(row, 0).text() for row in range(sheet.areas.rowCount())] == ["Edge 1", "Edge 2"]
    sheet.areas.cellClicked.emit(0, 0)
    assert window.log.areas.edits.chosen.name == "Edge 1"
    areas.click(sheet.remove_button)
    assert [each.name for each in of_take(areas)] == ["Edge 2"]
    save(session.project, tmp_path / "p.clevrin")
    assert load(tmp_path / "p.clevrin") == session.project
    session.choose_shot(session.project.reel.shots[0].id)
    areas.key(Qt.Key.Key_5)
    areas.click(window.join.kind.buttons["passing edge"])
    combo = window.join.settings.controls["area"].property("combo")
    assert [combo.itemText(at) for at in range(combo.count())] == ["none", "Edge 2 in walk-past"]
    combo.setCurrentIndex(1)
    combo.activated.emit(1)
    leave = session.project.reel.shots[0].leave
    assert leave.kind == "passing edge" and leave.given["area"] == of_take(areas)[0].id
    assert window.join.settings.controls["side"].buttons["this"].isChecked()


@pytest.fixture
def cutting(areas, tmp_path):
    """The sheet over a film of somebody who walks, looked at where they are to be cut out."""
    window, walk = areas.window, Walking(tmp_path / "films")
    take = take_in(walk.path)
    window.session.do(AddTakes(takes=(take,)))
    window.session.choose_take(take.id)
    areas.until(lambda: window.measurements.trace(take) is not None)
    window.player.seek(AT)
    areas.until(lambda: window.log.areas.drawing.frame == AT and window.log.viewer.pixels)
    return areas, walk, take.id


def around(walk) -> tuple[tuple[float, float], tuple[float, float]]:
    left, top, right, bottom = walk.around().box
    return (left / SIZE[0], top / SIZE[1]), (right / SIZE[0], bottom / SIZE[1])


def test_a_subject_is_cut_out_by_a_box_corrected_by_strokes_and_undone(cutting):
    hands, walk, take_id = cutting
    window, session, sheet = hands.window, hands.window.session, hands.window.sides.areas

    def part():
        return cut_part(session.project.take(take_id).areas[0])

    def found():
        return window.mask_jobs.cuts(session.project.take(take_id)).get(part())

    tool(hands, "cut-out")
    drag(hands, *around(walk))
    assert part().around[0].frame == AT
    assert part().around[0].box == pytest.approx(walk.around().box, abs=1)
    hands.until(lambda: found() is not None)
    before = found()
    hands.click(sheet.seen.buttons["grey"])
    hands.until(lambda: (seen(hands, 84 / 256, 76 / 144) > 200).all())  # its middle
    beside = (84 + 24) / 256
    assert (seen(hands, beside, 0.5) < 60).all()
    assert window.log.areas.lanes.isVisible() and "frame" in sheet.told.text()
    assert not sheet.strokes_button.isVisible()
    hands.click(sheet.follow_button)
    (track,) = session.project.take(take_id).tracks
    assert track.area_id == session.project.take(take_id).areas[0].id and not sheet.follow_button.isVisible()
    hands.until(lambda: window.track_jobs.of(track) is not None)
    assert window.track_jobs.of(track).places[20, 0] == pytest.approx((100, 76), abs=1.5)
    hands.click(sheet.corrected.buttons["belongs"])
    drag(hands, (beside, 0.44), (beside, 0.6))
    assert [each.belongs for each in part().strokes] == [True] and part().strokes[0].frame == AT
    hands.until(lambda: found() not in (None, before))
    covered = coverage(Matte(parts=(MattePart(of=found()[AT]),)), SIZE, SIZE)
    assert covered[65:84, 108].min() > 0.8 and covered[65:84, 120].max() < 0.2  # under the stroke, and beside it
    hands.click(sheet.corrected.buttons["apart"])  # it stays chosen from stroke to stroke
    drag(hands, (84 / 256, 0.35), (86 / 256, 0.4))
    assert [each.belongs for each in part().strokes] == [True, False]
    assert sheet.strokes_button.isVisible()
    hands.click(sheet.strokes_button)
    assert part().strokes == ()
    for _ in range(3):
        session.undo()
    assert part().strokes == ()
    hands.until(lambda: found() == before)
    session.undo()
    session.undo()
    assert session.project.take(take_id).areas == () and session.project.take(take_id).tracks == ()


def test_what_moves_by_itself_is_cut_out_by_a_click(areas, monkeypatch):
    hands, sheet = areas, areas.window.sides.areas
    hill = hands.window.session.project.takes[1]
    hands.look_at(hill.id)
    monkeypatch.setattr(hands.window.mask_jobs, "_measure", lambda *_: None)  # cutting out is tried elsewhere
    assert not sheet.movers_setting.isVisible()
    tool(hands, "cut-out")
    hands.until(lambda: sheet.movers_setting.isVisible() and sheet.movers.buttons)
    hands.until(lambda: sheet.movers.buttons[0].height() > 10)
    hands.click(sheet.movers.buttons[0])
    (area,) = hands.window.session.project.takes[1].areas
    around = area.cut_outs[0].around[0]
    true = true_coverage(FILMED["hill"], (9, 10, *range(7)), around.frame) > 0.5
    left, top, right, bottom = (round(each) for each in around.box)
    assert true[top : bottom + 1, left : right + 1].mean() > 0.02  # a kite is thin
    hands.until(lambda: hands.window.log.areas.drawing.frame == around.frame)
    assert not sheet.movers_setting.isVisible()


def test_an_area_goes_with_what_is_followed(areas):
    hands, sheet = areas, areas.window.sides.areas
    take = hands.window.session.project.takes[0]
    tool(hands, "box")
    drag(hands, (0.3, 0.4), (0.5, 0.6))
    assert not sheet.track_setting.isVisible()
    kite = Track(name="kite", kind="point", placed=(Placement(frame=0, places=((500, 300),)),))
    hands.window.session.do(AddTrack(take_id=take.id, track=kite))
    hands.until(sheet.track_setting.isVisible)
    sheet.track.setCurrentIndex(1)
    sheet.track.activated.emit(1)
    part = drawn_part(of_take(hands)[0])
    assert (part.along, part.track_id) == ("track", kite.id)
    sheet.track.setCurrentIndex(0)
    sheet.track.activated.emit(0)
    assert drawn_part(of_take(hands)[0]).along == "picture"


def test_an_area_is_taken_out_of_another_and_put_back(areas):
    hands, sheet = areas, areas.window.sides.areas
    for start, end in (((0.3, 0.4), (0.5, 0.6)), ((0.2, 0.3), (0.8, 0.7))):
        tool(hands, "box")
        drag(hands, start, end)
    small, large = of_take(hands)
    sheet.pages.show_page("mixed")
    hands.until(lambda: sheet.combining[0].isVisible())
    without = sheet.combined["without"]
    assert [without.itemText(k) for k in range(without.count())] == ["nothing", small.name]
    whole = seen(hands, 0.4, 0.5)
    without.setCurrentIndex(1)
    without.activated.emit(1)
    assert [each.mode for each in of_take(hands)[1].parts] == ["add", "without"]
    hands.until(lambda: (seen(hands, 0.4, 0.5) != whole).any())
    assert (seen(hands, 0.7, 0.6) != seen(hands, 0.9, 0.6)).any()
    sheet.areas.row_chosen.emit(large.id, 0)
    assert without.currentText() == small.name
    without.setCurrentIndex(0)
    without.activated.emit(0)
    assert len(of_take(hands)[1].parts) == 1
    hands.until(lambda: (seen(hands, 0.4, 0.5) == whole).all())


def test_an_area_is_left_out_of_measuring_and_counts_again(cutting):
    hands, walk, take_id = cutting
    window, session, sheet = hands.window, hands.window.session, hands.window.sides.areas
    take = session.project.take(take_id)
    before = window.measurements.trace(take)
    tool(hands, "box")
    drag(hands, *around(walk))
    sheet.pages.show_page("mixed")
    hands.until(lambda: sheet.sheet.controls["left-out"].isVisible())
    hands.click(sheet.sheet.controls["left-out"])
    apart = session.project.take(take_id)
    assert [each.left_out for each in apart.areas] == [True]
    hands.until(lambda: window.measurements.trace(apart) is not None)
    after = window.measurements.trace(apart)
    assert after.frames == before.frames and not np.array_equal(after.motions, before.motions)
    vectors = window.measurements.vectors(apart, AT)
    box = np.array(around(walk))
    assert len(vectors.after) > 20 and not ((vectors.after > box[0]) & (vectors.after < box[1])).all(axis=1).any()
    assert sheet.areas.item(0, 1).text() == "1 frame, left out"
    session.undo()
    assert window.measurements.trace(session.project.take(take_id)) is before


def test_a_curve_clings_to_its_edge_and_asks_where_it_is_lost(cutting):
    hands, walk, take_id = cutting
    window, sheet = hands.window, hands.window.sides.areas
    left, top, right, bottom = walk.around().box
    x, y = (left + right) / 2 / 256, (top + bottom) / 2 / 144
    tool(hands, "disc")
    drag(hands, (x, y), (x + 14 / 256, y))
    window.log.areas.edits.move(AT, np.array([[60 + 2.0 * AT, 76], [73 + 2.0 * AT, 76], [60 + 2.0 * AT, 112]]))
    hands.click(sheet.sheet.controls["along"].buttons["edges"])
    (area,) = window.session.project.take(take_id).areas
    assert area.clinging and window.log.areas.lanes.isVisible()
    hands.until(lambda: window.mask_jobs.clung(window.session.project.take(take_id)))
    hands.until(lambda: "sure" in sheet.told.text() or "lost" in sheet.told.text())
    window.player.seek(20, scrubbing=False)
    hands.until(lambda: window.log.areas.drawing.frame == 20)
    take = window.session.project.take(take_id)
    curve = window.mask_jobs.clung(take)[area.clinging[0]]
    middle = np.argwhere(walk.true[20] > 0.5).mean(axis=0)[::-1]
    assert curve.places[20].mean(axis=0) == pytest.approx(middle, abs=1.5)
    ours = window.log.areas.drawing.places_of(area.clinging[0], take)
    drag(hands, ((ours[1][0] + 0.5) / 256, (ours[1][1] + 0.5) / 144), ((ours[1][0] + 3.5) / 256, 0.53))
    assert [o.frame for o in drawn_part(window.session.project.take(take_id).areas[0]).outlines] == [AT, 20]


def test_a_film_of_an_area_is_chosen_or_refused(cutting, tmp_path):
    hands, walk, take_id = cutting
    window, sheet = hands.window, hands.window.sides.areas
    (tmp_path / "none.mkv").write_text("kites")
    sheet.add_film(tmp_path / "none.mkv")
    assert "none.mkv" in sheet.trouble.text() and window.session.project.take(take_id).areas == ()
    path = tmp_path / "area.mkv"
    with GreyWriter(path, rate=Fraction(25), size=SIZE) as writer:
        for cover in walk.true:
            writer.write(cover)
    hands.click(sheet.film_button)
    dialog = sheet.findChild(QFileDialog, "files")
    dialog.findChild(QLineEdit, "fileNameEdit").setText(str(path))
    QTest.keyClick(dialog.findChild(QLineEdit, "fileNameEdit"), Qt.Key.Key_Return)
    hands.until(lambda: window.session.project.take(take_id).areas)
    hands.until(lambda: window.mask_jobs.cuts(window.session.project.take(take_id)))
    hands.until(lambda: sheet.told.text() == "It is as the film shows it.")
    hands.click(sheet.seen.buttons["grey"])
    inside = walk.around().box
    at = (inside[0] + inside[2]) / 2 / 256, (inside[1] + inside[3]) / 2 / 144
    hands.until(lambda: seen(hands, *at).min() > 200 and seen(hands, 0.9, 0.1).max() < 40)


def test_a_stopped_cut_out_waits_until_it_is_asked_to_go_on(cutting):
    hands, walk, take_id = cutting
    window, session, sheet = hands.window, hands.window.session, hands.window.sides.areas
    tool(hands, "cut-out")
    drag(hands, *around(walk))
    area = session.project.take(take_id).areas[0]
    window.jobs.stop(("cut-out", take_id, area.id, 0))
    hands.until(lambda: not window.jobs.busy)
    sheet.refresh()
    assert sheet.resume_button.isVisible()
    hands.click(sheet.resume_button)
    hands.until(lambda: window.mask_jobs.cuts(session.project.take(take_id)))
    assert not sheet.resume_button.isVisible()
    # A correction that is stopped waits as well, and what was known before it stays.
    window.log.areas.edits.stroke(AT, np.array([[110.0, 60.0], [110.0, 90.0]]), 8.0, belongs=True)
    window.jobs.stop(("cut-out", take_id, area.id, 0))
    hands.until(lambda: not window.jobs.busy)
    sheet.refresh()
    assert sheet.told.text().startswith("Stopped.")
    assert sheet.resume_button.isVisible() and window.mask_jobs.cuts(session.project.take(take_id))
    hands.click(sheet.resume_button)
    hands.until(lambda: not window.jobs.busy)
    sheet.refresh()
    assert not sheet.resume_button.isVisible()
    hands.click(sheet.seen.buttons["alone"])
    lanes = window.log.areas.lanes
    at = lanes.place_of(area.id, 0).toPoint()
    QTest.mouseClick(lanes, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    hands.until(lambda: window.log.areas.drawing.frame == 0)
