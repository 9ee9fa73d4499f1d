"""The calmest path within a budget, as one convex problem over similarity corrections.

A correction B = (a, b, x, y) maps the gate to the source picture, z -> (a + ib) z + x + iy about the centre. What
the held picture still does between two frames is R_k = F_k B_(k-1) - B_k with the measured motion F_k: linear in
the corrections (Grundmann, Kwatra & Essa 2011, doi:10.1109/CVPR.2011.5995525). The corner constraints are theirs.
Departing from that paper, third differences of the path are penalised against the size of the correction by Huber's
norm: squares where they are small, which makes a linear filter whose cut-off is known of it, and absolute values
where they are large, so that the start of a move is a corner of the path, and nothing moves before it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from clevrin.core.convex import Programme, augmented, solve, unconstrained
from clevrin.core.errors import ClevrinError
from clevrin.core.importing import importing
from clevrin.core.motion.geometry.models import apply_each, gate_corners

if TYPE_CHECKING:
    import scipy.sparse as sp

Numbers = NDArray[np.float64]

_INSET_PX = 0.25
"""The gate's corners stay this far inside the picture, which is more than the solver's tolerance."""
_FREE = 1e-7
_WHIP_CALM = 60.0
_ROUNDS = 4
_LARGE = 3.0
"""Third differences count as squares up to this multiple of their median."""
_STEEPEST = 0.45
"""Cycles per frame; a cut-off above has no meaning."""
_STIFF = 1e8
"""From this weight of the calmness on, the size of the correction would be lost in rounding beside it."""
_STRONGEST = 1e20
"""A path that is so strictly calm has no bend to be seen in several thousand frames: more would change nothing."""
_CUTOFF_SHARE = 0.5
"""The filter's cut-off is at this share of 1 / settle, so that motion as quick as `settle` is gone, not halved."""


def cutoff_of(settle_s: float, rate: float) -> float:
    """Cycles per frame over which a path that settles in so long takes motion out."""
    return _CUTOFF_SHARE / max(settle_s, 1e-3) / rate


def steps_between(similarities: Numbers) -> Numbers:
    """From similarities (n, 4) as a, b, x, y the ones that take each to the next, as a problem's `motions`: (n, 4)."""
    a, b, x, y = similarities.T
    turn, shift = a + 1j * b, x + 1j * y
    step_turn = turn[1:] / turn[:-1]
    step_shift = shift[1:] - step_turn * shift[:-1]
    steps = np.zeros((len(similarities), 4))
    steps[0, 0] = 1.0
    steps[1:] = np.column_stack([step_turn.real, step_turn.imag, step_shift.real, step_shift.imag])
    return steps


@dataclass(frozen=True, kw_only=True, eq=False)
class PathProblem:
    """What is to be solved; n frames, px about the picture's centre.

    `motions` (n, 4): similarity from the frame before (row 0 is not used). `gate`: half the width and height of the
    gate on the source while its correction is the identity. `fast` (n,) bool: frames whose course is kept, as those
    of whips. `demand` (n,) 0 to 1: how strictly the path is to be calm. `order`: which difference of the path is to
    be small (1: no motion at all, 3: no jerk). `cutoff`: cycles per frame over which motion is taken out. `limits`:
    the gate must stay inside (half width, half height); None: no constraint. `free`: whether zoom (a), roll (b), x
    and y may be corrected. `most`: how far a, b, x, y may be from 1, 0, 0, 0 (b as a share of a); infinite: as far as
    they like. With limits a is never under 1: the gate shows at least as much as its corners say. `posed` (n, 3, 3):
    where the gate is on the held picture, as affine maps; None: in its middle. `spare` (n, 2): how much further inside
    the limits it has to stay, across and down, for what comes on top; no more than half of the room that is kept.
    """

    motions: Numbers
    gate: tuple[float, float]
    fast: NDArray[np.bool_]
    demand: Numbers
    order: int
    cutoff: float
    limits: tuple[float, float] | None
    free: tuple[bool, bool, bool, bool] = (True, True, True, True)
    most: tuple[float, float, float, float] = (np.inf, np.inf, np.inf, np.inf)
    posed: Numbers | None = None
    spare: Numbers | None = None


@dataclass(frozen=True, kw_only=True, eq=False)
class Path:
    """`corrections` (n, 4) as a, b, x, y; `bound`: whether the picture's edge or a bound held the path back."""

    corrections: Numbers
    bound: bool


