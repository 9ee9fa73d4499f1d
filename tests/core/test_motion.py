"""The trace, on the demo's true camera and on films of another look, other rates and sizes."""

from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from clevrin.core.document import Span
from clevrin.core.errors import CancelledError, MediaError
from clevrin.core.motion import find_whips
from clevrin.core.motion.geometry.models import apply, similarity_of
from clevrin.core.motion.matching.consensus import NEUTRAL, background
from clevrin.core.motion.matching.fitting import fit_motion
from clevrin.core.motion.matching.working_picture import cells_of
from clevrin.core.motion.measuring.left_out import Without
from clevrin.core.motion.measuring.measure import TraceRequest, stored_trace, trace_take
from clevrin.core.motion.measuring.registration import RegistrationRequest, register_span, stored_registration
from clevrin.core.motion.trace.motion_csv import COLUMNS, motion_csv
from clevrin.core.motion.trace.trace import camera_angle_deg
from clevrin.core.progress import Silent
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.demo.judging import trace_errors
from tests.conftest import TAKES
from tests.core.traces import trace_of
from tests.films import about, moving_film, numbered_film, shift
from tests.marks import later


def rms(values: np.ndarray) -> float:
    return float(np.sqrt((values**2).mean()))


@pytest.mark.parametrize("name", TAKES)
def test_calm_stretches_of_the_demo_are_true(name, demo_trace, truth):
    off = trace_errors(demo_trace(name), truth(name)["H"])
    assert rms(off.centre[off.calm]) < 0.15  # px; measured 0.04 to 0.06
    assert rms(off.corners[off.calm]) < 0.30  # px; measured 0.09 to 0.11


@pytest.mark.parametrize("name", ["walk-past", "hill", "bunting"])
def test_whips_of_the_demo_are_true(name, demo_trace, truth):
    true = truth(name)
    trace = demo_trace(name)
    off = trace_errors(trace, true["H"])
    assert (off.centre / off.speed.clip(1))[~off.calm].max() < 0.05  # measured 0.013
    (whip,), (expected,) = find_whips(trace), true["whips"]
    assert abs(whip.peak - expected["peak"]) <= 1
    assert expected["start"] - 3 <= whip.start <= expected["start"] + 4
    assert expected["end"] - 4 <= whip.end <= expected["end"] + 3
    assert abs((whip.angle_deg - expected["angle_deg"] + 180) % 360 - 180) < 3
    assert whip.kind == "pan"
    assert whip.blur_px == pytest.approx(true["frames"][whip.peak]["blur_px"], rel=0.1)
    assert trace.shutter_deg == pytest.approx(true["shutter_deg"], rel=0.1)


def test_a_calm_take_has_no_whip_and_no_shutter_is_claimed(demo_trace):
    trace = demo_trace("picnic")
    assert find_whips(trace) == () and trace.shutter_deg is None


CAMERAS = {
    "pan and roll": lambda t: shift(300 + 4 * t, 400 + 6 * np.sin(t / 3)) @ about((320, 180), 0.8 * np.sin(t / 4)),
    "push in": lambda t: shift(350, 420) @ about((320, 180), 0.1 * t, 1 / 1.004**t),
    "still": lambda t: shift(400, 500),
}


@pytest.mark.parametrize("camera", CAMERAS)
@pytest.mark.parametrize(("size", "rate", "seed"), [((640, 360), 30, 1), ((1280, 720), 60, 2), ((406, 720), 24, 3)])
def test_motion_of_other_footage_is_found(tmp_path, camera, size, rate, seed):
    scale = size[0] / 640
    motion = CAMERAS[camera]
    film = tmp_path / "film.mp4"
    true = moving_film(film, motion, frames=16, size=size, rate=Fraction(rate), seed=seed)
    trace = trace_take(TraceRequest(path=film, model="homography"), Shelf(tmp_path), Silent())
    off = trace_errors(trace, np.array(true))
    assert rms(off.centre) < 0.1 * max(1.0, scale)
    assert rms(off.corners) < 0.25 * max(1.0, scale)
    assert trace.confidence.min() > 0.6


