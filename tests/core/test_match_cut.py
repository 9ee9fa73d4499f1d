"""Two pictures laid on each other at the cut: by places, by surfaces, as wholes; and eased back without an edge."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from clevrin.core.document import Join, Placement, Project, Reel, Shot, Span, Track
from clevrin.core.errors import ClevrinError
from clevrin.core.join.kinds.kind import Sides
from clevrin.core.join.kinds.match_cut import MATCH_CUT, laid, nearness, power
from clevrin.core.join.laying import laid_by_pictures, laid_by_places
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.geometry.models import apply
from clevrin.core.progress import Silent
from clevrin.core.render import picture
from clevrin.core.render.measured.measurement_needs import TrackNeed
from clevrin.core.render.picture import plan_at
from clevrin.core.render.reports.cut_alignment import lay_by_pictures, lay_by_tracks
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.films import about, moving_film, shift, texture

SIZE = (320, 180)
UNIT = st.floats(-0.3, 0.3)


@pytest.fixture(scope="module")
def sources(tmp_path_factory):
    with Sources.of(Shelf(tmp_path_factory.mktemp("shelf"))) as made:
        yield made


@given(UNIT, UNIT, st.floats(-120, 120), st.floats(0.4, 2.5))
def test_parts_of_a_similarity_make_the_whole(x, y, turn, times):
    whole = laid(x, y, turn, times)
    assert np.allclose(power(whole, 0.3) @ power(whole, 0.7), whole, atol=1e-9)
    assert np.allclose(power(whole, 0.0), np.eye(3)) and np.allclose(power(whole, 1.0), whole)
    places = np.array([[-0.2, 0.1], [0.3, 0.05], [0.1, -0.2]])
    found = laid_by_places(places, apply(whole, places))
    assert (found.x, found.y, found.times) == pytest.approx((x, y, times), abs=1e-6)
    assert found.turn == pytest.approx(turn, abs=1e-4) and found.residual < 1e-9
    near = nearness(whole, 0.5, 9 / 16)
    corners = np.array([[a, b * 9 / 16, 1.0] for a in (-0.5, 0.5) for b in (-0.5, 0.5)]) * [near, near, 1]
    for part in (power(whole, -0.5), power(whole, 0.5)):
        seen = np.abs((corners @ part.T)[:, :2])
        assert near == pytest.approx(0.05, abs=0.01) or (seen <= np.array([0.5, 9 / 32]) + 1e-6).all()


@pytest.mark.parametrize("who", ["incoming", "outgoing", "both"])
def test_at_the_cut_they_lie_on_each_other_and_at_the_ends_as_by_themselves(who):
    settings = {"x": 0.1, "y": -0.05, "turn": 12.0, "times": 1.3, "length": 20.0, "who": who}
    made = MATCH_CUT.made(Join(kind="match cut", settings=settings), Sides(before=30, after=30, aspect=9 / 16))
    whole = laid(0.1, -0.05, 12.0, 1.3)
    leaving, arriving = made.part(-0.5, leaving=True).move(-0.5), made.part(0.5, leaving=False).move(0.5)
    screen = np.array([[0.0, 0.0], [0.2, 0.1], [-0.15, 0.05]])
    assert np.allclose(apply(whole, apply(leaving, screen)), apply(arriving, screen), atol=1e-9)
    ends = made.part(-10.0, leaving=True).move(-10.0), made.part(10.0, leaving=False).move(10.0)
    for end in ends:
        assert np.abs(end - np.eye(3)).max() < 0.01
    for at in np.linspace(-9.5, 9.5, 39):
        move = made.part(at, leaving=at < 0).move(at)
        seen = np.abs(apply(move, np.array([[a, b * 9 / 16] for a in (-0.5, 0.5) for b in (-0.5, 0.5)])))
        assert (seen <= np.array([0.5, 9 / 32]) + 0.02).all(), at  # hardly anything beyond an edge, on the way neither


def scene(seed: int = 3) -> np.ndarray:
    return cv2.cvtColor(texture(seed, 1400), cv2.COLOR_RGB2GRAY)


@pytest.mark.parametrize(("dx", "dy", "turn", "times"), [(40.0, -22.0, 0.0, 1.0), (-60.0, 30.0, 9.0, 1.25)])
def test_pictures_as_wholes_to_a_part_of_a_pixel(dx, dy, turn, times):
    size = (960, 540)
    middle = (479.5, 269.5)
    way = shift(dx, dy) @ about(middle, turn, times)
    place = shift(200, 300)
    before = cv2.warpPerspective(scene(), place, size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
    after = cv2.warpPerspective(scene(), place @ np.linalg.inv(way), size, flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
    noise = np.random.default_rng(2)
    before, after = ((each + noise.normal(0, 2, each.shape)).clip(0, 255).astype(np.uint8) for each in (before, after))
    found = laid_by_pictures(before, (after * 0.8 + 10).astype(np.uint8))
    corners = np.array([[200.0, 100], [700, 100], [700, 400], [200, 400]])
    units = (corners - middle) / 960
    moved = apply(laid(found.x, found.y, found.turn, found.times), units) * 960 + middle
    assert np.sqrt(((moved - apply(way, corners)) ** 2).sum(axis=1).mean()) < 0.3
    assert found.residual * 960 < 1.5 and found.points > 20


def test_what_has_nothing_in_common_is_said(tmp_path, sources):
    assert laid_by_pictures(scene(1)[:540, :960], scene(2)[:540, :960]) is None
    assert laid_by_pictures(np.full((540, 960), 90, np.uint8), scene()[:540, :960]) is None
    project = two_takes(tmp_path, other_seed=44)
    with pytest.raises(ClevrinError, match="too little in common"):
        lay_by_pictures(project, project.reel.shots[0].id, sources)


def course(t: float) -> np.ndarray:
    return shift(300 + t, 400) @ about((160, 90), 0.2 * t, 1 + 0.004 * t)


def two_takes(folder, other_seed: int = 7) -> Project:
    """The same place filmed twice, from two places; in both somebody follows a sign and its corner."""
    takes = []
    for name, seed, late in (("a", 7, 0.0), ("b", other_seed, 25.0)):
        path = folder / f"{name}.mp4"
        moving_film(path, lambda t, late=late: course(t + late), frames=40, size=SIZE, seed=seed)
        sign = np.array([[380.0, 440], [460, 442], [458, 500], [378, 498]])
        corners = apply(np.linalg.inv(course(20 + late)), sign)
        placed = Placement(frame=20, places=tuple((float(x), float(y)) for x, y in corners))
        tracks = (
            Track(id=f"sign {name}", name="sign", kind="surface", placed=(placed,)),
            Track(
                id=f"corner {name}",
                name="corner",
                kind="point",
                placed=(Placement(frame=20, places=placed.places[:1]),),
            ),
        )
        takes.append(take_in(path).changed(tracks=tracks))
    shots = (
        Shot(take_id=takes[0].id, span=Span(first=0, end=25), leave=Join(kind="match cut", settings={"length": 16.0})),
        Shot(take_id=takes[1].id, span=Span(first=10, end=40)),
    )
    return Project(takes=tuple(takes), reel=Reel(width=SIZE[0], height=SIZE[1], shots=shots))


def true_way() -> np.ndarray:
    """Places of the outgoing picture at the cut to those of the incoming one, in pixels."""
    return np.linalg.inv(course(10 + 25.0)) @ course(24)


@pytest.mark.parametrize("by", ["pictures", "surfaces", "points"])
def test_the_same_place_comes_to_lie_on_itself(tmp_path, sources, by):
    project = two_takes(tmp_path)
    shot_id = project.reel.shots[0].id
    if by == "pictures":
        found = lay_by_pictures(project, shot_id, sources)
    else:
        for take in project.takes:
            for track in take.tracks:
                sources.measured.follow(TrackNeed(take=take, track=track), Silent())
        what = "sign" if by == "surfaces" else "corner"
        found = lay_by_tracks(project, shot_id, (f"{what} a", f"{what} b"), sources)
    leave = project.reel.shots[0].leave.having(**found.settings)
    first, second = project.reel.shots
    project = project.changed(reel=project.reel.changed(shots=(first.changed(leave=leave), second)))
    (before,), (after,) = (plan_at(project, frame, SIZE, sources.measured).layers for frame in (24, 25))
    screen = np.array([[120.0, 70], [200, 70], [200, 110], [120, 110]])
    if by == "points":
        sign = apply(np.linalg.inv(course(24)), np.array([[380.0, 440]]))
        screen = apply(np.linalg.inv(before.matrix), sign)
    apart = apply(true_way(), apply(before.matrix, screen)) - apply(after.matrix, screen)
    assert np.sqrt((apart**2).sum(axis=1).mean()) < 0.5
    if by == "pictures":
        seen = [picture(project, frame, SIZE, sources).astype(float)[20:-20, 20:-20] for frame in (24, 25)]
        plain = project.changed(reel=project.reel.changed(shots=(first.changed(leave=Join()), second)))
        cut = [picture(plain, frame, SIZE, sources).astype(float)[20:-20, 20:-20] for frame in (24, 25)]
        assert np.abs(seen[0] - seen[1]).mean() < 0.5 * np.abs(cut[0] - cut[1]).mean()


def test_a_track_that_is_not_seen_at_the_cut_is_said(tmp_path, sources):
    project = two_takes(tmp_path)
    with pytest.raises(ClevrinError, match="is not seen in"):
        lay_by_tracks(project, project.reel.shots[0].id, ("corner a", "corner b"), Sources.of(Shelf(tmp_path / "new")))
    assert replace(laid_by_places(np.zeros((1, 2)), np.ones((1, 2))), x=0.0).times == 1.0
