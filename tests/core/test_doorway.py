"""Through a surface of one shot into the other: in right perspective, to the other's own picture, and back out."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

from clevrin.core.document import (
    Area,
    AreaPart,
    Drawn,
    Hold,
    Join,
    Outline,
    Placement,
    Project,
    Reel,
    Shot,
    Span,
    Track,
)
from clevrin.core.join.between import made_join, what_is_short
from clevrin.core.media.picture import rgb_from_picture
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.geometry.models import apply, pixel_corners
from clevrin.core.motion.tracks.both_ways import Followed, carried
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render import picture
from clevrin.core.render.picture import plan_at
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.core.test_join_kinds import pictured
from tests.films import about, moving_film, shift

SIZE = (320, 180)
FRAMES, LENGTH, PLACED = 60, 20, 25
SIGN = np.array([[110.0, 50.0], [220.0, 56.0], [216.0, 130.0], [106.0, 122.0]])
"""A surface in the film's first frame."""


QUARTERS = {(0, 0): (220, 40, 40), (1, 0): (40, 200, 40), (0, 1): (40, 60, 220), (1, 1): (230, 220, 40)}


def course(t: float) -> np.ndarray:
    return shift(300 + 0.7 * t, 400 - 0.3 * t) @ about((160, 90), 0.12 * t, 1 + 0.002 * t)


def true_corners(frame: int) -> np.ndarray:
    return apply(np.linalg.inv(course(frame)) @ course(0), SIGN)


@pytest.fixture(scope="module")
def takes(tmp_path_factory):
    """A take in which the sign is followed, and one of four coloured quarters."""
    folder = tmp_path_factory.mktemp("doorway")
    moving_film(folder / "street.mp4", course, frames=FRAMES, size=SIZE, seed=12)
    corners = tuple((float(x), float(y)) for x, y in true_corners(PLACED))
    sign = Track(id="sign", name="sign", kind="surface", placed=(Placement(frame=PLACED, places=corners),))
    rgb = np.zeros((SIZE[1], SIZE[0], 3), np.uint8)
    for (column, row), colour in QUARTERS.items():
        rgb[row * 90 : row * 90 + 90, column * 160 : column * 160 + 160] = colour
    return take_in(folder / "street.mp4").changed(tracks=(sign,)), pictured(folder / "beyond.mp4", rgb, frames=FRAMES)


@pytest.fixture(scope="module")
def sources(tmp_path_factory):
    with Sources.of(Shelf(tmp_path_factory.mktemp("shelf"))) as made:
        yield made


def gone_through(takes, sources, *, way: str = "in", hold: Hold | None = None, **settings) -> Project:
    """The street into the coloured picture through the sign, or (`out`) the other way round."""
    values = {"surface": "sign", "way": way, "length": float(LENGTH), "appears": 0.0, "shutter": 0.0, **settings}
    street = Shot(take_id=takes[0].id, span=Span(first=5, end=45), hold=hold or Hold(how="none"))
    beyond = Shot(take_id=takes[1].id, span=Span(first=20, end=60))
    first, second = (street, beyond) if way == "in" else (beyond, street)
    shots = first.changed(leave=Join(kind="doorway", settings=values)), second
    project = Project(takes=takes, reel=Reel(width=SIZE[0], height=SIZE[1], shots=shots))
    for shot in shots:
        complete(HoldRequest.of(project, shot), sources.measured, Silent())
    return project


def layers_of(project: Project, frame: int, sources: Sources):
    """The layers of a frame by take: the street's, and the one that is seen in the sign (None: not at all)."""
    plan = plan_at(project, frame, SIZE, sources.measured)
    by_take = {layer.take_id: layer for layer in plan.layers}
    street, beyond = project.takes
    return by_take.get(street.id), by_take.get(beyond.id)


@pytest.mark.parametrize(("way", "first"), [("in", 20), ("out", 40)])
@pytest.mark.parametrize("how", ["none", "float"])
def test_the_other_picture_lies_in_the_surface_as_it_truly_lies(takes, sources, way, first, how):
    project = gone_through(takes, sources, way=way, hold=Hold(how=how, keep=0.9))
    apart = []
    for frame in range(first, first + LENGTH):
        street, beyond = layers_of(project, frame, sources)
        if street is None:
            continue
        true = apply(np.linalg.inv(street.matrix), true_corners(street.frame))
        seen = apply(np.linalg.inv(beyond.matrix), np.array(pixel_corners(*SIZE), np.float64))
        per_px = np.sqrt(np.linalg.det(street.matrix[:2, :2]))  # in pixels of the street
        apart.append(np.hypot(*(seen - true).T) * per_px)
    assert len(apart) == LENGTH and float(np.sqrt(np.mean(np.square(apart)))) < 0.3


