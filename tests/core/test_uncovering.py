"""Full cover is found and cut under, and the next shot arrives as fast as the edge that uncovers it goes."""

from fractions import Fraction

import numpy as np
import pytest

from clevrin.core.document import Area, AreaPart, Drawn, Join, Outline, Project, Reel, Shot, Span
from clevrin.core.errors import ClevrinError
from clevrin.core.join.uncovering import Covered, covered_stretches, cuts_under_cover, edge_speed
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.progress import Silent
from clevrin.core.render.reports.occlusion import find_cover, passing_speed
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.core.traces import trace_of
from tests.films import texture

SIZE = (320, 180)
MEADOW = texture(3, 500)[:180, :320]
COAT = texture(11, 500)[:180, :320] // 2
GREY = (70.0, 0.0, 0.0)


def passed(frame: int, first: int, end: int, what) -> np.ndarray:
    """A meadow that is covered from the left between two frames, and uncovered from the left after ten more."""
    seen = MEADOW.copy()
    front = round(SIZE[0] * np.clip((frame - first) / (end - first), 0, 1))
    back = round(SIZE[0] * np.clip((frame - end - 10) / (end - first), 0, 1))
    seen[:, back:front] = what[:, back:front] if isinstance(what, np.ndarray) else what
    return seen


@pytest.mark.parametrize(("what", "why"), [((6, 5, 8), "dark"), ((150, 40, 60), "of one colour"), (COAT, None)])
def test_what_is_dark_or_of_one_colour_covers_and_a_coat_does_not_by_itself(what, why):
    found = covered_stretches(range(60), lambda frame: picture_from_rgb(passed(frame, 10, 20, what)), None, Silent())
    assert [(each.first, each.end, each.why) for each in found] == ([] if why is None else [(20, 31, why)])


def test_an_area_covers_whatever_is_in_it():
    def cover(frame: int) -> np.ndarray:
        made = np.zeros((90, 160), np.float32)
        made[:, : round(160 * np.clip((frame - 10) / 10, 0, 1))] = 1
        return made if frame < 30 else np.zeros_like(made)

    (found,) = covered_stretches(range(60), lambda _: picture_from_rgb(MEADOW), cover, Silent())
    assert (found.first, found.end, found.why, found.middle) == (20, 30, "by the area", 24)
    assert found.words == "frames 20 to 29, by the area"
    assert edge_speed(cover, range(11, 19), 25.0) == pytest.approx(0.1 * 25, rel=0.08)
    assert edge_speed(cover, range(32, 40), 25.0) is None


@pytest.mark.parametrize("step", [(6.0, 0.0), (0.0, 4.0), (-5.0, 3.0), (22.0, 0.0)])
def test_the_speed_of_an_edge_is_that_of_somebody_who_passes(step):
    """A walker covers as much on every frame: it is the outline that goes, its sides along themselves."""
    rows, columns = np.mgrid[:180, :320]

    def cover(frame: int) -> np.ndarray:
        x, y = np.array([120.0, 60.0]) + np.array(step) * frame
        return ((((columns - x) / 35) ** 2 + ((rows - y) / 50) ** 2) < 1).astype(np.float32)

    assert edge_speed(cover, range(6), 30.0) == pytest.approx(np.hypot(*step) / 320 * 30, rel=0.15)


def test_cuts_are_ranked_by_both_sides_colour_and_nearness():
    near = Covered(first=38, end=43, why="dark", lab=(5.0, 0, 0))
    far = Covered(first=100, end=110, why="dark", lab=(5.0, 0, 0))
    red = Covered(first=2, end=7, why="of one colour", lab=(40.0, 60, 30))
    dark = Covered(first=8, end=13, why="dark", lab=(6.0, 0, 0))
    best, *others = cuts_under_cover((far, near), (red, dark), (45, 0))
    assert (best.outgoing, best.incoming) == (near, dark)
    assert len(others) == 7 and all(each.outgoing or each.incoming for each in others)
    assert cuts_under_cover((), (), (0, 0)) == ()
    (alone,) = cuts_under_cover((near,), (), (45, 0))
    assert (alone.outgoing, alone.incoming) == (near, None)


