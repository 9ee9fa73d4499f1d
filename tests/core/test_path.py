"""The calmest path: the programme that is solved, and what a path does at the start of a move and at a bound."""

from dataclasses import replace

import numpy as np
import pytest
import scipy.sparse as sp
from hypothesis import given, settings
from hypothesis import strategies as st

from clevrin.core.convex import Programme, solve, unconstrained
from clevrin.core.document import Bounds, Hold, Span
from clevrin.core.gate.form import GateForm
from clevrin.core.hold import held_path
from clevrin.core.hold.framing import slowly_under
from clevrin.core.hold.move_boundaries import turning_frames
from clevrin.core.hold.path import solve_path
from clevrin.core.hold.report import course
from clevrin.core.hold.solve import float_problem, gone_on
from clevrin.core.motion.geometry.models import apply_each, pixel_corners, similarities_of, translation
from clevrin.core.motion.measuring.registration import Registration
from clevrin.core.motion.whips import fast_frames
from tests.core.traces import trace_of, whip_course
from tests.marks import later


def shaky(frames: int, size: float = 3.0, seed: int = 3) -> np.ndarray:
    """Unrest of hands from 0.7 Hz on: (frames, 2) px."""
    rng = np.random.default_rng(seed)
    t = np.arange(frames) / 30
    total = np.zeros((frames, 2))
    for hz in (0.7, 1.3, 2.6, 4.4):
        total += size / hz**0.7 * np.sin(2 * np.pi * hz * t[:, None] + rng.uniform(0, 6.3, 2))
    return total


def whole(trace) -> Span:
    return Span(first=0, end=trace.frames)


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 10_000), frames=st.integers(2, 40), size=st.integers(1, 4))
def test_a_programme_is_solved_as_its_conditions_ask(seed, frames, size):
    """Karush, Kuhn and Tucker: inside, at rest, and only bounds that are met have a price."""
    rng = np.random.default_rng(seed)
    factor = sp.csc_matrix(np.triu(np.tril(rng.normal(size=(frames * size, frames * size)), 5), -5))
    hessian = (factor.T @ factor + sp.eye(frames * size)).tocsc()
    linear = rng.normal(scale=5, size=(frames, size))
    rows = rng.normal(size=(frames, 3, size))
    reach = rng.uniform(0.1, 1.0, (frames, 3))  # 0 keeps all of them
    found = solve(Programme(hessian=hessian, linear=linear, rows=rows, reach=reach), np.zeros((frames, size)))
    assert found.solved
    left = reach - np.einsum("nci,ni->nc", rows, found.unknowns)
    pull = (hessian @ found.unknowns.reshape(-1)).reshape(frames, size) + linear
    pull += np.einsum("nci,nc->ni", rows, found.multipliers)
    assert left.min() > -1e-5 and found.multipliers.min() >= 0
    assert np.abs(pull).max() < 1e-4
    assert (found.multipliers * np.maximum(left, 0)).max() < 1e-3


def test_without_bounds_it_is_the_plain_solution():
    hessian = sp.csc_matrix(np.array([[4.0, 1.0], [1.0, 3.0]]))
    found = unconstrained(hessian, np.array([[-1.0], [-2.0]]))
    assert found[:, 0] == pytest.approx([1 / 11, 7 / 11])


def test_what_cannot_be_met_is_said():
    rows = np.array([[[1.0], [-1.0]]] * 3)
    reach = np.array([[-1.0, -1.0]] * 3)  # under -1 and over 1 at once
    wanted = Programme(hessian=sp.eye(3, format="csc"), linear=np.zeros((3, 1)), rows=rows, reach=reach)
    found = solve(wanted, np.zeros((3, 1)))
    assert not found.solved


@pytest.mark.parametrize("unrest", [0.05, 1.0])
def test_the_start_and_the_end_of_a_pan_are_not_anticipated(unrest):
    """A camera stands, pans at 6 px a frame from frame 80 to 160, and stands again."""
    pan = np.cumsum(np.where((np.arange(240) >= 80) & (np.arange(240) < 160), 6.0, 0.0))
    trace = trace_of(np.column_stack([pan, np.zeros(240)]) + unrest * shaky(240))
    assert {79, 80} & set(np.flatnonzero(turning_frames(trace, fast_frames(trace))))
    held = course(trace, whole(trace), held_path(trace, whole(trace), Hold(how="float", edge="bare"))).pan
    early, late = held[40:78] - held[40:60].mean(), held[165:200] - held[180:200].mean()
    assert np.abs(early).max() < 4 + 4 * unrest and np.abs(late).max() < 4 + 4 * unrest  # 25 px without
    steps = np.diff(held)[95:150]
    assert steps == pytest.approx(6.0, abs=0.8)  # in between the pan is a pan


