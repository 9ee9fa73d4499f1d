"""Gates: outputs, poses, easing, following and counter-zoom, on courses whose truth is known."""

from dataclasses import replace
from fractions import Fraction

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from clevrin.core.document import (
    CounterZoom,
    Follow,
    Gate,
    Hold,
    Output,
    Pace,
    Pose,
    Project,
    Reel,
    Shot,
    Shutter,
    Span,
)
from clevrin.core.document.edits import AddOutput, ChangeOutput, FitReel, RemoveOutput, SetGate
from clevrin.core.document.files import load, save
from clevrin.core.document.gating import SOFT, STILL, STRAIGHT
from clevrin.core.document.journal import Journal, left_behind
from clevrin.core.gate.course import GateCourse, maps_of_states, states_of
from clevrin.core.gate.easing import Stops, arrived, eased
from clevrin.core.gate.form import GateForm
from clevrin.core.hold import held_path
from clevrin.core.hold.proposals import chart
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.geometry.models import apply, apply_each
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render import Sources
from clevrin.core.render.picture import picture, plan_at
from clevrin.core.render.plan import Layer
from clevrin.core.render.planning.layers import plan_shown
from clevrin.core.render.reports.gate_report import gate_figures
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Shown, complete
from tests.core.test_path import shaky, whole
from tests.core.traces import trace_of, whip_course
from tests.films import numbered_film

UPRIGHT = (404, 720)
SIZE = (1280, 720)


def still(frames: int, rate: int = 30, size: tuple[int, int] = SIZE) -> Trace:
    made = trace_of(np.zeros((frames, 2)), rate=rate)
    return replace(made, width=size[0], height=size[1])


def seen_at(places: np.ndarray) -> Followed:
    """Something that was followed, at places (n, 2) or with corners (n, 4, 2), NaN where it was lost."""
    places = places[:, None] if places.ndim == 2 else places
    n = len(places)
    return Followed(places=places.copy(), confidence=np.ones(n), placed=np.zeros(n, bool), lost=())


def course_of(gate: Gate, trace: Trace, followed: dict | None = None, **more) -> GateCourse:
    size = trace.width, trace.height
    return GateCourse(gate=gate, form=GateForm.of(size, UPRIGHT), trace=trace, followed=followed or {}, **more)


def unmoved(trace: Trace) -> np.ndarray:
    return np.repeat(np.eye(3)[None], trace.frames, axis=0)


def middles(course: GateCourse, trace: Trace) -> np.ndarray:
    """Where the gate's middle is at each frame, in pixels of the picture: (n, 2)."""
    return course(whole(trace), unmoved(trace))[:, :2, 2] + trace.centre


# Easing


def stops(values, first, stays=None, arrive=STILL, leave=STILL) -> Stops:
    n = len(first)
    first = np.array(first, float)
    last = first + (0 if stays is None else np.array(stays))
    return Stops(
        values=np.array(values, float).reshape(n, -1),
        first=first,
        last=last,
        arrive=np.broadcast_to(np.asarray(arrive, float), (n,)),
        leave=np.broadcast_to(np.asarray(leave, float), (n,)),
    )


@settings(max_examples=60, deadline=None)
@given(
    seed=st.integers(0, 100_000),
    count=st.integers(1, 6),
    flows=st.lists(st.floats(0, 1), min_size=12, max_size=12),
)
def test_speed_and_acceleration_are_continuous_at_every_pose(seed, count, flows):
    """Where both are, third differences go to an eighth when the step is halved; else to a quarter, or to a half."""
    rng = np.random.default_rng(seed)
    first = np.cumsum(rng.integers(4, 60, count))
    stays = np.where(rng.random(count) < 0.3, rng.integers(0, 3, count), 0)
    course = stops(rng.normal(0, 300, (count, 2)), first, stays, flows[:count], flows[6 : 6 + count])
    thirds = []
    for step in (1 / 64, 1 / 128):
        at = np.arange(first[0] - 2, first[-1] + 8, step)
        thirds.append(np.abs(np.diff(eased(course, at), n=3, axis=0)).max())
    assert thirds[1] < 0.16 * thirds[0] + 1e-9


