"""Moments that were not shot, judged by frames that were: every second one taken away, and made again by the command.

Beside it, in the same run, the plain method of a general library: dense flow both ways, both frames warped and mixed.
"""

import tempfile
import time
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.depth.films import filmed
from bench.rows import Row
from clevrin.core.document import Pace, PacePoint, Project, Shot, Shutter, Span, Take
from clevrin.core.document.edits import AddTakes
from clevrin.core.join.meeting import CutSide, Meeting, meet, ramped
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.pace import placed_shots, reel_frames
from clevrin.core.pace.curve import legs_of
from clevrin.core.pace.time_map import PacedTime
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.picture import plan_at, planes
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.core.sound.beats import beats_of
from clevrin.demo.film import developed, frame_light
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.demo.music import agreement, music
from clevrin.demo.scenes import SCENES

DRAWN = ("hill", "walk-past", "picnic", "bunting", "parade", "runaway", "somersault", "tripod")
DEEP = ("walk-3", "slider-3", "orbit-3", "leaves-3", "passing-3", "whip-3", "gate-3")
CAMERA_ONLY = ("hill", "runaway", "somersault", "whip-3")
"""Films in which next to nothing moves but the camera, and that a lot."""
_MOST_FRAMES, _JUDGED = 61, 15
_QUALITY = 10
_FINE_PX = 2.0
_TEMPOS = ((120,), (96,), (140,), (75,), (168,), (100, 125), (128, 110), (90, 95, 100, 105), (118,), (104,))
_WHIP = (0, 40)
"""The first frame of the hill's whip, and how many are made without blur."""

Luma = NDArray[np.float32]


