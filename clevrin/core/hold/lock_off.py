"""Lock-off: the gate goes with the picture, so that what it shows stands still, as far as the budget lets it."""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Hold, Span
from clevrin.core.gate.form import GateForm
from clevrin.core.hold.framing import Gates, fits, room_for
from clevrin.core.hold.held import maps_of
from clevrin.core.hold.path import PathProblem, solve_path, steps_between
from clevrin.core.importing import importing
from clevrin.core.motion.geometry.models import apply, apply_each, similarities_of, translation
from clevrin.core.motion.measuring.registration import Registration
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.whips import fast_frames

Numbers = NDArray[np.float64]

_STANDING_CUTOFF = 0.02


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

    The problem is solved over plain gates in the middle of the picture: its measured motion is what the standing
    gate does there, and standing still (a first difference of zero) is the calmest course.
    """
    if fits(form, maps, hold.keep):
        return Gates.of(maps)
    gate, limits = room_for(form, hold)
    path = solve_path(
        PathProblem(
            motions=steps_between(similarities_of(maps)),
            gate=gate,
            fast=fast_frames(trace)[span.first : span.end],
            demand=np.ones(span.frames),
            order=1,
            cutoff=_STANDING_CUTOFF / max(hold.settle_s, 0.1) / float(trace.rate),
            limits=limits,
            posed=form.posed,
        )
    )
    return Gates.of(maps_of(path.corrections), bound=path.bound)


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
