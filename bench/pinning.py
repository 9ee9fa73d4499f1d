"""What is pinned: where it is seen, against where it would be if it stood there, beside a plain chain of motions."""

import time
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.depth import films
from bench.plain import plain_motions
from bench.rows import Row
from clevrin.core.document import Hold, Pinned, Project, Reel, Shot, Span, Take, Track, Words
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.geometry.models import apply, summed_up
from clevrin.core.progress import Silent
from clevrin.core.render.measured.carried import OWN_SQUARE
from clevrin.core.render.picture import plan_at, planes
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.judging import true_motions

Numbers = NDArray[np.float64]

_SECONDS = 5
_DEPTH = ("slider", "walk", "orbit")
_SEEDS = (2, 3)
_WHIPS = 45.0
"""From so many px a frame on the picture is a whip: what is pinned has to be found again after it."""
_AIM_PX, _AIM_SWIM_PX = 0.5, 0.1
_AS_SHOT = Hold()


@dataclass(frozen=True, kw_only=True)
class _Off:
    """How far from the truth an element is, and from frame to frame, in px: RMS of its corners."""

    name: str
    there: float
    swims: float
    plain: float
    plainly_swims: float
    fastest: float


def pinning_rows(folder: Path, cloth: tuple[Numbers, Track]) -> list[Row]:
    """`cloth`: the true corners of a surface in the take *parade*, and a track of it."""
    with Sources.of() as sources:
        drawn = [_on_scene(path, true_motions(path.with_suffix(".truth.json")), sources) for path in _takes()]
        depth = []
        for kind in _DEPTH:
            for seed in _SEEDS:
                film = getattr(films, kind)(seed)
                depth.append(_on_scene(film.made(folder), film.motions(film.followed), sources))
        calm, whips = ([each for each in drawn if (each.fastest > _WHIPS) == fast] for fast in (False, True))
        rows = [
            *_rows("in the scene, drawn takes without a whip", calm),
            *_rows("in the scene, drawn takes through a whip", whips),
            *_rows("in the scene, photographs with depth", depth),
            *_surface_rows(cloth, sources),
        ]
        return [*rows, _cost_row(sources)]


def _takes() -> list[Path]:
    return sorted(path for path in FOOTAGE.glob("*.mp4") if path.stem in FILMED)


def _on_scene(path: Path, true: Numbers, sources: Sources) -> _Off:
    """Words that are pinned to the middle of a take's picture in the middle of it, for five seconds at most."""
    take = take_in(path)
    frames = min(take.facts.frames, round(_SECONDS * float(take.facts.rate)))
    first = (take.facts.frames - frames) // 2
    placed = first + frames // 2
    size = np.array([take.facts.width, take.facts.height])
    corners = size * [[0.4, 0.4], [0.6, 0.4], [0.6, 0.6], [0.4, 0.6]]
    project = _project(take, corners, placed, Span(first=first, end=first + frames))
    ways = [summed_up(each) for each in (true, plain_motions(path))]
    should, plain = (
        np.array([apply(way[k] @ np.linalg.inv(way[placed]), corners) for k in range(first, first + frames)])
        for way in ways
    )
    found = _found(project, frames, sources)
    seen = ((should > 0) & (should < size)).all(axis=(1, 2))
    speeds = [float(np.hypot(*(apply(each, size[None] / 2) - size / 2)[0])) for each in true]
    return _Off(
        name=path.stem,
        there=_rms(found[seen] - should[seen]),
        swims=_swims(found - should, seen),
        plain=_rms(plain[seen] - should[seen]),
        plainly_swims=_swims(plain - should, seen),
        fastest=max(speeds[first : first + frames]),
    )


def _project(take: Take, corners: Numbers, placed: int, span: Span, hold: Hold = _AS_SHOT, **fields: object) -> Project:
    places = tuple((float(x), float(y)) for x, y in corners)
    pinned = Pinned(name="words", of=Words(text="Kite day"), frame=placed, corners=places, **fields)
    shot = Shot(take_id=take.id, span=span, pinned=(pinned,), hold=hold)
    facts = take.facts
    return Project(takes=(take,), reel=Reel(rate=facts.rate, width=facts.width, height=facts.height, shots=(shot,)))


