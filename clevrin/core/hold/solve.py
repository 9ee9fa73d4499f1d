"""From a measurement and the settings of a shot to its held path: float and lock-off."""

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linprog

from clevrin.core.document import Hold, Span
from clevrin.core.errors import NotMeasuredError
from clevrin.core.hold.held import HeldPath, gate_corners, placed
from clevrin.core.hold.path import PathProblem, solve_path
from clevrin.core.motion.models import Matrix, apply, similarity_of
from clevrin.core.motion.registration import Registration
from clevrin.core.motion.trace import Trace
from clevrin.core.motion.whips import find_whips

_BEYOND_S = 2.0
_CUTOFF_SHARE = 0.7
"""The filter's cut-off is at this share of 1 / settle, so that motion as quick as `settle` is gone, not halved."""


def solving_span(span: Span, trace_frames: int, rate: float) -> Span:
    """The frames that a held path is solved over: the shot's span, and what the take has beyond it, up to 2 s."""
    beyond = round(_BEYOND_S * rate)
    return Span(first=max(0, span.first - beyond), end=min(trace_frames, span.end + beyond))


def held_path(trace: Trace, span: Span, hold: Hold, registration: Registration | None = None) -> HeldPath | None:
    """The held path of a shot over `solving_span`; None for a shot that is not held.

    Lock-off needs the registration of that span and raises `NotMeasuredError` without it. With the edge
    `fill` every frame's gate lies inside the picture and shows at least `keep` of its width; with other edges
    the gate is as large as the picture and goes where it must.
    """
    if hold.how == "none":
        return None
    wide = solving_span(span, trace.frames, float(trace.rate))
    if hold.how == "float":
        return _float(trace, wide, hold)
    if registration is None or registration.span != wide:
        raise NotMeasuredError("This shot has not been registered for lock-off yet.")
    return _lock_off(trace, registration, hold)


def _float(trace: Trace, span: Span, hold: Hold) -> HeldPath:
    fill = hold.edge == "fill"
    limits = (trace.width - 1) / 2, (trace.height - 1) / 2
    share = hold.keep if fill else 1.0
    gate = gate_corners(trace.width, trace.height) * share
    corrections = solve_path(
        PathProblem(
            motions=trace.similarity[span.first : span.end],
            corners=np.repeat(gate[None], span.frames, axis=0),
            fast=_fast_frames(trace)[span.first : span.end],
            order=3,
            cutoff=_CUTOFF_SHARE / (hold.settle_s * float(trace.rate)),
            limits=limits if fill else None,
            free=_free(hold),
        )
    )
    maps = _maps(corrections)
    maps[:, :2, :2] *= share
    return _opened(trace, span, maps, fill)


def _lock_off(trace: Trace, registration: Registration, hold: Hold) -> HeldPath:
    fill = hold.edge == "fill"
    limits = np.array([trace.width - 1, trace.height - 1]) / 2
    motions = np.array([_of_axes(motion, hold) for motion in registration.motions])
    corners = gate_corners(trace.width, trace.height)
    if not fill:
        return _opened(trace, registration.span, motions, fill)
    share, middle = widest_gate(motions, corners, limits)
    share = float(np.clip(share, hold.keep, 1.0))
    gate = np.array([[share, 0, middle[0]], [0, share, middle[1]], [0, 0, 1]])
    maps = motions @ gate
    quads = np.array([apply(m, corners) for m in maps])
    if (np.abs(quads) > limits).any():
        maps = _within_budget(trace, registration.span, maps, corners, limits, hold)
    return _opened(trace, registration.span, maps, fill)


