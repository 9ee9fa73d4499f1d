"""Areas and the joins that go by them: colours under uneven light, a doorway and a match cut against what is true."""

import time
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.clinging import clinging_rows
from bench.cutting import cutting_rows
from bench.leaving_out import leaving_out_rows
from bench.pinning import pinning_rows
from bench.rows import Row
from clevrin.core.document import Hold, Join, Placement, Project, Reel, Shot, Span, Track
from clevrin.core.join.laying import laid_by_pictures, laid_by_places
from clevrin.core.matte import Matte, coverage
from clevrin.core.matte.colours import colour_at, lab_of, without_spill
from clevrin.core.matte.matte import MattePart, OfColour, Painted
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.geometry.models import apply, pixel_corners
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_needs import TrackNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.picture import plan_at
from clevrin.core.render.plan import Layer
from clevrin.core.render.reports.cut_alignment import lay_by_pictures, lay_by_tracks
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.demo.cast import CLOTH
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import true_places

Numbers = NDArray[np.float64]

_SIZE = (1280, 720)
_HD = (1920, 1080)
_GREEN = np.array([38, 158, 70]) / 255
_PLACED, _LEAVES = 30, 50
_LENGTH = 30.0


def areas_rows(films: Path) -> list[Row]:
    store = MeasurementStore()
    cut = cutting_rows(films, lambda path: store.measure(take_in(path), Silent()))
    more = [*clinging_rows(films), *pinning_rows(films, _cloth()), *leaving_out_rows(films)]
    return [*_colour_rows(), *_drawn_rows(), *_doorway_rows(), *_match_rows(), *more, *cut]


# Colours


def _screen(seed: int, noise: float) -> tuple[NDArray[np.uint8], Numbers, NDArray[np.uint8]]:
    """A figure before a green screen under uneven light: the picture, how much is screen, and the figure alone."""
    chance = np.random.default_rng(seed)
    height, width = 540, 960
    x, y = np.meshgrid(np.linspace(-1, 1, width), np.linspace(-1, 1, height))
    light = 0.72 + 0.22 * x - 0.18 * y**2
    cells = cv2.resize(chance.uniform(0.2, 0.9, (34, 60)), (width, height), interpolation=cv2.INTER_CUBIC)[..., None]
    hues = cv2.resize(chance.uniform(0.85, 1.15, (12, 20, 3)), (width, height), interpolation=cv2.INTER_CUBIC)
    figure = np.clip(cells * hues * [0.95, 0.68, 0.66], 0.03, 1)  # skin, cloth, wood: nothing green
    fine = np.zeros((height * 4, width * 4), np.uint8)
    cv2.ellipse(fine, (1900, 1300), (560, 900), 0, 0, 360, 255, -1)
    cv2.circle(fine, (1900, 420), 260, 255, -1)
    for at in range(40):  # hair
        end = 1900 + round(500 * np.cos(at / 6.4)), 420 + round(420 * np.sin(at / 6.4))
        cv2.line(fine, (1900, 420), end, 255, 5)
    figured = cv2.GaussianBlur(cv2.resize(fine, (width, height), interpolation=cv2.INTER_AREA), (0, 0), 0.7) / 255
    over = figured[..., None]
    linear = (1 - over) * (_GREEN**2.2 * light[..., None]) + over * figure**2.2
    code = linear ** (1 / 2.2) * 255 + chance.normal(0, noise, linear.shape)
    return code.clip(0, 255).astype(np.uint8), 1 - figured, (figure * 255).astype(np.uint8)


def _colour_rows() -> list[Row]:
    errors, unions, spills = [], [], []
    for seed, noise in ((1, 2.0), (2, 4.0), (3, 6.0)):
        rgb, true, figure = _screen(seed, noise)
        picture = picture_from_rgb(rgb)
        labs = colour_at(picture, (40, 40)), colour_at(picture, (900, 270))
        of = OfColour(labs=labs, tolerance=14, softness=14, specks_px=8, holes_px=8)
        found = coverage(Matte(parts=(MattePart(of=of),)), picture.size, picture.size, picture)
        errors.append(float(np.abs(found - true).mean()))
        both, either = (found > 0.5) & (true > 0.5), (found > 0.5) | (true > 0.5)
        unions.append(float(both.sum() / either.sum()))
        cast = picture_from_rgb((rgb * 0.8 + _GREEN * 255 * 0.2).clip(0, 255).astype(np.uint8))
        way = np.array(labs[0][1:]) / np.hypot(*labs[0][1:])
        sides = (lab_of(each)[..., 1:] @ way for each in (without_spill(cast, labs, 1.0), picture_from_rgb(figure)))
        freed, alone = (np.maximum(each, 0) for each in sides)
        spills.append(float(np.abs(freed - alone)[true < 0.02].mean()))
    hd = picture_from_rgb(cv2.resize(_screen(1, 2.0)[0], _HD))
    matte = Matte(parts=(MattePart(of=OfColour(labs=(colour_at(hd, (60, 60)),), tolerance=14, softness=14)),))
    taken = _seconds(lambda: coverage(matte, _HD, _HD, hd))
    worst = max(errors)
    return [
        Row("colours of an even screen: mean error of coverage", "0.01", f"{worst:.4f} worst of three", worst <= 0.01),
        Row("the same: intersection over union", "0.98", f"{min(unions):.4f} worst of three", min(unions) >= 0.98),
        Row("the same: cast left of 20 %", "ΔE 3", f"ΔE {max(spills):.1f} worst of three", max(spills) < 3),
        Row("the same: how long a frame of 1920x1080 takes", "", f"{taken * 1e3:.0f} ms"),
    ]