def _found(project: Project, frames: int, sources: Sources) -> Numbers:
    """(frames, 4, 2): the corners of what is pinned as plans have them, as the mean over the open shutter."""
    complete(HoldRequest.of(project, project.reel.shots[0]), sources.measured, Silent())
    size = project.reel.size
    corners = np.full((frames, 4, 2), np.nan)
    for frame in range(frames):
        for pin in plan_at(project, frame, size, sources.measured).layers[0].pins:
            moments = [apply(np.asarray(np.linalg.inv(each.matrix)), OWN_SQUARE) for each in pin.samples]
            corners[frame] = np.mean(moments, axis=0)
    return corners


def _rms(off: Numbers) -> float:
    return float(np.sqrt(np.nanmean((off**2).sum(axis=-1))))


def _swims(off: Numbers, seen: NDArray[np.bool_]) -> float:
    """What of an error changes from frame to frame, where it is seen in both."""
    return _rms(np.diff(off, axis=0)[seen[1:] & seen[:-1]])


def _rows(what: str, found: list[_Off]) -> list[Row]:
    there, swims, plain, plainly = (
        np.array([getattr(each, name) for each in found]) for name in ("there", "swims", "plain", "plainly_swims")
    )
    worst = found[int(np.argmax(there))].name
    behind = [each.name for each in found if each.there > each.plain]
    rows = [
        Row(
            f"pinned {what}: RMS of {len(found)}, median; worst",
            f"{_AIM_PX} px",
            f"{np.median(there):.2f}; {there.max():.2f} px ({worst})",
            bool(there.max() <= _AIM_PX),
        ),
        Row(
            f"pinned {what}: swims, median; worst",
            f"{_AIM_SWIM_PX} px",
            f"{np.median(swims):.3f}; {swims.max():.3f} px",
            bool(swims.max() <= _AIM_SWIM_PX),
        ),
        Row(
            f"pinned {what}: plain chain of motions",
            "",
            f"{np.median(plain):.2f}; {plain.max():.2f}, swims {np.median(plainly):.3f}; {plainly.max():.3f} px",
        ),
    ]
    words = f"{len(found) - len(behind)} of {len(found)}{': not ' + ', '.join(behind) if behind else ''}"
    return [*rows, Row(f"pinned {what}: nearer than the plain chain", "all", words, not behind)]


def _surface_rows(cloth: tuple[Numbers, Track], sources: Sources) -> list[Row]:
    """Words over a cloth that is carried past, and at one of its corners as a point."""
    true, surface = cloth
    take = take_in(FOOTAGE / "parade.mp4").changed(tracks=(surface,))
    placed = surface.placed[0].frame
    project = _project(
        take, true[placed], placed, Span(first=0, end=take.facts.frames), ground="surface", track_id=surface.id
    )
    found = _found(project, take.facts.frames, sources)
    followed = complete(HoldRequest.of(project, project.reel.shots[0]), sources.measured, Silent()).pinned[0].followed
    assert followed is not None
    seen = followed.confidence > 0
    off = found - true
    there, swims = _rms(off[seen]), _swims(off, seen)
    return [
        Row("pinned on a surface that is carried: RMS", f"{_AIM_PX} px", f"{there:.2f} px", there <= _AIM_PX),
        Row("pinned on a surface that is carried: swims", "0.1 px", f"{swims:.3f} px", swims <= _AIM_SWIM_PX),
    ]  # fmt: skip


def _cost_row(sources: Sources) -> Row:
    """Rendering with an element against rendering without it, in turn."""
    take = take_in(FOOTAGE / "hill.mp4")
    corners = np.array([[340, 260], [940, 260], [940, 460], [340, 460]], np.float64)
    project = _project(take, corners, 80, Span(first=0, end=take.facts.frames), Hold(how="float"))
    complete(HoldRequest.of(project, project.reel.shots[0]), sources.measured, Silent())
    bare = project.changed(reel=project.reel.changed(shots=(project.reel.shots[0].changed(pinned=()),)))
    size = project.reel.size
    took: dict[bool, float] = {True: 0.0, False: 0.0}
    for frame in range(60, 100):
        planes(bare, frame, size, sources)  # so that neither of them has to decode
        for pinned, each in ((True, project), (False, bare)):
            begun = time.perf_counter()
            planes(each, frame, size, sources)
            took[pinned] += time.perf_counter() - begun
    each_ms = (took[True] - took[False]) / 40 * 1e3
    words = f"{took[True] / took[False]:.1f}x, {each_ms:.0f} ms a frame"
    return Row("pinned words of 600x200 at 1280x720, held: rendering with, against without", "", words)
