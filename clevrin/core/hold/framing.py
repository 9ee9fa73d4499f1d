"""How large the gate is on a path: as large as the picture lets it be, at one size or slowly changing."""

from dataclasses import dataclass

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from clevrin.core.document import Hold, Span
from clevrin.core.hold.held import HeldPath, placed
from clevrin.core.hold.interior import Programme, solve
from clevrin.core.motion.models import gate_corners, similarities_of
from clevrin.core.motion.trace import Trace

Numbers = NDArray[np.float64]

_HALVINGS = 24
_LARGEST = 2.0
_UNSEEN_PX = 0.02
_BREATH_S = 2.0
"""Over about so long a varying enlargement takes to change."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Gates:
    """Where a gate as large as the picture lies at each frame: `maps` (n, 3, 3) about the picture's centre.

    `bridged` (n,): where an anchor was not seen; `bound`: whether the picture's edge or a bound held the path back.
    """

    maps: Numbers
    bridged: NDArray[np.bool_]
    bound: bool = False

    @staticmethod
    def of(maps: Numbers, *, bound: bool = False) -> "Gates":
        """Gates on a course that is seen everywhere."""
        return Gates(maps=maps, bridged=np.zeros(len(maps), bool), bound=bound)


def framed(
    trace: Trace, span: Span, course: Gates, hold: Hold, bend: Numbers | None = None, *, least: float = 0.0
) -> HeldPath:
    """The held path of a course: its gates opened as far as the edge allows.

    With an edge that fills, every gate lies inside the picture. `bend` (n, rows, columns, 2) are displacements that
    come on top: the gate stays away from the edge by what they could show of it. Where a frame would show less than
    the share `least`, the course as a whole gives way until it does not.
    """
    maps = course.maps
    window, rooms = 1.0, None
    untouched = bend is None and _moves_px(trace, maps) < _UNSEEN_PX
    if untouched:
        maps = np.repeat(np.eye(3)[None], len(maps), axis=0)  # not even the half pixel at the edge
    elif hold.stays_inside:
        limits = inner_limits(trace)
        if bend is not None:
            limits = limits - np.abs(bend).max()
        maps = within_keep(trace, maps, limits, least)
        rooms = openings(maps, limits, trace)
        if hold.edge == "trim":
            window = min(1.0, float(rooms.min()))
            sizes = np.ones(len(maps))
        elif hold.enlargement == "varying":
            sizes = slowly_under(rooms, round(_BREATH_S * float(trace.rate)))
        else:
            sizes = np.full(len(maps), rooms.min())
        maps = maps * np.stack([sizes, sizes, np.ones(len(maps))], axis=1)[:, None, :]
    kept = kept_share(maps) * window
    return HeldPath(
        span=span,
        src_from_held=placed(maps, trace.width, trace.height),
        kept=np.minimum(kept, 1.0),
        window=window,
        bound=course.bound,
        bridged=course.bridged,
        bend=bend,
        rooms=rooms,
    )


def _moves_px(trace: Trace, maps: Numbers) -> float:
    """How far a course (n, 3, 3) takes the picture's corners from where they were shot, at most."""
    corners = gate_corners(trace.width, trace.height)
    moved = corners @ maps[:, :2, :2].transpose(0, 2, 1) + maps[:, None, :2, 2]
    depth = corners @ maps[:, 2, :2, None] + maps[:, None, 2:, 2]
    return float(np.abs(moved / depth - corners).max())


def within_keep(trace: Trace, maps: Numbers, limits: Numbers, least: float) -> Numbers:
    """A course (n, 3, 3) of which every gate shows at least a share, as near to the given one as that allows.

    The gates between a course and the picture itself grow with their nearness to that.
    """

    def enough(course: Numbers) -> bool:
        return bool(openings(course, limits, trace).min() * kept_share(course).min() >= least)

    if enough(maps):
        return maps
    low, high = 0.0, 1.0
    for _ in range(_HALVINGS // 2):
        middle = (low + high) / 2
        near = enough((1 - middle) * maps + middle * np.eye(3))
        low, high = (low, middle) if near else (middle, high)
    return np.asarray((1 - high) * maps + high * np.eye(3))


def inner_limits(trace: Trace) -> Numbers:
    """How far from the centre the gate may reach so that every pixel it shows lies between the centres of others."""
    return np.array([trace.width - 1, trace.height - 1]) / 2


def room_for(trace: Trace, hold: Hold) -> tuple[tuple[float, float], tuple[float, float] | None]:
    """Half the width and height of the smallest gate that a hold allows, and how far it may reach; None: anywhere."""
    half = trace.width / 2, trace.height / 2
    if not hold.stays_inside:
        return half, None
    x, y = inner_limits(trace)
    return (half[0] * hold.keep, half[1] * hold.keep), (float(x), float(y))


def openings(maps: Numbers, limits: Numbers, trace: Trace) -> Numbers:
    """By how much each of the gates as large as the picture (n, 3, 3) can be scaled until a corner meets its edge."""
    corners = gate_corners(trace.width, trace.height)
    low, high = np.zeros(len(maps)), np.full(len(maps), _LARGEST)
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        at = (middle[:, None, None] * corners) @ maps[:, :2, :2].transpose(0, 2, 1) + maps[:, None, :2, 2]
        depth = (middle[:, None, None] * corners) @ maps[:, 2, :2, None] + maps[:, None, 2:, 2]
        inside = ((depth > 0) & (np.abs(at) <= limits * np.abs(depth))).all(axis=(1, 2))
        low, high = np.where(inside, middle, low), np.where(inside, high, middle)
    return low


def kept_share(maps: Numbers) -> Numbers:
    """(n,): how much of the picture's width gates on maps (n, 3, 3) about the centre show."""
    return np.asarray(np.hypot(*similarities_of(maps).T[:2]))


def fits(trace: Trace, maps: Numbers, keep: float) -> bool:
    """Whether gates of one size lie inside the picture on a course (n, 3, 3), and each shows that share of it."""
    return bool(openings(maps, inner_limits(trace), trace).min() * kept_share(maps).min() >= keep)


def slowly_under(rooms: Numbers, slow_frames: int) -> Numbers:
    """The largest row of sizes under `rooms` (n,) that changes slowly.

    A quadratic programme: near to the rooms, with small second differences. Where it touches them by the solver's
    tolerance it is taken down as a whole.
    """
    n = len(rooms)
    if n < 3:
        return np.full(n, rooms.min())
    bend = sp.diags([1.0, -2.0, 1.0], [0, 1, 2], shape=(n - 2, n))
    stiffness = max(1.0, slow_frames / 3) ** 4
    programme = Programme(
        hessian=(sp.eye(n) + stiffness * bend.T @ bend).tocsc(),
        linear=-rooms[:, None],
        rows=np.ones((n, 1, 1)),
        reach=rooms[:, None],
    )
    found = solve(programme, np.full((n, 1), rooms.min()))
    sizes = found.unknowns[:, 0] if found.solved else np.full(n, rooms.min())
    over = float((sizes / np.maximum(rooms, 1e-9)).max())
    return sizes / max(1.0, over)