@pytest.fixture(scope="module")
def project(tmp_path_factory):
    """Two meadows before which something dark passes; the first with its edge, and cut far from where it covers."""
    folder, takes = tmp_path_factory.mktemp("cover"), []
    for name, first in (("a", 20), ("b", 5)):
        with FilmWriter(folder / f"{name}.mp4", rate=Fraction(25), size=SIZE, quality=12) as writer:
            for frame in range(60):
                writer.write(picture_from_rgb(passed(frame, first, first + 10, (6, 5, 8))))
        takes.append(take_in(folder / f"{name}.mp4"))
    outlines = tuple(Outline(frame=frame, places=((x, 0.0), (x, 180.0))) for frame, x in ((40, 0.0), (50, 320.0)))
    edge = Area(
        id="edge", name="edge", parts=(AreaPart(of=Drawn(shape="half-plane", outlines=outlines, along="nothing")),)
    )
    takes[0] = takes[0].changed(areas=(edge,))
    leave = Join(kind="passing edge", settings={"area": "edge", "side": "this", "length": 10.0})
    shots = (
        Shot(id="first", take_id=takes[0].id, span=Span(first=0, end=45), leave=leave),
        Shot(take_id=takes[1].id, span=Span(first=0, end=60)),
    )
    return Project(takes=tuple(takes), reel=Reel(width=320, height=180, rate=Fraction(25), shots=shots))


def test_a_cut_is_found_under_the_cover_of_both_takes(project, tmp_path):
    with Sources.of(Shelf(tmp_path)) as sources:
        best, *_ = find_cover(project, "first", sources, Silent())
    assert abs(best.outgoing.first - 30) <= 1 and abs(best.outgoing.end - 41) <= 1
    assert abs(best.incoming.first - 15) <= 1 and best.incoming.why == "dark"


def test_the_edge_of_the_join_goes_as_fast_as_it_was_drawn(project, tmp_path):
    with Sources.of(Shelf(tmp_path)) as sources:
        assert passing_speed(project, "first", sources, Silent()) == pytest.approx(0.1 * 25, rel=0.05)
        none = project.reel.shots[0].changed(leave=Join(kind="passing edge"))
        without = project.changed(reel=project.reel.changed(shots=(none, project.reel.shots[1])))
        with pytest.raises(ClevrinError, match="The edge of an area of the first shot"):
            passing_speed(without, "first", sources, Silent())


def test_the_next_shot_arrives_as_fast_as_the_edge_and_slows_down_to_its_own(project):
    from clevrin.core.join.meeting import arriving_as_fast
    from clevrin.core.pace import placed_shots

    shot, take = project.reel.shots[1], project.takes[1]
    steady = trace_of(np.column_stack([np.arange(60) * 320 * 0.04, np.zeros(60)]), width=320, height=180)
    widths_per_s = float(np.hypot(*steady.velocity_px[5])) / steady.width * float(steady.rate)
    arrived, speed = arriving_as_fast(shot, take, steady, Fraction(25), widths_per_s * 2)
    assert speed == pytest.approx(2, abs=0.01)
    placed = placed_shots(project.changed(reel=project.reel.changed(shots=(arrived,))))[0]
    assert float(placed.rate_at(placed.start)) == pytest.approx(50, rel=0.06)
    assert float(placed.rate_at(placed.end - 2)) == pytest.approx(25, rel=0.02)
    assert arriving_as_fast(shot, take, steady, Fraction(25), widths_per_s * 4.5)[1] == 4
    assert arriving_as_fast(shot, take, steady, Fraction(25), widths_per_s * 9) == (shot, None)
    still = trace_of(np.zeros((60, 2)), width=320, height=180)
    assert arriving_as_fast(shot, take, still, Fraction(25), 1.0) == (shot, None)
