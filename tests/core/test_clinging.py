"""Curves cling to edges: over a film whose edge is known, both ways, lost and put right, kept, and used by an area."""

import cv2
import numpy as np
import pytest

from clevrin.core.document import Area, AreaPart, Drawn, Outline, Project, Reel, Shot, Span
from clevrin.core.document.files import load, save
from clevrin.core.errors import CancelledError
from clevrin.core.matte import coverage, matte_at
from clevrin.core.matte.clinging import POINTS
from clevrin.core.matte.clinging_areas import ClingRequest, cling, points_at, stored_clinging, where_lost
from clevrin.core.matte.curves import evenly
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.measured.carried import AreaKnown
from clevrin.core.render.measured.measurement_needs import ClingNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.shelf import Shelf
from tests.walking import AT, FRAMES, SIZE, Walking


@pytest.fixture(scope="module")
def walk(tmp_path_factory) -> Walking:
    return Walking(tmp_path_factory.mktemp("clinging"))


def drawn_about(walk: Walking, *frames: int, by: float = 0.0) -> Drawn:
    """The figure as somebody draws it on frames: a disc, `by` so many pixels too far to the right."""
    outlines = []
    for frame in frames:
        left, top, wide, high = cv2.boundingRect((walk.true[frame] > 0.5).astype(np.uint8))
        x, y = left + (wide - 1) / 2 + by, top + (high - 1) / 2
        outlines.append(Outline(frame=frame, places=((x, y), (x + wide / 2, y), (x, y + high / 2))))
    return Drawn(shape="disc", outlines=tuple(outlines), along="edges")


def request(walk: Walking, drawn: Drawn) -> ClingRequest:
    return ClingRequest(path=walk.path, fingerprint="walk", drawn=drawn, size=SIZE)


def off(walk: Walking, frame: int, curve: np.ndarray) -> float:
    inside = (walk.true[frame] > 0.5).astype(np.uint8)
    away = np.where(inside, cv2.distanceTransform(inside, 2, 5) - 0.5, cv2.distanceTransform(1 - inside, 2, 5) - 0.5)
    x, y = np.round(curve).astype(int).T
    seen = (x >= 0) & (y >= 0) & (x < SIZE[0]) & (y < SIZE[1])
    return float(np.sqrt((away[y[seen], x[seen]] ** 2).mean()))


def test_it_clings_to_the_edge_both_ways(walk, tmp_path):
    found = cling(request(walk, drawn_about(walk, AT)), Shelf(tmp_path), Silent())
    assert found.places.shape == (FRAMES, POINTS, 2) and found.known.all() and found.lost == ()
    errors = [off(walk, frame, found.places[frame]) for frame in range(FRAMES)]
    assert np.sqrt(np.mean(np.square(errors))) < 1.0 and max(errors) < 1.8
    assert found.confidence.min() > 0.6 and where_lost(found) == ""
    stored = stored_clinging(request(walk, drawn_about(walk, AT)), FRAMES, Shelf(tmp_path))
    assert stored is not None and (stored.places == found.places).all()
    assert stored_clinging(request(walk, drawn_about(walk, AT, by=1.0)), FRAMES, Shelf(tmp_path)) is None


def test_where_it_was_drawn_it_stays_and_a_correction_costs_what_lies_beside_it(walk, tmp_path):
    shelf = Shelf(tmp_path)
    cling(request(walk, drawn_about(walk, 4, 20)), shelf, Silent())
    steps = []

    class Counting(Silent):
        def report(self, done: int, total: int) -> None:
            steps.append(done)

    corrected = drawn_about(walk, 4, 12, 20)
    found = cling(request(walk, corrected), shelf, Counting())
    assert len(steps) <= 2 * 8 + 2 * 8 + 2  # between the neighbours, not at the ends
    for outline in corrected.outlines:
        middle = found.places[outline.frame].mean(axis=0)
        assert middle == pytest.approx(outline.places[0], abs=0.3)
    with pytest.raises(CancelledError):

        class Stopped(Silent):
            def cancelled(self) -> bool:
                return True

        cling(request(walk, drawn_about(walk, 7)), shelf, Stopped())


