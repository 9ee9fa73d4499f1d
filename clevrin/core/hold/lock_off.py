"""Lock-off: the gate goes with the picture, so that what it shows stands still, as far as the budget lets it."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from clevrin.core.convex import Programme, solve
from clevrin.core.document import Hold, Span
from clevrin.core.gate.form import GateForm
from clevrin.core.hold.framing import Gates, kept_share, room_for, room_of
from clevrin.core.hold.held import maps_of
from clevrin.core.hold.path import PathProblem, differences, solve_path, steps_between
from clevrin.core.importing import importing
from clevrin.core.motion.geometry.models import apply, apply_each, similarities_of, translation
from clevrin.core.motion.measuring.registration import Registration
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.whips import fast_frames

Numbers = NDArray[np.float64]

_STANDING_CUTOFF = 0.02
_EDGE_PX = 0.02
"""So far inside the edge gates stay: more than the solver's tolerance."""
_GIVES_WAY = 0.15
"""Share of `settle` over which a gate that cannot stand leaves its place."""
_BEND = 3
"""Which differences are small where it does."""
_USUAL_PX = 4.0
_ROUNDS, _SETTLED_PX = 9, 0.02
_STANDS_PX, _WORTH_STANDING = 0.1, 0.3
_SOFT, _FREE = 300.0, 1e-5
"""How little a course that moves least turns, and how little it is drawn to its place."""


def locked_off(trace: Trace, registration: Registration, hold: Hold, form: GateForm) -> Gates:
    """The course on which the reference's picture stands still; axes that are off move as they were shot."""
    motions = with_axes(registration.motions, hold)
    if not hold.stays_inside:
        return Gates.of(motions)
    if form.posed is None:  # a gate that is posed is where it was put
        share, middle = widest_gate(motions, form.corners, form.limits)
        if share > 0:
            motions = motions @ translation(middle[0], middle[1])
    return within_budget(trace, registration.span, motions, hold, form)


def within_budget(trace: Trace, span: Span, maps: Numbers, hold: Hold, form: GateForm) -> Gates:
    """A standing course (n, 3, 3) itself where it keeps enough of the picture; else with as little motion as it needs.

    It stands wherever it can, and gives way where the picture's edge asks for it (see `giving_way`). Where no shift of
    the gate is enough, as where the picture turns, or a whip leads through it, it is the calmest path of any gates.
    That is solved over plain gates in the middle of the picture: its measured motion is what the standing gate does
    there, and standing still (a first difference of zero) is the calmest course.
    """
    standing = room_of(form, maps)
    if standing >= hold.keep:
        return Gates.of(maps)
    fast = fast_frames(trace)[span.first : span.end]
    if form.posed is None and not fast.any():
        ways = giving_way(maps, form, hold.keep / float(kept_share(maps).min()), hold.settle_s * float(trace.rate))
        if ways is not None:
            shifts = maps_of(np.column_stack([np.ones(len(ways)), np.zeros(len(ways)), ways]))
            return Gates.of(maps @ shifts, bound=True, standing=standing)
    gate, limits = room_for(form, hold)
    path = solve_path(
        PathProblem(
            motions=steps_between(similarities_of(maps)),
            gate=gate,
            fast=fast,
            demand=np.ones(span.frames),
            order=1,
            cutoff=_STANDING_CUTOFF / max(hold.settle_s, 0.1) / float(trace.rate),
            limits=limits,
            posed=form.posed,
        )
    )
    return Gates.of(maps_of(path.corrections), bound=path.bound, standing=standing)


