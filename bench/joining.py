"""Moves that were not shot: how evenly they go, how they end, what is seen at their edges, what they cost."""

import tempfile
import time
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.depth.films import filmed
from bench.rows import Row
from bench.speed import make_full_hd
from clevrin.core.document import Hold, Join, Project, Reel, Shot, Span, Take
from clevrin.core.join.between import made_join
from clevrin.core.join.cut_candidates import Moves
from clevrin.core.join.survey import Library, survey_cut
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.geometry.models import apply
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.picture import plan_at, planes
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.desk.join.kinds_page import kind_pictures, sources_for_kinds

MOVING = ("thrown whip", "push-through", "roll-over", "slide")
_DEEP = ("walk-3", "slider-3")
_MANY = 256
Luma = NDArray[np.float64]


def joining_rows(films: Path) -> list[Row]:
    """Drawn takes, and two with photographic texture and depth; `films`: where those are kept."""
    pairs = [("drawn", FOOTAGE / "hill.mp4", FOOTAGE / "picnic.mp4")]
    pairs.append(("depth", *(filmed(name, films) for name in _DEEP)))
    rows: list[Row] = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        with Sources.of(Shelf(folder / "shelf")) as sources:
            for words, first, second in pairs:
                rows += _quality_rows(words, (take_in(first), take_in(second)), sources)
            rows += _cost_rows(folder, sources)
            rows += _kinds_rows(sources)
    return rows


