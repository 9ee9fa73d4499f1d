"""Moments that were not shot, and shutters that were not open: on films whose every moment is known."""

import shutil
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from clevrin.core.document import Gate, Hold, Pace, PacePoint, Pose, Project, Reel, Shot, Shutter, Span
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.pace import placed_shots
from clevrin.core.pace.in_between import moment, pair_flow
from clevrin.core.progress import Silent
from clevrin.core.render.picture import plan_at, planes
from clevrin.core.render.pixels import executor
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.pixels.flow_store import packed, unpacked
from clevrin.core.render.plan import Between, Layer, Plan, Sample, Spared, row9
from clevrin.core.render.reports.pace_report import pace_figures
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.films import moving_film, shift, texture

SIZE = (320, 180)
STILL = np.eye(3)


def ground(seed: int = 3) -> np.ndarray:
    return texture(seed, 400)[: SIZE[1], : SIZE[0]].copy()


def luma(rgb: np.ndarray) -> np.ndarray:
    return picture_from_rgb(rgb).y


def psnr(a: np.ndarray, b: np.ndarray) -> float:
    return float(10 * np.log10(255**2 / max(1e-9, ((a.astype(float) - b) ** 2).mean())))


def between(first, second, share: float, way=STILL, made: str = "flow"):
    """The moment between two pictures of one size, as the executor makes it."""
    sample = Sample(
        frame=0,
        src_from_out=row9(np.asarray((1 - share) * np.eye(3) + share * np.linalg.inv(way))),
        between=Between(frame=1, share=share, to_from_src=row9(way), made=made),
    )
    layer = Layer(take_id="t", path="t", source_size=first.size, samples=(sample,))
    plan = Plan(width=first.size[0], height=first.size[1], layers=(layer,))
    return execute(plan, lambda _, frame: (first, second)[frame])


def test_between_two_equal_frames_there_is_the_same_one():
    picture = picture_from_rgb(ground())
    made = between(picture, picture, 0.5)
    for a, b in zip(made.planes, picture.planes, strict=True):
        assert np.array_equal(a, b)


def test_noise_moves_nothing():
    rng = np.random.default_rng(5)
    still = ground().astype(float)
    pair = [np.clip(still + rng.normal(0, 2, still.shape), 0, 255).astype(np.uint8) for _ in range(2)]
    flow = pair_flow(luma(pair[0]), luma(pair[1]), np.eye(3))
    assert np.percentile(np.hypot(*flow.forward.transpose(2, 0, 1)), 90) < 0.1 and flow.trust > 0.95


def with_card(x: float) -> np.ndarray:
    """A bright card of its own texture before the ground."""
    rgb = ground()
    card = texture(9, 64)[:50, :50]
    left = round(x)
    rgb[60:110, left : left + 50] = card // 2 + 110
    return rgb


def test_what_moves_by_itself_is_half_way_and_uncovers_what_is_behind_it():
    first, true, second = (picture_from_rgb(with_card(x)) for x in (100, 108, 116))
    made = between(first, second, 0.5)
    mixed = (first.y.astype(float) + second.y) / 2
    area = np.s_[50:120, 90:180]
    assert psnr(made.y[area], true.y[area]) > psnr(mixed[area], true.y[area]) + 6
    assert psnr(made.y[:40], true.y[:40]) > 45


def test_large_motion_of_the_camera_costs_nothing():
    wide = texture(4, 800)
    views = [picture_from_rgb(wide[100 : 100 + SIZE[1], 40 + k * 60 : 40 + k * 60 + SIZE[0]]) for k in range(3)]
    made = between(views[0], views[2], 0.5, shift(-120, 0))
    inner = np.s_[:, 70:-70]
    assert psnr(made.y[inner], views[1].y[inner]) > 38


def test_nothing_is_made_across_a_cut_or_a_flash():
    first, other = picture_from_rgb(ground(3)), picture_from_rgb(255 - ground(8))
    assert np.array_equal(between(first, other, 0.4).y, first.y)
    assert np.array_equal(between(first, other, 0.6).y, other.y)
    flash = picture_from_rgb(np.clip(ground(3).astype(int) + 90, 0, 255).astype(np.uint8))
    assert np.array_equal(between(first, flash, 0.4).y, first.y)