@settings(max_examples=60, deadline=None)
@given(seed=st.integers(0, 100_000), count=st.integers(2, 6), flow=st.floats(0, 1))
def test_a_course_passes_through_its_poses_and_overshoots_none(seed, count, flow):
    rng = np.random.default_rng(seed)
    first = np.cumsum(rng.integers(2, 60, count))
    values = rng.normal(0, 300, (count, 3))
    course = eased(stops(values, first, arrive=flow, leave=flow), np.arange(first[-1] + 5.0))
    assert np.allclose(course[first], values, atol=1e-6)
    for k in range(count - 1):
        between = course[first[k] : first[k + 1] + 1]
        low, high = np.minimum(values[k], values[k + 1]), np.maximum(values[k], values[k + 1])
        assert (between >= low - 1e-6).all() and (between <= high + 1e-6).all()


def test_still_comes_to_rest_and_straight_goes_on():
    at = np.arange(0.0, 81.0)
    for flow, speed in ((STILL, 0.0), (SOFT, 2.5), (STRAIGHT, 5.0)):
        course = eased(stops([0, 200, 400], [0, 40, 80], arrive=flow, leave=flow), at)[:, 0]
        assert course[41] - course[40] == pytest.approx(speed, abs=0.15)
        assert abs(course[1] - course[0]) < 0.5  # the first pose is left from rest, whatever its easing


def test_shares_of_arrival_add_up():
    shares = arrived(stops([0, 1, 2], [10, 30, 50], [0, 5, 0]), np.arange(70.0))
    assert np.allclose(shares.sum(axis=1), 1)
    assert shares[10].tolist() == [1, 0, 0] and np.allclose(shares[30:36], [0, 1, 0]) and shares[60, 2] == 1


# Poses


def test_a_pose_puts_the_gate_where_it_says_turned_as_seen():
    trace = still(20)
    pose = Pose(frame=10, x=400.0, y=300.0, width=202.0, turn_deg=90.0)
    (found,) = course_of(Gate(poses=(pose,)), trace)(Span(first=10, end=11), np.eye(3)[None])
    assert np.allclose(found[:2, 2] + trace.centre, (400, 300))
    assert np.linalg.norm(found[:2, 0]) == pytest.approx(0.5)
    # Turned a quarter anticlockwise, the gate's right side is at the top.
    right = apply(found, np.array([[100.0, 0.0]]))[0] - found[:2, 2]
    assert np.allclose(right, (0, -50), atol=1e-9)
    assert np.allclose(maps_of_states(states_of(found[None]))[0], found)


def test_the_gate_rests_before_its_first_pose_and_after_its_last_and_stays_as_long_as_it_is_told():
    trace = still(100)
    poses = (
        Pose(frame=10, x=300, y=360, width=200),
        Pose(frame=40, x=600, y=360, width=300, stays=20),
        Pose(frame=90, x=900, y=360, width=200),
    )
    at = middles(course_of(Gate(poses=poses), trace), trace)[:, 0]
    assert np.allclose(at[:11], 300) and np.allclose(at[40:61], 600) and np.allclose(at[90:], 900)
    assert (np.diff(at[10:41]) > 0).all() and (np.diff(at[60:91]) > 0).all()


def test_a_gate_that_would_leave_the_picture_stops_at_its_edge_unless_the_edge_may_show():
    trace = still(10)
    gate = Gate(poses=(Pose(frame=0, x=1270, y=10, width=300),))
    (found, *_) = course_of(gate, trace)(whole(trace), unmoved(trace))
    corners = apply(found, course_of(gate, trace).form.corners)
    assert np.abs(corners).max(axis=0).tolist() == pytest.approx([639.5, 359.5])
    (free, *_) = course_of(gate, trace, inside=False)(whole(trace), unmoved(trace))
    assert np.allclose(free[:2, 2] + trace.centre, (1270, 10))


def test_a_pose_of_the_scene_stays_on_its_place_while_the_camera_moves():
    shot = shaky(90) + np.column_stack([3.0 * np.arange(90), np.zeros(90)])
    trace = trace_of(shot)
    pose = Pose(frame=30, x=700, y=360, width=150, belongs="scene")
    course = course_of(Gate(poses=(pose,)), trace)
    there = np.array([700, 360]) - (shot - shot[30]) * (1, -1)  # the picture moves against the camera
    assert np.abs(middles(course, trace) - there).max() < 1e-6
    # Held as well, it is on the same place of the source.
    path = held_path(trace, whole(trace), Hold(how="float", keep=0.9), shape=UPRIGHT, posed=course)
    on_source = apply(path.src_from_held[60], trace.centre[None])[0]
    assert np.abs(on_source - there[60]).max() < 0.5


