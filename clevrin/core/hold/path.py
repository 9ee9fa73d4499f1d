"""The calmest path within a budget, as one convex problem over similarity corrections.

A correction B = (a, b, x, y) maps the gate to the source picture, z -> (a + ib) z + x + iy about the centre. What
the held picture still does between two frames is R_k = F_k B_(k-1) - B_k with the measured motion F_k: linear in
the corrections (Grundmann, Kwatra & Essa 2011, doi:10.1109/CVPR.2011.5995525). Departing from that paper, the
norms are squares: third differences of the path are penalised against the size of the correction, which makes
the unconstrained solution a linear filter whose cut-off is known; the corner constraints are theirs.
"""

from dataclasses import dataclass

import numpy as np
import osqp
import scipy.sparse as sp
import scipy.sparse.linalg as spl
from numpy.typing import NDArray

from clevrin.core.errors import ClevrinError

Numbers = NDArray[np.float64]

_INSET_PX = 1.0
"""The gate's corners stay this far inside the picture, which is more than the solver's tolerance."""
_FREE = 1e-7
_WHIP_CALM = 60.0


@dataclass(frozen=True, kw_only=True, eq=False)
class PathProblem:
    """What is to be solved; n frames, px about the picture's centre.

    `motions` (n, 4): similarity from the frame before (row 0 is not used). `corners` (n, 4, 2): the gate on the
    source while its correction is the identity. `fast` (n,) bool: frames of whips, whose course is kept.
    `order`: which difference of the path is to be small (1: no motion at all, 3: no jerk). `cutoff`: cycles per
    frame over which motion is taken out. `limits`: the corners must stay inside (half width, half height); None: no
    constraint. `free`: whether zoom (a), roll (b), x and y may be corrected. With limits a is never under 1: the
    gate shows at least as much as its corners say.
    """

    motions: Numbers
    corners: Numbers
    fast: NDArray[np.bool_]
    order: int
    cutoff: float
    limits: tuple[float, float] | None
    free: tuple[bool, bool, bool, bool]


def solve_path(problem: PathProblem) -> Numbers:
    """The corrections (n, 4) as a, b, x, y. Raises `ClevrinError` where no gate fits.

    Costs about 20 ms for 150 frames and 0.12 s for 1,800 while no corner meets the picture's edge, 0.1 to 0.8 s for
    150 frames where one does. The constraint holds exactly: what the solver's tolerance leaves over is taken back
    frame by frame.
    """
    n = len(problem.motions)
    radius = _radius(problem)
    unit = np.tile([radius, radius, 1.0, 1.0], n)  # unknowns are px at the corner: well scaled
    hessian, linear = _objective(problem, unit)
    free = np.tile(problem.free, n)
    still = np.tile([1.0, 0.0, 0.0, 0.0], n) * unit
    linear = linear[free] + hessian[free][:, ~free] @ still[~free]
    hessian = hessian[free][:, free]
    inside, reach = _inside(problem.corners, problem.limits or (np.inf, np.inf), n)
    inside = inside @ sp.diags(1 / unit)
    bounds, offset = inside[:, free], inside[:, ~free] @ still[~free]

    def corrections_of(solved: Numbers) -> Numbers:
        every = still.copy()
        every[free] = solved
        return (every / unit).reshape(n, 4)

    solution = spl.spsolve(hessian, -linear)
    corrections = corrections_of(solution)
    if problem.limits is None:
        return corrections
    # Most often no constraint is active: then the plain solution, which takes a tenth of the time, is it.
    if problem.free[0]:
        corrections[:, :2] /= corrections[:, 0].min()
    if _holds(corrections, problem):
        return corrections
    low, high = -reach - offset, reach - offset
    if problem.free[0]:
        grows = sp.eye(4 * n, format="csr")[0::4][:, free]
        bounds = sp.vstack([bounds, grows], "csc")
        low, high = np.append(low, np.full(n, radius)), np.append(high, np.full(n, np.inf))
    corrections = corrections_of(_solve(hessian, linear, bounds.tocsc(), low, high, solution))
    if problem.free[0]:
        corrections[:, 0] = np.maximum(corrections[:, 0], 1.0)
    return _pulled_inside(corrections, problem)


def _radius(problem: PathProblem) -> float:
    return float(np.hypot(*problem.corners[0].T).max())


