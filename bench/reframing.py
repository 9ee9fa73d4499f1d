"""How well gates are found: shapes, poses, following and counter-zoom, on films and courses whose truth is known."""

import time
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import numpy as np

from bench.depth import films
from bench.depth.judging import restlessness, shown_by
from bench.plain import plain_hold, plain_motions
from bench.rows import Row
from bench.speed import make_full_hd
from clevrin.core.document import CounterZoom, Follow, Gate, Hold, Pose, Reel, Shot, Span, Take, Track
from clevrin.core.document.edits import AddTakes
from clevrin.core.document.gating import SOFT, STILL, STRAIGHT
from clevrin.core.document.model import Project
from clevrin.core.document.tracks import Placement
from clevrin.core.gate.course import GateCourse
from clevrin.core.gate.easing import Stops, eased
from clevrin.core.gate.form import GateForm
from clevrin.core.hold import held_path
from clevrin.core.hold.held import HeldPath
from clevrin.core.hold.report import quick_part
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion import Trace
from clevrin.core.motion.geometry.models import apply, apply_each, summed_up
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.progress import Silent
from clevrin.core.render.reports.gate_report import GateFigures, gate_figures
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.demo.cast import CLOTH
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import quick_rms, true_course, true_motions, true_places
from clevrin.desk.playback.programmes import reframe_programme

Numbers = np.ndarray
_UPRIGHT = (404, 720)
_STRETCHES = {"walk-past": (3, 116), "hill": (24, 150), "picnic": (0, 210), "bunting": (24, 120)}
_HELD_OUT = (2, 3)


def reframing_rows(traces: dict[str, Trace], shelf: Shelf, depth_folder: Path) -> list[Row]:
    """`traces` of the takes of kite day by name; films with depth are made in a folder if they are not there."""
    rows = [_upright_row(name, traces[name], keep) for keep in (0.97, 0.95) for name in _STRETCHES]
    rows += [_upright_depth_row(depth_folder)]
    with Sources.of(shelf) as sources:
        rows += _cloth_rows(sources)
        rows += [_scene_row("hill", (24, 149), (640.0, 300.0), sources)]
        rows += [_counter_zoom_row(sources)]
    rows += _scene_depth_rows(depth_folder)
    rows += [*_courses_rows(), _easing_row(), *_solving_rows(), _playing_row(depth_folder)]
    return rows


# Upright from wide


def _upright_row(name: str, trace: Trace, keep: float) -> Row:
    path = held_path(trace, Span(first=0, end=trace.frames), Hold(how="float", keep=keep), shape=_UPRIGHT)
    assert path is not None
    span = Span(first=_STRETCHES[name][0], end=_STRETCHES[name][1])
    centre = (float(trace.centre[0]), float(trace.centre[1]))
    courses = true_course(true_motions(FOOTAGE / f"{name}.truth.json"), centre, path, span)
    before, after = (quick_rms(course, float(trace.rate)) for course in courses)
    gone, kept = 1 - after / before, path.least_kept
    quick = np.abs(quick_part(courses[0], float(trace.rate))[5:-5, 1]).max()
    what = f"9:16 of {name}, floated at the full height: shake over 1 Hz gone, height kept"
    room = trace.height * (1 - keep) / 2
    figures = (
        f"{gone * 100:.1f} % ({before:.1f} to {after:.2f} px), {kept * 100:.1f} %; {quick:.1f} px up, room {room:.1f}"
    )
    return Row(what, f"98 %, {keep * 100:.0f} %", figures, gone >= 0.98 and kept >= keep - 0.0005)


def _upright_depth_row(folder: Path) -> Row:
    """Against the plain method at the same share of the height."""
    ours, plainly = [], []
    for seed in _HELD_OUT:
        film = films.walk(seed)
        path = film.made(folder)
        trace = trace_take(TraceRequest(path=path), Shelf(folder / "shelf"), Silent())
        whole = Span(first=0, end=trace.frames)
        found = held_path(trace, whole, Hold(how="float", keep=0.9), shape=_UPRIGHT)
        assert found is not None
        places, _ = film.points
        ours.append(restlessness(film, shown_by(found.gates(whole), places))[0])
        plain = plain_motions(path)
        size = trace.width, trace.height
        each = [plain_hold(plain, size, sigma, 0.9) for sigma in (10.0, 20.0)]
        plainly.append(min(restlessness(film, shown_by(maps, places))[0] for maps in each))
    left, other = float(np.mean(ours)), float(np.mean(plainly))
    figures = f"{left:.3f} px (plain {other:.3f}, {'ahead' if left < other else 'BEHIND'})"
    return Row("9:16 of walks with depth, floated at 90 %: what points still do", "plain", figures, left < other)