def test_several_moments_share_one_flow():
    first, second = (luma(with_card(x)) for x in (100, 116))
    flow = pair_flow(first, second, np.eye(3))
    quarter, half = moment(flow, 0.25), moment(flow, 0.5)
    inside = np.s_[75:95, 118:140]
    assert -4.6 < np.median(quarter.from_first[inside][..., 0]) < -3.4
    assert -8.8 < np.median(half.from_first[inside][..., 0]) < -7.2


@pytest.fixture(scope="module")
def shelf_of_pan(pan, tmp_path_factory) -> Path:
    """Its camera is measured once for all of these tests."""
    folder = tmp_path_factory.mktemp("measured") / "shelf"
    with Sources.of(Shelf(folder)) as sources:
        sources.measured.measure(pan.takes[0], Silent())
    return folder


@pytest.fixture(scope="module")
def pan(tmp_path_factory) -> Project:
    """A camera that turns by 9 pixels a frame, on a reel of its rate."""
    folder = tmp_path_factory.mktemp("pan")
    moving_film(folder / "pan.mp4", lambda t: shift(9.0 * t, 300), frames=60, seed=2)
    take = take_in(folder / "pan.mp4")
    shot = Shot(take_id=take.id, span=Span(first=5, end=55))
    width, height = take.facts.width, take.facts.height
    return Project(takes=(take,), reel=Reel(rate=take.facts.rate, width=width, height=height, shots=(shot,)))


@pytest.fixture
def sources(tmp_path, shelf_of_pan):
    shutil.copytree(shelf_of_pan, tmp_path / "shelf")
    with Sources.of(Shelf(tmp_path / "shelf")) as made:
        yield made


def paced(project: Project, **fields) -> Project:
    shot = project.reel.shots[0].changed(**fields)
    return project.changed(reel=project.reel.changed(shots=(shot,)))


def measured(project: Project, sources: Sources) -> Project:
    complete(HoldRequest.of(project, project.reel.shots[0]), sources.measured, Silent())
    return project


def test_the_speed_as_shot_is_the_film_itself(pan, sources):
    """Asked for all it can, at the rate of the take, nothing is made and nothing is touched."""
    as_shot = Pace(points=(PacePoint(frame=30, speed=1),), in_between="best", shutter=Shutter(angle_deg=0))
    project = measured(paced(pan, pace=as_shot), sources)
    size = project.reel.size
    with FilmReader(Path(pan.takes[0].path)) as reader:
        for at in (0, 17, 49):
            assert np.array_equal(planes(project, at, size, sources).y, reader.read(5 + at).y)


def test_all_settings_of_a_shot_are_one_map(pan, sources):
    """Held, gated, mirrored, reversed, ramped and blurred: each moment is laid by one map, made of all of them."""
    pace = Pace(points=(PacePoint(frame=15, speed=0.5), PacePoint(frame=40, speed=3)), shutter=Shutter(angle_deg=360))
    gate = Gate(poses=(Pose(frame=10, x=300, y=200, width=300), Pose(frame=50, x=340, y=180, width=360)))
    shot = pan.reel.shots[0].changed(hold=Hold(how="float"), mirror="horizontal", pace=pace).with_gate(gate)
    shot = shot.played(reverse=True)
    project = measured(pan.changed(reel=pan.reel.changed(shots=(shot,))), sources)
    size = project.reel.size
    plan = plan_at(project, 5, size, sources.measured)
    (layer,) = plan.layers
    assert len(layer.samples) > 5 and sum(each.weight for each in layer.samples) == pytest.approx(1)
    assert np.linalg.det(layer.matrix[:2, :2]) < 0  # mirrored
    one = execute(replace(plan, layers=(layer.laid(layer.src_from_out),)), _reading(project, sources))
    assert one.size == size


def _reading(project, sources):
    take = project.takes[0]
    return lambda layer, frame: sources.films.read(take, frame)


