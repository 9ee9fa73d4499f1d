"""Subjects are cut out over films whose truth is known: from a box, by strokes, lost, stopped, and kept."""

import cv2
import numpy as np
import pytest

from clevrin.core.document import (
    Area,
    AreaPart,
    Around,
    CutOut,
    Join,
    LeftOut,
    Placement,
    Project,
    Reel,
    Shot,
    Span,
    Stroke,
    Track,
)
from clevrin.core.document.edits import PutArea
from clevrin.core.document.files import load, save
from clevrin.core.errors import CancelledError
from clevrin.core.matte import coverage, matte_at
from clevrin.core.matte.cutting import CutFrames, CutRequest, cut_out, followed_middle, how_sure, stored_cut_out
from clevrin.core.matte.cutting.edges import distances, guided, whole_pieces
from clevrin.core.matte.cutting.kept import as_arrays, from_arrays, packed
from clevrin.core.matte.matte import Stored
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_needs import TrackNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.picture import picture, plan_at
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Lacking, complete, resolve
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.core.test_join_kinds import pictured
from tests.walking import AT, FRAMES, SIZE, Walking


class Walk(Walking):
    def request(self, *strokes: Stroke) -> CutRequest:
        return CutRequest(path=self.path, fingerprint="walk", cut=CutOut(around=(self.around(),), strokes=strokes))

    def cover(self, request: CutRequest, frames, k: int) -> np.ndarray:
        area = Area(name="walker", parts=(AreaPart(of=request.cut),))
        return coverage(matte_at(area, k, cuts={request.cut: frames.covers}), SIZE, SIZE)

    def union(self, request: CutRequest, frames, k: int) -> float:
        found, true = self.cover(request, frames, k) > 0.5, self.true[k] > 0.5
        return (found & true).sum() / (found | true).sum()


@pytest.fixture(scope="module")
def walk(tmp_path_factory):
    return Walk(tmp_path_factory.mktemp("walk"))


@pytest.fixture(scope="module")
def cut(walk, tmp_path_factory):
    shelf = Shelf(tmp_path_factory.mktemp("shelf"))
    return cut_out(walk.request(), walk.chain, shelf, Silent()), shelf


def test_from_one_box_the_subject_is_cut_out_of_every_frame(walk, cut):
    frames, _ = cut
    unions = [walk.union(walk.request(), frames, k) for k in range(FRAMES)]
    assert min(unions) > 0.9 and np.mean(unions) > 0.95
    errors = [np.abs(walk.cover(walk.request(), frames, k) - walk.true[k]).mean() for k in range(FRAMES)]
    assert np.mean(errors) < 0.006
    assert (frames.sure > 0.7).all()


def test_what_was_cut_out_is_found_on_the_shelf_whole_or_not_at_all(walk, cut):
    frames, shelf = cut
    kept = stored_cut_out(walk.request(), FRAMES, shelf)
    assert kept is not None and kept.covers == frames.covers and (kept.sure == frames.sure).all()
    assert stored_cut_out(walk.request(), FRAMES + 1, shelf) is None
    arrays = as_arrays(frames)
    assert from_arrays({**arrays, "data": arrays["data"][:-3]}, FRAMES) is None
    assert from_arrays({"facts": arrays["facts"]}, FRAMES) is None


def test_stopped_and_gone_on_it_is_the_same(walk, cut, tmp_path):
    class StopsAt:
        def __init__(self, calls: int) -> None:
            self.left = calls

        def report(self, done: int, total: int) -> None:
            self.left -= 1

        def cancelled(self) -> bool:
            return self.left <= 0

    shelf = Shelf(tmp_path)
    for calls in (6, 40):
        with pytest.raises(CancelledError):
            cut_out(walk.request(), walk.chain, shelf, StopsAt(calls))
        assert stored_cut_out(walk.request(), FRAMES, shelf) is None
    again = cut_out(walk.request(), walk.chain, shelf, Silent())
    assert again.covers == cut[0].covers