def _within_budget(trace: Trace, span: Span, maps: NDArray, corners: NDArray, limits: NDArray, hold: Hold) -> NDArray:
    """Lets in as little motion as the budget asks for, and lets it in smoothly.

    The problem is solved over plain gates in the middle of the picture: its measured motion is what the
    locked-off gate does there, and standing still (a first difference of zero) is the calmest course.
    """
    similar = np.array([similarity_of(m) for m in maps])
    turn = similar[:, 0] + 1j * similar[:, 1]
    shift = similar[:, 2] + 1j * similar[:, 3]
    step_turn = turn[1:] / turn[:-1]
    step_shift = shift[1:] - step_turn * shift[:-1]
    motions = np.zeros((span.frames, 4))
    motions[0, 0] = 1.0
    motions[1:] = np.column_stack([step_turn.real, step_turn.imag, step_shift.real, step_shift.imag])
    share = hold.keep
    corrections = solve_path(
        PathProblem(
            motions=motions,
            corners=np.repeat(corners[None] * share, span.frames, axis=0),
            fast=_fast_frames(trace)[span.first : span.end],
            order=1,
            cutoff=0.02 / (hold.settle_s * float(trace.rate)),
            limits=(float(limits[0]), float(limits[1])),
            free=(True, True, True, True),
        )
    )
    held = _maps(corrections)
    held[:, :2, :2] *= share
    return held


def widest_gate(motions: NDArray, corners: NDArray, limits: NDArray) -> tuple[float, NDArray]:
    """The largest share of the picture, and its middle, that stays inside under all motions.

    A linear programme on the motions' first order at the picture's corners, then made exact by shrinking.
    """
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
        quads = np.array([apply(m, middle + share * corners) for m in motions])
        if (np.abs(quads) <= limits).all():
            break
        share *= 0.998
    return share, middle


def _opened(trace: Trace, span: Span, about_centre: NDArray, fill: bool) -> HeldPath:
    """Opens the gate by one constant factor as far as the path allows, and gives the path its final form."""
    corners = gate_corners(trace.width, trace.height)
    if fill:
        limits = np.array([trace.width - 1, trace.height - 1]) / 2
        factor = _room(about_centre, corners, limits)
        about_centre = about_centre @ np.diag([factor, factor, 1.0])
    kept = np.array([np.hypot(*similarity_of(m)[:2]) for m in about_centre])
    return HeldPath(
        span=span, src_from_held=placed(about_centre, trace.width, trace.height), kept=np.minimum(kept, 1.0)
    )


def _room(motions: NDArray, corners: NDArray, limits: NDArray) -> float:
    """By how much the gates (n, 3, 3) can grow until a corner meets the picture's edge; 1 where they cannot."""
    low, high = 1.0, 2.0
    for _ in range(24):
        middle = (low + high) / 2
        grown = np.column_stack([corners * middle, np.ones(4)])
        at = np.einsum("nij,cj->nci", motions, grown)
        if (np.abs(at[..., :2] / at[..., 2:]) <= limits).all():
            low = middle
        else:
            high = middle
    return low


def _maps(corrections: NDArray) -> NDArray:
    a, b, x, y = corrections.T
    maps = np.zeros((len(corrections), 3, 3))
    maps[:, 0] = np.column_stack([a, -b, x])
    maps[:, 1] = np.column_stack([b, a, y])
    maps[:, 2, 2] = 1.0
    return maps


def _fast_frames(trace: Trace) -> NDArray[np.bool_]:
    fast = np.zeros(trace.frames, bool)
    for whip in find_whips(trace):
        fast[whip.start : whip.end + 1] = True
    return fast


def _free(hold: Hold) -> tuple[bool, bool, bool, bool]:
    return "zoom" in hold.axes, "roll" in hold.axes, "pan" in hold.axes, "tilt" in hold.axes


def _of_axes(motion: Matrix, hold: Hold) -> Matrix:
    """The part of a motion that the chosen axes take out; all of it when all are on."""
    zoom, roll, pan, tilt = _free(hold)
    if zoom and roll and pan and tilt:
        return motion
    a, b, x, y = similarity_of(motion)
    size, angle = (np.hypot(a, b) if zoom else 1.0), (np.arctan2(b, a) if roll else 0.0)
    a, b = size * np.cos(angle), size * np.sin(angle)
    return np.array([[a, -b, x if pan else 0.0], [b, a, y if tilt else 0.0], [0, 0, 1]])