def test_added_blur_is_the_mean_of_what_went_by(pan, sources):
    """At four times the speed with 180 degrees half of the frames that pass are seen, on each other as light."""
    pace = Pace(points=(PacePoint(frame=30, speed=4),), shutter=Shutter(angle_deg=180))
    project = measured(paced(pan, pace=pace, span=Span(first=0, end=60)), sources)
    size = project.reel.size
    made = planes(project, 7, size, sources).y.astype(float)
    sharp = planes(paced(project, pace=pace.changed(shutter=Shutter())), 7, size, sources).y.astype(float)
    along = [np.abs(np.diff(each, axis=1)).mean() for each in (made, sharp)]
    across = [np.abs(np.diff(each, axis=0)).mean() for each in (made, sharp)]
    assert along[0] < 0.45 * along[1] and across[0] > 0.5 * across[1]
    (layer,) = plan_at(project, 7, size, sources.measured).layers
    assert layer.added_blur_px == pytest.approx(9 * 4 / 2, rel=0.1)


def test_blur_comes_with_the_speed_where_it_is_wanted_only_there(pan, sources):
    """None as it was shot, half of the angle at two and a half times the speed, all of it at four."""
    shutter = Shutter(angle_deg=180, full_at=4.0)

    def added(speed: float, **changes) -> float:
        pace = Pace(points=(PacePoint(frame=30, speed=speed),), shutter=shutter.changed(**changes))
        project = measured(paced(pan, pace=pace, span=Span(first=0, end=60)), sources)
        (layer,) = plan_at(project, 4, project.reel.size, sources.measured).layers
        return layer.added_blur_px

    assert added(1.0) == added(0.5) == 0.0 and added(1.0, angle_deg=360, full_at=None) > 0
    assert added(4.0) == pytest.approx(added(4.0, full_at=None)) and added(8.0) == pytest.approx(9 * 8 / 2, rel=0.1)
    assert added(2.5) == pytest.approx(added(2.5, angle_deg=90, full_at=None)) and added(2.5) > 0


@pytest.mark.parametrize("frame", [12, 40])
def test_an_open_shutter_made_as_a_whole_is_that_of_its_moments_one_by_one(
    demo_take, measured_demo, monkeypatch, frame
):
    """In the whip of the hill (12) and in its walk (40), where some of it moves beside the background."""
    take = demo_take("hill")
    pace = Pace(points=(PacePoint(frame=0, speed=1),), shutter=Shutter(angle_deg=360))
    shot = Shot(take_id=take.id, span=take.whole, pace=pace)
    project = Project(takes=(take,), reel=Reel(width=640, height=360, rate=take.facts.rate, shots=(shot,)))
    with Sources.of(measured_demo) as sources:
        complete(HoldRequest.of(project, shot), sources.measured, Silent())
        (layer,) = plan_at(project, frame, (640, 360), sources.measured).layers
        assert len(layer.samples) >= 7 and any(each.between is not None for each in layer.samples)
        made = planes(project, frame, (640, 360), sources)
        monkeypatch.setattr(executor, "seen_by_shutter", lambda *_: None)
        one_by_one = planes(project, frame, (640, 360), sources)
    assert min(psnr(a, b) for a, b in zip(made.planes, one_by_one.planes, strict=True)) > 44


def test_blur_that_is_there_already_is_not_added_again(pan, sources):
    """At half the speed the take's own blur is longer than any shutter of 90 degrees on the reel makes it."""
    pace = Pace(points=(PacePoint(frame=30, speed=1),), shutter=Shutter(angle_deg=180))
    trace = sources.measured.measure(pan.takes[0], Silent())
    project = paced(pan, pace=pace)
    resolved = complete(HoldRequest.of(project, project.reel.shots[0]), sources.measured, Silent())
    blurred = replace(resolved, course=replace(trace, shutter_deg=180.0))
    (placed,) = placed_shots(project)
    figures = pace_figures(blurred, placed, (320, 180), sources.films)
    assert {each.samples for each in figures} == {1}
    bare = pace_figures(replace(resolved, course=replace(trace, shutter_deg=None)), placed, (320, 180), sources.films)
    assert all(each.made_of == "gathered" for each in bare[5:-5])


