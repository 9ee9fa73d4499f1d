"""The reel under the hands: choosing, looking, trimming, rolling, reordering, removing, and back again."""

import pytest
from PySide6.QtCore import Qt

from clevrin.core.document import Project, Reel, Shot, Span
from clevrin.core.pace import placed_shots
from clevrin.desk.reel.knot import Knot, knot_between
from clevrin.desk.reel.layout import ReelLayout, trimmed
from clevrin.desk.widgets import theme
from tests.core.test_document import shot, three_shots
from tests.desk.conftest import pixels_of


def middle(demo, index: int) -> tuple[float, float]:
    x, y, w, h = demo.window.reel.layout_now.shot_box(index)
    return x + w / 2, y + h - 8


def test_a_click_chooses_and_looks(demo):
    window, session = demo.window, demo.window.session
    demo.click(window.reel, middle(demo, 1))
    assert session.shot.id == session.project.reel.shots[1].id
    row = placed_shots(session.project)
    assert row[1].start <= session.playhead < row[1].end
    assert window.log.shows_reel
    demo.until(lambda: window.log.viewer.pixels)


def test_dragging_along_the_ruler_scrubs(demo):
    window, session = demo.window, demo.window.session
    layout = window.reel.layout_now
    demo.drag(window.reel, (layout.x_of(10), 8), (layout.x_of(200.5), 8))
    assert session.playhead == 200
    demo.until(lambda: window.log.transport.frame_words.startswith("frame 200 "))


def test_dragging_an_edge_trims_as_one_step(demo):
    window, session = demo.window, demo.window.session
    before = session.project
    x, y, w, h = window.reel.layout_now.shot_box(2)
    demo.drag(window.reel, (x + w - 2, y + h / 2), (x + w - 2 - 60, y + h / 2))
    span = session.project.reel.shots[2].span
    assert span.first == 20 and span.end < 160
    demo.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project == before


def test_escape_puts_back_what_is_being_dragged(demo):
    window, session = demo.window, demo.window.session
    before = session.project
    x, y, _, h = window.reel.layout_now.shot_box(1)
    demo.drag(window.reel, (x + 3, y + h - 6), (x + 80, y + h - 6), drop=False)
    assert session.project != before and "frames" in window.reel.readout
    demo.key(Qt.Key.Key_Escape)
    assert session.project == before and session.history.redo_label is None


def test_dragging_a_knot_rolls_the_cut(demo):
    window, session = demo.window, demo.window.session
    before = session.project.reel
    x, y = window.reel.layout_now.knot_centre(0)
    px = window.reel.layout_now.px_per_frame
    demo.drag(window.reel, (x, y), (x + 6.2 * px, y))
    after = session.project.reel
    assert after.shots[0].span.end - before.shots[0].span.end == 6
    assert after.shots[1].span.first - before.shots[1].span.first == 6
    assert placed_shots(session.project)[-1].end == 354  # the reel is as long as before


def test_a_click_on_a_knot_opens_its_join(demo):
    window = demo.window
    demo.click(window.reel, window.reel.layout_now.knot_centre(0))
    assert window.join.isVisible() and window.session.shot.id == window.session.project.reel.shots[0].id


def test_dragging_the_middle_reorders(demo):
    window, session = demo.window, demo.window.session
    names = lambda: [session.project.take(s.take_id).name for s in session.project.reel.shots]  # noqa: E731
    x, y = middle(demo, 0)
    end = window.reel.layout_now.x_of(350)
    demo.drag(window.reel, (x, y), (end, y))
    assert names() == ["hill", "picnic", "walk-past"]
    session.undo()
    assert names() == ["walk-past", "hill", "picnic"]


def test_delete_removes_the_chosen_shot_and_closes_the_gap(demo):
    window, session = demo.window, demo.window.session
    demo.click(window.reel, middle(demo, 1))
    demo.key(Qt.Key.Key_Delete)
    assert len(session.project.reel.shots) == 2
    row = placed_shots(session.project)
    assert row[0].end == row[1].start