def test_auto_takes_the_simplest_model_that_explains_a_take(tmp_path):
    moving_film(tmp_path / "pan.mp4", lambda t: shift(300 + 3.3 * t, 400), frames=20)
    trace = trace_take(TraceRequest(path=tmp_path / "pan.mp4"), Shelf(tmp_path), Silent())
    assert trace.model in ("translation", "similarity")
    turning = lambda t: shift(300, 400) @ about((320, 180), 0.7 * t)  # noqa: E731
    moving_film(tmp_path / "turn.mp4", turning, frames=20)
    assert trace_take(TraceRequest(path=tmp_path / "turn.mp4"), Shelf(tmp_path), Silent()).model != "translation"


@pytest.mark.parametrize(
    ("angle", "shutter"),
    [
        (0, 0.25),
        *(later(*each) for each in ((45, 0.5), (90, 0.5), (180, 0.9), (-90, 0.25))),
    ],
)
def test_whips_in_every_direction_with_other_shutters(tmp_path, angle, shutter):
    """Speed peaks at frame 12; the camera moves towards `angle`, so the texture is read further there."""
    x, y = np.cos(np.radians(angle)), -np.sin(np.radians(angle))
    travel = lambda t: 13 * 48 / 2.5 * (1 + np.tanh((t - 12) / 3.2))  # noqa: E731

    def motion(t: float) -> np.ndarray:
        return shift(380 + x * (travel(t) - 240), 520 + y * (travel(t) - 240))

    film = tmp_path / "whip.mp4"
    moving_film(film, motion, frames=26, shutter=shutter, seed=7)
    trace = trace_take(TraceRequest(path=film), Shelf(tmp_path), Silent())
    (whip,) = find_whips(trace)
    assert abs(whip.peak - 12) <= 1
    assert abs((whip.angle_deg - angle + 180) % 360 - 180) < 3
    assert whip.kind == {0: "pan", 180: "pan", 90: "tilt", -90: "tilt", 45: "diagonal"}[angle]
    assert trace.shutter_deg == pytest.approx(360 * shutter, rel=0.12)


def test_an_area_that_moves_by_itself_can_be_left_out(tmp_path):
    import cv2

    from clevrin.core.media.picture import picture_from_rgb, rgb_from_picture
    from clevrin.core.media.reading import FilmReader
    from clevrin.core.media.writing import FilmWriter
    from tests.films import texture

    moving_film(tmp_path / "still.mp4", lambda t: shift(400, 500), frames=12)
    subject = texture(9, 400)
    with (
        FilmReader(tmp_path / "still.mp4") as reader,
        FilmWriter(tmp_path / "busy.mp4", rate=Fraction(30), size=(640, 360), quality=14) as writer,
    ):
        for k in range(12):
            rgb = rgb_from_picture(reader.read(k)).copy()
            rgb[:, 300:640] = cv2.warpPerspective(
                subject, shift(-5.0 * k, 0), (340, 360), borderMode=cv2.BORDER_REFLECT
            )
            writer.write(picture_from_rgb(rgb))
    areas = ((300 / 640, 0.0, 340 / 640, 1.0),)
    trace = trace_take(
        TraceRequest(path=tmp_path / "busy.mp4", without=Without(fixed=areas)), Shelf(tmp_path), Silent()
    )
    assert trace.speed_px.max() < 0.2


@pytest.mark.parametrize("value", [0, 16, 128])
def test_a_film_without_anything_to_see_gives_no_motion_and_no_confidence(tmp_path, value):
    from clevrin.core.media.writing import FilmWriter
    from tests.films import still

    with FilmWriter(tmp_path / "blank.mp4", rate=Fraction(30), size=(320, 180)) as writer:
        for _ in range(5):
            writer.write(still((320, 180), value))
    trace = trace_take(TraceRequest(path=tmp_path / "blank.mp4"), Shelf(tmp_path), Silent())
    assert trace.confidence[1:].max() == 0
    assert trace.speed_px.max() == 0 and find_whips(trace) == ()


