"""Areas are made where they are needed: in Join for a join, in Pace for what stays sharp; with a lane for each."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from clevrin.core.document import Area, AreaPart, Drawn, Outline
from clevrin.core.document.edits import PutArea
from tests.desk.conftest import pixels_of
from tests.marks import long

SHIFT = Qt.KeyboardModifier.ShiftModifier


def box(name: str, *frames: int) -> Area:
    outlines = tuple(
        Outline(frame=k, places=((100.0, 100.0), (400.0, 100.0), (400.0, 300.0), (100.0, 300.0))) for k in frames
    )
    return Area(id=name, name=name, parts=(AreaPart(of=Drawn(shape="box", outlines=outlines)),))


def drag(hands, viewer, start: tuple[float, float], end: tuple[float, float]) -> None:
    rect = viewer.picture_rect()
    first, last = ((rect.x() + x * rect.width(), rect.y() + y * rect.height()) for x, y in (start, end))
    hands.drag(viewer, first, last)


@pytest.fixture
def pace(demo):
    demo.window.session.choose_shot(demo.window.session.project.reel.shots[0].id)
    demo.key(Qt.Key.Key_4)
    demo.until(lambda: demo.window.pace.viewer.pixels)
    return demo


@pytest.fixture
def join(demo):
    demo.window.session.choose_shot(demo.window.session.project.reel.shots[0].id)
    demo.key(Qt.Key.Key_5)
    demo.until(lambda: demo.window.join.viewer.pixels)
    return demo


def test_in_pace_an_area_is_drawn_on_the_take_and_is_what_stays_sharp(pace):
    window, session = pace.window, pace.window.session
    bench, shot = window.pace, session.shot
    bench.look_at(6)
    pace.until(lambda: window.player.frame == bench.seen.placed.start + 6)
    at = round(float(bench.seen.instants[6]))
    pace.key(Qt.Key.Key_R, SHIFT)
    sheet = window.sides.areas
    assert window.bench is bench and sheet.isVisible() and bench.areas.active
    pace.until(lambda: bench.areas.drawing.frame == at and window.player.frame == at)
    assert bench.transport.frame_words == f"frame {at} of {session.project.take(shot.take_id).facts.frames}"
    pace.click(sheet.tools.buttons["box"])
    drag(pace, bench.viewer, (0.3, 0.3), (0.6, 0.7))
    (area,) = session.project.take(shot.take_id).areas
    assert area.parts[0].of.outlines[0].frame == at
    assert session.shot.pace.shutter.sharp.area == area.id
    bench.look_at(2)  # a place of the shot is a place of its take
    pace.until(lambda: window.player.frame == round(float(bench.seen.instants[2])))
    sheet.close()
    assert not bench.areas.active and not bench.areas.lanes.isVisible()
    pace.until(lambda: window.player.frame == bench.seen.placed.start + 2)
    session.undo()
    session.undo()
    assert session.project.take(shot.take_id).areas == () and session.shot.pace.shutter.sharp is None


def test_in_join_an_area_of_either_take_is_drawn_and_the_join_goes_by_it(join):
    window, session = join.window, join.window.session
    bench, (outgoing, incoming) = window.join, join.window.join.pair
    join.click(bench.kind.buttons["passing edge"])
    join.key(Qt.Key.Key_R, SHIFT)
    sheet = window.sides.areas
    takes = [session.project.take(each.take_id) for each in (outgoing, incoming)]
    assert [sheet.of_take.itemText(k) for k in range(sheet.of_take.count())] == [each.name for each in takes]
    join.until(lambda: bench.areas.drawing.frame == outgoing.last_shown)
    playhead = session.playhead
    sheet.of_take.setCurrentIndex(1)
    sheet.of_take.activated.emit(1)
    join.until(lambda: bench.areas.drawing.frame == incoming.first_shown)
    assert session.playhead == playhead  # frames of a take are none of the reel
    join.click(sheet.tools.buttons["half-plane"])
    drag(join, bench.viewer, (0.4, 0.1), (0.4, 0.9))
    (area,) = session.project.take(incoming.take_id).areas
    leave = session.project.reel.shots[0].leave
    assert leave.given["area"] == area.id and bench.settings.controls["side"].buttons["next"].isChecked()
    overlay = bench.viewer.overlay
    join.key(Qt.Key.Key_3)
    assert not sheet.isVisible() and not bench.areas.active  # it goes with its bench
    join.key(Qt.Key.Key_5)
    assert bench.viewer.overlay is bench.hand is not overlay
    join.until(lambda: window.player.programme is not None and window.player.programme.loop is not None)


def test_where_no_take_is_joined_areas_are_made_in_log(hands):
    hands.key(Qt.Key.Key_5)
    hands.key(Qt.Key.Key_R, SHIFT)
    assert hands.window.bench is hands.window.log and hands.window.sides.areas.isVisible()
    hands.window.sides.areas.close()


def test_escape_drops_what_is_drawn_before_the_bench_hears_of_it(pace):
    window = pace.window
    pace.key(Qt.Key.Key_R, SHIFT)
    pace.click(window.sides.areas.tools.buttons["box"])
    assert window.pace.areas.drawing.tool == "box"
    pace.key(Qt.Key.Key_Escape)
    assert window.pace.areas.drawing.tool == "look"
    window.sides.areas.close()


def test_every_area_has_a_lane_that_is_clicked(demo):
    window, session = demo.window, demo.window.session
    take = session.project.takes[0]
    for area in (box("kite", 10, 60), box("sign", 30)):
        session.do(PutArea(take_id=take.id, area=area))
    demo.look_at(take.id)
    lanes = window.log.areas.lanes
    assert not lanes.isVisible()
    demo.key(Qt.Key.Key_R, SHIFT)
    demo.until(lambda: lanes.isVisible())
    assert [(each.name, each.said) for each in lanes.lanes] == [("kite", (10, 60)), ("sign", (30,))]
    at = lanes.place_of("kite", 60)
    QTest.mouseClick(lanes, Qt.MouseButton.LeftButton, pos=QPoint(round(at.x()) + 3, round(at.y())))
    demo.until(lambda: window.log.areas.drawing.frame == 60)  # near a sail: where it stands
    assert window.log.areas.edits.chosen.name == "kite"
    drawn = pixels_of(lanes).astype(int)
    sail = drawn[round(at.y()) + 3, round(at.x()) + 1]
    beside = drawn[round(at.y()) + 3, round(lanes.place_of("kite", 80).x())]
    assert np.abs(sail - beside).max() > 80
    assert lanes.place_of("kite", 60).x() == pytest.approx(window.log.ridge.x_of_frame(60), abs=1.5)
    for k in range(5):
        session.do(PutArea(take_id=take.id, area=box(f"more {k}", 5)))
    demo.until(lambda: len(lanes.lanes) == 7)
    assert lanes.height() < 5 * 40
    window.sides.areas.close()


def test_how_much_of_an_area_counts_is_said_at_frames(demo):
    window, session = demo.window, demo.window.session
    take = session.project.takes[0]
    session.do(PutArea(take_id=take.id, area=box("kite", 10)))
    demo.look_at(take.id)
    demo.key(Qt.Key.Key_R, SHIFT)
    sheet = window.sides.areas
    sheet.pages.show_page("edge")
    for frame, words in ((20, "100"), (40, "0"), (41, "much")):
        window.player.seek(frame)
        demo.until(lambda frame=frame: window.log.areas.drawing.frame == frame)
        sheet.counts.entry.setText(words)
        sheet.counts.entry.returnPressed.emit()
    assert sheet.trouble.text() == "Counts here goes from 0% to 100%."
    (area,) = session.project.takes[0].areas
    assert [(each.frame, each.share) for each in area.seen] == [(20, 1), (40, 0)]
    window.player.seek(30)
    demo.until(lambda: sheet.counts.number == pytest.approx(0.5))
    assert window.log.areas.lanes.lanes[0].seen == (20, 40)
    demo.click(sheet.alike_button)
    assert session.project.takes[0].areas[0].seen == ()
    sheet.close()


@long
def test_a_passing_edge_is_cut_under_cover_and_the_next_shot_arrives_as_fast_as_it(join):
    """The area covers all of the picture about a frame of the first take; cut there, and undone."""
    window, session, bench = join.window, join.window.session, join.window.join
    row, (outgoing, incoming) = bench.covering, bench.pair
    assert not row.isVisible()
    join.click(bench.kind.buttons["passing edge"])
    assert row.isVisible() and not row.speed_button.isEnabled()
    take = session.project.take(outgoing.take_id)
    width, end = float(take.facts.width), outgoing.span.end
    # An edge comes in from the left, covers all for ten frames about the shot's end, and its other side goes out.
    places = ((end - 25, -9.0), (end - 5, width + 9), (end + 4, width + 9))
    outlines = tuple(Outline(frame=k, places=((x, 700.0), (x, 0.0))) for k, x in places if k < take.facts.frames)
    edge = Drawn(shape="half-plane", outlines=outlines, along="nothing")
    session.do(PutArea(take_id=take.id, area=Area(id="edge", name="edge", parts=(AreaPart(of=edge, inverted=True),))))
    bench._on_setting_changing("area", "edge", "")
    before = session.project
    join.until(lambda: not window.jobs.busy)
    join.click(row.cover_button)
    join.until(lambda: row.note.text())
    assert "by the area" in row.note.text() and "(1 of" in row.note.text(), row.note.text()
    cut = session.project.shot(outgoing.id).span.end - 1
    assert end - 6 <= cut < take.facts.frames and session.project.shot(incoming.id).span == incoming.span
    session.undo()
    assert session.project == before
    join.click(row.speed_button)
    join.until(lambda: row.note.text())
    points = session.project.shot(incoming.id).pace.points
    assert row.note.text().startswith("The edge goes 1.5 widths a second: arrives at 0.")  # it arrives out of a whip
    assert [each.speed < 0.9 for each in points] == [True, False]
    session.undo()
    assert session.project == before