def giving_way(maps: Numbers, form: GateForm, share: float, settle_frames: float) -> Numbers | None:
    """Where on a standing course (n, 3, 3) gates of a share of the picture have to be so that they stay inside.

    (n, 2), px of the held picture: one place in all frames where that fits, off it only where it does not. The place
    is the one that is left least, by a linear programme; how far gates are off it counts as an absolute value (squares
    weighted anew, Holland & Welsch 1977), so that it is nothing at all where nothing is asked for, and third
    differences as squares. Where few frames could stand it is the course that moves least. An edge that a homography
    lays is a straight line of the gate's place: nothing is approximated. None where no shift is enough, or too few
    frames have a third difference. Costs 0.1 to 0.2 s for 150 frames and 1.4 to 3 s for 1,800.
    """
    with importing:
        import scipy.sparse as sp

    n = len(maps)
    if n <= _BEND:
        return None
    limits = form.limits - _EDGE_PX
    corners = np.column_stack([share * form.corners, np.ones(4)])
    # |row . p| <= limit * (depth . p) for a corner p of the gate, which is where the gate is and as far off as it is.
    signs = [(axis, sign) for axis in (0, 1) for sign in (1, -1)]
    lines = np.stack([sign * maps[:, axis] - limits[axis] * maps[:, 2] for axis, sign in signs], axis=1)
    room = -(lines @ corners.T).max(axis=2)  # (n, 4): of the corner that is furthest out
    slopes = lines[:, :, :2]
    place = _least_left(slopes, room)
    if place is None:
        return None
    room = room - slopes @ place
    bend = differences(n, _BEND, 2)
    stiff = max(1.0, _GIVES_WAY * settle_frames) ** 6 / _USUAL_PX
    off = np.zeros((n, 2))
    for round_ in range(_ROUNDS):
        near = _USUAL_PX * 0.25**round_
        weights = np.repeat(1 / np.maximum(np.hypot(*off.T), near), 2)
        programme = Programme(
            hessian=(stiff * bend.T @ bend + sp.diags(weights)).tocsc(),
            linear=np.zeros((n, 2)),
            rows=slopes,
            reach=room,
        )
        found = solve(programme, off)
        if not found.solved:
            return None
        changed, off = np.abs(found.unknowns - off).max(), found.unknowns
        if changed < _SETTLED_PX:
            break
    if (np.hypot(*off.T) < _STANDS_PX).mean() < _WORTH_STANDING:
        moves = differences(n, 1, 2)
        calm = moves.T @ moves + _SOFT * bend.T @ bend + _FREE * sp.identity(2 * n)
        found = solve(replace(programme, hessian=calm.tocsc()), off)
        off = found.unknowns if found.solved else off
    return np.asarray(place + off)


def _least_left(slopes: Numbers, room: Numbers) -> Numbers | None:
    """The place (2,) from which gates have to go least in all, by `slopes` (n, 4, 2) @ place <= `room` (n, 4)."""
    with importing:
        import scipy.sparse as sp
        from scipy.optimize import linprog

    n = len(room)
    lacking = sp.csr_matrix((-np.ones(4 * n), (np.arange(4 * n), np.repeat(np.arange(n), 4))), shape=(4 * n, n))
    rows = sp.hstack([sp.csr_matrix(slopes.reshape(-1, 2)), lacking], format="csr")
    cost = np.concatenate([np.zeros(2), np.ones(n)])
    bounds = [(None, None)] * 2 + [(0, None)] * n
    found = linprog(cost, A_ub=rows, b_ub=room.ravel(), bounds=bounds, method="highs")
    return None if found.x is None else np.asarray(found.x[:2])


def free_axes(hold: Hold) -> tuple[bool, bool, bool, bool]:
    """Whether zoom, roll, pan and tilt are taken out."""
    return "zoom" in hold.axes, "roll" in hold.axes, "pan" in hold.axes, "tilt" in hold.axes


def with_axes(motions: Numbers, hold: Hold) -> Numbers:
    """The part of motions (n, 3, 3) that the chosen axes take out: what the others do stays in the held picture."""
    zoom, roll, pan, tilt = free_axes(hold)
    if zoom and roll and pan and tilt:
        return motions
    a, b, x, y = similarities_of(motions).T
    growth, angle = np.hypot(a, b), np.arctan2(b, a)
    growth = np.ones_like(growth) if zoom else growth
    angle = np.zeros_like(angle) if roll else angle
    off = maps_of(np.column_stack([growth * np.cos(angle), growth * np.sin(angle), x * (not pan), y * (not tilt)]))
    return np.asarray(motions @ np.linalg.inv(off))


def widest_gate(motions: Numbers, corners: Numbers, limits: Numbers) -> tuple[float, Numbers]:
    """The largest share of the picture, and its middle, that stays inside under all motions.

    A linear programme on the motions' first order at the picture's corners, then made exact by shrinking.
    """
    with importing:
        from scipy.optimize import linprog

    rows: list[list[float]] = []
    bounds: list[float] = []
    for motion in motions:
        base = apply(motion, np.zeros((1, 2)))[0]
        jacobian = np.column_stack([apply(motion, np.eye(2)[[k]])[0] - base for k in range(2)])
        moved = corners @ jacobian.T
        for sign in (1, -1):
            for axis in range(2):
                rows.extend([*(sign * jacobian[axis]), sign * reach] for reach in moved[:, axis])
                bounds.extend([limits[axis] - 1.0 - sign * base[axis]] * 4)
    result = linprog([0, 0, -1], A_ub=np.array(rows), b_ub=bounds, bounds=[(None, None)] * 2 + [(0, 1)])
    if result.x is None:
        return 0.0, np.zeros(2)
    middle, share = result.x[:2], float(result.x[2])
    for _ in range(200):
        quads = apply_each(motions, middle + share * corners)
        if (np.abs(quads) <= limits).all():
            break
        share *= 0.998
    return share, middle
