"""Lock-off, anchor, mesh and proposals, judged by what is true of the scenes."""

from dataclasses import replace

import numpy as np
import pytest

from clevrin.core.document import Anchor, Hold, Placement, Project, Reel, Shot, Span, Track
from clevrin.core.gate.form import GateForm
from clevrin.core.hold import held_path
from clevrin.core.hold.anchoring import anchored
from clevrin.core.hold.bending import MOST_BEND_PX
from clevrin.core.hold.proposals import chart, hold_at, least_hold, price_setters
from clevrin.core.hold.report import course, idle_axes, measures
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion import find_whips
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.measuring.registration import best_reference
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.pixels.resampling import bent_map
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Held, complete
from clevrin.core.shelf import Shelf
from clevrin.demo.cast import CLOTH
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import held_places, lock_off_errors, true_motions, true_places, wander
from tests.core.test_path import shaky, whole
from tests.core.traces import trace_of
from tests.films import about, moving_film, shift
from tests.marks import later, long


def steadied(path, hold: Hold, span: Span | None = None, tracks: tuple[Track, ...] = ()) -> HoldRequest:
    take = take_in(path).changed(tracks=tracks)
    shot = Shot(take_id=take.id, span=span or take.whole, hold=hold)
    return HoldRequest.of(Project(takes=(take,), reel=Reel(shots=(shot,))), shot)


def solved(wanted: HoldRequest, shelf: Shelf):
    state = complete(wanted, MeasurementStore(shelf), Silent()).state
    assert isinstance(state, Held)
    return state.path


def rms(values) -> float:
    return float(np.sqrt(np.nanmean(np.asarray(values) ** 2)))


def seen_points(width: int, height: int) -> tuple[np.ndarray, np.ndarray]:
    """A picture's centre and its corners."""
    w, h = width - 1, height - 1
    return np.array([[w / 2, h / 2]]), np.array([[0, 0], [w, 0], [0, h], [w, h]], float)


@pytest.mark.parametrize(
    ("name", "first", "end", "centre", "corner"),
    [
        later("picnic", 30, 180, 0.06, 0.12),
        ("hill", 30, 148, 0.06, 0.12),
        later("parade", 10, 95, 0.12, 0.25),
    ],
)
def test_lock_off_stands_as_still_as_promised(name, first, end, centre, corner, measured_demo):
    span = Span(first=first, end=end)
    path = solved(steadied(FOOTAGE / f"{name}.mp4", Hold(how="lock-off", keep=0.5), span), measured_demo)
    true = true_motions(FOOTAGE / f"{name}.truth.json")
    middle, corners = seen_points(1280, 720)
    assert rms(lock_off_errors(true, path, span, middle)) < centre
    assert rms(lock_off_errors(true, path, span, corners)) < corner


def test_a_zoom_is_taken_out_over_stitched_references(measured_demo):
    span = Span(first=5, end=75)
    path = solved(steadied(FOOTAGE / "burst.mp4", Hold(how="lock-off", keep=0.3), span), measured_demo)
    true = true_motions(FOOTAGE / "burst.truth.json")
    middle, corners = seen_points(1280, 720)
    assert rms(lock_off_errors(true, path, span, middle)) < 0.2  # measured 0.11
    assert rms(lock_off_errors(true, path, span, corners)) < 0.4


def test_an_axis_that_is_off_moves_in_a_lock_off_as_it_was_shot(measured_demo):
    span = Span(first=5, end=75)
    hold = Hold(how="lock-off", keep=0.3, axes=("pan", "tilt", "roll"), edge="bare")
    wanted = steadied(FOOTAGE / "burst.mp4", hold, span)
    path = solved(wanted, measured_demo)
    trace = MeasurementStore(measured_demo).trace(wanted.take)
    shot, held = course(trace, span), course(trace, span, path)
    assert held.zoom[-1] == pytest.approx(shot.zoom[-1], rel=0.03) and shot.zoom[-1] > 50
    assert np.abs(held.pan).max() < 0.1 * max(np.abs(shot.pan).max(), np.abs(shot.tilt).max())


