"""From a frame of the reel to its plan: which source frames, under which map, in which mix."""

from dataclasses import replace
from itertools import zip_longest

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Project, Take
from clevrin.core.document.model import Mirror
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.pace.conform import stamped_frame
from clevrin.core.render.plan import Layer, Plan, bend_rows, row9
from clevrin.core.render.sources import Sources
from clevrin.core.render.steadied import Steadied

Matrix = NDArray[np.float64]


def plan_frame(project: Project, frame: int, size: tuple[int, int], sources: Sources, *, held: bool = True) -> Plan:
    """The plan of one frame of the reel at a size in pixels; frames outside the reel are black.

    `held` False plans all shots as shot, for looking at before and after. Decodes nothing.
    """
    row = placed_shots(project)
    mix = _mix(row, frame)
    layers, unmeasured = [], []
    for placed, weight in mix:
        at = stamped_frame(placed, frame, project.reel.rate, sources.times_s(placed.take))
        steadied = Steadied.of(project, placed.shot)
        if held and sources.missing(steadied):
            unmeasured.append(placed.take.name)
        reel_size = project.reel.width, project.reel.height
        layers.append(plan_shot(steadied, at, reel_size, size, sources, held=held, weight=weight))
    return Plan(width=size[0], height=size[1], layers=tuple(layers), unmeasured=tuple(unmeasured))


def plan_take(take: Take, frame: int, size: tuple[int, int]) -> Plan:
    """The plan of a frame of a take as shot, as large as fits into a size."""
    width, height = take.facts.width, take.facts.height
    fitted = fitted_size((width, height), size)
    matrix = _fit((width, height), fitted)
    layer = Layer(take_id=take.id, path=take.path, frame=frame, source_size=(width, height), src_from_out=row9(matrix))
    return Plan(width=fitted[0], height=fitted[1], layers=(layer,))


def plan_shot(
    steadied: Steadied,
    frame: int,
    reel_size: tuple[int, int],
    size: tuple[int, int],
    sources: Sources,
    *,
    held: bool = True,
    weight: float = 1.0,
) -> Layer:
    """The layer that shows a frame of a shot's take on the reel, with the shot's hold and mirroring."""
    shot, take = steadied.shot, steadied.take
    source = take.facts.width, take.facts.height
    path = sources.held(steadied) if held else None
    held_from_out = reel_map(source, reel_size, size, shot.mirror)
    plain = Layer(
        take_id=take.id,
        path=take.path,
        frame=frame,
        source_size=source,
        src_from_out=row9(held_from_out),
        weight=weight,
    )
    if path is None:
        return plain
    hold = shot.hold
    src_from_out = path.at(frame) @ held_from_out
    bend = path.bend_at(frame)
    return replace(
        plain,
        src_from_out=row9(src_from_out),
        bend=None if bend is None else bend_rows(bend),
        edge=hold.edge,
        colour=hold.colour,
        borrowed=sources.borrowed(take, frame, src_from_out, size) if hold.edge == "borrow" else (),
        window=_window(path.window, held_from_out, source) if path.window < 1 else None,
        kernel=hold.kernel,
        crispness=hold.crispness,
    )


def reel_map(source: tuple[int, int], reel_size: tuple[int, int], size: tuple[int, int], mirror: Mirror) -> Matrix:
    """Pixels of the reel's picture at a size to pixels of a (held) picture as large as the source."""
    return _fit(source, reel_size) @ _flip(mirror, reel_size) @ _fit(reel_size, size)


def _window(share: float, held_from_out: Matrix, source: tuple[int, int]) -> tuple[float, float, float, float]:
    """The outer edges, in output pixels, of a share of the held picture about its middle."""
    centre = (np.array(source) - 1) / 2
    half = np.array(source) * share / 2
    out_from_held = np.linalg.inv(held_from_out)
    corners = np.array([[*(centre - half), 1.0], [*(centre + half), 1.0]]) @ out_from_held.T
    (left, top), (right, bottom) = np.sort(corners[:, :2] / corners[:, 2:], axis=0)
    return float(left), float(top), float(right), float(bottom)


def fitted_size(source: tuple[int, int], within: tuple[int, int]) -> tuple[int, int]:
    """The largest even size of the source's shape that fits into another, at least 2x2."""
    scale = min(within[0] / source[0], within[1] / source[1])
    width, height = (max(2, int(side * scale / 2 + 1e-6) * 2) for side in source)
    return width, height


def _mix(row: tuple[Placed, ...], frame: int) -> list[tuple[Placed, float]]:
    """Which shots show at a frame, and with which weights: two during a dissolve."""
    for here, after in zip_longest(row, row[1:]):
        length = here.shot.leave.dissolve_frames if after is not None else 0
        first = here.end - length // 2
        step = frame - first
        if after is not None and 0 <= step < length:
            incoming = (step + 1) / (length + 1)
            return [(here, 1 - incoming), (after, incoming)]
        if here.start <= frame < here.end:
            return [(here, 1.0)]
    return []


def _fit(source: tuple[int, int], out: tuple[int, int]) -> Matrix:
    """Output pixels to source pixels: the source covers the output, centred, its shape kept."""
    scale = min(source[0] / out[0], source[1] / out[1])
    x, y = ((s - 1) / 2 - scale * (o - 1) / 2 for s, o in zip(source, out, strict=True))
    return np.array([[scale, 0, x], [0, scale, y], [0, 0, 1]])


def _flip(mirror: Mirror, size: tuple[int, int]) -> Matrix:
    across = mirror in ("horizontal", "both")
    down = mirror in ("vertical", "both")
    matrix = np.eye(3)
    if across:
        matrix[0] = [-1, 0, size[0] - 1]
    if down:
        matrix[1] = [0, -1, size[1] - 1]
    return matrix