class StopAfter:
    def __init__(self, frames: int) -> None:
        self.frames, self.seen = frames, []

    def report(self, done: int, total: int) -> None:
        self.seen.append(done)

    def cancelled(self) -> bool:
        return bool(self.seen) and self.seen[-1] >= self.frames


@pytest.fixture(scope="module")
def uninterrupted(tmp_path_factory):
    """Measured here: what ships was measured on another machine, whose sums may end otherwise in the last bit."""
    shelf = Shelf(tmp_path_factory.mktemp("uninterrupted"))
    return trace_take(TraceRequest(path=FOOTAGE / "bunting.mp4"), shelf, Silent())


@pytest.mark.parametrize("stops", [later((1,)), (25, 70), later((59, 60, 61))])
def test_stopped_and_gone_on_equals_uninterrupted(tmp_path, stops, uninterrupted):
    request = TraceRequest(path=FOOTAGE / "bunting.mp4")
    shelf = Shelf(tmp_path / "shelf")
    for stop in stops:
        watch = StopAfter(stop)
        with pytest.raises(CancelledError):
            trace_take(request, shelf, watch)
        assert stored_trace(request, shelf) is None
    rest = StopAfter(10_000)
    trace = trace_take(request, shelf, rest)
    assert rest.seen[0] == stops[-1] + 1  # it went on behind the last frame that was measured
    whole = uninterrupted
    assert np.array_equal(trace.motions, whole.motions)
    assert np.array_equal(trace.confidence, whole.confidence) and trace.shutter_deg == whole.shutter_deg


def test_nobody_measures_twice(measured_demo):
    watch = StopAfter(10_000)
    trace_take(TraceRequest(path=FOOTAGE / "hill.mp4"), measured_demo, watch)
    assert watch.seen == [150]


def test_a_damaged_measurement_is_thrown_away_and_made_again(tmp_path):
    film = numbered_film(tmp_path / "film.mp4", frames=6, size=(320, 180))
    shelf = Shelf(tmp_path / "shelf")
    first = trace_take(TraceRequest(path=film), shelf, Silent())
    files = list((tmp_path / "shelf" / "trace").glob("*.npz"))
    for damaged in (b"", b"nonsense", files[0].read_bytes()[:200], b"\0" * 500):
        for file in files:
            file.write_bytes(damaged)
        assert stored_trace(TraceRequest(path=film), shelf) is None
        again = trace_take(TraceRequest(path=film), shelf, Silent())
        assert np.array_equal(again.motions, first.motions)


def test_one_frame_has_no_motion(tmp_path):
    film = numbered_film(tmp_path / "one.mp4", frames=1)
    with pytest.raises(MediaError, match="single frame"):
        trace_take(TraceRequest(path=film), Shelf(tmp_path), Silent())


@pytest.mark.parametrize("frames", [2, 3])
def test_the_shortest_films_are_measured(tmp_path, frames):
    film = numbered_film(tmp_path / "short.mp4", frames=frames, size=(320, 180))
    trace = trace_take(TraceRequest(path=film), Shelf(tmp_path), Silent())
    assert trace.frames == frames and np.array_equal(trace.motions[0], np.eye(3))


def test_outliers_do_not_count():
    rng = np.random.default_rng(4)
    before = rng.uniform([-320, -180], [320, 180], (300, 2))
    true = np.array([[1.01, -0.02, 7.5], [0.02, 1.01, -3.2], [1e-5, -2e-5, 1]])
    after = apply(true, before) + rng.normal(0, 0.1, before.shape)
    after[:100] += rng.uniform(5, 30, (100, 2))
    cells = cells_of(before + np.array([320, 180]), (360, 640))
    agreeing = background(before, after, cells, np.full(300, NEUTRAL), 1.0)
    assert agreeing is not None
    fit = fit_motion(before, after, 367.0, 1.0, agreeing)
    assert fit is not None
    corners = np.array([[-320, -180], [320, 180]], float)
    assert np.abs(apply(fit.motion, corners) - apply(true, corners)).max() < 0.15
    assert fit.inliers[100:].mean() > 0.95 and fit.inliers[:100].mean() < 0.05