@pytest.mark.parametrize(("way", "last", "first"), [("in", 39, 20), ("out", 40, 59)])
def test_it_begins_as_the_one_shot_lies_and_ends_as_the_other_does(takes, sources, way, last, first):
    project = gone_through(takes, sources, way=way)
    corners = np.array(pixel_corners(*SIZE), np.float64)
    _, beyond = layers_of(project, last, sources)
    assert np.abs(apply(beyond.matrix, corners) - corners).max() < 0.1  # it fills the picture exactly
    street, _ = layers_of(project, first, sources)
    assert np.abs(apply(street.matrix, corners) - corners).max() < 3.0  # the first step of twenty
    sizes = []
    for frame in range(20, 40) if way == "in" else range(59, 39, -1):
        street, _ = layers_of(project, frame, sources)
        sizes.append(float(np.sqrt(np.linalg.det(street.matrix[:2, :2]))))
    steps = np.diff(np.log(sizes))
    assert (steps < 1e-6).all() and np.argmin(steps) in range(7, 13)  # softly in, softly to rest


def test_inside_is_the_one_picture_outside_the_other_and_nothing_between(takes, sources):
    project = gone_through(takes, sources)
    for frame in (24, 30, 36):
        street, beyond = layers_of(project, frame, sources)
        assert street.rest and beyond.matte is not None
        seen = picture(project, frame, SIZE, sources).astype(float)
        rows, columns = np.mgrid[: SIZE[1], : SIZE[0]]
        places = apply(beyond.matrix, np.stack([columns.ravel(), rows.ravel()], axis=1).astype(float))
        x, y = places[:, 0].reshape(rows.shape), places[:, 1].reshape(rows.shape)
        for (column, row), colour in QUARTERS.items():
            there = (abs(x - 80 - 160 * column) < 50) & (abs(y - 45 - 90 * row) < 25)
            assert np.abs(seen[there] - colour).max() < 24, (frame, colour)
        beyond_it = (x < -6) | (x > SIZE[0] + 5) | (y < -6) | (y > SIZE[1] + 5)
        whole = plan_at(project, frame, SIZE, sources.measured)
        alone = replace(whole, layers=(replace(street, rest=False),))
        street_only = rgb_from_picture(execute(alone, lambda _, number: sources.films.read(takes[0], number)))
        apart = np.abs(seen - street_only)[beyond_it]
        assert apart.mean() < 1.5 and apart.max() < 14  # the street, and nothing else: what is mixed is coded anew
        edge = (abs(x - SIZE[0] / 2) < 100) & (abs(y + 0.5) < 3)  # along the upper edge of the picture inside
        assert seen[edge].min() > 5  # light of both, and nothing dark between them


def test_it_comes_to_be_seen_in_the_surface_in_some_frames(takes, sources):
    project = gone_through(takes, sources, appears=8.0)
    shares = [layers_of(project, frame, sources)[1].weight for frame in range(20, 32)]
    assert shares[0] < 0.1 and all(b >= a for a, b in pairwise(shares)) and shares[-1] == 1


def test_some_of_the_surface_stays_over_it_until_the_gate_is_there(takes, sources):
    project = gone_through(takes, sources, stays=0.4)
    shares = [layers_of(project, frame, sources)[1].weight for frame in range(20, 40)]
    assert shares[0] == pytest.approx(0.6, abs=0.03) and shares[-1] == pytest.approx(1.0, abs=0.01)
    assert all(b >= a - 1e-9 for a, b in pairwise(shares))


def test_without_its_surface_it_is_a_cut(takes, sources):
    for surface in ("", "gone"):
        project = gone_through(takes, sources, surface=surface)
        for frame in (25, 39, 40):
            plan = plan_at(project, frame, SIZE, sources.measured)
            (layer,) = plan.layers
            assert layer.take_id == takes[0 if frame < 40 else 1].id and layer.matte is None, (surface, frame)


def test_it_is_said_that_it_has_nothing_to_go_through(takes, sources):
    for surface, said in (("", ["The doorway has no surface to go by: it is a cut."]), ("sign", [])):
        row = placed_shots(gone_through(takes, sources, surface=surface))
        assert what_is_short(row, 0, made_join(row, 0, 9 / 16, lambda _: None)) == said


def test_what_goes_through_blurs_with_the_gate(takes, sources):
    project = gone_through(takes, sources, shutter=360.0)
    street, beyond = layers_of(project, 30, sources)
    assert len(street.samples) > 2 and len(beyond.samples) == len(street.samples)
    assert picture(project, 30, SIZE, sources).min() > 0


