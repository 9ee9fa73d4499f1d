"""The trace where measuring is hard: the studies of kite day, and films of another look with the same difficulty."""

from fractions import Fraction

import cv2
import numpy as np
import pytest

from clevrin.core.errors import CancelledError
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion import find_whips
from clevrin.core.motion.geometry.lens import Habit, Lesson
from clevrin.core.motion.geometry.models import apply, simplest_model
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.motion.measuring.vectors import stored_piece
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import picture_errors, trace_errors
from tests.core.test_motion import StopAfter
from tests.films import about, moving_film, shift, texture
from tests.marks import later


def rms(values: np.ndarray) -> float:
    return float(np.sqrt((values**2).mean()))


@pytest.fixture(scope="module")
def study(tmp_path_factory):
    """The trace of a study, measured once."""
    shelf, known = Shelf(tmp_path_factory.mktemp("studies")), {}

    def trace(name: str):
        if name not in known:
            known[name] = trace_take(TraceRequest(path=FOOTAGE / f"{name}.mp4"), shelf, Silent())
        return known[name]

    return trace


@pytest.mark.parametrize(("name", "centre", "corner"), [("parade", 0.12, 0.25), later("mist", 0.15, 0.30)])
def test_a_large_subject_and_mist_are_no_hindrance(study, truth, name, centre, corner):
    off = trace_errors(study(name), truth(name)["H"])
    assert rms(off.centre) < centre and rms(off.corners) < corner  # measured 0.05 / 0.12 and 0.11 / 0.27
    assert find_whips(study(name)) == ()


@pytest.mark.parametrize("name", ["somersault", later("burst"), later("earthward")])
def test_rolls_zooms_and_tilts_are_whips_of_their_kind(study, truth, name):
    trace, true = study(name), truth(name)
    (whip,), (expected,) = find_whips(trace), true["whips"]
    assert whip.kind == expected["kind"] and abs(whip.peak - expected["peak"]) <= 1
    off = picture_errors(trace, true["H"])
    assert rms((off.error / off.speed.clip(1))[~off.calm]) < 0.02
    assert abs(whip.turn_deg) > 10 if name == "somersault" else abs(whip.turn_deg) < 1
    assert whip.growth > 1.03 if name == "burst" else whip.growth == pytest.approx(1, abs=0.01)


def test_a_fixed_camera_does_not_drift(study):
    trace = study("tripod")
    total = np.eye(3)
    for motion in trace.motions[1:101]:
        total = motion @ total
    corners = np.array([[0, 0], [1279, 0], [0, 719], [1279, 719], [639.5, 359.5]])
    assert np.abs(apply(total, corners) - corners).max() < 0.3


def test_a_rolling_shutter_is_followed_row_by_row(study):
    trace, scene = study("downhill"), FILMED["downhill"]
    points = np.array([[x, y] for x in (200.0, 640.0, 1080.0) for y in (120.0, 360.0, 600.0)])
    off = [apply(trace.motions[k], points) - scene.carried(points, k - 1, k) for k in range(1, 60)]
    assert rms(np.hypot(*np.array(off).transpose(2, 0, 1))) < 0.25


@pytest.mark.parametrize("seed", [2, later(6)])
@pytest.mark.parametrize("share", [0.35, 0.5])
def test_the_background_is_the_motion_with_the_widest_spread(tmp_path, seed, share):
    """A subject with more corners than what is behind it walks through, at first hardly faster than the camera."""
    back, front = texture(seed), texture(seed + 10)
    width, height = 640, 360
    true = np.array([2.2, -0.7])
    with FilmWriter(tmp_path / "f.mp4", rate=Fraction(25), size=(width, height), quality=14, threads=1) as writer:
        for k in range(24):
            flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
            soft = cv2.GaussianBlur(back, (0, 0), 1.2)
            rgb = cv2.warpPerspective(soft, shift(*(300 - true * k)), (width, height), flags=flags)
            side = int(share * width)
            left = int(80 + 0.35 * k * k)
            cloth = cv2.warpPerspective(front, shift(200 - 2.6 * k, 200 + 0.8 * k), (side, 260), flags=flags)
            end = min(width, left + side)
            rgb[50:310, left:end] = cloth[:, : end - left]
            noisy = rgb + np.random.default_rng(k).standard_normal(rgb.shape)
            writer.write(picture_from_rgb(noisy.clip(0, 255).astype(np.uint8)))
    trace = trace_take(TraceRequest(path=tmp_path / "f.mp4", model="homography"), Shelf(tmp_path / "s"), Silent())
    assert rms(np.hypot(*(trace.displacement_px[2:] - true).T)) < 0.12


def bent_film(path, frames: int = 14):
    """A picture that bends: near and far parts of it move by different amounts, as past a window front."""
    source = texture(8)
    size = (640, 360)
    x, y = np.meshgrid(np.arange(size[0], dtype=np.float32), np.arange(size[1], dtype=np.float32))
    depth = 1 + 0.5 * np.cos(np.pi * x / 640) * np.sin(np.pi * y / 360)

    def place(k: float) -> tuple[np.ndarray, np.ndarray]:
        return x + 300 + 3.0 * k * depth, y + 400 + 0.5 * k * depth

    with FilmWriter(path, rate=Fraction(30), size=size, quality=14, threads=1) as writer:
        for k in range(frames):
            maps = (each.astype(np.float32) for each in place(k))
            writer.write(picture_from_rgb(cv2.remap(source, *maps, cv2.INTER_CUBIC)))
    return depth