def test_too_few_points_are_no_motion():
    few = np.zeros((5, 2))
    assert background(few, few, np.zeros(5, np.int64), np.ones(5), 1.0) is None
    assert fit_motion(few, few, 100.0, 1.0, np.ones(5, bool)) is None


def test_the_similarity_part_is_that_at_the_centre():
    turn, size = np.radians(3.0), 1.2
    motion = np.array(
        [[size * np.cos(turn), -size * np.sin(turn), 5], [size * np.sin(turn), size * np.cos(turn), -2], [0, 0, 1]]
    )
    a, b, x, y = similarity_of(motion * 2.5)
    assert (a, b, x, y) == pytest.approx((size * np.cos(turn), size * np.sin(turn), 5, -2))


@pytest.mark.parametrize(("dx", "dy", "angle"), [(-5, 0, 0), (0, 5, 90), (5, 0, 180), (0, -5, -90)])
def test_the_camera_moves_against_the_picture(dx, dy, angle):
    assert camera_angle_deg(np.array([dx, dy], float)) == pytest.approx(angle)


def test_the_table_says_what_the_trace_says(demo_trace):
    trace = demo_trace("walk-past")
    lines = motion_csv(trace, "walk-past.mp4").splitlines()
    assert lines[:4] == ["# clevrin-motion 1", "# media walk-past.mp4", "# size 1280x720", "# rate 30/1"]
    assert tuple(lines[4].split(",")) == COLUMNS and len(lines) == 5 + trace.frames
    row = dict(zip(COLUMNS, map(float, lines[5 + 137].split(",")), strict=True))
    h = np.array([row[f"h{r}{c}"] for r in range(3) for c in range(3)]).reshape(3, 3)
    moved = apply(h, trace.centre[None])[0] - trace.centre
    assert (row["dx_px"], row["dy_px"]) == pytest.approx(tuple(moved), abs=1e-4)
    assert (
        row["dx_px"] < -150 and abs(row["angle_deg"]) < 3 and row["speed_px"] == pytest.approx(-row["dx_px"], rel=0.01)
    )
    assert row["blur_px"] == pytest.approx(85, rel=0.1) and row["time_s"] == pytest.approx(137 / 30, abs=1e-5)


def test_registration_does_not_drift(demo_trace, truth, tmp_path, demo_take):
    take, trace, true = demo_take("picnic"), demo_trace("picnic"), truth("picnic")["H"]
    span = Span(first=20, end=120)
    measured = TraceRequest(path=FOOTAGE / "picnic.mp4", fingerprint=take.fingerprint)
    request = RegistrationRequest(measured=measured, span=span, reference=70)
    shelf = Shelf(tmp_path / "shelf")
    found = register_span(request, trace, shelf, Silent())
    assert found.direct.all()
    centre, errors_px = np.zeros((1, 2)), []
    move = shift(*trace.centre)
    chained = np.eye(3)
    for frame in range(71, 120):
        chained = true[frame] @ chained
        expected = np.linalg.inv(move) @ chained @ move
        errors_px.append(np.hypot(*(apply(found.motions[frame - 20], centre) - apply(expected, centre))[0]))
    assert rms(np.array(errors_px)) < 0.3  # px, against the summed truth over 49 frames
    stored = stored_registration(request, shelf)
    assert stored is not None and np.array_equal(stored.motions, found.motions)


def test_speed_counts_the_time_that_a_step_took():
    """A steady pan of which a phone left frames out is as fast as it was."""
    whole = np.stack([4.0 * np.arange(90), np.zeros(90)], axis=1)
    kept = np.delete(np.arange(90), [20, 21, 22, 40, 55, 70])
    even = trace_of(whole)
    left_out = replace(trace_of(whole[kept]), times_s=kept / 30, rate=Fraction(len(kept) - 1) * 30 / 89)
    assert even.varying is None and left_out.varying is not None
    assert left_out.widths_per_s == pytest.approx(np.full(len(kept), even.widths_per_s[5]), rel=0.06)
    jittered = replace(even, times_s=even.times_s + np.random.default_rng(1).uniform(-0.0005, 0.0005, 90))
    assert jittered.varying is None  # ticks of a millisecond are no varying rate