def test_the_report_says_what_frames_are_made_of(pan, sources):
    project = measured(paced(pan, pace=Pace(points=(PacePoint(frame=30, speed=0.5),))), sources)
    shot = project.reel.shots[0]
    (placed,) = placed_shots(project)
    resolved = complete(HoldRequest.of(project, shot), sources.measured, Silent())
    before = pace_figures(resolved, placed, (320, 180), sources.films)
    assert [each.made_of for each in before[:4]] == ["frame", "flow", "frame", "flow"]
    assert [each.instant for each in before[:4]] == [5, 5.5, 6, 6.5] and before[1].trust is None
    planes(project, 1, (320, 180), sources)
    assert pace_figures(resolved, placed, (320, 180), sources.films)[1].trust > 0.9


def test_a_shot_of_one_frame_and_one_that_stands_still_are_shown(pan, sources):
    one = measured(paced(pan, span=Span(first=7, end=8), pace=Pace(points=(PacePoint(frame=7, speed=4),))), sources)
    assert planes(one, 0, (320, 180), sources).size == (320, 180)
    stands = Pace(points=(PacePoint(frame=20, speed=0, stays_s=1.0),), shutter=Shutter(angle_deg=720))
    still = measured(paced(pan, pace=stands), sources)
    first, last = (planes(still, k, (320, 180), sources).y for k in (0, int(pan.reel.rate) - 1))
    assert np.array_equal(first, last)


def test_what_is_kept_sharp_is_spared_by_the_blur():
    """A disc of the picture stays as it was shot, softly bounded, while the rest is smeared."""
    picture = picture_from_rgb(texture(6, 400)[: SIZE[1], : SIZE[0]].copy())
    samples = tuple(
        Sample(frame=0, src_from_out=row9(shift(float(x), 0.0)), weight=1 / 9) for x in np.linspace(-12, 12, 9)
    )
    layer = Layer(take_id="t", path="t", source_size=picture.size, samples=samples)
    spared = replace(layer, spared=Spared(x=160, y=90, radius=30, feather=15))
    blurred, kept = (
        execute(Plan(width=SIZE[0], height=SIZE[1], layers=(each,)), lambda *_: picture) for each in (layer, spared)
    )
    inside, outside = np.s_[75:105, 145:175], np.s_[:, :90]
    assert psnr(kept.y[inside], picture.y[inside]) > 45 > psnr(blurred.y[inside], picture.y[inside])
    assert np.array_equal(kept.y[outside], blurred.y[outside])


def test_a_flow_is_found_once_and_kept_on_the_shelf(pan, sources, tmp_path, monkeypatch):
    project = measured(paced(pan, pace=Pace(points=(PacePoint(frame=30, speed=0.5),), in_between="flow")), sources)
    size = project.reel.size
    at = next(k for k in range(40) if plan_at(project, k, size, sources.measured).layers[0].samples[0].between)
    first = planes(project, at, size, sources)
    sources.films.flows.clear()  # waits until it is there
    kept = list((tmp_path / "shelf" / "flows").iterdir())
    assert len(kept) == 1

    def never(*_):
        raise AssertionError("its flow is on the shelf")

    with monkeypatch.context() as patched:
        patched.setattr(sys.modules["clevrin.core.render.picture"], "flow_between", never)
        with Sources.of(Shelf(tmp_path / "shelf")) as again:
            assert np.array_equal(planes(project, at, size, again).y, first.y)
    for damage in (b"", b"nonsense", kept[0].read_bytes()[:-400], bytes(1000)):
        kept[0].write_bytes(damage)
        with Sources.of(Shelf(tmp_path / "shelf")) as again:
            assert np.array_equal(planes(project, at, size, again).y, first.y)
    Shelf(tmp_path / "shelf").clear()
    assert not kept[0].exists()


def test_what_is_packed_is_the_flow_to_a_64th_of_a_pixel():
    flow = pair_flow(luma(with_card(100)), luma(with_card(116)), np.eye(3))
    arrays = packed(flow)
    back = unpacked(arrays)
    assert back is not None and np.abs(back.forward - flow.forward).max() <= 1 / 128
    assert np.abs(back.second_sure - flow.second_sure).max() <= 1 / 510 + 1e-6
    assert np.array_equal(packed(back)["data"], arrays["data"])  # it is rounded once
    assert unpacked({**arrays, "data": arrays["data"][:-100]}) is None