def joined(takes: tuple[Take, Take], leave: Join, held: bool = True) -> Project:
    """Two takes cut in their middles, so that either goes on beyond the cut, on a reel as large as the first."""
    hold = Hold(how="float") if held else Hold()
    a, b = takes
    shots = (
        Shot(take_id=a.id, span=Span(first=0, end=a.facts.frames * 2 // 3), hold=hold, leave=leave),
        Shot(take_id=b.id, span=Span(first=b.facts.frames // 3, end=b.facts.frames), hold=hold),
    )
    rate = a.facts.reel_rate
    return Project(takes=takes, reel=Reel(rate=rate, width=a.facts.width, height=a.facts.height, shots=shots))


def _measured(project: Project, sources: Sources) -> Project:
    for shot in project.reel.shots:
        complete(HoldRequest.of(project, shot), sources.measured, Silent())
    return project


def _quality_rows(words: str, takes: tuple[Take, Take], sources: Sources) -> list[Row]:
    rows = []
    steps, ends, blurs, seams = [], [], [], []
    for kind in MOVING:
        leave = Join(kind=kind, settings={"direction": 0.0} if "slide" in kind or "whip" in kind else {})
        project = _measured(joined(takes, leave), sources)
        cut = placed_shots(project)[0].end
        made = _speeds(project, sources, cut)
        steps.append(abs(made[cut] - made[cut - 1]) / made.max() * 100)
        ends += _end_speeds(project)
        blurs.append(_blur_db(project, cut - 3, sources))
        seams.append(_seam(project, range(cut - 4, cut + 4), sources))
    rows.append(
        Row(
            f"made moves, {words}: step of the screen's speed at the cut, of the peak",
            "2 %",
            f"{np.mean(steps):.2f} %, worst {max(steps):.2f}",
            max(steps) <= 2,
        )
    )
    rows.append(
        Row(
            f"made moves, {words}: speed at their ends against the shots' own",
            "2 %",
            f"{np.mean(ends):.2f} %, worst {max(ends):.2f}",
            max(ends) <= 2,
        )
    )
    rows.append(
        Row(
            f"made blur, {words}, against {_MANY} samples",
            "40 dB",
            f"{np.mean(blurs):.1f} dB, worst {min(blurs):.1f}",
            min(blurs) >= 40,
        )
    )
    rows.append(
        Row(
            f"seams where mirrored parts begin, {words}, against the picture's own",
            "1.1 times",
            f"{np.nanmedian(seams):.2f} times, worst {np.nanmax(seams):.2f}",
            float(np.nanmedian(seams)) <= 1.1,
        )
    )
    return rows  # fmt: skip


def _speeds(project: Project, sources: Sources, cut: int) -> NDArray[np.float64]:
    """How fast joins move the corners of the picture over the screen, in pixels a frame."""
    size = project.reel.size
    speeds = np.zeros(placed_shots(project)[-1].end)
    for frame in range(cut - 40, cut + 40):
        layers = plan_at(project, frame, size, sources.measured).layers
        speeds[frame] = (layers[-1] if frame >= cut else layers[0]).made_speed_px
    return speeds


def _end_speeds(project: Project) -> list[float]:
    """How fast a join moves the picture at its very ends, where shots go on by themselves, in shares of its peak."""
    made = made_join(placed_shots(project), 0, project.reel.height / project.reel.width, lambda _: None)
    assert made is not None
    corner, step = np.array([[0.5, 0.28]]), 1e-3

    def speed(at: float, *, leaving: bool) -> float:
        move = made.part(at, leaving=leaving).move
        assert move is not None
        places = [apply(np.asarray(np.linalg.inv(move(each)) @ move(at)), corner)[0] for each in (at - step, at + step)]
        return float(np.hypot(*(places[1] - places[0])))

    peak = max(speed(-step, leaving=True), speed(step, leaving=False))
    return [speed(-made.before, leaving=True) / peak * 100, speed(made.after, leaving=False) / peak * 100]


def _blur_db(project: Project, frame: int, sources: Sources) -> float:
    """The made blur of one side against the integral of its own path at many instants, as light."""
    size = project.reel.size
    plan = plan_at(project, frame, size, sources.measured)
    layer = replace(plan.layers[0], behind=None, weight=1.0)

    def read(of: object, number: int) -> object:
        return sources.films.read(project.take(of.take_id), number)  # type: ignore[attr-defined]

    made = execute(replace(plan, layers=(layer,)), read).y.astype(np.float64)  # type: ignore[arg-type]
    total = np.zeros(made.shape)
    for at in (np.arange(_MANY) + 0.5) / _MANY * len(layer.samples) - 0.5:
        k = int(np.clip(np.floor(at), 0, len(layer.samples) - 2))
        matrix = (1 - (at - k)) * layer.samples[k].matrix + (at - k) * layer.samples[k + 1].matrix
        one = layer.laid(tuple((matrix / matrix[2, 2]).reshape(-1)))
        total += _light(execute(replace(plan, layers=(one,)), read).y)  # type: ignore[arg-type]
    true = 16 + 219 * (total / _MANY) ** (1 / 2.4)
    return float(10 * np.log10(255**2 / max(1e-9, ((made - true) ** 2).mean())))


def _light(y: NDArray[np.uint8]) -> Luma:
    return np.clip((y.astype(np.float64) - 16) / 219, 0, 1) ** 2.4


def _seam(project: Project, frames: range, sources: Sources) -> float:
    """The gradient across the edge of the picture where it goes on mirrored, against that beside it; without blur."""
    size = project.reel.size
    leave = project.reel.shots[0].leave.having(shutter=0.0)
    shots = (project.reel.shots[0].changed(leave=leave), project.reel.shots[1])
    project = project.changed(reel=project.reel.changed(shots=shots))
    found = []
    for frame in frames:
        plan = plan_at(project, frame, size, sources.measured)
        layer = plan.layers[-1 if frame >= placed_shots(project)[0].end else 0]
        y = planes(project, frame, size, sources).y.astype(np.float64)
        dx, dy = cv2.Sobel(y, cv2.CV_64F, 1, 0), cv2.Sobel(y, cv2.CV_64F, 0, 1)
        gradient = np.hypot(dx, dy)
        rows, columns = np.mgrid[4 : size[1] - 4 : 3, 4 : size[0] - 4 : 3]
        places = apply(layer.matrix, np.column_stack([columns.ravel(), rows.ravel()]).astype(np.float64))
        beyond = np.minimum(np.abs(places[:, 0]), np.abs(places[:, 0] - layer.source_size[0] + 1))
        at = gradient[rows.ravel(), columns.ravel()]
        on, beside = at[beyond < 1.5], at[(beyond > 6) & (beyond < 30)]
        if len(on) > 40 and len(beside) > 40:
            found.append(float(on.mean() / beside.mean()))
    return float(np.median(found)) if found else float("nan")


def _kinds_rows(sources: Sources) -> list[Row]:
    """All kinds of a cut as small moving pictures, from when the cut is chosen; its takes have been looked at."""
    takes = take_in(FOOTAGE / "hill.mp4"), take_in(FOOTAGE / "picnic.mp4")
    project = _measured(joined(takes, Join(), held=False), sources)
    known = {take.id: Moves.of(sources.films.reader(take), sources.measured.measure(take, Silent())) for take in takes}
    begun, taken = time.perf_counter(), []
    with sources_for_kinds(sources.measured) as own:
        cut = survey_cut(project, 0, Library(film=own.films.reader, moves=lambda take: known[take.id]))
        for each in cut.fits:
            if kind_pictures(project, cut, each.kind.id, own, Silent()):
                taken.append(time.perf_counter() - begun)
    return [
        Row("kinds of a cut as moving pictures: the first", "0.3 s", f"{taken[0]:.2f} s", taken[0] <= 0.3),
        Row("kinds of a cut as moving pictures: all", "3 s", f"{taken[-1]:.1f} s", taken[-1] <= 3),
    ]


def _cost_rows(folder: Path, sources: Sources) -> list[Row]:
    """A join at 1080p with sixteen samples against reading and encoding alone, in one run."""
    film = make_full_hd(folder / "hd.mp4", 60)
    take = take_in(film)
    shots = (
        Shot(take_id=take.id, span=Span(first=0, end=12), leave=Join(kind="thrown whip", settings={
            "length": 24.0, "direction": 0.0, "distance": 0.75, "shutter": 120.0})),
        Shot(take_id=take.id, span=Span(first=30, end=42)),
    )  # fmt: skip
    project = Project(takes=(take,), reel=Reel(width=1920, height=1080, shots=shots))
    samples = [len(plan_at(project, k, (1920, 1080), sources.measured).layers[0].samples) for k in range(24)]
    plain = project.changed(reel=project.reel.changed(shots=(shots[0].changed(leave=Join()), shots[1])))

    def seconds(what: Project) -> float:
        """The quicker one of two renders: the first of a process is late."""
        taken = []
        for _ in range(2):
            begun = time.perf_counter()
            export_reel(ExportRequest(project=what, path=folder / "joined.mp4"), sources, Silent())
            taken.append(time.perf_counter() - begun)
        return min(taken)

    ratio = seconds(project) / seconds(plain)
    words = f"{ratio:.1f}x at {np.mean(samples):.0f} samples"
    return [Row("render of a join, 1080p, 16 samples, against reading and encoding", "3x", words, ratio <= 3)]