# Following


@dataclass(frozen=True, kw_only=True, eq=False)
class _Judged:
    """How a gate followed: share of known frames in the region, acceleration against the subject's, overshoot."""

    inside: float
    calmer: float
    overshoot: float


def _judged(course: Numbers, subject: Numbers, seen: Numbers, half: Numbers, room: float) -> _Judged:
    """`course` (n, 2) of the gate's middle, `subject` (n, 2) and where it is seen, on one picture."""
    off = np.abs(course - subject)[seen]
    inside = float((off <= room / 2 * 2 * half + 0.5).all(axis=1).mean())

    def unrest(values: Numbers) -> float:
        return float(np.sqrt((np.diff(values, n=2, axis=0) ** 2).sum(axis=1).mean()))

    both = seen[2:] & seen[1:-1] & seen[:-2]
    subjects = np.diff(subject, n=2, axis=0)[both]
    own = float(np.sqrt((subjects**2).sum(axis=1).mean()))
    return _Judged(inside=inside, calmer=unrest(course) / own, overshoot=0.0)


def _still(size: tuple[int, int], frames: int, rate: int) -> Trace:
    return Trace(
        width=size[0],
        height=size[1],
        rate=Fraction(rate),
        times_s=np.arange(frames) / rate,
        model="translation",
        motions=np.broadcast_to(np.eye(3), (frames, 3, 3)),
        confidence=np.ones(frames),
        shutter_deg=None,
    )


def _followed_course(places: Numbers, rate: int, follow: Follow) -> tuple[Numbers, Numbers]:
    """The gate's middle (n, 2) about the picture's, and half its size, for a subject at places (n, 2) of 1920x1080."""
    size = (1920, 1080)
    trace = _still(size, len(places), rate)
    followed = Followed(
        places=places[:, None].copy(),
        confidence=np.ones(len(places)),
        placed=np.zeros(len(places), bool),
        lost=(),
    )
    form = GateForm.of(size, _UPRIGHT)
    course = GateCourse(
        gate=Gate(follows=(follow,), poses=(Pose(frame=0, x=960, y=540, width=320),)),
        form=form,
        trace=trace,
        followed={"subject": followed},
    )
    span = Span(first=0, end=len(places))
    maps = course(span, np.repeat(np.eye(3)[None], len(places), axis=0))
    return maps[:, :2, 2], form.half * 320 / (2 * form.half[0])


