"""An area of one shot uncovers the other: nothing of the one behind the edge, no gap, and a cut where it is gone."""

import numpy as np
import pytest

from clevrin.core.document import Area, AreaPart, Coloured, Drawn, Join, Outline, Pace, Pick, Project, Reel, Shot, Span
from clevrin.core.document.edits import PutArea, RemoveArea
from clevrin.core.document.files import load, save
from clevrin.core.document.pacing import Shutter
from clevrin.core.matte.colours import colour_at
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.progress import Silent
from clevrin.core.render import picture
from clevrin.core.render.picture import plan_at
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.core.test_join_kinds import pictured

SIZE = (320, 180)
RED, BLUE = (210, 50, 40), (40, 70, 220)
LENGTH = 20


def plain(colour) -> np.ndarray:
    return np.full((SIZE[1], SIZE[0], 3), colour, np.uint8)


@pytest.fixture(scope="module")
def takes(tmp_path_factory):
    folder = tmp_path_factory.mktemp("edge")
    return tuple(pictured(folder / f"{name}.mp4", plain(c), frames=60) for name, c in (("red", RED), ("blue", BLUE)))


@pytest.fixture(scope="module")
def sources(tmp_path_factory):
    with Sources.of(Shelf(tmp_path_factory.mktemp("shelf"))) as made:
        yield made


def passing(first: int, end: int, *, slant: float = 0.0) -> Area:
    """An edge that passes from the left to the right between two frames of a take; what lies on its left belongs."""
    outlines = tuple(
        Outline(frame=frame, places=((x, 0.0), (x + slant, 180.0)))  # down: its right is the picture's left
        for frame, x in ((first, -20.0), (end, 339.0))
    )
    return Area(
        id="edge", name="edge", parts=(AreaPart(of=Drawn(shape="half-plane", outlines=outlines, along="nothing")),)
    )


def uncovered(takes, area: Area, sources, *, of: int = 0, **settings) -> Project:
    owner = takes[of].changed(areas=(area,))
    both = (owner, takes[1]) if of == 0 else (takes[0], owner)
    values = {"area": area.id, "side": "this" if of == 0 else "next", "length": float(LENGTH), **settings}
    shots = (
        Shot(take_id=both[0].id, span=Span(first=0, end=30), leave=Join(kind="passing edge", settings=values)),
        Shot(take_id=both[1].id, span=Span(first=20, end=60)),
    )
    project = Project(takes=both, reel=Reel(width=SIZE[0], height=SIZE[1], shots=shots))
    for shot in shots:
        complete(HoldRequest.of(project, shot), sources.measured, Silent())
    return project


def shares(rgb: np.ndarray) -> np.ndarray:
    """How much of each pixel is blue, by the red that is left in linear light."""
    light = (rgb[..., 0].astype(float) / 255) ** 2.2
    low, high = ((c[0] / 255) ** 2.2 for c in (BLUE, RED))
    return np.clip((high - light) / (high - low), 0, 1)


@pytest.mark.parametrize("slant", [0.0, 40.0])
def test_behind_the_edge_is_the_next_shot_and_before_it_this_one(takes, sources, slant):
    project = uncovered(takes, passing(20, 40, slant=slant), sources)
    for frame in range(20, 40):
        seen = picture(project, frame, SIZE, sources)
        blue = shares(seen)
        rows, columns = np.mgrid[: SIZE[1], : SIZE[0]]
        edge = -20 + 359 * (frame - 20) / 20 + slant * rows / 180
        assert blue[columns < edge - 3].min(initial=1) > 0.93 and blue[columns > edge + 3].max(initial=0) < 0.07, frame
        assert seen.max(axis=2).min() > 120  # half of each light, and nothing dark between them
    assert shares(picture(project, 19, SIZE, sources)).max() < 0.05
    assert shares(picture(project, 40, SIZE, sources)).min() > 0.95