def solve_path(problem: PathProblem) -> Path:
    """The calmest path. Raises `ClevrinError` where no gate fits.

    Costs about 20 ms for 150 frames and 0.15 s for 1,800 while no bound is met, 50 ms and 0.5 s where many are; ten
    times as much where a path settles over more than some 100 frames. Motion that is not finite counts as none. The
    constraint holds exactly: what the solver's tolerance leaves over is taken back frame by frame.
    """
    finite = np.asarray(np.isfinite(problem.motions).all(axis=1))
    if not finite.all():
        none = np.array([1.0, 0.0, 0.0, 0.0])
        problem = replace(problem, motions=np.where(finite[:, None], problem.motions, none))
    n = len(problem.motions)
    radius = float(np.hypot(*problem.gate))
    unit = np.array([radius, radius, 1.0, 1.0])  # unknowns are px at the corner: well scaled
    free = np.array(problem.free)
    still = np.array([1.0, 0.0, 0.0, 0.0])
    sums = _Sums(problem, unit)

    def corrections_of(solved: Numbers) -> Numbers:
        every = np.tile(still, (n, 1))
        every[:, free] = solved[:, :count] / unit[free]
        return every

    solution, hessian, linear = sums.calmest()
    count = int(free.sum())
    corrections = corrections_of(solution)
    rows, reach = _bounds(problem)
    if rows is None:
        return Path(corrections=corrections, bound=False)
    # Most often no constraint is active: then the plain solution, which takes a tenth of the time, is it.
    if problem.limits is not None and problem.free[0]:
        corrections[:, :2] /= corrections[:, 0].min()
    if (np.einsum("nci,ni->nc", rows, corrections) <= reach).all():
        return Path(corrections=corrections, bound=False)
    fixed = rows[:, :, ~free] @ still[~free]
    inner = np.zeros((n, rows.shape[1], solution.shape[1]))
    inner[:, :, :count] = rows[:, :, free] / unit[free]
    if (fixed > reach + _INSET_PX)[~np.abs(rows[:, :, free]).any(axis=2)].any():
        raise _no_gate()
    limits = reach - fixed
    programme = Programme(hessian=hessian, linear=linear, rows=inner, reach=limits, definite=not sums.stiff)
    found = solve(programme, solution)
    if not found.solved:
        raise _no_gate()
    corrections = corrections_of(found.unknowns)
    if problem.limits is not None and problem.free[0]:
        corrections[:, 0] = np.maximum(corrections[:, 0], 1.0)
    return Path(corrections=_pulled_inside(corrections, problem), bound=bool(found.multipliers.any()))


def _no_gate() -> ClevrinError:
    return ClevrinError("No gate fits inside the picture with these settings; keep less of it.")


class _Sums:
    """What is to be as small as can be, on the scaled corrections that are free."""

    def __init__(self, problem: PathProblem, unit: Numbers) -> None:
        with importing:
            import scipy.sparse as sp

        self._problem = problem
        n = len(problem.motions)
        free = np.tile(problem.free, n)
        self._shape = (n, int(np.sum(problem.free)))
        still = (np.tile([1.0, 0.0, 0.0, 0.0], n) * np.tile(unit, n))[~free]
        # The size of the correction, against which calmness is weighed.
        self._size = sp.eye(int(free.sum()), format="csc")
        self._size_linear = -(np.tile([1.0, 0.0, 0.0, 0.0], n) * np.tile(unit, n))[free]
        self._jerk: sp.csc_matrix | None = None
        if n > problem.order:
            residual, constant = _residual(problem.motions, n)
            residual = residual @ sp.diags(np.tile(1 / unit, n))
            per_row = np.tile(unit, n - 1)
            residual, constant = sp.diags(per_row) @ residual, per_row * constant
            steps = differences(n - 1, problem.order - 1, 4)
            jerk, offset = (steps @ residual).tocsc(), steps @ constant
            self._jerk, self._offset = jerk[:, free], offset + jerk[:, ~free] @ still
            strength = 1 / (2 * np.sin(np.pi * min(problem.cutoff, _STEEPEST))) ** (2 * problem.order)
            strength = min(strength, _STRONGEST)
            window = problem.order + 1
            demand = _least(np.where(problem.fast, _FREE, problem.demand), window)
            self._weight = strength * np.maximum(demand, _FREE)
        self.stiff = self._jerk is not None and float(self._weight.max()) > _STIFF
        if problem.fast.any() and n > 2:
            # Through a whip the correction itself changes smoothly, so that the whip's own course stays.
            bend = differences(n, 2, self._shape[1])
            weight = np.repeat(np.where(_touches(problem.fast, 3), _WHIP_CALM, 0.0), self._shape[1])
            self._size = self._size + bend.T @ sp.diags(weight) @ bend

    def calmest(self) -> tuple[Numbers, sp.csc_matrix, Numbers]:
        """The solution without bounds (n, d), and the H and g that gave it; where `stiff`, with multipliers beside."""
        if self._jerk is None:
            linear = self._size_linear.reshape(self._shape)
            return unconstrained(self._size, linear), self._size, linear
        eased = np.ones(len(self._weight))
        for number in range(_ROUNDS):
            hessian, linear = self._quadratic(self._weight * eased)
            solution = unconstrained(hessian, linear, definite=not self.stiff)
            if self._problem.order < 3 or number == _ROUNDS - 1:
                break
            large = self._how_large(solution)
            calmer = np.minimum(1.0, 1 / np.maximum(large, 1e-12))
            if np.abs(calmer - eased).max() < 0.1:
                break
            eased = calmer
        return solution, hessian, linear

    def _quadratic(self, weight: Numbers) -> tuple[sp.csc_matrix, Numbers]:
        with importing:
            import scipy.sparse as sp

        assert self._jerk is not None
        # What an axis that is off does cannot be mended; the others must not try to make up for it.
        weights = np.repeat(weight, 4) * np.tile(self._problem.free, len(weight))
        if self.stiff:
            n, beyond = self._shape[0], 4 * self._shape[0] - len(weights)
            matrix = sp.vstack([self._jerk, sp.csc_matrix((beyond, self._jerk.shape[1]))])
            offset, weights = np.pad(self._offset, (0, beyond)), np.pad(weights, (0, beyond))
            return augmented(self._size, self._size_linear.reshape(n, -1), matrix, offset, weights)
        weighted = self._jerk.T @ sp.diags(weights)
        hessian = (self._size + weighted @ self._jerk).tocsc()
        return hessian, (self._size_linear + weighted @ self._offset).reshape(self._shape)

    def _how_large(self, solution: Numbers) -> Numbers:
        """Third differences of the path as multiples of what still counts as small."""
        assert self._jerk is not None
        corrections = solution[:, : self._shape[1]].reshape(-1)
        jerk = (self._jerk @ corrections + self._offset).reshape(-1, 4)
        length = np.sqrt((jerk**2)[:, np.array(self._problem.free)].sum(axis=1))
        demanded = length[self._weight > self._weight.max() * 0.5]
        usual = float(np.median(demanded)) if len(demanded) else 0.0
        return length / max(_LARGE * usual, 1e-9)