def test_from_the_frame_into_the_scene_the_gate_arrives_on_its_place():
    shot = np.column_stack([2.0 * np.arange(120), np.zeros(120)]) + shaky(120)
    trace = trace_of(shot)
    poses = (
        Pose(frame=10, x=640, y=360, width=400),
        Pose(frame=70, x=600, y=330, width=150, belongs="scene"),
    )
    at = middles(course_of(Gate(poses=poses), trace), trace)
    there = np.array([600, 330]) - (shot - shot[70]) * (1, -1)
    assert np.allclose(at[:11], (640, 360), atol=1e-9) and np.abs(at[70:] - there[70:]).max() < 1e-6


# Following


def walked(frames: int = 300, seed: int = 1) -> np.ndarray:
    """Somebody who stands, walks with a bobbing step, and stops: (frames, 2) px."""
    rng = np.random.default_rng(seed)
    t = np.arange(frames) / 30
    speed = np.clip((t - 2.5) / 0.25, 0, 1) * np.clip((6.5 - t) / 0.25, 0, 1)
    bob = speed * 7 * np.abs(np.sin(np.pi * 1.9 * t)) + rng.normal(0, 0.3, frames)
    return np.column_stack([400 + np.cumsum(speed) / 30 * 120, 400 - bob])


def following(**terms) -> Gate:
    return Gate(poses=(Pose(frame=0, x=640, y=360, width=250),), follows=(Follow(tracks=("a",), **terms),))


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_walker_stays_in_the_region_and_is_met_without_overshoot(seed):
    trace, places = still(300), walked(seed=seed)
    at = middles(course_of(following(room=0.5), trace, {"a": seen_at(places)}), trace)
    assert (np.abs(at - places) <= 0.25 * np.array([250, 445]) + 0.1).all()
    unrest = [np.sqrt((np.diff(each, n=2, axis=0) ** 2).sum(axis=1).mean()) for each in (at, places)]
    assert unrest[0] < 0.1 * unrest[1]
    assert at[:, 0].max() <= max(at[-1, 0], places[-40:, 0].max()) + 0.02 * 250
    assert abs(at[-1, 0] - places[-1, 0]) < 10


def test_a_subject_that_stands_still_leaves_the_gate_still():
    trace = still(60)
    at = middles(course_of(following(), trace, {"a": seen_at(np.full((60, 2), 500.0))}), trace)
    assert np.abs(at - at[0]).max() < 1e-6


@pytest.mark.parametrize(("mirror", "side"), [(None, 1), ("horizontal", -1)])
def test_the_place_in_the_gate_is_as_seen(mirror, side):
    trace = still(60)
    places = np.full((60, 2), 360.0)
    gate = following(place=(1 / 3, 0.5), room=0.1)
    at = middles(course_of(gate, trace, {"a": seen_at(places)}, mirror=mirror), trace)
    assert np.allclose(at[30] - places[30], (side * 250 / 6, 0), atol=1e-3)


def test_at_the_edge_the_gate_stops_though_its_subject_goes_on():
    trace = still(200)
    places = np.column_stack([np.linspace(300, 1279, 200), np.full(200, 360.0)])
    course = course_of(following(room=0.1), trace, {"a": seen_at(places)})
    maps = course(whole(trace), unmoved(trace))
    corners = apply_each(maps, course.form.corners)
    assert np.abs(corners).max(axis=(0, 1))[0] <= 639.5
    assert maps[-1, 0, 2] + 639.5 == pytest.approx(1279 - 125, abs=1.5)


def test_a_lost_stretch_is_bridged_smoothly_and_said():
    trace, places = still(200), np.column_stack([np.linspace(300, 900, 200), np.full(200, 360.0)])
    lost = places.copy()
    lost[80:120] = np.nan
    course = course_of(following(room=0.3), trace, {"a": seen_at(lost)})
    at = middles(course, trace)
    assert np.isfinite(at).all() and np.abs(at - places)[60:140].max() < 40
    assert np.isnan(course.subject(whole(trace))[80:120]).all()
    never = course_of(following(), trace, {"a": seen_at(np.full((200, 2), np.nan))})
    assert np.allclose(middles(never, trace), (640, 360))