def test_beyond_it_and_of_the_next_take_are_the_other_ways_round(takes, sources):
    def mean(of: int, shows: str, frame: int) -> float:
        # The next shot's take is 10 frames earlier at the same frame of the reel.
        area = passing(20, 40) if of == 0 else passing(10, 30)
        return float(shares(picture(uncovered(takes, area, sources, of=of, shows=shows), frame, SIZE, sources)).mean())

    assert mean(0, "within", 24) < 0.25 and mean(0, "beyond", 24) > 0.75
    assert mean(1, "within", 24) < 0.25 and mean(1, "beyond", 24) > 0.75
    assert mean(1, "within", 36) == pytest.approx(mean(0, "within", 36), abs=0.01)


def test_an_edge_that_is_soft_or_covers_in_part_mixes_light(takes, sources):
    soft = passing(20, 40).changed(inside_px=30, outside_px=30)
    blue = shares(picture(uncovered(takes, soft, sources), 30, SIZE, sources))[90]
    middle = int(np.argmin(np.abs(blue - 0.5)))
    assert abs(middle - 159.5) < 4 and 0.1 < blue[middle + 15] < 0.4 and 0.6 < blue[middle - 15] < 0.9
    assert (np.diff(blue[100:220]) <= 0.02).all()


def test_colours_uncover_as_well(takes, sources):
    lab = colour_at(picture_from_rgb(plain(RED)), (50, 50))
    area = Area(id="red", name="red", parts=(AreaPart(of=Coloured(picks=(Pick(frame=0, place=(50, 50), lab=lab),))),))
    project = uncovered(takes, area, sources)
    layer = plan_at(project, 25, SIZE, sources.measured).layers[0]
    assert layer.matte is not None and layer.matte.of_picture
    assert shares(picture(project, 25, SIZE, sources)).min() > 0.95  # all of the first shot is of that colour


def test_the_cast_of_a_screen_is_taken_from_what_stands_before_it(takes, sources, tmp_path):
    lit = plain((38, 158, 70))
    lit[:, 160:] = (118, 150, 122)  # somebody grey in the light of the screen
    lab = colour_at(picture_from_rgb(lit), (50, 50))
    screen = pictured(tmp_path / "screen.mp4", lit, frames=60)
    casts = []
    for spill in (0.0, 1.0):
        of = Coloured(picks=(Pick(frame=0, place=(50, 50), lab=lab),), spill=spill)
        area = Area(id="screen", name="screen", parts=(AreaPart(of=of),))
        seen = picture(uncovered((screen, takes[1]), area, sources), 25, SIZE, sources).astype(float)
        assert seen[90, 60] == pytest.approx(BLUE, abs=12)  # the next shot, where the screen was
        red, green, blue = seen[60:120, 220:300].mean(axis=(0, 1))
        casts.append(green - (red + blue) / 2)
    assert casts[0] > 22 and casts[1] < 0.4 * casts[0]


def test_it_blurs_while_the_shutter_is_open(takes, sources):
    project = uncovered(takes, passing(20, 40), sources)
    first = project.reel.shots[0].changed(pace=Pace(shutter=Shutter(angle_deg=360.0)))
    project = project.changed(reel=project.reel.changed(shots=(first, project.reel.shots[1])))
    complete(HoldRequest.of(project, first), sources.measured, Silent())
    assert 0.2 < shares(picture(project, 30, SIZE, sources)).mean() < 0.8


def test_without_its_area_it_is_a_cut(takes, sources, tmp_path):
    project = uncovered(takes, passing(20, 40), sources)
    gone = RemoveArea(take_id=project.takes[0].id, area_id="edge").apply(project)
    unset = project.reel.shots[0].changed(leave=Join(kind="passing edge"))
    for each in (gone, project.changed(reel=project.reel.changed(shots=(unset, project.reel.shots[1])))):
        for frame, blue in ((22, 0), (29, 0), (30, 1), (38, 1)):
            assert shares(picture(each, frame, SIZE, sources)).mean() == pytest.approx(blue, abs=0.05), frame
    assert PutArea(take_id=project.takes[0].id, area=passing(20, 40)).apply(gone).takes == project.takes
    save(project, tmp_path / "p.clevrin")
    again = load(tmp_path / "p.clevrin")
    assert again == project and np.array_equal(picture(again, 30, SIZE, sources), picture(project, 30, SIZE, sources))