def _residual(motions: Numbers, n: int) -> tuple[sp.csc_matrix, Numbers]:
    """R (4(n-1)) as a matrix on the corrections (4n), and its constant part."""
    with importing:
        import scipy.sparse as sp

    a, b = motions[1:, 0], motions[1:, 1]
    k = np.arange(n - 1)
    rows, columns, values = [], [], []

    def add(row: int, column: int, value: Numbers | float, at: NDArray[np.int64]) -> None:
        rows.append(4 * k + row)
        columns.append(4 * at + column)
        values.append(np.broadcast_to(value, (n - 1,)))

    for real, imaginary in ((0, 1), (2, 3)):  # (a + ib) times a complex unknown, minus the next one
        add(real, real, a, k)
        add(real, imaginary, -b, k)
        add(imaginary, real, b, k)
        add(imaginary, imaginary, a, k)
        add(real, real, -1.0, k + 1)
        add(imaginary, imaginary, -1.0, k + 1)
    matrix = sp.csc_matrix(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(4 * (n - 1), 4 * n)
    )
    constant = np.zeros((n - 1, 4))
    constant[:, 2:] = motions[1:, 2:]
    return matrix, constant.reshape(-1)


def differences(frames: int, order: int, count: int) -> sp.csc_matrix:
    """The `order`-th difference of `frames` rows of `count` numbers, which lie one after the other; of more than that.

    ((frames - order) * count, frames * count).
    """
    with importing:
        import scipy.sparse as sp

    matrix = sp.eye(frames, format="csc")
    for _ in range(order):
        size = matrix.shape[0]
        matrix = sp.diags([-1.0, 1.0], [0, 1], shape=(size - 1, size)) @ matrix
    return sp.kron(matrix, sp.eye(count), format="csc")


def _touches(fast: NDArray[np.bool_], window: int) -> NDArray[np.bool_]:
    """(n - window + 1,): whether any of `window` frames in a row is fast."""
    windows = np.lib.stride_tricks.sliding_window_view(fast, window)
    return np.asarray(windows.any(axis=1))


def _least(demand: Numbers, window: int) -> Numbers:
    """(n - window + 1,): the least of `window` values in a row."""
    return np.lib.stride_tricks.sliding_window_view(demand, window).min(axis=1)