def test_a_jolt_is_no_start_of_a_move():
    pan = shaky(150, size=1.0)
    pan[70:] += 40.0
    trace = trace_of(pan)
    assert not turning_frames(trace, fast_frames(trace)).any()


def test_a_sway_is_no_start_of_a_move_not_even_the_last_one_of_a_take():
    t = np.arange(120) / 30
    swayed = np.sin(2 * np.pi * 0.95 * t) * (8 + 18 * np.clip(t - 2.6, 0, 1) ** 2)
    trace = trace_of(np.column_stack([swayed + 20 * t, 2 * np.sin(2 * np.pi * 1.9 * t)]))
    assert not turning_frames(trace, fast_frames(trace)).any()
    calm = held_path(trace, whole(trace), Hold(how="float", keep=0.8))
    pan = course(trace, whole(trace), calm).pan
    assert np.abs(np.diff(pan, n=2))[85:].max() < 0.3


def test_the_ends_of_a_take_are_as_calm_as_its_middle():
    trace = trace_of(np.column_stack([5.0 * np.arange(150), np.zeros(150)]) + shaky(150))
    held = course(trace, whole(trace), held_path(trace, whole(trace), Hold(how="float", keep=0.6)))
    bent = np.abs(np.diff(held.pan, n=2))
    assert max(bent[:12].max(), bent[-12:].max()) < 0.2  # px per frame per frame; as shot 3


def test_going_on_beyond_the_ends_is_a_turn_about_them():
    trace = trace_of(np.column_stack([np.array([0.0, 1, 3, 6, 10]), np.zeros(5)]))
    problem = float_problem(trace, whole(trace), Hold(how="float"), GateForm.of((1280, 720)))
    further = gone_on(replace(problem, demand=np.arange(5.0)), 3, 2)
    assert -further.motions[1:, 2] == pytest.approx([3, 2, 1, 1, 2, 3, 4, 4, 3])
    assert further.demand.tolist() == [3, 2, 1, 0, 1, 2, 3, 4, 3, 2]


def test_bounds_keep_each_axis_near_its_middle():
    trace = trace_of(shaky(150, size=12.0), roll_deg=np.cumsum(np.random.default_rng(1).normal(0, 0.4, 150)))
    hold = Hold(how="float", keep=0.5, bounds=Bounds(pan=0.008, roll=0.5))
    path = held_path(trace, whole(trace), hold)
    centre = np.eye(3)
    centre[:2, 2] = trace.centre
    a, b, x, _ = similarities_of(np.linalg.inv(centre) @ path.src_from_held @ centre).T
    assert np.abs(x).max() <= 0.008 * 1280 + 0.01
    assert np.degrees(np.arctan2(np.abs(b), a)).max() <= 0.51
    free = held_path(trace, whole(trace), hold.changed(bounds=Bounds()))
    assert np.abs((np.linalg.inv(centre) @ free.src_from_held @ centre)[:, 0, 2]).max() > 15


def test_bringing_motion_back_brings_that_much_back():
    trace = trace_of(shaky(150, size=6.0))
    quick = []
    for returned in (0.0, 0.5, 1.0):
        path = held_path(trace, whole(trace), Hold(how="float", returned=returned, keep=0.7))
        held = course(trace, whole(trace), path)
        quick.append(float(np.diff(held.pan, n=2).std()))
    shot = float(np.diff(course(trace, whole(trace)).pan, n=2).std())
    assert quick[1] == pytest.approx(0.5 * shot, rel=0.05) and quick[2] == pytest.approx(shot, rel=0.01)


def test_spared_frames_move_as_shot_and_the_others_keep_more():
    pan = shaky(180, size=2.0)
    pan[88:93, 0] += (20, 60, 80, 60, 20)  # somebody bumped into the camera
    trace = trace_of(pan)
    hold = Hold(how="float", keep=0.6)
    demanded = held_path(trace, whole(trace), hold)
    spared = held_path(trace, whole(trace), hold.changed(spared=(Span(first=84, end=97),)))
    assert spared.least_kept > demanded.least_kept + 0.02
    as_shot, as_held = course(trace, whole(trace)), course(trace, whole(trace), spared)
    assert np.diff(as_held.pan)[86:93] == pytest.approx(np.diff(as_shot.pan)[86:93], abs=4)
    assert np.abs(np.diff(as_held.pan, n=2))[:70].max() < 0.5