def other_footage(tmp_path, name: str, reach: float = 5.0, drift: float = 0.0, noise: float = 2.0):
    """A texture under a hand that sways and turns; its truth as homographies."""

    def motion(k: float) -> np.ndarray:
        x = reach * np.sin(k / 3.1) + reach * np.sin(k / 1.7 + 1) + drift * k
        y = reach * np.cos(k / 2.3) + 0.6 * reach * np.sin(k / 1.3)
        return shift(300 + x, 320 + y) @ about((320, 180), 0.25 * reach / 5 * np.sin(k / 4.0))

    true = moving_film(tmp_path / name, motion, frames=60, noise=noise, seed=len(name) + 11)
    return tmp_path / name, np.array(true)


@pytest.mark.parametrize(("reach", "noise"), [(5.0, 2.0), later(9.0, 5.0)])
def test_lock_off_stands_on_other_footage(tmp_path, reach, noise):
    film, true = other_footage(tmp_path, "hand.mp4", reach=reach, noise=noise)
    path = solved(steadied(film, Hold(how="lock-off", keep=0.5)), Shelf(tmp_path / "shelf"))
    middle, corners = seen_points(640, 360)
    span = Span(first=0, end=60)
    assert rms(lock_off_errors(true, path, span, middle)) < 0.06
    assert rms(lock_off_errors(true, path, span, corners)) < 0.12


@long
def test_a_lock_off_that_leaves_its_reference_is_stitched_and_does_not_drift(tmp_path):
    """The camera goes 560 px of 640 to the side: no frame sees all the others."""
    film, true = other_footage(tmp_path, "long.mp4", reach=2.0, drift=9.5)
    wanted = steadied(film, Hold(how="lock-off", edge="bare"))
    path = solved(wanted, Shelf(tmp_path / "shelf"))
    middle, _ = seen_points(640, 360)
    assert rms(lock_off_errors(true, path, Span(first=0, end=60), middle)) < 0.2


def test_the_reference_is_a_sharp_frame_in_the_middle_or_the_chosen_one(measured_demo, tmp_path):
    pan = np.column_stack([np.r_[np.linspace(0, 60, 30), np.full(60, 60.0), np.linspace(60, 400, 30)], np.zeros(120)])
    trace = trace_of(pan)
    assert 30 <= best_reference(trace, whole(trace)) < 90
    film, _ = other_footage(tmp_path, "short.mp4")
    path = solved(steadied(film, Hold(how="lock-off", reference=7, edge="bare")), Shelf(tmp_path / "shelf"))
    assert path.at(7) == pytest.approx(np.eye(3), abs=1e-3)


# Anchor


def cloth_track(frame: int = 30) -> tuple[Track, np.ndarray]:
    true = true_places(FILMED["parade"], CLOTH, np.array([[240.0, 150.0]]))
    placed = Placement(frame=frame, places=(tuple(float(v) for v in true[frame, 0]),))
    return Track(name="Cloth", kind="point", placed=(placed,)), true


@pytest.mark.parametrize("place", [None, (0.5, 0.5), (1 / 3, 1 / 3)])
def test_a_subject_is_kept_in_place(place, measured_demo):
    track, true = cloth_track()
    span = Span(first=12, end=70)
    hold = Hold(how="anchor", anchor=Anchor(track_id=track.id, place=place), edge="smear")
    path = solved(steadied(FOOTAGE / "parade.mp4", hold, span, (track,)), measured_demo)
    seen = held_places(true, path, span)
    assert rms(wander(seen)) < 0.3  # px; it moves by more than 100 as shot
    assert np.ptp(true[span.first : span.end, 0, 0]) > 80
    if place is not None:
        assert seen[:, 0].mean(axis=0) == pytest.approx(np.array(place) * (1280, 720), abs=2)


def in_gates(maps: np.ndarray, places: np.ndarray) -> np.ndarray:
    """Places (frames, n, 2) as gates (frames, 3, 3) show them."""
    return np.array([apply(np.linalg.inv(m), p) for m, p in zip(maps, places, strict=True)])


def followed_of(places: np.ndarray) -> Followed:
    frames = len(places)
    return Followed(places=places[:, None], confidence=np.ones(frames), placed=np.zeros(frames, bool), lost=())