def _drawn_rows() -> list[Row]:
    disc = Painted(shape="disc", places=((900.3, 500.6), (1300.3, 500.6), (900.3, 800.6)))
    hard, soft = (Matte(parts=(MattePart(of=disc),), inside_px=px) for px in (0.0, 20.0))
    covered = float(coverage(hard, _HD, _HD).sum())
    off = abs(covered / (np.pi * 400 * 300) - 1) * 100
    times = [_seconds(lambda each=each: coverage(each, _HD, _HD)) for each in (hard, soft)]
    words = f"{times[0] * 1e3:.0f} ms, {times[1] * 1e3:.0f} ms soft"
    return [Row("a drawn disc at 1920x1080: off in area; how long", "", f"{off:.3f} %, {words}")]


# Doorway


def _cloth() -> tuple[Numbers, Track]:
    """The true corners of the cloth that is carried past, and a track of them that was placed once."""
    height, width = CLOTH(0.0).texture.shape[:2]
    corners = np.array([[30, 30], [width - 30, 30], [width - 30, height - 30], [30, height - 30]], np.float64)
    true = true_places(FILMED["parade"], CLOTH, corners)
    places = tuple((float(x), float(y)) for x, y in true[_PLACED])
    placed = (Placement(frame=_PLACED, places=places),)
    return true, Track(id="cloth", name="cloth", kind="surface", placed=placed)


def _doorway_rows() -> list[Row]:
    true, track = _cloth()
    takes = take_in(FOOTAGE / "parade.mp4").changed(tracks=(track,)), take_in(FOOTAGE / "hill.mp4")
    leave = Join(kind="doorway", settings={"surface": "cloth", "length": _LENGTH, "appears": 0.0})
    shots = (
        Shot(take_id=takes[0].id, span=Span(first=0, end=_LEAVES), hold=Hold(how="float"), leave=leave),
        Shot(take_id=takes[1].id, span=Span(first=60, end=120), hold=Hold(how="float")),
    )
    project = Project(takes=takes, reel=Reel(width=_SIZE[0], height=_SIZE[1], shots=shots))
    corners = np.array(pixel_corners(*_SIZE), np.float64)
    with Sources.of() as sources:
        for shot in shots:
            complete(HoldRequest.of(project, shot), sources.measured, Silent())
        apart, last = [], 0.0
        for frame in range(_LEAVES - round(_LENGTH), _LEAVES):
            street, inside = plan_at(project, frame, _SIZE, sources.measured).layers
            own = _own_corners(inside)
            shown = apply(np.asarray(np.linalg.inv(inside.matrix)), own)
            there = apply(street.matrix, shown)
            apart.append(there - true[street.frame])
            if frame == _LEAVES - 1:
                last = float(np.abs(apply(inside.matrix, corners) - own).max())
    error = float(np.sqrt((np.array(apart) ** 2).sum(axis=-1).mean()))
    return [
        Row("doorway: corners of what is seen, against the true ones", "0.3 px", f"{error:.2f} px RMS", error <= 0.3),
        Row("doorway: its last frame against the shot's own gate", "0.1 px", f"{last:.3f} px", last <= 0.1),
    ]  # fmt: skip


def _own_corners(inside: Layer) -> Numbers:
    """Where the corners of the picture are, in pixels of the take, as the shot that is seen inside lies by itself."""
    assert inside.matte is not None
    painted = inside.matte.parts[0].of
    assert isinstance(painted, Painted)
    return np.array(painted.places)


# Match cut


