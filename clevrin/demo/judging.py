"""How true a measurement or a hold is, judged by the demo's true camera."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.hold import HeldPath
from clevrin.core.hold.report import quick_part
from clevrin.core.motion.geometry.models import apply, summed_up
from clevrin.core.motion.trace.trace import Trace
from clevrin.demo.cast import world
from clevrin.demo.film import frame_light
from clevrin.demo.scene import Scene
from clevrin.demo.world import Actor, alone

Numbers = NDArray[np.float64]

FAST_PX = 20.0
"""From this true speed on (px per frame at the centre) a frame counts as whip, under it as calm."""


def true_motions(truth_file: Path) -> Numbers:
    """The true homographies of a take from its truth file: (frames, 3, 3), previous frame to each."""
    frames = json.loads(truth_file.read_text())["frames"]
    return np.array([frame["H"] for frame in frames]).reshape(-1, 3, 3)


@dataclass(frozen=True, kw_only=True, eq=False)
class TraceErrors:
    """Per frame (frames,): error at the centre, RMS error at the four corners, true speed; px of the full picture."""

    centre: Numbers
    corners: Numbers
    speed: Numbers

    @property
    def calm(self) -> NDArray[np.bool_]:
        return self.speed < FAST_PX


def trace_errors(trace: Trace, true: Numbers) -> TraceErrors:
    """Compares a trace with the true motions (frames, 3, 3)."""
    centre = trace.centre[None]
    w, h = trace.width - 1, trace.height - 1
    corners = np.array([[0, 0], [w, 0], [0, h], [w, h]], float)

    def off(points: Numbers) -> Numbers:
        distances = [
            np.hypot(*(apply(measured, points) - apply(right, points)).T)
            for measured, right in zip(trace.motions, true, strict=True)
        ]
        return np.sqrt((np.array(distances) ** 2).mean(axis=1))

    speed = np.array([np.hypot(*(apply(right, centre) - centre)[0]) for right in true])
    return TraceErrors(centre=off(centre), corners=off(corners), speed=speed)


@dataclass(frozen=True, kw_only=True, eq=False)
class PictureErrors:
    """Per frame (frames,): RMS error and RMS true speed over the whole picture; px of the full picture."""

    error: Numbers
    speed: Numbers

    @property
    def calm(self) -> NDArray[np.bool_]:
        return self.speed < FAST_PX


def picture_errors(trace: Trace, true: Numbers) -> PictureErrors:
    """Compares a trace with the true motions (frames, 3, 3) over a grid of the picture: turns and zooms count."""
    shares = np.stack(np.meshgrid(np.linspace(0, 1, 5), np.linspace(0, 1, 5)), axis=-1).reshape(-1, 2)
    grid = shares * (trace.width - 1, trace.height - 1)

    def rms(offsets: Numbers) -> float:
        return float(np.sqrt((offsets**2).sum(axis=1).mean()))

    pairs = list(zip(trace.motions, true, strict=True))
    return PictureErrors(
        error=np.array([rms(apply(measured, grid) - apply(right, grid)) for measured, right in pairs]),
        speed=np.array([rms(apply(right, grid) - grid) for _, right in pairs]),
    )


def true_places(scene: Scene, actor: Actor, on_texture: Numbers) -> Numbers:
    """Where places (n, 2) of an actor's texture, in its pixels, are in the picture: (frames, n, 2) px."""
    found = []
    for frame in range(scene.frames):
        panel, pose, lens = actor(scene.time(frame)), scene.pose(frame), scene.lens_at(frame)
        corner, along, down = (np.array(v) for v in (panel.corner, panel.along, panel.down))
        world = corner + on_texture[:, :1] * along + on_texture[:, 1:] * down
        seen = (world - pose.position) @ (lens.matrix @ pose.cam_from_world).T
        found.append(seen[:, :2] / seen[:, 2:])
    return np.array(found)


def true_coverage(scene: Scene, layers: Sequence[int], frame: int) -> NDArray[np.float32]:
    """(h, w) 0 to 1: how much of each pixel some layers of a scene's world cover, over the open shutter."""
    seen = alone(world(scene.name), layers)
    return frame_light(scene, frame, seen)[..., 0] / np.float32(65535)


def true_course(true: Numbers, centre: tuple[float, float], path: HeldPath, span: Span) -> tuple[Numbers, Numbers]:
    """The course of the picture's centre by the true camera, as shot and as held: (span.frames, 2) each.

    Both are counted in pixels of the source picture.
    """
    at = np.array([centre])
    as_shot, as_held = [np.zeros(2)], [np.zeros(2)]
    for frame in range(span.first + 1, span.end):
        as_shot.append((apply(true[frame], at) - at)[0])
        step = np.linalg.inv(path.at(frame)) @ true[frame] @ path.at(frame - 1)
        as_held.append((apply(step, at) - at)[0] * path.kept_at(frame))
    return np.cumsum(as_shot, axis=0), np.cumsum(as_held, axis=0)


def quick_rms(course: Numbers, rate: float) -> float:
    """Root mean square of a course (frames, 2) over 1 Hz, without the filter's run-in of five frames.

    A course that is not continued beyond its ends, as `quick_part` does, rings where it begins on a pan.
    """
    quick = quick_part(course, rate)[5:-5]
    return float(np.sqrt((quick**2).sum(axis=1).mean()))


def lock_off_errors(true: Numbers, path: HeldPath, span: Span, points: Numbers) -> Numbers:
    """How far the scene is from where it stands on the average, at points (n, 2) of a shot that is locked off.

    (span.frames, n): px of the source. The scene is what the true motions (frames, 3, 3) carry along, from the middle
    of the span on.
    """
    middle = (span.first + span.end) // 2
    chain = summed_up(true[span.first : span.end], middle - span.first)
    on_source = apply(path.at(middle), points)
    frames = range(span.first, span.end)
    seen = [apply(np.linalg.inv(path.at(k)) @ way, on_source) for k, way in zip(frames, chain, strict=True)]
    return wander(np.array(seen)) * path.kept_at(middle)


def wander(places: Numbers) -> Numbers:
    """(frames, n): how far places (frames, n, 2) are from their means over time."""
    off = places - np.nanmean(places, axis=0)
    return np.hypot(off[..., 0], off[..., 1])


def held_places(places: Numbers, path: HeldPath, span: Span) -> Numbers:
    """Places (frames, n, 2) of the whole take as the held picture shows them in a span, in px of the source."""
    shown = [apply(np.linalg.inv(path.at(k)), places[k]) for k in range(span.first, span.end)]
    return np.array(shown) * path.kept_at((span.first + span.end) // 2)