def walker(seed: int, seconds: float = 10.0, rate: int = 30) -> tuple[Numbers, int, int]:
    """Somebody who stands, walks across with a bobbing step, and stops: places (n, 2), and the frames of the walk."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(seconds * rate)) / rate
    start, stop = rng.uniform(2, 3), rng.uniform(6, 7)
    ramp = 0.25  # people start and stop within a step
    speed = np.clip((t - start) / ramp, 0, 1) * np.clip((stop - t) / ramp, 0, 1)
    across = np.cumsum(speed) / rate * rng.uniform(170, 230)
    bob = speed * rng.uniform(5, 9) * np.abs(np.sin(np.pi * 1.9 * t)) + rng.normal(0, 0.3, len(t))
    sway = speed * rng.uniform(3, 6) * np.sin(np.pi * 1.9 * t + 1) + rng.normal(0, 0.3, len(t))
    places = np.column_stack([560 + across + sway, 560 - bob])
    return places, round(start * rate), round((stop + 0.3) * rate)


def _courses_rows() -> list[Row]:
    """Courses of people that were made up, of seeds that nothing was tuned to."""
    rows, found = [], []
    for seed in (11, 12, 13, 14):
        places, _, stopped = walker(seed)
        follow = Follow(tracks=("subject",), room=0.5, calm_s=1.0)
        course, half = _followed_course(places, 30, follow)
        subject = places - (959.5, 539.5)
        judged = _judged(course, subject, np.ones(len(places), bool), half, follow.room)
        rest = float(np.median(subject[stopped + 30 :, 0]))
        over = float(np.max(course[stopped - 30 :, 0]) - max(rest, float(course[-1, 0]))) / (2 * half[0])
        found.append(replace(judged, overshoot=max(0.0, over)))
    inside, calmer, over = ([getattr(each, name) for each in found] for name in ("inside", "calmer", "overshoot"))
    words = "a walker who starts and stops"
    rows.append(_share_row(f"{words}: frames inside the region", min(inside)))
    rows.append(Row(f"{words}: gate's acceleration / subject's", "0.1", f"{max(calmer):.3f}", max(calmer) < 0.1))
    rows.append(
        Row(f"{words}: overshoot at the stop", "2 % of the width", f"{max(over) * 100:.2f} %", max(over) < 0.02)
    )
    return rows


def _share_row(what: str, share: float) -> Row:
    return Row(what, "every frame", f"{share * 100:.1f} %", share == 1.0)


def _cloth(kind: str = "point") -> tuple[Take, Track, Numbers]:
    """The cloth of the parade: its take, a track placed where it truly is, and its true places (frames, corners, 2)."""
    middle = np.array([[325.0, 210.0]]) if kind == "point" else np.array([[65.0, 42], [390, 42], [390, 336], [65, 336]])
    true = true_places(FILMED["parade"], CLOTH, middle)
    placed = Placement(frame=30, places=tuple((float(x), float(y)) for x, y in true[30]))
    track = Track.model_validate({"name": "cloth", "kind": kind, "placed": (placed,)})
    return take_in(FOOTAGE / "parade.mp4").changed(tracks=(track,)), track, true


def _resolved(take: Take, shot: Shot, size: tuple[int, int], sources: Sources) -> tuple[GateFigures, HeldPath]:
    project = AddTakes(takes=(take,)).apply(Project())
    reel = project.reel.changed(shots=(shot,), width=size[0], height=size[1])
    found = complete(HoldRequest.of(project.changed(reel=reel), shot), sources.measured, Silent())
    return gate_figures(found, sources.measured, size), found.state.path  # type: ignore[union-attr]


def _cloth_rows(sources: Sources) -> list[Row]:
    rows = []
    for how in ("none", "float"):
        take, track, true = _cloth()
        follow = Follow(tracks=(track.id,), room=0.4, calm_s=1.0)
        gate = Gate(follows=(follow,), poses=(Pose(frame=30, x=640, y=360, width=260),))
        shot = Shot(take_id=take.id, span=take.whole, hold=Hold(how=how, keep=0.9)).with_gate(gate)
        figures, _ = _resolved(take, shot, _UPRIGHT, sources)
        seen = figures.known
        where = np.array([apply(np.linalg.inv(m), p)[0] for m, p in zip(figures.src_from_out, true, strict=True)])
        place = (where + 0.5) / _UPRIGHT
        # Where the cloth itself is so near to the picture's edge that no gate could have it in its region.
        possible = seen & _reachable(true[:, 0], figures)
        inside = (np.abs(place[possible] - 0.5) <= follow.room / 2 + 0.01).all(axis=1).mean()
        words = f"parade's cloth followed{', floated' if how == 'float' else ''}, true places"
        rows.append(_share_row(f"{words}: in the region of {possible.sum()} frames", float(inside)))
        rows.append(_inside_row(f"{words}: corners of the gate beyond the picture", figures))
    return rows


def _reachable(places: Numbers, figures: GateFigures) -> Numbers:
    size = figures.corners.max(axis=1) - figures.corners.min(axis=1)
    low, high = size * 0.3, np.array([1279.0, 719.0]) - size * 0.3
    return ((places >= low) & (places <= high)).all(axis=1)


def _inside_row(what: str, figures: GateFigures) -> Row:
    over = float(max(-0.5 - figures.corners.min(), (figures.corners - (1279.5, 719.5)).max()))
    return Row(what, "none", f"{max(0.0, over):.3f} px", over <= 1e-6)


# Poses


def _scene_row(name: str, stretch: tuple[int, int], place: tuple[float, float], sources: Sources) -> Row:
    """How far a pose in the scene is from the place in the world on which it was set, by the true camera."""
    take = take_in(FOOTAGE / f"{name}.mp4")
    first, last = stretch
    pose = Pose(frame=first, x=place[0], y=place[1], width=150, belongs="scene")
    span = Span(first=first, end=last + 1)
    shot = Shot(take_id=take.id, span=span).with_gate(Gate(poses=(pose,)))
    figures, _ = _resolved(take, shot, _UPRIGHT, sources)
    true = summed_up(true_motions(FOOTAGE / f"{name}.truth.json")[first : last + 1])
    middle = figures.corners.mean(axis=1)
    there = apply_each(true, np.array([place]))[:, 0]
    drift = np.hypot(*(middle - middle[0] - (there - there[0])).T)
    seconds = (last - first) / float(take.facts.rate)
    return Row(
        f"pose in the scene of {name}: drift over {seconds:.1f} s",
        "0.5 px",
        f"{drift.max():.3f} px",
        drift.max() <= 0.5,
    )


def _scene_depth_rows(folder: Path) -> list[Row]:
    rows = []
    for name in ("walk", "orbit"):
        worst = []
        for seed in _HELD_OUT:
            film = getattr(films, name)(seed)
            trace = trace_take(TraceRequest(path=film.made(folder)), Shelf(folder / "shelf"), Silent())
            pose = Pose(frame=0, x=560.0, y=250.0, width=150, belongs="scene")
            form = GateForm.of((trace.width, trace.height), _UPRIGHT)
            course = GateCourse(gate=Gate(poses=(pose,)), form=form, trace=trace, followed={})
            maps = course(Span(first=0, end=trace.frames), np.repeat(np.eye(3)[None], trace.frames, axis=0))
            true = summed_up(film.motions(film.followed))
            there = apply_each(true, np.array([[560.0, 250.0]]))[:, 0]
            worst.append(float(np.hypot(*(maps[:, :2, 2] + trace.centre - there).T).max()))
        seconds = trace.frames / float(trace.rate)
        what = f"pose in the scene, {name} with depth: drift over {seconds:.1f} s, worst of two"
        rows.append(Row(what, "0.5 px", f"{max(worst):.3f} px", max(worst) <= 0.5))
    return rows


def _easing_row() -> Row:
    """Of a course with a corner in its speed halving the step halves third differences; with one in its acceleration
    they go to a quarter, and where both are continuous to an eighth."""
    rng = np.random.default_rng(5)
    worst = 0.0
    for _ in range(50):
        count = int(rng.integers(2, 6))
        frames = np.cumsum(rng.integers(8, 60, count)).astype(float)
        stays = np.where(rng.random(count) < 0.3, rng.integers(0, 6, count), 0)
        flows = rng.choice([STILL, SOFT, STRAIGHT, 0.25, 0.8], (2, count))
        stops = Stops(
            values=rng.normal(0, 300, (count, 2)), first=frames, last=frames + stays, arrive=flows[0], leave=flows[1]
        )
        step = 1 / 64
        thirds = []
        for size in (step, step / 2):
            course = eased(stops, np.arange(frames[0] - 2, frames[-1] + 8, size))
            thirds.append(np.abs(np.diff(course, n=3, axis=0)).max())
        worst = max(worst, thirds[1] / thirds[0])
    what = "easing: third differences at half the step (1/8: speed and acceleration are continuous)"
    return Row(what, "1/8", f"{worst:.3f}", worst < 0.15)


def _counter_zoom_row(sources: Sources) -> Row:
    """The cloth's size in the gate, by its true corners."""
    take, track, true = _cloth("surface")
    seen = Span(first=20, end=80)
    gate = Gate(counter_zoom=CounterZoom(amount=1.0, track=track.id), poses=(Pose(frame=30, x=640, y=360, width=400),))
    shot = Shot(take_id=take.id, span=seen).with_gate(gate)
    figures, _ = _resolved(take, shot, (1280, 720), sources)
    sizes = []
    for row, k in enumerate(range(seen.first, seen.end)):
        shown = apply(np.linalg.inv(figures.src_from_out[row]), true[k])
        around = shown - shown.mean(axis=0)
        sizes.append(np.sqrt((around**2).sum()))
    share = np.array(sizes) / np.mean(sizes) - 1
    plain = [np.sqrt(((true[k] - true[k].mean(axis=0)) ** 2).sum()) for k in range(seen.first, seen.end)]
    grew = np.ptp(plain) / np.mean(plain)
    worst = float(np.abs(share).max())
    figure = f"{worst * 100:.2f} % (grew by {grew * 100:.0f} %)"
    return Row("counter-zoom on the cloth: its size held", "1 %", figure, worst <= 0.01)