@dataclass(frozen=True, kw_only=True, eq=False)
class Outcome:
    """Of one film, per frame made again: luma PSNR of three ways, and how fine ours is beside its neighbours."""

    ours: NDArray[np.float64]
    plain: NDArray[np.float64]
    mixed: NDArray[np.float64]
    fineness: NDArray[np.float64]

    @property
    def worst_under_mix(self) -> float:
        """By how much the worst tenth is under mixing, in dB; negative: it is above."""
        margin = np.sort(self.mixed - self.ours)[::-1]
        return float(margin[: max(1, len(margin) // 10)].mean())


def made_again(film: Path, folder: Path) -> Outcome:
    """Takes every second frame of a film away, and makes some of them again."""
    with FilmReader(film) as reader:
        count = min(reader.frames, _MOST_FRAMES) // 2 * 2 - 1
        first = max(0, (reader.frames - count) // 2)
        whole = [reader.read(first + k) for k in range(count)]
        rate = reader.index.rate
    half = folder / f"{film.stem}-half.mp4"
    with FilmWriter(half, rate=rate / 2, size=whole[0].size, quality=_QUALITY) as writer:
        for each in whole[::2]:
            writer.write(each)
    take = take_in(half)
    project = AddTakes(takes=(take,)).apply(Project())
    shot = Shot(take_id=take.id, span=take.whole, pace=Pace(in_between="best"))
    project = project.changed(reel=project.reel.changed(rate=rate, shots=(shot,)))
    judged = sorted({1 + 2 * round(k) for k in np.linspace(0, (count - 3) / 2, _JUDGED)})
    rows: list[tuple[float, float, float, float]] = []
    with Sources.of(Shelf(folder / "shelf")) as sources, FilmReader(half) as reader:
        complete(HoldRequest.of(project, shot), sources.measured, Silent())
        start = placed_shots(project)[0].start
        for k in judged:
            made = planes(project, start + k, whole[0].size, sources).y.astype(np.float32)
            before, after = (reader.read_luma(n).copy() for n in ((k - 1) // 2, (k + 1) // 2))
            true = whole[k].y.astype(np.float32)
            ways = (made, plain_flow(before, after), (before.astype(np.float32) + after) / 2)
            near = (_fine(before.astype(np.float32)) + _fine(after.astype(np.float32))) / 2
            rows.append((*(_psnr(way, true) for way in ways), _fine(made) / near))  # type: ignore[arg-type]
    ours, plain, mixed, fineness = np.array(rows).T
    return Outcome(ours=ours, plain=plain, mixed=mixed, fineness=fineness)


def plain_flow(before: NDArray[np.uint8], after: NDArray[np.uint8], share: float = 0.5) -> Luma:
    """The plain method: both frames along half of their flow, mixed."""
    y, x = np.mgrid[: before.shape[0], : before.shape[1]].astype(np.float32)
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    there, back = flow.calc(before, after, None), flow.calc(after, before, None)
    made = [
        cv2.remap(
            plane, x - by * way[..., 0], y - by * way[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        ).astype(np.float32)
        for plane, way, by in ((before, there, share), (after, back, 1 - share))
    ]
    return np.asarray((1 - share) * made[0] + share * made[1])


def _psnr(made: Luma, true: Luma) -> float:
    return float(10 * np.log10(255**2 / max(1e-9, float(((made - true) ** 2).mean()))))


def _fine(luma: Luma) -> float:
    """The energy of what is finer than two pixels."""
    return float(((luma - cv2.GaussianBlur(luma, (0, 0), _FINE_PX)) ** 2).mean())


def in_between_rows(films: Path, folder: Path) -> list[Row]:
    """One row a film, and those that sum them up; `films`: where the films with depth are kept."""
    rows, found = [], {}
    for name in (*DRAWN, *DEEP):
        path = FOOTAGE / f"{name}.mp4" if name in DRAWN else filmed(name, films)
        got = found[name] = made_again(path, folder)
        ahead = got.ours.mean() - got.plain.mean()
        words = f"{got.ours.mean():.1f} / {got.plain.mean():.1f} / {got.mixed.mean():.1f} dB, {ahead:+.1f}"
        rows.append(Row(f"{name}: ours / plain / mixed", "plain", words, bool(ahead >= 0)))
        under, fine = got.worst_under_mix, float(got.fineness.mean())
        rows.append(Row("  worst tenth under mixing; fineness", "0.2 dB; 95 %", f"{under:.1f} dB; {fine * 100:.0f} %",
                        under <= 0.2 and fine >= 0.95))  # fmt: skip
    gains = {name: float(got.ours.mean() - got.plain.mean()) for name, got in found.items()}
    mean = float(np.mean(list(gains.values())))
    camera = float(np.mean([gains[name] for name in CAMERA_ONLY]))
    rows.append(Row("all films, over plain flow", "1.5 dB", f"{mean:.2f} dB", mean >= 1.5))
    rows.append(Row("takes that only the camera moves", "4 dB", f"{camera:.2f} dB", camera >= 4))
    return rows


def shutter_rows(folder: Path) -> list[Row]:
    """Drawn takes without any blur that are given 180 degrees, beside the same takes truly shot with 180."""
    return [row for name in ("hill", "walk-past") for row in _shutter_rows(folder / name, name)]


def _shutter_rows(folder: Path, name: str) -> list[Row]:
    folder.mkdir()
    scene = next(each for each in SCENES if each.name == name)
    scene = replace(scene, lens=replace(scene.lens, width=640, height=360, focal_px=scene.lens.focal_px / 2))
    sharp, shot = replace(scene, shutter_deg=0.5), replace(scene, shutter_deg=180.0)
    first, count = _WHIP
    path = folder / "sharp.mp4"
    with FilmWriter(path, rate=scene.rate, size=(640, 360), quality=_QUALITY) as writer:
        for frame in range(first, first + count):
            writer.write(developed(frame_light(sharp, frame), seed=frame))
    take = take_in(path)
    project = AddTakes(takes=(take,)).apply(Project())
    pace = Pace(points=(PacePoint(frame=0, speed=1.0),), shutter=Shutter(angle_deg=180.0))
    made_shot = Shot(take_id=take.id, span=take.whole, pace=pace)
    project = project.changed(reel=project.reel.changed(shots=(made_shot,)))
    along = pace.changed(shutter=Shutter(angle_deg=180.0, blurs="camera"))
    camera = project.changed(reel=project.reel.changed(shots=(made_shot.changed(pace=along),)))
    dbs, lengths = [], []
    with Sources.of(Shelf(folder / "shelf")) as sources:
        complete(HoldRequest.of(project, made_shot), sources.measured, Silent())
        for k in range(4, count - 4, 3):
            made = planes(project, k, (640, 360), sources).y.astype(np.float32)
            true = developed(frame_light(shot, first + k), seed=first + k).y.astype(np.float32)
            dbs.append(_psnr(made, true))
            (layer,) = plan_at(camera, k, (640, 360), sources.measured).layers
            if shot.blur_px(first + k) > 4 and len(layer.samples) > 1:
                centre = np.array([[319.5, 179.5]])
                places = np.array([apply(each.matrix, centre)[0] for each in layer.samples])
                whole = np.hypot(*np.diff(places, axis=0).T).sum() * len(places) / (len(places) - 1)
                lengths.append(whole / shot.blur_px(first + k))
    found = f"{np.mean(dbs):.1f} dB, worst {min(dbs):.1f}"
    words = f"{name}: 180° added to a take without blur, against one shot so"
    rows = [Row(words, "38 dB", found, float(np.mean(dbs)) >= 38)]
    if lengths:  # the camera's motion is long enough to be measured
        off = abs(float(np.median(lengths)) - 1)
        rows.append(Row("  length of the added blur", "3 %", f"{off * 100:.1f} %", off <= 0.03))
    return rows


def ramp_rows() -> list[Row]:
    """Courses by their areas, and cuts at which two ramps meet, of whips of many strengths."""
    rng, steps, changes = np.random.default_rng(7), [], []
    whole, ends = 0, 0
    for _ in range(200):
        span = Span(first=int(rng.integers(0, 60)), end=int(rng.integers(90, 300)))
        frames = np.sort(rng.choice(np.arange(span.first, span.end), 4, replace=False))
        points = tuple(
            PacePoint(frame=int(frame), speed=float(2 ** rng.uniform(-4, 5)), ease=float(rng.uniform()))
            for frame in frames
        )
        shot = Shot(take_id="t", span=span, pace=Pace(points=points))
        legs = legs_of(shot, Fraction(30), Fraction(30))
        whole += legs[0].u == 0 and abs(legs[-1].end_u - span.frames) < Fraction(1, 10**9)
        course = PacedTime.of(shot, Fraction(30), Fraction(30), Fraction(30))
        ends += course.frames < 2 or (course.step(0), course.step(course.frames - 1)) == (0, span.frames - 1)
    for _ in range(60):
        found = _met(rng)
        if found is not None:
            steps.append(found[0])
            changes += [] if found[1] is None else [found[1]]
    step, change = 100 * float(np.median(steps)), 100 * float(np.median(changes)) if changes else float("nan")
    counted = f"{change:.1f} % ({len(changes)} of {len(steps)} can)"
    worst = f"{step:.2f} %, worst {100 * max(steps):.1f}"
    return [
        Row("ramps: the whole span, its first and last frame shown", "exact", f"{whole} and {ends} of 200",
            whole == ends == 200),
        Row("cut with ramps: step of the speed on the screen", "1 %", worst, step <= 1),
        Row("  step of its change, where that is wanted", "5 %", counted, change <= 5),
    ]  # fmt: skip


def _met(rng: np.random.Generator) -> tuple[float, float | None] | None:
    """The step of the speed at the cut of two made-up whips, and of its change where that was solved."""
    frames, courses = 120, []
    t = np.arange(frames)
    for _ in range(2):
        reach, peak, width = rng.uniform(300, 1500), 60 + rng.uniform(-1, 1), rng.uniform(3, 9)
        courses.append(reach / 2 * np.tanh((t - peak) / width))
    traces = []
    for course in courses:
        motions = np.repeat(np.eye(3)[None], frames, axis=0)
        motions[1:, 0, 2] = -np.diff(course)
        traces.append(
            Trace(width=1280, height=720, rate=Fraction(30), times_s=t / 30, model="translation", motions=motions,
                  confidence=np.ones(frames), shutter_deg=180.0)
        )  # fmt: skip
    shots = Shot(take_id="a", span=Span(first=10, end=60)), Shot(take_id="b", span=Span(first=61, end=110))
    sides = CutSide.of(traces[0], shots[0], leaving=True), CutSide.of(traces[1], shots[1], leaving=False)
    plain, even = meet(*sides), meet(*sides, change_too=True)
    if plain is None or even is None or not plain.met:
        return None
    speeds, grows = _across(shots, traces, plain)
    step = abs(speeds[0] / speeds[1] - 1)
    if not even.change_met:
        return step, None
    _, grows = _across(shots, traces, even)
    return step, abs(grows[0] - grows[1]) / max(1.0, abs(speeds[0]) * 30)


def _across(shots: tuple[Shot, Shot], traces: list[Trace], meeting: Meeting) -> tuple[list[float], list[float]]:
    """Speed on the screen in widths a second, and its change a second, at the frames on both sides of a cut."""
    speeds, grows = [], []
    for number, shot in enumerate(ramped(*shots, meeting, (30.0, 30.0), (1.0, 1.0))):
        trace, time = traces[number], PacedTime.of(shot, Fraction(30), Fraction(30), Fraction(30))
        at = [time.frames - 2, time.frames - 1] if number == 0 else [0, 1]
        seen = []
        for k in at:
            frame = shot.span.first + float(time.progress(k)) - 0.5
            camera = float(np.interp(frame, np.arange(trace.frames) - 0.5, np.hypot(*trace.velocity_px.T)))
            seen.append(camera / trace.width * float(time.speed(k)) * 30)
        speeds.append(seen[1 if number == 0 else 0])
        grows.append((seen[1] - seen[0]) * 30)
    return speeds, grows


def beat_rows() -> list[Row]:
    """Beats of made-up music with off-beat percussion, even tempos and changing ones."""
    found = []
    for seed, tempos in enumerate(_TEMPOS):
        samples, true = music(tempos, 30, seed)
        beats = beats_of(samples.reshape(-1, 2).mean(axis=1)).beats_s  # 48,000 to 24,000 a second
        found.append(agreement(beats, true))
    words = f"{np.mean(found):.3f}, worst {min(found):.2f}"
    return [Row("beats of made-up music, F-measure within 70 ms", "0.95", words, float(np.mean(found)) >= 0.95)]


def speed_rows(folder: Path) -> list[Row]:
    """How long moments and open shutters take at 1080p, as ratios to decoding and encoding alone, in one run."""
    film = folder / "full.mp4"
    with FilmReader(FOOTAGE / "hill.mp4") as reader, FilmWriter(film, rate=Fraction(30), size=(1920, 1080)) as writer:
        for k in range(24):
            picture = reader.read(k)
            y = cv2.resize(picture.y, (1920, 1080), interpolation=cv2.INTER_CUBIC)
            u, v = (cv2.resize(p, (960, 540), interpolation=cv2.INTER_CUBIC) for p in (picture.u, picture.v))
            writer.write(replace(picture, y=y, u=u, v=v))
    take = take_in(film)
    with Sources.of(Shelf(folder / "shelf")) as sources:
        plain_s = _rendered_s(take, Pace(), sources, folder)
        slow = Pace(points=(PacePoint(frame=0, speed=0.5),), in_between="flow")
        flow_s = _rendered_s(take, slow, sources, folder)
        again_s = _rendered_s(take, slow, sources, folder)
        gathered = Pace(points=(PacePoint(frame=0, speed=1.0),), shutter=Shutter(angle_deg=360.0, blurs="camera"))
        shutter_s = _rendered_s(take, gathered, sources, folder)
    return [
        Row("flow in-betweens, 1080p, against reading and encoding", "6x", f"{flow_s / plain_s:.1f}x a frame",
            flow_s / plain_s <= 6),
        Row("the same again, its flows on the shelf", "1.3x", f"{again_s / plain_s:.1f}x a frame",
            again_s / plain_s <= 1.3),
        Row("an open shutter, 1080p, against the same", "", f"{shutter_s / plain_s:.1f}x a frame"),
    ]  # fmt: skip


def _rendered_s(take: Take, pace: Pace, sources: Sources, folder: Path) -> float:
    """Seconds a frame of rendering a take with a pace; measured before the clock runs."""
    project = AddTakes(takes=(take,)).apply(Project())
    shot = Shot(take_id=take.id, span=take.whole, pace=pace)
    project = project.changed(reel=project.reel.changed(shots=(shot,)))
    complete(HoldRequest.of(project, shot), sources.measured, Silent())
    begun = time.perf_counter()
    export_reel(ExportRequest(project=project, path=folder / "timed.mp4"), sources, Silent())
    return (time.perf_counter() - begun) / reel_frames(project)


def pacing_rows(films: Path) -> list[Row]:
    """All of them."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        return [*in_between_rows(films, folder), *shutter_rows(folder), *ramp_rows(), *beat_rows(), *speed_rows(folder)]