def test_a_mesh_follows_what_a_homography_cannot(tmp_path):
    depth = bent_film(tmp_path / "f.mp4")
    request = TraceRequest(path=tmp_path / "f.mp4", model="mesh")
    shelf = Shelf(tmp_path / "s")
    trace = trace_take(request, shelf, Silent())
    assert trace.mesh is not None and trace.mesh.shape == (14, 6, 10, 2)
    points = np.array([[px, py] for px in range(80, 600, 80) for py in range(60, 330, 60)], float)
    # In the picture a point of the texture moves against the map; the depth hardly changes over a step.
    true = -np.array([3.0, 0.5]) * depth[points[:, 1].astype(int), points[:, 0].astype(int)][:, None]
    off = np.array([trace.carried(points, k) - points - true for k in range(4, 14)])
    plain = np.array([apply(trace.motions[k], points) - points - true for k in range(4, 14)])
    # The depth under a point changes by a few hundredths while it is followed: the truth is as good as that.
    assert rms(off) < 0.75 * rms(plain) and rms(off) < 0.3


@pytest.mark.parametrize(
    ("cost", "model"),
    [
        ((30.0, 30.0, 30.0, 30.0), "translation"),
        ((900.0, 30.0, 28.0, 26.0), "similarity"),
        ((900.0, 400.0, 30.0, 20.0), "homography"),
        ((900.0, 800.0, 700.0, 40.0), "mesh"),
    ],
)
def test_the_simplest_model_that_explains_all_frames_is_taken(cost, model):
    costs, points = np.tile(cost, (20, 1)), np.full(20, 250)
    costs[3], points[3] = 1e6, 0  # a frame of which nothing is known has no say
    assert simplest_model(costs, points) == model


def test_vectors_are_kept_with_the_pieces(tmp_path):
    motion = lambda t: shift(300 + 4 * t, 400)  # noqa: E731
    moving_film(tmp_path / "f.mp4", motion, frames=70)
    request, shelf = TraceRequest(path=tmp_path / "f.mp4"), Shelf(tmp_path / "s")
    assert stored_piece(request, shelf, 10, 70) is None
    trace_take(request, shelf, Silent())
    for frame in (1, 59, 60, 69):
        vectors = stored_piece(request, shelf, frame, 70).vectors(frame)
        moved = (vectors.after - vectors.before) * (640, 360)
        assert vectors.follows.mean() > 0.9 and len(moved) > 100
        assert np.abs(np.median(moved, axis=0) - (-4, 0)).max() < 0.1
    assert stored_piece(request, shelf, 0, 70).vectors(0).after.shape == (0, 2)


def test_vectors_seen_while_a_piece_was_unfinished_do_not_hide_the_rest(tmp_path):
    moving_film(tmp_path / "f.mp4", lambda t: shift(300 + 4 * t, 400), frames=50)
    take, shelf = take_in(tmp_path / "f.mp4"), Shelf(tmp_path / "s")
    store = MeasurementStore(shelf)
    with pytest.raises(CancelledError):
        store.measure(take, StopAfter(20))
    store.vectors(take, 10)
    store.measure(take, Silent())
    assert all(len(store.vectors(take, frame).after) > 100 for frame in (10, 40, 49))


def test_a_lens_is_learned_from_fits_that_agree_with_it():
    focal, radius = 1.6, 300.0
    habit, rng = Habit(), np.random.default_rng(3)
    for _ in range(40):
        x, y = rng.normal(0, 0.05, 2)
        turn = cv2.Rodrigues(np.array([y, -x, 0.0]) / focal)[0]
        scaled = np.diag([focal, focal, 1]) @ turn @ np.diag([1 / focal, 1 / focal, 1])
        scaled /= scaled[2, 2]
        scaled[2, :2] += rng.normal(0, 0.3 / radius, 2)
        habit.learn(Lesson(scaled=scaled, spread=0.3 / radius, radius_px=radius))
    assert 1 / np.sqrt(habit.weighted / habit.weight) == pytest.approx(focal, rel=0.15)
    four, allowed = habit.expected(np.array([[1, 0, 0.1], [0, 1, 0], [0, 0, 1.0]]), radius)
    assert four[2] == pytest.approx(-0.1 / focal**2, rel=0.3) and allowed < 0.6 / radius


def test_a_walk_past_near_things_is_no_matter_of_the_lens():
    habit, rng = Habit(), np.random.default_rng(3)
    for _ in range(60):
        scaled = np.eye(3)
        scaled[:2, 2] = rng.normal(0, 0.05, 2)
        scaled[2, :2] = rng.normal(0, 0.02, 2)
        habit.learn(Lesson(scaled=scaled, spread=1e-4, radius_px=300.0))
    assert habit.expected(scaled, 300.0)[1] > 0.01  # far more than its fits' own deviation: it is not held to it


def test_turning_films_of_another_look_are_whips(tmp_path):
    travel = lambda t: 70 * (1 + np.tanh((t - 12) / 3.0))  # noqa: E731
    motion = lambda t: shift(400, 500) @ about((320, 180), travel(t))  # noqa: E731
    moving_film(tmp_path / "f.mp4", motion, frames=26, seed=12)
    (whip,) = find_whips(trace_take(TraceRequest(path=tmp_path / "f.mp4"), Shelf(tmp_path / "s"), Silent()))
    assert whip.kind == "roll" and abs(whip.peak - 12) <= 1