# How long it takes


def _playing_row(folder: Path) -> Row:
    """Whole picture and two outputs of a held and posed shot of 1080p, as the Reframe bench shows them at 1280x800."""
    take = take_in(make_full_hd(folder / "full-hd.mp4", 120))
    shot = Shot(take_id=take.id, span=take.whole, hold=Hold(how="float", keep=0.9)).with_gate(
        Gate(poses=(Pose(frame=10, x=800, y=540, width=500), Pose(frame=100, x=1100, y=540, width=420)))
    )
    upright, square = (Project(takes=(take,), reel=Reel(shots=(shot,), width=w, height=1080)) for w in (608, 1080))
    programme = reframe_programme(upright, shot.id, (540, 270), [(upright, (180, 270)), (square, (190, 270))])
    with Sources.of(Shelf(folder / "shelf")) as sources:
        sources.measured.measure(take, Silent())
        programme.make(sources, 0)
        begun = time.perf_counter()
        for frame in range(1, 120):
            programme.make(sources, frame)
        rate = 119 / (time.perf_counter() - begun)
    return Row("two outputs and the whole picture of 1080p, made", "30 frames/s", f"{rate:.0f} frames/s", rate >= 30)


def _solving_rows() -> list[Row]:
    rows = []
    frames = 300
    rng = np.random.default_rng(1)
    t = np.arange(frames)
    shake = sum(4 / hz * np.sin(2 * np.pi * hz * t[:, None] / 30 + rng.uniform(0, 6.3, 2)) for hz in (0.9, 1.7, 3.1))
    motions = np.repeat(np.eye(3)[None], frames, axis=0)
    motions[1:, :2, 2] = np.diff(shake, axis=0)
    trace = replace(_still((1920, 1080), frames, 30), motions=motions, model="similarity")
    places, _, _ = walker(11)
    followed = Followed(
        places=places[:, None].copy(), confidence=np.ones(frames), placed=np.zeros(frames, bool), lost=()
    )
    poses = tuple(
        Pose(frame=frame, x=x, y=y, width=w, arrive=SOFT, leave=SOFT)
        for frame, x, y, w in ((20, 500, 500, 300), (120, 1300, 600, 500), (240, 900, 540, 350))
    )
    follow = Follow(tracks=("subject",), room=0.4)
    for words, gate, how in (
        ("poses", Gate(poses=poses), "none"),
        ("poses, floated", Gate(poses=poses), "float"),
        ("a subject", Gate(follows=(follow,), poses=poses[:1]), "none"),
        ("a subject, floated", Gate(follows=(follow,), poses=poses[:1]), "float"),
    ):
        course = GateCourse(
            gate=gate,
            form=GateForm.of((1920, 1080), _UPRIGHT),
            trace=trace,
            followed={"subject": followed},
            keep=1.0 if how == "none" else 0.9,
        )
        spent = []
        for _ in range(5):
            begun = time.perf_counter()
            held_path(trace, Span(first=0, end=frames), Hold(how=how, keep=0.9), shape=_UPRIGHT, posed=course)
            spent.append(time.perf_counter() - begun)
        took = float(np.median(spent)) * 1000
        rows.append(Row(f"solving 10 s with {words}", "50 ms", f"{took:.0f} ms", took <= 50))
    return rows