def test_a_handover_goes_from_one_subject_to_the_next():
    trace = still(200)
    first, second = np.full((200, 2), (400.0, 360.0)), np.full((200, 2), (900.0, 360.0))
    gate = Gate(
        poses=(Pose(frame=0, x=640, y=360, width=250),),
        follows=(
            Follow(tracks=("a",), calm_s=0.5),
            Follow(tracks=("b",), frame=80, handover_s=1.0, calm_s=0.5),
        ),
    )
    at = middles(course_of(gate, trace, {"a": seen_at(first), "b": seen_at(second)}), trace)[:, 0]
    assert np.abs(at[:60] - 400).max() < 26 and np.abs(at[140:] - 900).max() < 26
    assert (np.diff(at) > -0.01).all()
    group = Gate(poses=gate.poses, follows=(Follow(tracks=("a", "b")),))
    both = middles(course_of(group, trace, {"a": seen_at(first), "b": seen_at(second)}), trace)
    assert np.allclose(both[:, 0], 650, atol=0.01)


@pytest.mark.parametrize(("rate", "calm"), [(30, 0.0), (30, 5.0), (120, 5.0), (240, 20.0)])
def test_a_course_is_found_at_any_rate_and_calmness(rate, calm):
    trace = still(400, rate=rate)
    places = walked(400)
    at = middles(course_of(following(room=0.6, calm_s=calm), trace, {"a": seen_at(places)}), trace)
    assert np.isfinite(at).all() and (np.abs(at - places) <= 0.3 * np.array([250, 445]) + 2.0).all()


def test_a_float_and_a_followed_subject_together_keep_both_promises():
    """The subject in its region, the gate in the picture, and a camera that shakes taken out."""
    shot = 3 * shaky(200)
    trace = trace_of(shot)
    world = walked(200)
    places = world - shot * (1, -1)
    gate = following(room=0.5)
    course = course_of(gate, trace, {"a": seen_at(places)}, keep=0.9)
    path = held_path(trace, whole(trace), Hold(how="float", keep=0.9), shape=UPRIGHT, posed=course)
    form = course.form
    for k in range(trace.frames):
        corners = apply(path.src_from_held[k], form.corners + trace.centre)
        assert corners.min() >= -1e-6 and (corners <= (1279, 719)).all()
        off = apply(np.linalg.inv(path.src_from_held[k]), places[k : k + 1])[0] - trace.centre
        assert (np.abs(off / (2 * form.half)) < 0.25 + 0.02).all()


def test_a_gate_as_high_as_the_picture_does_not_undo_the_hold():
    """It becomes a little smaller instead: what was taken out of the shake stays out."""
    trace = trace_of(2 * shaky(200))
    places = np.column_stack([np.linspace(500, 800, 200), np.full(200, 360.0)]) - 2 * shaky(200) * (1, -1)
    gate = Gate(follows=(Follow(tracks=("a",), room=0.5),))
    course = course_of(gate, trace, {"a": seen_at(places)}, keep=0.9)
    path = held_path(trace, whole(trace), Hold(how="float", keep=0.9), shape=UPRIGHT, posed=course)
    down = path.gate[:, 1, 2]
    assert np.abs(np.diff(down, n=2)).max() < 0.05 and path.least_kept >= 0.9


def test_a_whip_is_not_followed():
    """The camera leaves its subject on purpose: the gate waits until it is there again."""
    course_ = whip_course(160, peak=60, reach_px=1400, shake_px=0.0)
    trace = trace_of(course_)
    places = np.array([640.0, 360.0]) + 300 - (course_ - course_[100]) * (1, -1)
    gate = following(room=0.5)
    at = middles(course_of(gate, trace, {"a": seen_at(places)}), trace)
    assert np.abs(np.diff(at, axis=0)).max() < 0.1 * np.abs(np.diff(places, axis=0)).max()


# Counter-zoom