def test_strokes_count_on_their_frame_and_spread_both_ways(walk, cut):
    frames, shelf = cut
    k, x = 16, round(60 + 4.0 * 16 - 2.0 * 16)
    beside = Stroke(frame=k, places=((x + 22, 60), (x + 22, 92)), width_px=8)
    request = walk.request(beside)
    wider = cut_out(request, walk.chain, shelf, Silent())
    assert walk.cover(request, wider, k)[62:90, x + 20 : x + 24].mean() > 0.9  # it belongs because somebody says so
    assert walk.cover(walk.request(), frames, k)[62:90, x + 20 : x + 24].max() < 0.1
    # And against that, said later on the same frame: the last one counts.
    request = walk.request(beside, beside.changed(belongs=False, width_px=12))
    taken = cut_out(request, walk.chain, shelf, Silent())
    assert walk.cover(request, taken, k)[62:90, x + 20 : x + 24].max() < 0.1
    head = walk.request(Stroke(frame=k, places=((x - 9, 50), (x + 9, 50)), width_px=14, belongs=False))
    without = cut_out(head, walk.chain, shelf, Silent())
    assert walk.cover(head, without, k)[48:52, x - 5 : x + 5].max() < 0.2
    assert walk.union(head, without, 2) > 0.85  # far from it the box still counts


def test_a_subject_that_leaves_is_lost_and_that_is_told(tmp_path):
    walk = Walk(tmp_path, leaves_at=20)
    frames = cut_out(walk.request(), walk.chain, Shelf(tmp_path / "shelf"), Silent())
    assert walk.union(walk.request(), frames, 18) > 0.85
    gone = [walk.cover(walk.request(), frames, k).sum() for k in range(21, FRAMES)]
    assert max(gone) < 0.25 * walk.true[AT].sum()
    assert "frame" in how_sure(frames.sure)


def test_the_middle_of_a_cut_out_is_followed_as_a_track_and_goes_with_its_area(walk, cut, tmp_path):
    part = walk.request().cut
    frames, _ = cut
    middle = followed_middle(frames, part.frames)
    for k in (0, AT, 25):
        assert middle.places[k, 0] == pytest.approx((60 + 4.0 * k - 2.0 * k, 76), abs=1.0)
    assert middle.known.all() and middle.lost == () and np.flatnonzero(middle.placed).tolist() == [AT]
    gone = CutFrames(covers=(*frames.covers[:20], *[frames.covers[0]] * 6), sure=np.r_[frames.sure[:20], np.zeros(6)])
    assert followed_middle(gone, part.frames).lost == (20,)
    take = take_in(walk.path)
    area = Area(name="walker", parts=(AreaPart(of=part),))
    placed = (Placement(frame=AT, places=((1.0, 1.0),)),)
    track = Track(name="walker", kind="point", placed=placed, cut=part, area_id=area.id)
    project = Project(takes=(take.changed(areas=(area,), tracks=(track,)),))
    store = MeasurementStore(Shelf(tmp_path / "shelf"))
    need = TrackNeed(take=project.takes[0], track=track)
    assert store.track(need) is None
    followed = store.follow(need, Silent())
    assert followed.places[3, 0] == pytest.approx((66, 76), abs=1.0)
    assert np.array_equal(store.track(need).places, followed.places)
    said = part.changed(strokes=(Stroke(frame=AT, places=((10, 10), (20, 10))),))
    # Of another motion of the camera another cut-out is found, and neither is taken for the other.
    other = project.takes[0].changed(left_out=(LeftOut(frame=0, area=(0.0, 0.0, 0.1, 0.1)),))
    assert store.track(TrackNeed(take=other, track=track)) is None
    changed = PutArea(take_id=take.id, area=area.changed(parts=(AreaPart(of=said),))).apply(project)
    assert changed.takes[0].tracks[0].cut == said
    save(changed, tmp_path / "p.clevrin")
    assert load(tmp_path / "p.clevrin") == changed
    with pytest.raises(ValueError, match="point"):
        track.changed(kind="surface", placed=(Placement(frame=0, places=((0, 0), (9, 0), (9, 9), (0, 9))),))