def test_removing_a_take_removes_its_card_and_its_shots(demo):
    window, session = demo.window, demo.window.session
    take = session.project.takes[1]
    demo.look_at(take.id)
    demo.do("remove-take")
    assert take not in window.log.cards.listed and len(session.project.reel.shots) == 2


def test_the_reel_draws_shots_knots_and_the_chosen_one(demo):
    window = demo.window
    window.session.choose_shot(window.session.project.reel.shots[0].id)
    demo.until(lambda: pixels_of(window.reel)[40:60, 90:400].std() > 25)  # thumbnails are there
    seen = pixels_of(window.reel).astype(int)
    x, y = (round(v) for v in window.reel.layout_now.knot_centre(0))
    ember = theme.colour("ember")
    for side in (-4, 4):
        patch = seen[y + 6 : y + 9, x + side - 1 : x + side + 2].reshape(-1, 3).mean(axis=0)
        assert abs(patch[0] - ember.red()) < 30 and patch[2] < 110
    left, top, *_ = (round(v) for v in window.reel.layout_now.shot_box(0))
    assert abs(seen[top + 50, left + 1, 0] - ember.red()) < 40


def layout(width: int = 1000) -> ReelLayout:
    return ReelLayout.of(three_shots(), width, 150)


def test_points_are_what_lies_there():
    reel = layout()
    x, y, w, h = reel.shot_box(1)
    assert reel.hit(x + w / 2, y + h - 5).part == "shot" and reel.hit(x + w / 2, y + h - 5).index == 1
    assert reel.hit(x + 1, y + h - 5).part == "left edge" and reel.hit(x + w - 1, y + 4).part == "right edge"
    assert reel.hit(*reel.knot_centre(0)).part == "knot" and reel.hit(500, 5).part == "ruler"
    assert reel.hit(999, 100).part == "nothing" and reel.hit(20, 100).part == "nothing"


@pytest.mark.parametrize("frame", [0, 49, 50, 120, 164])
def test_frames_and_places_agree(frame):
    reel = layout()
    assert reel.frame_at(reel.x_of(frame + 0.5)) == frame


@pytest.mark.parametrize("by", [-1000, -7, 0, 7, 1000])
@pytest.mark.parametrize("edge", ["left edge", "right edge"])
@pytest.mark.parametrize("reverse", [False, True])
def test_a_trim_stays_within_the_take_and_keeps_a_frame(by, edge, reverse):
    project = three_shots()
    project = project.changed(
        reel=project.reel.changed(shots=(shot("s2", "t2", 5, 40, reverse=reverse), *project.reel.shots[2:]))
    )
    span = trimmed(placed_shots(project)[0], edge, by, 30.0)
    assert 0 <= span.first < span.end <= 60
    if abs(by) == 7:
        grows = (edge == "left edge") == (by < 0)
        expected = 35 + (7 if grows else -7) if not (grows and edge == "left edge" and not reverse) else 40
        assert span.frames in (expected, 40, 42, 28)


def test_an_edge_of_a_shot_played_backward_moves_the_other_end():
    project = three_shots()
    backward = shot("s1", "t1", 20, 60, reverse=True)
    project = project.changed(reel=project.reel.changed(shots=(backward,)))
    assert trimmed(placed_shots(project)[0], "right edge", -5, 30.0) == Span(first=25, end=60)
    assert trimmed(placed_shots(project)[0], "left edge", 5, 30.0) == Span(first=20, end=55)


def test_a_mismatch_opens_the_knot(demo_trace, demo_take):
    def knot(mirror) -> Knot:
        takes = demo_take("walk-past"), demo_take("bunting")
        shots = (
            Shot(take_id=takes[0].id, span=Span(first=0, end=138)),
            Shot(take_id=takes[1].id, span=Span(first=10, end=120), mirror=mirror),
        )
        row = placed_shots(Project(takes=takes, reel=Reel(shots=shots)))
        return knot_between(*row, demo_trace("walk-past"), demo_trace("bunting"))

    assert knot("horizontal").mismatch < 0.1 and abs(knot("horizontal").arriving_deg) < 5
    assert knot(None).mismatch > 0.8 and abs(abs(knot(None).arriving_deg) - 180) < 5