@pytest.mark.parametrize("amount", [1.0, -1.0, 2.0])
def test_counter_zoom_runs_against_what_grows(amount):
    trace = still(100)
    growth = np.linspace(0.8, 1.2, 100)
    square = np.array([[-50, -50], [50, -50], [50, 50], [-50, 50]])
    corners = (640, 360) + growth[:, None, None] * square
    gate = Gate(poses=(Pose(frame=0, x=640, y=360, width=300),), counter_zoom=CounterZoom(amount=amount, track="a"))
    maps = course_of(gate, trace, {"a": seen_at(corners)})(whole(trace), unmoved(trace))
    sizes = np.linalg.norm(maps[:, :2, 0], axis=1)
    seen = growth / sizes
    expected = growth ** (1 - amount)
    assert np.abs(seen / seen[50] / (expected / expected[50]) - 1).max() < 0.01
    assert sizes.max() == pytest.approx(300 / 404.4444, rel=0.01)  # never more of the picture than was posed


def test_without_a_subject_it_runs_against_the_push_of_the_camera():
    trace = still(60)
    motions = trace.motions.copy()
    motions[1:, :2, :2] *= 1.004
    motions[1:, :2, 2] = (1 - 1.004) * trace.centre
    pushed = replace(trace, motions=motions)
    maps = course_of(Gate(counter_zoom=CounterZoom(amount=1.0)), pushed)(whole(pushed), unmoved(pushed))
    sizes = np.linalg.norm(maps[:, :2, 0], axis=1)
    assert sizes[-5] / sizes[5] == pytest.approx(1.004**49, rel=0.01) and sizes.max() <= 1


# The shape that is shown


def test_an_upright_picture_floats_across_its_whole_source():
    """Sideways there is room for any shake, though nothing of the height is given up."""
    across = np.column_stack([30 * np.sin(np.arange(150) / 4.0), np.zeros(150)])
    trace = trace_of(across)
    hold = Hold(how="float", keep=0.99)
    upright = held_path(trace, whole(trace), hold, shape=UPRIGHT)
    wide = held_path(trace, whole(trace), hold)
    middle = [
        np.array([apply(np.linalg.inv(m), trace.centre[None] - across[k])[0] for k, m in enumerate(p.src_from_held)])
        for p in (upright, wide)
    ]
    left = [np.abs(np.diff(each[20:130, 0], n=2)).max() for each in middle]
    assert left[0] < 0.1 and left[1] > 1.0
    assert upright.least_kept >= 0.99


def test_the_chart_is_of_the_shape_that_is_shown():
    across = np.column_stack([30 * np.sin(np.arange(150) / 4.0), np.zeros(150)])
    trace = trace_of(across)
    wide, upright = (chart(trace, whole(trace), Hold(how="float"), (), Silent(), shape) for shape in (None, UPRIGHT))
    left = [min(p.shake_px for line in each.lines for p in line if p.asked_keep == 0.97) for each in (wide, upright)]
    assert left[1] < 0.1 * left[0]


def test_what_is_as_shot_stays_as_shot_in_any_shape():
    trace = still(60)
    assert held_path(trace, whole(trace), Hold(how="float"), shape=UPRIGHT).untouched


# An open shutter


def test_a_quick_gate_is_blurred_although_the_takes_own_shutter_was_open(measured_demo, demo_take):
    """The take stands: that it was shot with 180° tells nothing of the gate, which goes 150 px a frame."""
    take = demo_take("tripod")
    poses = tuple(Pose(frame=at, x=x, y=360, width=500, arrive=0.0, leave=0.0) for at, x in ((20, 300), (24, 900)))
    pace = Pace(shutter=Shutter(angle_deg=180.0))
    shot = Shot(take_id=take.id, span=take.whole, gates=(Gate(poses=poses),), pace=pace)
    project = Project(takes=(take,), reel=Reel(width=1280, height=720, rate=take.facts.rate, shots=(shot,)))
    with Sources.of(measured_demo) as sources:
        found = complete(HoldRequest.of(project, shot), sources.measured, Silent())
    resolved = replace(found, course=replace(found.course, shutter_deg=180.0))
    (placed,) = placed_shots(project)

    def laid(at: int) -> Layer:
        return plan_shown(Shown(resolved=resolved, placed=placed, at=at, weight=1.0), SIZE, (640, 360))

    moves, rests = laid(22), laid(60)
    a, b = (laid(at).matrix @ [320, 180, 1] for at in (21, 23))
    gone = float(np.hypot(*(a / a[2] - b / b[2])[:2])) / 2 * 640 / 500  # px of the output a frame
    assert moves.added_blur_px == pytest.approx(gone / 2, rel=0.2) and gone > 100  # fastest in the middle
    between = [each.matrix @ [320, 180, 1] for each in moves.samples]
    steps = np.diff([each[0] / each[2] for each in between]) * 640 / 500
    assert np.abs(steps).max() < 2.0  # no separate copies
    assert len(rests.samples) == 1