def test_somebody_who_is_cut_out_uncovers_the_next_shot(walk, tmp_path):
    with Sources.of(Shelf(tmp_path / "shelf")) as sources:
        green = pictured(tmp_path / "green.mp4", np.full((180, 320, 3), (30, 210, 60), np.uint8))
        area = Area(id="walker", name="walker", parts=(AreaPart(of=walk.request().cut),))
        take = take_in(walk.path).changed(areas=(area,))
        settings = {"area": "walker", "side": "this", "shows": "beyond", "length": 12.0}
        shots = (
            Shot(take_id=take.id, span=Span(first=0, end=18), leave=Join(kind="passing edge", settings=settings)),
            Shot(take_id=green.id, span=Span(first=8, end=30)),
        )
        project = Project(takes=(take, green), reel=Reel(width=SIZE[0], height=SIZE[1], shots=shots))
        first = HoldRequest.of(project, shots[0])
        assert isinstance(resolve(first, sources.measured).state, Lacking)  # nothing is cut out yet
        complete(first, sources.measured, Silent())
        k = 17
        complete(HoldRequest.of(project, shots[1]), sources.measured, Silent())
        mattes = [each.matte for each in plan_at(project, k, SIZE, sources.measured).layers if each.matte is not None]
        assert isinstance(mattes[0].parts[0].of, Stored)
        seen = picture(project, k, SIZE, sources).astype(int)
        stays, next_one = walk.true[k] > 0.98, walk.true[k] < 0.01
        far = cv2.erode(next_one.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        assert (np.abs(seen[far] - (30, 210, 60)).max(axis=1) < 20).mean() > 0.995  # nothing of the ground, no gap
        deep = cv2.erode(stays.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        assert (np.abs(seen[deep] - (30, 210, 60)).max(axis=1) > 25).mean() > 0.97  # and all of who passes
        save(project, tmp_path / "p.clevrin")
        opened = load(tmp_path / "p.clevrin")
        assert opened == project and np.array_equal(picture(opened, k, SIZE, sources), seen)


def test_a_box_beside_the_picture_finds_nothing(walk, tmp_path):
    request = CutRequest(
        path=walk.path, fingerprint="w", cut=CutOut(around=(Around(frame=3, box=(300, 200, 340, 260)),))
    )
    frames = cut_out(request, walk.chain, Shelf(tmp_path), Silent())
    assert not frames.sure.any() and how_sure(frames.sure) == "No subject is found in the box."
    assert walk.cover(request, frames, 3).max() == 0


def test_what_is_kept_of_a_part_lies_where_it_belongs_at_every_size():
    cover = np.zeros((30, 40), np.float32)
    cover[5:25, 10:34] = 1
    kept = packed(100, 50, cover)
    assert (kept.left, kept.top, kept.width, kept.height) == (110, 55, 24, 20)
    assert packed(0, 0, np.zeros((4, 4), np.float32)).packed == b""
    part = CutOut(around=(Around(frame=0, box=(0, 0, 9, 9)),))
    matte = matte_at(Area(name="a", parts=(AreaPart(of=part),)), 0, cuts={part: (kept,)})
    for size in (SIZE, (128, 72), (64, 36), (512, 288)):
        found, per = coverage(matte, SIZE, size), size[0] / SIZE[0]
        assert found.sum() == pytest.approx(24 * 20 * per**2, rel=0.02)
        rows, columns = np.mgrid[: size[1], : size[0]]
        middle = [(found * each).sum() / found.sum() for each in (columns, rows)]
        assert [(each + 0.5) / per for each in middle] == pytest.approx([122, 65], abs=0.1)
    assert (
        coverage(matte_at(Area(name="a", parts=(AreaPart(of=part),)), 1, cuts={part: (kept,)}), SIZE, SIZE).max() == 0
    )


def test_odds_are_made_one_with_edges_and_pieces_are_whole():
    rgb = np.zeros((40, 60, 3), np.uint8)
    rgb[:, 30:] = (200, 120, 60)
    given = np.where(np.arange(60) < 34, -1.0, 1.0)[None].repeat(40, axis=0).astype(np.float32)  # four pixels off
    made = guided(rgb, given, 8, 10.0).of(rgb)
    assert (made[:, 31] > made[:, 28] + 0.5).all()
    mask = np.zeros((60, 60), np.uint8)
    mask[10:40, 10:40] = 1
    mask[20:22, 20:22] = 0  # a small hole
    mask[50:58, 50:58] = 1  # a piece that nobody thought of
    thought = np.zeros_like(mask)
    thought[12:38, 12:38] = 1
    whole = whole_pieces(mask, thought)
    assert whole.sum() == 900 and whole[21, 21] == 1
    assert distances(whole)[25, 25] == pytest.approx(15, abs=1) and distances(np.zeros_like(mask)).max() < 0


def test_boxes_and_strokes_that_make_no_sense_are_no_cut_out():
    with pytest.raises(ValueError, match="width"):
        Around(frame=0, box=(10, 10, 10, 40))
    twice = (Around(frame=3, box=(0, 0, 9, 9)), Around(frame=3, box=(0, 0, 9, 9)))
    with pytest.raises(ValueError, match="order"):
        CutOut(around=twice)
    made = CutOut(around=twice[:1]).put(Around(frame=1, box=(0, 0, 5, 5))).put(Around(frame=3, box=(1, 1, 9, 9)))
    assert [each.frame for each in made.around] == [1, 3] and made.around[1].box == (1, 1, 9, 9)
    assert made.frames == (1, 3) and made.last_frame == 3
