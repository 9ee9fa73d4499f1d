"""How large the gate is on a path: as large as the picture lets it be, at one size or slowly changing."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.convex import Programme, solve
from clevrin.core.document import Hold, Span
from clevrin.core.gate.form import GateForm
from clevrin.core.hold.held import HeldPath, placed
from clevrin.core.importing import importing
from clevrin.core.motion.geometry.models import apply_each, similarities_of
from clevrin.core.motion.trace.trace import Trace

Numbers = NDArray[np.float64]

_HALVINGS = 24
_LARGEST = 2.0
_UNSEEN_PX = 0.02
_BREATH_S = 2.0
"""Over about so long a varying enlargement takes to change."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Gates:
    """Where a gate as large as the picture lies at each frame: `maps` (n, 3, 3) about the picture's centre.

    `bridged` (n,): where an anchor was not seen; `bound`: whether the picture's edge or a bound held the path back;
    `standing`: which share of the width may be kept for it to stand quite still, where it was to and cannot.
    """

    maps: Numbers
    bridged: NDArray[np.bool_]
    bound: bool = False
    standing: float | None = None

    @staticmethod
    def of(maps: Numbers, *, bound: bool = False, standing: float | None = None) -> "Gates":
        """Gates on a course that is seen everywhere."""
        return Gates(maps=maps, bridged=np.zeros(len(maps), bool), bound=bound, standing=standing)


def framed(
    trace: Trace,
    span: Span,
    course: Gates,
    hold: Hold,
    form: GateForm,
    bend: Numbers | None = None,
    *,
    least: float = 0.0,
) -> HeldPath:
    """The held path of a course: its gates opened as far as the edge allows, or as far as they are posed.

    With an edge that fills, every gate lies inside the picture. `bend` (n, rows, columns, 2) are displacements that
    come on top: the gate stays away from the edge by what they could show of it. Where a frame would show less than
    the share `least` of what it would show as shot, the course as a whole gives way until it does not.
    """
    maps = course.maps
    window, rooms, sizes = 1.0, None, np.ones(len(maps))
    untouched = bend is None and _moves_px(form, maps) < _UNSEEN_PX
    slow = round(_BREATH_S * float(trace.rate))
    if untouched:
        maps = np.repeat(np.eye(3)[None], len(maps), axis=0)  # not even the half pixel at the edge
    if hold.stays_inside and not (untouched and form.posed is None):
        limits = form.limits
        if bend is not None:
            limits = limits - np.abs(bend).max()
        if not untouched:
            maps = within_keep(form, maps, limits, least)
        rooms = openings(form.laid(maps), limits, form)
        if form.posed is not None:
            # As large as it was posed where that fits: a gate of the user's is not opened.
            posed = np.minimum(rooms, 1 / max(1.0, float(np.median(kept_share(maps)))))
            sizes = posed if posed.min() == posed.max() else slowly_under(posed, slow)
        elif hold.edge == "trim":
            window = min(1.0, float(rooms.min()))
        elif hold.enlargement == "varying":
            sizes = slowly_under(rooms, slow)
        else:
            sizes = np.full(len(maps), rooms.min())
    scaled = np.stack([sizes, sizes, np.ones(len(maps))], axis=1)[:, None, :]
    rests = np.repeat(np.eye(3)[None], len(maps), axis=0)
    maps = form.laid(maps) * scaled
    kept = kept_share(maps) * window
    return HeldPath(
        span=span,
        src_from_held=placed(maps, trace.width, trace.height),
        kept=np.minimum(kept, 1.0),
        window=window,
        bound=course.bound,
        standing=course.standing,
        bridged=course.bridged,
        bend=bend,
        rooms=rooms,
        gate=form.laid(rests) * scaled,
    )


def _moves_px(form: GateForm, maps: Numbers) -> float:
    """How far a course (n, 3, 3) takes the gate's corners from where they were shot, at most."""
    return float(np.abs(apply_each(maps, form.corners) - form.corners).max())


def corners_moved(form: GateForm, before: Numbers, after: Numbers) -> Numbers:
    """(n, 2): how much further out one course (n, 3, 3) lays a gate's corners than another, across and down."""
    reaches = [np.abs(apply_each(form.laid(maps), form.corners)).max(axis=1) for maps in (before, after)]
    return np.maximum(0.0, reaches[1] - reaches[0])


def within_keep(form: GateForm, maps: Numbers, limits: Numbers, least: float) -> Numbers:
    """A course (n, 3, 3) of which every gate shows at least a share, as near to the given one as that allows.

    The gates between a course and the picture itself grow with their nearness to that.
    """

    def enough(course: Numbers) -> bool:
        return bool(openings(form.laid(course), limits, form).min() * kept_share(course).min() >= least)

    if enough(maps):
        return maps
    low, high = 0.0, 1.0
    for _ in range(_HALVINGS // 2):
        middle = (low + high) / 2
        near = enough((1 - middle) * maps + middle * np.eye(3))
        low, high = (low, middle) if near else (middle, high)
    return np.asarray((1 - high) * maps + high * np.eye(3))


def room_for(form: GateForm, hold: Hold) -> tuple[tuple[float, float], tuple[float, float] | None]:
    """Half the width and height of the smallest gate that a hold allows, and how far it may reach; None: anywhere."""
    half = float(form.half[0]), float(form.half[1])
    if not hold.stays_inside:
        return half, None
    x, y = form.limits
    return (half[0] * hold.keep, half[1] * hold.keep), (float(x), float(y))


def openings(maps: Numbers, limits: Numbers, form: GateForm) -> Numbers:
    """By how much each of the gates that maps (n, 3, 3) lay can be scaled until a corner meets the picture's edge."""
    corners = form.corners
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


def fits(form: GateForm, maps: Numbers, keep: float) -> bool:
    """Whether gates of one size lie inside the picture on a course (n, 3, 3), and each shows that share of itself."""
    return room_of(form, maps) >= keep


def room_of(form: GateForm, maps: Numbers) -> float:
    """Which share of the picture's width gates of one size show on a course (n, 3, 3), at least, if none is outside."""
    return float(openings(form.laid(maps), form.limits, form).min() * kept_share(maps).min())


def slowly_under(rooms: Numbers, slow_frames: int) -> Numbers:
    """The largest row of sizes under `rooms` (n,) that changes slowly.

    A quadratic programme: near to the rooms, with small second differences. Where it touches them by the solver's
    tolerance it is taken down as a whole.
    """
    with importing:
        import scipy.sparse as sp

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