# The document


def test_gates_are_kept_for_each_output_and_go_with_it(tmp_path, demo_take):
    take = demo_take("hill")
    shot = Shot(take_id=take.id, span=take.whole)
    upright = Output(name="upright", width=720, height=1280)
    project = AddOutput(output=upright).apply(Project(takes=(take,), reel=Reel(shots=(shot,))))
    gate = Gate(output=upright.id, poses=(Pose(frame=3, x=500, y=360, width=300),))
    project = SetGate(shot_id=shot.id, gate=gate).apply(project)
    save(project, tmp_path / "p.clevrin")
    assert load(tmp_path / "p.clevrin").reel == project.reel
    seen = project.through(upright.id)
    assert seen.reel.size == (720, 1280)
    assert seen.reel.shots[0].gate().poses == gate.poses
    assert project.through(None) is project and project.reel.shots[0].gate().rests
    larger = ChangeOutput(output=upright.changed(width=1080, height=1920)).apply(project)
    assert larger.size_of(upright.id) == (1080, 1920) and larger.reel == project.reel
    gone = RemoveOutput(output_id=upright.id).apply(project)
    assert not gone.outputs and not gone.reel.shots[0].gates
    with pytest.raises(KeyError):
        SetGate(shot_id=shot.id, gate=gate).apply(gone)
    assert SetGate(shot_id=shot.id, gate=Gate(output=upright.id)).apply(project).reel.shots[0].gates == ()


def test_the_journal_keeps_outputs_gates_and_fits(tmp_path, demo_take):
    take = demo_take("hill")
    project = Project(takes=(take,), reel=Reel(shots=(Shot(take_id=take.id, span=take.whole),)))
    journal = Journal(tmp_path, project, place=None, saved=False)
    changed = AddOutput(output=Output(name="square", width=100, height=100)).apply(project)
    journal.record(changed)
    pose = Pose(frame=3, x=5, y=6, width=30, belongs="scene", arrive=0.3)
    gate = Gate(output=changed.outputs[0].id, poses=(pose,), level_deg=2.0)
    for edit in (FitReel(fit="bars", bars="#102030"), SetGate(shot_id=changed.reel.shots[0].id, gate=gate)):
        changed = edit.apply(changed)
        journal.record(changed)
    journal.abandon()
    (left,) = left_behind(tmp_path)
    assert left.project == changed


def test_what_makes_no_sense_is_refused():
    pose = Pose(frame=3, x=1, y=1, width=100)
    with pytest.raises(ValueError, match="one a frame"):
        Gate(poses=(pose, pose))
    with pytest.raises(ValueError, match="two gates"):
        Shot(take_id="a", span=Span(first=0, end=9), gates=(Gate(level_deg=1.0), Gate(level_deg=2.0)))
    with pytest.raises(ValueError, match="greater than"):
        Output(name="flat", width=1280, height=0)
    gate = Gate(poses=(pose,)).put(pose.changed(frame=9), instead_of=3)
    assert [each.frame for each in gate.poses] == [9] and gate.without(9).rests and gate.pose_at(9) is not None


# Pictures