def _objective(problem: PathProblem, unit: Numbers) -> tuple[sp.csc_matrix, Numbers]:
    """What is to be as small as can be: x' H x / 2 + g' x on the scaled corrections; gives H and g."""
    n = len(problem.motions)
    radius = _radius(problem)
    identity = np.tile([1.0, 0.0, 0.0, 0.0], n)
    residual, constant = _residual(problem.motions, n)
    residual = residual @ sp.diags(1 / unit)
    per_row = np.tile([radius, radius, 1.0, 1.0], n - 1)
    residual, constant = sp.diags(per_row) @ residual, per_row * constant
    hessian = sp.eye(4 * n, format="csc")
    linear = -(identity * unit)
    if n > problem.order:
        strength = 1 / (2 * np.sin(np.pi * min(problem.cutoff, 0.45))) ** (2 * problem.order)
        steps = _difference(n - 1, problem.order - 1)
        near_fast = _touches(problem.fast, problem.order + 1)
        weight = np.repeat(np.where(near_fast, strength * _FREE, strength), 4)
        # What an axis that is off does cannot be mended; the others must not try to make up for it.
        weight *= np.tile(problem.free, len(near_fast))
        jerk, offset = steps @ residual, steps @ constant
        hessian = hessian + jerk.T @ sp.diags(weight) @ jerk
        linear = linear + jerk.T @ (weight * offset)
    if problem.fast.any() and n > 2:
        # Through a whip the correction itself changes smoothly, so that the whip's own course stays.
        bend = _difference(n, 2)
        weight = np.repeat(np.where(_touches(problem.fast, 3), _WHIP_CALM, 0.0), 4)
        hessian = hessian + bend.T @ sp.diags(weight) @ bend
    return hessian.tocsc(), linear


def _holds(corrections: Numbers, problem: PathProblem) -> bool:
    assert problem.limits is not None
    at = np.array([_corrected(c, b) for c, b in zip(problem.corners, corrections, strict=True)])
    return bool((np.abs(at) <= np.array(problem.limits) - _INSET_PX).all())


def _residual(motions: Numbers, n: int) -> tuple[sp.csc_matrix, Numbers]:
    """R (4(n-1)) as a matrix on the corrections (4n), and its constant part."""
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


def _difference(frames: int, order: int) -> sp.csc_matrix:
    """The `order`-th difference of `frames` rows of four numbers."""
    matrix = sp.eye(frames, format="csc")
    for _ in range(order):
        size = matrix.shape[0]
        matrix = sp.diags([-1.0, 1.0], [0, 1], shape=(size - 1, size)) @ matrix
    return sp.kron(matrix, sp.eye(4), format="csc")


def _touches(fast: NDArray[np.bool_], window: int) -> NDArray[np.bool_]:
    """(n - window + 1,): whether any of `window` frames in a row is fast."""
    windows = np.lib.stride_tricks.sliding_window_view(fast, window)
    return np.asarray(windows.any(axis=1))


def _inside(corners: Numbers, limits: tuple[float, float], n: int) -> tuple[sp.csc_matrix, Numbers]:
    """Eight rows a frame: the coordinates of the corrected corners; and how large they may be."""
    x, y = corners[..., 0], corners[..., 1]
    one, zero = np.ones_like(x), np.zeros_like(x)
    across = np.stack([x, -y, one, zero], axis=-1)
    down = np.stack([y, x, zero, one], axis=-1)
    blocks = np.concatenate([across, down], axis=1)  # (n, 8, 4)
    matrix = sp.block_diag(list(blocks), format="csc")
    reach = np.tile(np.repeat(np.array(limits) - _INSET_PX, 4), n)
    return matrix, reach


def _solve(
    hessian: sp.csc_matrix, linear: Numbers, rows: sp.csc_matrix, low: Numbers, high: Numbers, start: Numbers
) -> Numbers:
    # The problem is scaled so that its largest weight is 1: the squares of third differences have large ones.
    scale = 1 / abs(hessian).max()
    solver = osqp.OSQP()
    solver.setup(
        P=sp.triu(hessian * scale, format="csc"),
        q=linear * scale,
        A=rows,
        l=low,
        u=high,
        verbose=False,
        eps_abs=1e-4,
        eps_rel=1e-5,
        max_iter=20_000,
        scaling=20,
        adaptive_rho_interval=50,
        polishing=False,
    )
    solver.warm_start(x=start)
    result = solver.solve(raise_error=False)
    if result.x is None or not np.isfinite(result.x).all():
        raise ClevrinError("No gate fits inside the picture with these settings; keep less of it.")
    return np.asarray(result.x)


def _pulled_inside(corrections: Numbers, problem: PathProblem) -> Numbers:
    """Where a corner is outside by the solver's tolerance, takes that frame's correction back a little."""
    assert problem.limits is not None
    limits = np.array(problem.limits)
    still = np.array([1.0, 0.0, 0.0, 0.0])
    for k, correction in enumerate(corrections):
        at = _corrected(problem.corners[k], correction)
        if (np.abs(at) <= limits).all():
            continue
        base = problem.corners[k]
        if (np.abs(base) > limits).any():
            raise ClevrinError("No gate fits inside the picture with these settings; keep less of it.")
        with np.errstate(divide="ignore", invalid="ignore"):
            room = (np.sign(at) * limits - base) / (at - base)
        share = np.nanmin(np.where(np.abs(at) > limits, room, 1.0))
        corrections[k] = still + max(0.0, share - 1e-9) * (correction - still)
    return corrections


def _corrected(corners: Numbers, correction: Numbers) -> Numbers:
    a, b, x, y = correction
    return np.column_stack([a * corners[:, 0] - b * corners[:, 1] + x, b * corners[:, 0] + a * corners[:, 1] + y])