def test_where_it_was_not_seen_it_goes_with_the_picture():
    chain = np.array([shift(2.0 * k, 0) for k in range(10)])
    places = np.full((10, 4, 2), np.nan)
    places[4] = SIGN
    followed = Followed(places=places, confidence=np.ones(10), placed=np.zeros(10, bool), lost=(5,))
    whole = carried(followed, chain)
    assert np.allclose(whole.places[9], SIGN + np.array([10, 0])) and np.allclose(
        whole.places[0], SIGN - np.array([8, 0])
    )
    assert whole.known.all() and not followed.known[9]
    nothing = Followed(places=np.full((3, 4, 2), np.nan), confidence=np.zeros(3), placed=np.zeros(3, bool), lost=())
    assert carried(nothing, chain[:3]) is nothing


def with_area(takes, *, frame: int = 25):
    """The takes, with an area of the street over the right half of its sign."""
    left, right = true_corners(frame)[[0, 3]], true_corners(frame)[[1, 2]]
    middle = (left + right) / 2
    box = [middle[0], right[0] + (20, -20), right[1] + (20, 20), middle[1]]
    drawn = Drawn(shape="box", outlines=(Outline(frame=frame, places=tuple((float(x), float(y)) for x, y in box)),))
    area = Area(id="post", name="post", parts=(AreaPart(of=drawn),))
    return takes[0].changed(areas=(area,)), takes[1]


@pytest.mark.parametrize(("what", "free"), [("passes before", "left"), ("the opening", "right")])
def test_what_passes_before_it_hides_it_and_an_opening_bounds_it(takes, sources, what, free):
    project = gone_through(with_area(takes), sources, area="post", **{"is": what})
    for frame in (22, 27):
        street, beyond = layers_of(project, frame, sources)
        assert street.front is not None and street.front.share == 1
        seen = picture(project, frame, SIZE, sources).astype(float)
        bare = replace(
            plan_at(project, frame, SIZE, sources.measured), layers=(replace(street, rest=False, front=None),)
        )
        street_only = rgb_from_picture(execute(bare, lambda _, number: sources.films.read(takes[0], number)))
        corners = apply(np.linalg.inv(beyond.matrix), np.array(pixel_corners(*SIZE), np.float64))
        for side, share in (("left", 0.25), ("right", 0.75)):
            x, y = (corners[0] * (1 - share) + corners[1] * share + corners[3] * (1 - share) + corners[2] * share) / 2
            part = (slice(int(y) - 4, int(y) + 5), slice(int(x) - 4, int(x) + 5))
            is_street = np.abs(seen[part] - street_only[part]).max() < 14
            assert is_street == (side != free), (frame, side)


def test_what_passes_before_it_is_gone_when_the_gate_is_there(takes, sources):
    project = gone_through(with_area(takes), sources, area="post")
    shares = [layers_of(project, frame, sources)[0].front.share for frame in range(20, 40)]
    assert shares[:8] == [1.0] * 8 and shares[-1] == pytest.approx(0.0, abs=0.01)
    assert all(b <= a for a, b in pairwise(shares))
    last = picture(project, 39, SIZE, sources).astype(float)
    alone = picture(gone_through(takes, sources), 39, SIZE, sources).astype(float)
    assert np.abs(last - alone).max() < 3


def test_it_rolls_whole_turns_and_is_upright_at_both_ends(takes, sources):
    project = gone_through(takes, sources, roll=1.0)
    turns = []
    for frame in range(20, 40):
        street, _ = layers_of(project, frame, sources)
        across = apply(street.matrix, np.array([[160.0, 90], [161, 90]]))
        turns.append(np.degrees(np.arctan2(*(across[1] - across[0])[::-1])))
    turned = np.unwrap(np.radians(turns))
    assert abs(turned[0]) < 0.1 and abs(turned[-1] - turned[0]) == pytest.approx(2 * np.pi, abs=0.15)
    corners = np.array(pixel_corners(*SIZE), np.float64)
    _, beyond = layers_of(project, 39, sources)
    assert np.abs(apply(beyond.matrix, corners) - corners).max() < 0.1


def test_an_area_that_is_gone_hides_nothing(takes, sources):
    project = gone_through(takes, sources, area="gone")
    street, beyond = layers_of(project, 25, sources)
    assert street.front is None and beyond is not None
    assert what_is_short(placed_shots(project), 0, made_join(placed_shots(project), 0, 9 / 16, lambda _: None)) == []