def test_it_stops_where_its_edge_is_gone_and_goes_with_the_picture_from_there(tmp_path):
    walk = Walking(tmp_path / "leaves", leaves_at=20)
    drawn = drawn_about(walk, AT)
    found = cling(request(walk, drawn), Shelf(tmp_path / "shelf"), Silent())
    assert found.lost and 19 <= found.lost[0] <= 21 and "put its points there" in where_lost(found)
    assert not found.known[found.lost[0] :].any() and points_at(drawn, found, FRAMES - 1) is None
    area = Area(name="figure", parts=(AreaPart(of=drawn),))
    last = found.places[found.lost[0] - 1].mean(axis=0)
    matte = matte_at(area, FRAMES - 1, walk.chain, clung={drawn: found})
    cover = coverage(matte, SIZE, SIZE)
    x = (cover.sum(axis=0) * np.arange(SIZE[0])).sum() / cover.sum()
    assert x == pytest.approx(last[0] - 2.0 * (FRAMES - 1 - (found.lost[0] - 1)), abs=1.0)


def test_its_points_are_those_of_the_curve(walk, tmp_path):
    drawn = drawn_about(walk, AT)
    found = cling(request(walk, drawn), Shelf(tmp_path), Silent())
    for frame in (AT - 5, AT + 8):
        middle, right, bottom = points_at(drawn, found, frame)
        left, top, wide, high = cv2.boundingRect((walk.true[frame] > 0.5).astype(np.uint8))
        assert middle == pytest.approx((left + (wide - 1) / 2, top + (high - 1) / 2), abs=1.2)
        assert right[0] == pytest.approx(left + wide - 0.5, abs=1.5) and bottom[1] == pytest.approx(top + high, abs=2)


def test_an_area_that_clings_is_measured_kept_and_saved(walk, tmp_path):
    take = take_in(walk.path)
    drawn = drawn_about(walk, AT)
    area = Area(id="figure", name="figure", parts=(AreaPart(of=drawn),))
    take = take.changed(areas=(area,))
    shot = Shot(take_id=take.id, span=Span(first=0, end=FRAMES))
    sharp = shot.pace.shutter.changed(angle_deg=360.0, sharp={"area": area.id})
    shot = shot.changed(pace=shot.pace.changed(shutter=sharp))
    project = Project(takes=(take,), reel=Reel(rate=take.facts.rate, width=256, height=144, shots=(shot,)))
    save(project, tmp_path / "kite.clevrin")
    assert load(tmp_path / "kite.clevrin") == project
    store = MeasurementStore(Shelf(tmp_path / "shelf"))
    need = ClingNeed(take=take, drawn=drawn)
    assert store.clung(need) is None
    known = complete(HoldRequest.of(project, shot), store, Silent()).sharp
    assert store.clung(need) is not None and isinstance(known, AreaKnown)
    for frame in (2, 22):
        cover = coverage(known.at(frame), SIZE, SIZE)
        both = ((cover > 0.5) & (walk.true[frame] > 0.5)).sum() / ((cover > 0.5) | (walk.true[frame] > 0.5)).sum()
        assert both > 0.93


@pytest.mark.parametrize("shape", ["half-plane", "band"])
def test_what_has_no_outline_does_not_cling(shape):
    places = ((0, 0), (10, 0)) if shape == "half-plane" else ((0, 0), (10, 0), (0, 5))
    drawn = Drawn(shape=shape, outlines=(Outline(frame=0, places=places),), along="edges")
    area = Area(name="edge", parts=(AreaPart(of=drawn),))
    assert not drawn.clings and area.clinging == () and area.goes_with_picture


def test_places_along_a_curve_are_even():
    square = np.array([[0.0, 0], [8, 0], [8, 8], [0, 8]])
    even = evenly(square, 16)
    steps = np.hypot(*(np.roll(even, -1, axis=0) - even).T)
    assert steps == pytest.approx(np.full(16, 2.0)) and even[0] == pytest.approx((0, 0))