def _match_rows() -> list[Row]:
    true, track = _cloth()
    take = take_in(FOOTAGE / "parade.mp4").changed(tracks=(track,))
    again = take.changed(id="again")
    shots = (
        Shot(take_id=take.id, span=Span(first=0, end=20), leave=Join(kind="match cut")),
        Shot(take_id="again", span=Span(first=44, end=80)),
    )
    project = Project(takes=(take, again), reel=Reel(width=_SIZE[0], height=_SIZE[1], shots=shots))
    rows = []
    with Sources.of() as sources:
        sources.measured.measure(take, Silent())
        sources.measured.follow(TrackNeed(take=take, track=track), Silent())
        found = lay_by_tracks(project, shots[0].id, ("cloth", "cloth"), sources)
        left = _left(project, found.settings, true[19], true[44], sources)
        rows.append(Row("match cut by a surface: what is left of a similarity", "", f"{left:.2f} px RMS"))
        middle = _left(project, found.settings, *(true[k].mean(axis=0, keepdims=True) for k in (19, 44)), sources)
        rows.append(Row("match cut by what is followed: its middle", "0.5 px", f"{middle:.2f} px", middle <= 0.5))
        for name, first, second in (("picnic", 60, 100), ("hill", 60, 100)):
            apart, best = _whole_apart(name, first, second, sources)
            words = f"match cut by the pictures as wholes, {name}, {second - first} frames later"
            # A camera that turns makes no similarity: what the best one leaves cannot be had.
            measured = f"{apart:.2f} px RMS, the best similarity {best:.2f}"
            rows.append(Row(words, "0.3 px more than the best", measured, apart - best <= 0.3))
    warped = _warped_residual()
    words = "the same on pictures that were shifted, turned, grown"
    rows.append(Row(words, "0.3 px", f"{warped:.3f} px RMS", warped <= 0.3))
    return rows


def _whole_apart(name: str, first: int, second: int, sources: Sources) -> tuple[float, float]:
    """How far apart true places of the background are, of two frames laid on each other; and by the best similarity."""
    take = take_in(FOOTAGE / f"{name}.mp4")
    later = take.changed(id="later")
    shots = (
        Shot(take_id=take.id, span=Span(first=first - 20, end=first + 1), leave=Join(kind="match cut")),
        Shot(take_id="later", span=Span(first=second, end=second + 20)),
    )
    reel = Reel(rate=take.facts.rate, width=_SIZE[0], height=_SIZE[1], shots=shots)
    project = Project(takes=(take, later), reel=reel)
    laid = lay_by_pictures(project, shots[0].id, sources)
    grid = np.array([[x, y] for x in (300.0, 640, 980) for y in (200.0, 360, 520)])
    moved = apply(FILMED[name].motion(first, second), grid)
    middle = (np.array(_SIZE) - 1) / 2
    best = laid_by_places((grid - middle) / _SIZE[0], (moved - middle) / _SIZE[0])
    return tuple(_left(project, each.settings, grid, moved, sources) for each in (laid, best))  # type: ignore[return-value]


def _left(project: Project, settings: dict[str, float], before: Numbers, after: Numbers, sources: Sources) -> float:
    """RMS on the screen between places of both takes that are to lie on each other at the cut."""
    first, second = project.reel.shots
    leave = first.leave.having(length=2.0, **settings)
    joined = project.changed(reel=project.reel.changed(shots=(first.changed(leave=leave), second)))
    cut = first.span.frames
    here, there = (plan_at(joined, frame, _SIZE, sources.measured).layers[0] for frame in (cut - 1, cut))
    a, b = apply(np.asarray(np.linalg.inv(here.matrix)), before), apply(np.asarray(np.linalg.inv(there.matrix)), after)
    return float(np.sqrt(((a - b) ** 2).sum(axis=1).mean()))


def _warped_residual() -> float:
    """The same picture under known similarities."""
    cells = np.random.default_rng(5).uniform(0, 255, (360, 640)).astype(np.float32)
    scene = cv2.resize(cells, (1920, 1080), interpolation=cv2.INTER_CUBIC)
    scene = (cv2.GaussianBlur(scene, (0, 0), 1.5) * 2 - 128).clip(0, 255).astype(np.uint8)
    size, found = (960, 540), []
    middle = np.array([479.5, 269.5])
    for dx, dy, turn, times in ((40, -20, 0.0, 1.0), (-70, 30, 12.0, 1.2), (10, 60, -30.0, 0.8)):
        c, s = np.cos(np.radians(turn)) * times, np.sin(np.radians(turn)) * times
        way = np.array([[c, -s, dx], [s, c, dy], [0, 0, 1.0]])
        way[:2, 2] += middle - way[:2, :2] @ middle
        place = np.array([[1, 0, 480.0], [0, 1, 270], [0, 0, 1]])
        flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        before = cv2.warpPerspective(scene, place, size, flags=flags)
        after = cv2.warpPerspective(scene, place @ np.linalg.inv(way), size, flags=flags)
        laid = laid_by_pictures(before, after)
        if laid is None:
            return float("inf")
        a = laid.times * np.exp(1j * np.radians(laid.turn))
        similar = np.array([[a.real, -a.imag, laid.x], [a.imag, a.real, laid.y], [0, 0, 1.0]])
        grid = np.array([[x, y] for x in (200.0, 480, 760) for y in (120.0, 270, 420)])
        moved = apply(similar, (grid - middle) / 960) * 960 + middle
        found.append(((moved - apply(way, grid)) ** 2).sum(axis=1))
    return float(np.sqrt(np.mean(found)))


def _seconds(work: object) -> float:
    """The quicker one of two runs."""
    taken = []
    for _ in range(2):
        begun = time.perf_counter()
        work()  # type: ignore[operator]
        taken.append(time.perf_counter() - begun)
    return min(taken)