def test_a_lost_stretch_is_bridged_and_nothing_is_thrown_about():
    camera = shaky(120, size=4.0)
    trace = trace_of(camera)
    subject = np.column_stack([600 + 0.5 * np.arange(120) - camera[:, 0], 330 + camera[:, 1]])
    lost = subject.copy()
    lost[50:70] = lost[:5] = lost[-6:] = np.nan
    hold = Hold(how="anchor", anchor=Anchor(track_id="x"), edge="bare")
    course_ = anchored(trace, whole(trace), hold, followed_of(lost), GateForm.of((trace.width, trace.height)))
    assert np.flatnonzero(course_.bridged).tolist() == [*range(5), *range(50, 70), *range(114, 120)]
    inside = in_gates(course_.maps, (subject - trace.centre)[:, None])[:, 0]
    assert np.hypot(*(inside[50:70] - inside[40]).T).max() < 2  # the background says where it went
    steps = np.hypot(*np.diff(course_.maps[:, :2, 2], axis=0).T)
    assert steps.max() < 12 and steps[:4].max() == steps[-5:].max() == 0


def test_a_track_that_is_nowhere_leaves_the_shot_alone():
    trace = trace_of(shaky(30))
    hold = Hold(how="anchor", anchor=Anchor(track_id="x"))
    found = anchored(
        trace, whole(trace), hold, followed_of(np.full((30, 2), np.nan)), GateForm.of((trace.width, trace.height))
    )
    assert found.bridged.all() and (found.maps == np.eye(3)).all()


def test_a_subject_on_a_slow_path_goes_slowly_and_stays_in_the_picture():
    trace = trace_of(np.zeros((150, 2)))
    t = np.arange(150)
    subject = np.column_stack([500 + 2.0 * t + 8 * np.sin(t / 2.0), 300 + 8 * np.cos(t / 2.4)])
    hold = Hold(how="anchor", anchor=Anchor(track_id="x", slowly=True), keep=0.7)
    path = held_path(trace, whole(trace), hold, followed=followed_of(subject))
    inside = in_gates(path.src_from_held, subject[:, None])[:, 0]
    assert np.diff(inside[:, 0]).std() < 0.25 * np.diff(subject[:, 0]).std()
    assert np.abs(np.diff(inside[20:-20], n=2, axis=0)).max() < 0.4
    assert path.least_kept >= 0.7 - 1e-6


def test_a_surface_keeps_its_turn_and_its_size():
    trace = trace_of(np.zeros((40, 2)))
    square = np.array([[550, 310], [650, 310], [650, 390], [550, 390]], float)
    places = np.array([apply(about((600, 350), 0.5 * k, 1 + 0.004 * k), square) for k in range(40)])
    found = Followed(places=places, confidence=np.ones(40), placed=np.zeros(40, bool), lost=())
    hold = Hold(how="anchor", anchor=Anchor(track_id="x", turn=True, size=True), edge="bare")
    path = held_path(trace, whole(trace), hold, followed=found)
    inside = in_gates(path.src_from_held, places)
    assert np.ptp(inside, axis=0).max() < 1e-6
    upright = held_path(trace, whole(trace), hold.changed(anchor=Anchor(track_id="x")), followed=found)
    assert np.ptp(in_gates(upright.src_from_held, places), axis=0).max() > 10


# Mesh


def test_a_mesh_takes_unrest_out_and_bends_no_line(measured_demo):
    wanted = steadied(FOOTAGE / "downhill.mp4", Hold(how="float", mesh=True))
    path = solved(wanted, measured_demo)
    assert path.bend is not None and np.abs(path.bend).max() > 0.1
    for frame in range(0, 90, 9):
        across, down = bent_map(np.eye(3), path.bend_at(frame), (1280, 720), (1280, 720))
        shifted = np.stack([across, down], axis=-1) - np.stack(np.meshgrid(np.arange(1280), np.arange(720)), axis=-1)
        for line in (shifted[::60], shifted.transpose(1, 0, 2)[::60]):
            middle = line[:, 150:-150] - (line[:, :-300] + line[:, 300:]) / 2
            assert np.hypot(middle[..., 0], middle[..., 1]).max() < 0.5