def test_blurred_frames_may_keep_their_motion():
    pan = shaky(180, size=1.0)
    pan[60:100, 0] += 30 * np.sin(2 * np.pi * 3.0 * np.arange(40) / 30)  # 9 px of blur
    trace = trace_of(pan)
    steps = []
    for eased in (False, True):
        path = held_path(trace, whole(trace), Hold(how="float", keep=0.7, ease_blurred=eased))
        held = course(trace, whole(trace), path)
        steps.append(np.abs(np.diff(held.pan)))
    assert steps[1][60:100].mean() > 2 * steps[0][60:100].mean()
    assert steps[1][:40].mean() < 2 * steps[0][:40].mean() + 0.3


def test_an_enlargement_that_varies_keeps_more_and_changes_slowly():
    pan = shaky(300, size=1.0)
    pan[200:260] *= 8
    trace = trace_of(pan)
    hold = Hold(how="float", keep=0.5)
    paths = [held_path(trace, whole(trace), hold.changed(enlargement=kind)) for kind in ("constant", "varying")]
    assert np.ptp(paths[0].kept) < 0.005
    assert paths[1].kept.mean() > paths[0].kept.mean() + 0.01
    assert np.abs(np.diff(paths[1].kept)).max() < 0.002


@settings(max_examples=25, deadline=None)
@given(st.lists(st.floats(0.4, 1.0), min_size=1, max_size=120), st.integers(2, 60))
def test_slow_sizes_never_exceed_their_rooms(rooms, slow):
    sizes = slowly_under(np.array(rooms), slow)
    assert (sizes <= np.array(rooms) + 1e-9).all() and sizes.min() > 0


def test_settle_of_nothing_leaves_the_shot_nearly_as_it_is():
    trace = trace_of(shaky(90))
    held = course(trace, whole(trace), held_path(trace, whole(trace), Hold(how="float", settle_s=0.0)))
    shot = course(trace, whole(trace))
    assert held.pan == pytest.approx(shot.pan, abs=4)


def test_a_whip_within_a_shake_keeps_its_course_with_a_tight_budget():
    trace = trace_of(whip_course(120, 60, 900, shake_px=4.0))
    path = held_path(trace, whole(trace), Hold(how="float", keep=0.93))
    shot, held = course(trace, whole(trace)), course(trace, whole(trace), path)
    assert held.pan[-10:].mean() - held.pan[:10].mean() == pytest.approx(
        shot.pan[-10:].mean() - shot.pan[:10].mean(), rel=0.02
    )


def wandering(rate: int, frames: int) -> np.ndarray:
    """Unrest of hands over a slow swing, filmed at any rate: (frames, 2) px."""
    t = np.arange(frames) / rate
    rng = np.random.default_rng(5)
    total = np.stack([300 * np.sin(0.4 * t), np.zeros(frames)], axis=1)
    for hz, size in ((0.3, 25.0), (0.7, 12.0), (1.9, 6.0), (4.3, 2.0)):
        total += size * np.sin(2 * np.pi * hz * t[:, None] + rng.uniform(0, 6.3, 2))
    return total


@pytest.mark.parametrize("rate", [24, 50, 120, later(60), later(600)])
@pytest.mark.parametrize("settle", [0.0, 5.0, 20.0])
@pytest.mark.parametrize("keep", [0.85, 0.97])
def test_a_path_is_found_at_any_rate_and_settle(rate, settle, keep):
    trace = trace_of(wandering(rate, min(8 * rate, 1500)), rate=rate)
    path = held_path(trace, whole(trace), Hold(how="float", settle_s=settle, keep=keep))
    assert path.least_kept >= keep and np.isfinite(path.src_from_held).all()
    if settle:
        before, after = (np.diff(course(trace, whole(trace), p).pan, n=3) for p in (None, path))
        assert np.sqrt((after**2).mean()) < 0.2 * np.sqrt((before**2).mean())


def test_both_ways_of_solving_give_one_path(monkeypatch):
    trace = trace_of(wandering(30, 240))
    plain, by_multipliers = Hold(how="float", settle_s=2.0, keep=0.95), []
    for stiff in (1e12, 1.0):
        monkeypatch.setattr("clevrin.core.hold.path._STIFF", stiff)
        by_multipliers.append(held_path(trace, whole(trace), plain).src_from_held)
    assert np.abs(by_multipliers[0] - by_multipliers[1]).max() < 0.05


def test_a_longer_settle_means_a_calmer_path_at_a_high_rate():
    trace = trace_of(wandering(60, 480), rate=60)
    jerks = []
    for settle in (1.0, 3.0, 8.0, 20.0):
        path = held_path(trace, whole(trace), Hold(how="float", settle_s=settle, keep=0.5))
        jerks.append(float(np.sqrt((np.diff(course(trace, whole(trace), path).pan, n=3) ** 2).mean())))
    assert jerks == sorted(jerks, reverse=True)