def test_the_picture_of_an_output_is_the_part_that_its_gate_shows(demo_take, tmp_path):
    take = demo_take("tripod")
    pose = Pose(frame=0, x=639.5, y=359.5, width=640)
    shot = Shot(take_id=take.id, span=take.whole)
    project = Project(takes=(take,), reel=Reel(shots=(shot,), width=1280, height=720))
    near = SetGate(shot_id=shot.id, gate=Gate(poses=(pose,))).apply(project)
    whole_picture, enlarged = (picture(each, 0, SIZE).astype(float) for each in (project, near))
    shown = whole_picture[180:540, 320:960]
    reduced = enlarged.reshape(360, 2, 640, 2, 3).mean(axis=(1, 3))
    assert np.abs(shown - reduced).mean() < 1.5
    with Sources.of() as sources:
        plan = plan_at(near, 0, SIZE, sources.measured)
    assert plan.layers[0].src_from_out[0] == pytest.approx(0.5) and not plan.unmeasured


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
@pytest.mark.parametrize("mirror", [None, "horizontal"])
def test_a_picture_is_turned_by_quarters_and_then_mirrored(turns, mirror, tmp_path):
    film = numbered_film(tmp_path / "f.mp4", frames=2, size=(96, 54))
    take = take_in(film)
    size = (54, 96) if turns % 2 else (96, 54)
    shot = Shot(take_id=take.id, span=take.whole, turns=turns, mirror=mirror)
    project = Project(takes=(take,), reel=Reel(shots=(shot,), width=size[0], height=size[1]))
    plain = Project(takes=(take,), reel=Reel(shots=(shot.changed(turns=0, mirror=None),), width=96, height=54))
    expected = np.rot90(picture(plain, 1, (96, 54)), turns)
    expected = expected[:, ::-1] if mirror else expected
    assert np.abs(picture(project, 1, size).astype(int) - expected).mean() < 3


@pytest.mark.parametrize("fit", ["fill", "bars", "blurred"])
@pytest.mark.parametrize("turns", [0, 1])
def test_a_take_of_another_shape_fills_the_reel_or_stands_on_it_whole(fit, turns, tmp_path):
    film = numbered_film(tmp_path / "f.mp4", frames=2, size=(96, 54))
    take = take_in(film)
    shot = Shot(take_id=take.id, span=take.whole, turns=turns)
    reel = Reel(shots=(shot,), width=100, height=100, fit=fit, bars="#c02020")
    shown = picture(Project(takes=(take,), reel=reel), 1, (100, 100)).astype(int)
    shown = np.rot90(shown, -turns)
    outside = np.concatenate([shown[:20].reshape(-1, 3), shown[-20:].reshape(-1, 3)])
    red = (np.abs(outside - (192, 32, 32)).max(axis=1) < 12).mean()
    assert red > 0.95 if fit == "bars" else red < 0.05
    whole = picture(
        Project(takes=(take,), reel=reel.changed(width=96, height=54, shots=(shot.changed(turns=0),))), 1, (96, 54)
    )
    if fit != "fill":
        inner = cv2.resize(shown[24:77, 2:98].astype(np.uint8), (96, 54))
        assert np.abs(inner.astype(int) - whole).mean() < 12
    if fit == "blurred":
        assert outside.std(axis=0).max() > 5 and np.abs(np.diff(shown[:18], axis=1)).max() < 40
    own = reel.changed(shots=(shot.changed(fit="fill"),))  # what the shot says is more than what the reel says
    filled = picture(Project(takes=(take,), reel=own), 1, (100, 100))
    assert np.abs(filled.astype(int) - (192, 32, 32)).max(axis=2).min() > 12


def test_a_place_in_the_gate_is_turned_along():
    trace = still(60)
    square = GateForm.of(SIZE, (1, 1))
    course = GateCourse(gate=following(place=(1 / 3, 0.5)), form=square, trace=trace, followed={}, turns=1)
    # On the left third of a picture that was turned anticlockwise is what was on the upper third as shot.
    assert np.allclose(course.place(course.gate.follows[0]), (0, -1 / 6))


def test_figures_say_where_the_gate_was_and_how_fine_it_is(demo_take):
    take = demo_take("tripod")
    shot = Shot(take_id=take.id, span=Span(first=0, end=4)).with_gate(
        Gate(poses=(Pose(frame=0, x=400, y=300, width=202),))
    )
    project = Project(takes=(take,), reel=Reel(shots=(shot,), width=404, height=720, rate=Fraction(30)))
    with Sources.of() as sources:
        found = complete(HoldRequest.of(project, shot), sources.measured, Silent())
        figures = gate_figures(found, sources.measured, (404, 720))
    assert np.allclose(figures.corners.mean(axis=1), (400, 300)) and np.allclose(figures.source_px, 0.5)
    assert figures.softest == pytest.approx(0.5) and not figures.known.any() and figures.lost(shot.span) == ()