def test_a_strained_mesh_is_held_back():
    trace = replace(trace_of(shaky(60)), mesh=np.random.default_rng(2).normal(0, 6, (60, 6, 10, 2)))
    path = held_path(trace, whole(trace), Hold(how="float", mesh=True))
    second = np.diff(path.bend, n=2, axis=2)
    assert np.hypot(second[..., 0], second[..., 1]).max() / (1280 / 9) * 75 <= MOST_BEND_PX + 1e-9


# Proposals


def test_a_perfect_camera_has_no_frames_that_cost_anything():
    still = trace_of(np.zeros((60, 2)))
    assert price_setters(still, whole(still), Hold(how="float")) == ()


def test_the_chart_says_what_solving_gives_and_a_jolt_its_price():
    pan = shaky(180, size=4.0)
    pan[88:93, 0] += (20, 60, 80, 60, 20)
    trace = trace_of(pan)
    hold = Hold(how="float")
    drawn = chart(trace, whole(trace), hold, find_whips(trace), Silent())
    assert [line[0].settle_s for line in drawn.lines] == [0.4, 0.8, 1.6, 3.2]
    for line in drawn.lines:
        shakes = [point.shake_px for point in line]
        assert shakes[0] > 0.8 * drawn.shake_px and shakes[-1] < shakes[0]
        assert all(each.kept >= each.asked_keep - 1e-6 for each in line)
    point = next(p for p in drawn.lines[2] if p.asked_keep == 0.91)
    path = held_path(trace, whole(trace), hold.changed(keep=0.91))
    assert path.least_kept == pytest.approx(point.kept, abs=1e-6)
    (jolt, *_) = price_setters(trace, whole(trace), hold)
    assert jolt.span.first <= 90 < jolt.span.end and jolt.gain > 0.03
    spared = hold.changed(keep=0.3, spared=(jolt.span,))
    roomy = [held_path(trace, whole(trace), each).least_kept for each in (hold.changed(keep=0.3), spared)]
    gained = roomy[1] - roomy[0]
    assert gained == pytest.approx(jolt.gain, abs=0.01)


def test_less_shake_at_a_budget_asks_for_a_longer_settle():
    trace = trace_of(shaky(180, size=4.0))
    drawn = chart(trace, whole(trace), Hold(how="float"), (), Silent())
    settles = [hold_at(drawn, 0.6, shake_px) for shake_px in (3.0, 1.0, 0.3, 0.0)]
    assert settles == sorted(settles) and settles[0] < 0.8 and settles[-1] > 1.5


def test_the_least_hold_that_is_enough_follows_the_blur():
    t = np.arange(200)
    slow = np.column_stack([40 * np.sin(2 * np.pi * 0.8 * t / 30), np.zeros(200)])  # blurs by up to 3 px at 180 degrees
    trace = trace_of(slow * 4, shutter_deg=360.0)
    enough = least_hold(trace, whole(trace), Hold(how="float", keep=0.3), ())
    assert enough.blurred_now > 20 and enough.blurred < enough.blurred_now / 4 and enough.settle_s < 1.6
    calm = trace_of(shaky(100, size=0.5))
    assert least_hold(calm, whole(calm), Hold(how="float"), ()).settle_s == 1.6


def test_the_limits_of_what_is_worth_removing_grow_with_the_picture():
    shaken = {"pan": 0.6, "tilt": 5.0, "roll": 0.01, "zoom": 1.0}
    assert idle_axes(shaken, 1280) == ("roll",) and idle_axes(shaken, 3840) == ("pan", "roll")


def test_the_measures_of_the_field_are_one_at_best():
    trace = trace_of(np.zeros((40, 2)))
    found = measures(trace, whole(trace), held_path(trace, whole(trace), Hold(how="float")))
    assert (found.cropping, found.distortion, found.stability) == pytest.approx((1, 1, 1), abs=0.01)
    shaken = trace_of(np.column_stack([2.0 * np.arange(120), np.arange(120)]) + shaky(120, size=8.0))
    plain = measures(shaken, whole(shaken), held_path(shaken, whole(shaken), Hold(how="float", settle_s=0.0)))
    calm = measures(shaken, whole(shaken), held_path(shaken, whole(shaken), Hold(how="float", keep=0.5)))
    assert calm.cropping < plain.cropping and calm.stability > plain.stability