def _bounds(problem: PathProblem) -> tuple[Numbers | None, Numbers]:
    """Rows (n, c, 4) on a correction, and what they may come to (n, c); None where nothing is bound."""
    rows: list[list[float]] = []
    reach: list[float] = []
    if problem.limits is not None:
        if problem.posed is None:
            x, y = problem.gate
            for way in (1.0, -1.0):
                for turn in (1.0, -1.0):
                    # The outermost of the four corners, for either sense of the turn.
                    rows += [[x, turn * y, way, 0.0], [y, turn * x, 0.0, way]]
                    reach += [problem.limits[0] - _INSET_PX, problem.limits[1] - _INSET_PX]
        if problem.free[0]:
            rows.append([-1.0, 0.0, 0.0, 0.0])
            reach.append(-1.0)
    zoom, roll, across, down = problem.most
    for way in (1.0, -1.0):
        given = (
            ([way, 0.0, 0.0, 0.0], way + zoom),
            ([-roll if np.isfinite(roll) else 0.0, way, 0.0, 0.0], 0.0 if np.isfinite(roll) else np.inf),
            ([0.0, 0.0, way, 0.0], across),
            ([0.0, 0.0, 0.0, way], down),
        )
        for (row, most), free in zip(given, problem.free, strict=True):
            if free and np.isfinite(most):
                rows.append(row)
                reach.append(most)
    n = len(problem.motions)
    every: Numbers = np.broadcast_to(np.array(rows).reshape(-1, 4), (n, len(rows), 4))
    at_most: Numbers = np.broadcast_to(np.array(reach), (n, len(reach)))
    if problem.limits is not None and problem.posed is not None:
        of_corners, inside = _corner_bounds(posed_corners(problem), problem.limits)
        every, at_most = np.concatenate([every, of_corners], axis=1), np.concatenate([at_most, inside], axis=1)
    if problem.limits is not None and problem.spare is not None:
        at_most = at_most - _spared(problem, every)
    return (every, at_most) if every.shape[1] else (None, at_most)


def _spared(problem: PathProblem, rows: Numbers) -> Numbers:
    """(n, c): how much less each bound on the gate's corners may come to; of other bounds nothing."""
    assert problem.spare is not None and problem.limits is not None
    across, down = np.abs(rows[..., 2]) > 0, np.abs(rows[..., 3]) > 0
    of_corners = np.abs(rows[..., :2]).sum(axis=2) > 0
    room = np.maximum(0.0, np.array(problem.limits) - np.array(problem.gate)) / 2
    spare = np.minimum(problem.spare, room)
    return of_corners * (across * spare[:, :1] + down * spare[:, 1:])


def posed_corners(problem: PathProblem) -> Numbers:
    """(n, 4, 2): the corners of the gates of a problem where they are posed."""
    assert problem.posed is not None
    half_x, half_y = problem.gate
    return apply_each(problem.posed, gate_corners(2 * half_x, 2 * half_y))


def _corner_bounds(corners: Numbers, limits: tuple[float, float]) -> tuple[Numbers, Numbers]:
    """That corners (n, 4, 2) stay inside, as rows (n, 16, 4) on a correction, and what they may come to (n, 16).

    A corner that is posed nearer to the edge than a gate of the solver's may be: so near, and no nearer.
    """
    x, y = corners[..., 0], corners[..., 1]
    one, none = np.ones_like(x), np.zeros_like(x)
    across = np.stack([x, -y, one, none], axis=-1)
    down = np.stack([y, x, none, one], axis=-1)
    rows = np.concatenate([across, -across, down, -down], axis=1)
    reach = np.repeat(np.array(limits) - _INSET_PX, 8)
    at_rest = np.concatenate([x, -x, y, -y], axis=1)
    return rows, np.maximum(reach, np.minimum(at_rest, reach + _INSET_PX))


def _pulled_inside(corrections: Numbers, problem: PathProblem) -> Numbers:
    """Where a corner is outside by the solver's tolerance, takes that frame's correction back a little."""
    if problem.limits is None:
        return corrections
    limits = np.array(problem.limits)
    a, b, across, down = corrections.T
    if problem.posed is None:
        half_x, half_y = problem.gate
        extent = np.column_stack(
            [a * half_x + np.abs(b) * half_y + np.abs(across), a * half_y + np.abs(b) * half_x + np.abs(down)]
        )
        base = np.array([[half_x, half_y]])
        if (base > limits).any():
            raise _no_gate()
    else:
        corners = posed_corners(problem)
        x, y = corners[..., 0].T, corners[..., 1].T
        extent = np.abs([a * x - b * y + across, b * x + a * y + down]).max(axis=1).T
        # A gate that is posed beyond the edge is made smaller in the end, whatever the path.
        base = np.minimum(np.abs(corners).max(axis=1), limits)
    with np.errstate(divide="ignore", invalid="ignore"):
        room = np.where(extent > limits, (limits - base) / (extent - base), 1.0).min(axis=1)
    share = np.where(room < 1, np.maximum(0.0, room - 1e-9), 1.0)
    still = np.array([1.0, 0.0, 0.0, 0.0])
    pulled: Numbers = still + share[:, None] * (corrections - still)
    return pulled