def test_motion_that_is_no_number_counts_as_none():
    trace = trace_of(wandering(30, 60))
    problem = float_problem(trace, whole(trace), Hold(how="float"), GateForm.of((1280, 720)))
    motions = problem.motions.copy()
    motions[20:23] = np.nan
    assert np.isfinite(solve_path(replace(problem, motions=motions)).corrections).all()


@pytest.mark.parametrize("enlargement", ["constant", "varying"])
@pytest.mark.parametrize("edge", ["fill", "trim"])
def test_a_lock_off_of_a_camera_that_goes_nearer_never_keeps_less_than_it_is_to(edge, enlargement):
    """One gate that is as large as all frames allow shows less of those that are nearer."""
    frames = 60
    trace = trace_of(shaky(frames, 2.0))
    motions = np.repeat(np.eye(3)[None], frames, axis=0)
    growth = np.linspace(1, 0.95, frames)
    motions[:, 0, 0] = motions[:, 1, 1] = growth
    motions[:, :2, 2] = shaky(frames, 8.0)
    registration = Registration(reference=0, span=whole(trace), motions=motions, direct=np.ones(frames, bool))
    for keep in (0.85, 0.9, 0.95, 0.99):
        hold = Hold(how="lock-off", keep=keep, edge=edge, enlargement=enlargement)
        path = held_path(trace, whole(trace), hold, registration=registration)
        assert path.least_kept >= keep


def sway(frames: int, px: float) -> np.ndarray:
    """(frames, 2): a hand that stands and leans aside once, slowly."""
    aside = px * np.exp(-(((np.arange(frames) - 0.7 * frames) / (0.02 * frames)) ** 2))
    return shaky(frames, 3.0) + np.column_stack([aside, aside / 3])


def test_a_lock_off_with_too_little_room_stands_wherever_it_can():
    """All of a homography is taken out as it would be with room enough; the budget is used to its last pixel."""
    frames = 360
    trace = trace_of(shaky(frames, 2.0))
    motions = np.repeat(np.eye(3)[None], frames, axis=0)
    motions[:, :2, 2] = sway(frames, 40.0)
    motions[:, 2, :2] = shaky(frames, 2e-6, seed=5)
    registration = Registration(reference=0, span=whole(trace), motions=motions, direct=np.ones(frames, bool))

    def held(keep: float):
        hold = Hold(how="lock-off", keep=keep)
        return held_path(trace, whole(trace), hold, registration=registration)

    enough = held(0.5).least_kept
    tight = held(enough + 0.015)
    assert enough + 0.015 <= tight.least_kept < enough + 0.016
    corners = pixel_corners(trace.width, trace.height)
    centred = translation((trace.width - 1) / 2, (trace.height - 1) / 2)
    maps = np.linalg.inv(centred @ motions @ np.linalg.inv(centred)) @ tight.gates(whole(trace))
    steps = np.hypot(*np.diff(apply_each(maps, corners), axis=0).transpose(2, 0, 1)).max(axis=1)
    assert np.median(steps) < 0.03 and (steps < 0.05).mean() > 0.6
    assert np.abs(np.diff(apply_each(maps, corners), n=2, axis=0)).max() < 0.2  # it leaves its place smoothly
    assert steps.max() > 0.3  # and where it cannot stand it does not


@pytest.mark.parametrize("frames", [1, 2, 3, 4, 5])
def test_a_lock_off_of_a_few_frames_with_too_little_room_keeps_what_it_is_to(frames):
    motions = np.repeat(np.eye(3)[None], frames, axis=0)
    motions[:, :2, 2] = 40.0 * np.arange(frames)[:, None]
    trace = trace_of(motions[:, :2, 2])
    registration = Registration(reference=0, span=whole(trace), motions=motions, direct=np.ones(frames, bool))
    path = held_path(trace, whole(trace), Hold(how="lock-off", keep=0.99), registration=registration)
    assert path.least_kept >= 0.99


@pytest.mark.parametrize("keep", [0.8, 0.9, 0.97, 0.99])
def test_what_a_mesh_bends_is_within_the_budget_too(keep):
    frames = 60
    trace = trace_of(wandering(30, frames))
    rng = np.random.default_rng(2)
    mesh = rng.normal(0, 3, (frames, 3, 5, 2))
    path = held_path(replace(trace, model="mesh", mesh=mesh), whole(trace), Hold(how="float", keep=keep, mesh=True))
    assert path.least_kept >= keep
