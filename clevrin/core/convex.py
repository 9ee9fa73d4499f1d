"""A convex quadratic programme over a row of frames, solved by an interior-point method.

The unknowns of a frame meet those of the next few only, and each inequality concerns one frame: all that has to be
factored is a band, so that a step costs time in proportion to the frames. Mehrotra's predictor and corrector (1992,
doi:10.1137/0802028), as in Nocedal & Wright, Numerical Optimization, 2nd edition, section 16.6.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from clevrin.core.importing import importing

if TYPE_CHECKING:
    import scipy.sparse as sp

Numbers = NDArray[np.float64]

_MOST_STEPS = 120
_CLOSE, _CLOSE_DEFINITE = 1e-7, 1e-9
"""Of the linear part, which a definite hessian has calmness in already: it is the larger the more that counts."""
_ROUNDED = 1e-2
_ABSURD = 1e9
_SHORT = 0.995
"""Share of the way to the next bound that a step may go."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Programme:
    """x' H x / 2 + g' x is to be as small as can be with rows @ x <= reach in every frame.

    n frames of d unknowns. `hessian` (nd, nd) sparse, positive definite; `linear` (n, d); `rows` (n, c, d) and `reach`
    (n, c), in which infinite entries bind nothing. Not `definite`: some of the unknowns are multipliers of equations,
    as `augmented` makes them, and the hessian is merely regular.
    """

    hessian: sp.csc_matrix
    linear: Numbers
    rows: Numbers
    reach: Numbers
    definite: bool = True


@dataclass(frozen=True, kw_only=True, eq=False)
class Solution:
    """`unknowns` (n, d), and `multipliers` (n, c) of Lagrange: what a bound that gave way by one would save."""

    unknowns: Numbers
    multipliers: Numbers
    solved: bool


def unconstrained(hessian: sp.csc_matrix, linear: Numbers, *, definite: bool = True) -> Numbers:
    """What a programme without inequalities gives: (n, d)."""
    return _factored(_band(hessian), definite=definite)(-linear)


def augmented(
    base: sp.csc_matrix, linear: Numbers, matrix: sp.csc_matrix, offset: Numbers, weight: Numbers
) -> tuple[sp.csc_matrix, Numbers]:
    """The programme x' H x / 2 + g' x + sum of weight (A x + b)^2 / 2 with y = weight (A x + b) as unknowns beside x.

    `base` H (nd, nd), `linear` g (n, d), `matrix` A (nm, nd), `offset` b and `weight` (nm,). Weights may be as large as
    they like: only their inverses come into it, where H + A' W A would have lost H to rounding (Björck, Numerical
    Methods for Least Squares Problems, 1996, section 2.7). Gives the hessian and linear part of n frames of d + m.
    """
    with importing:
        import scipy.sparse as sp

    n, d = linear.shape
    m = len(weight) // n
    counts = weight > 0
    matrix = sp.diags(counts.astype(float)) @ matrix
    corner = -np.divide(1.0, weight, out=np.ones_like(weight), where=counts)
    whole = sp.bmat([[base, matrix.T], [matrix, sp.diags(corner)]], format="csc")
    of_x = (np.arange(n)[:, None] * d + np.arange(d)).reshape(n, d)
    of_y = n * d + (np.arange(n)[:, None] * m + np.arange(m)).reshape(n, m)
    order = np.concatenate([of_x, of_y], axis=1).reshape(-1)
    together = np.concatenate([linear, np.where(counts, offset, 0.0).reshape(n, m)], axis=1)
    return whole[order][:, order].tocsc(), together


def solve(programme: Programme, start: Numbers) -> Solution:
    """Solves a programme from a start (n, d), which may break the inequalities.

    Takes 10 to 25 steps of some ms for 1,800 frames of four unknowns. `solved` is False where no point keeps all
    inequalities, or none was found.
    """
    band, linear = _band(programme.hessian), programme.linear
    open_ended = ~np.isfinite(programme.reach)
    rows = np.where(open_ended[:, :, None], 0.0, programme.rows)
    reach = np.where(open_ended, 1.0, programme.reach)
    scale = max(1.0, float(np.abs(linear).max()))

    tolerance = _CLOSE_DEFINITE if programme.definite else _CLOSE
    x = start.copy()
    slack = np.maximum(reach - _times(rows, x), 1.0)
    # Where calmness weighs much, so do bounds: a start that is far too low takes many short steps.
    multipliers = np.full_like(slack, scale * (1e-2 if programme.definite else 1e4))
    with np.errstate(over="ignore", invalid="ignore", divide="ignore"):  # where there is no solution they grow
        for _ in range(_MOST_STEPS):
            wrong = _product(band, x) + linear + np.einsum("nci,nc->ni", rows, multipliers)
            over = _times(rows, x) + slack - reach
            gap = float((slack * multipliers).mean())
            # Rounding leaves the more of the conditions over the larger the multipliers are.
            near = tolerance * max(scale, _ROUNDED * float(multipliers.max()))
            if np.abs(wrong).max() < near and np.abs(over).max() < _CLOSE and gap < near:
                return Solution(unknowns=x, multipliers=np.where(open_ended, 0.0, multipliers), solved=True)
            try:
                blocks = np.einsum("nci,nc,ncj->nij", rows, multipliers / slack, rows)
                solved = _factored(_with_blocks(band, blocks), definite=programme.definite)
            except (np.linalg.LinAlgError, ValueError):  # no longer definite, or not finite
                break

            def step(target: Numbers) -> tuple[Numbers, Numbers, Numbers]:
                """Where slack * multipliers is to go by `target`."""
                pull = (multipliers * over - target) / slack  # noqa: B023  # used within its round
                right = -wrong - np.einsum("nci,nc->ni", rows, pull)  # noqa: B023
                dx = solved(right)  # noqa: B023
                ds = -over - _times(rows, dx)  # noqa: B023
                return dx, ds, -(target + multipliers * ds) / slack  # noqa: B023

            product = slack * multipliers
            _, ds, dz = step(product)
            if not np.isfinite(ds).all():
                break
            aim = float(((slack + _longest(slack, ds) * ds) * (multipliers + _longest(multipliers, dz) * dz)).mean())
            centre = (aim / gap) ** 3 * gap
            dx, ds, dz = step(product + ds * dz - centre)
            if not np.isfinite(dz).all():
                break
            length = min(1.0, _SHORT * min(_longest(slack, ds), _longest(multipliers, dz)))
            x, slack, multipliers = x + length * dx, slack + length * ds, multipliers + length * dz
    met = bool(np.isfinite(x).all() and np.abs(x).max() < _ABSURD and (_times(rows, x) <= reach + 1e-3).all())
    return Solution(unknowns=x, multipliers=np.where(open_ended, 0.0, multipliers), solved=met)


def _factored(band: Numbers, *, definite: bool) -> Callable[[Numbers], Numbers]:
    """What solves a symmetric band for right sides (n, d); raises `LinAlgError` or `ValueError` where there is none."""
    with importing:
        from scipy.linalg import cho_solve_banded, cholesky_banded
        from scipy.linalg.lapack import dgbtrf, dgbtrs

    if definite:
        factor = cholesky_banded(band)
        return lambda right: np.asarray(
            cho_solve_banded((factor, False), right.reshape(-1), check_finite=False)
        ).reshape(right.shape)
    width = len(band) - 1
    whole = np.zeros((3 * width + 1, band.shape[1]))
    whole[width : 2 * width + 1] = band
    for k in range(1, width + 1):  # the lower half mirrors the upper
        whole[2 * width + k, : band.shape[1] - k] = band[width - k, k:]
    if not np.isfinite(whole).all():
        raise ValueError("the band is not finite")
    factors, pivots, failed = dgbtrf(whole, width, width, overwrite_ab=True)
    if failed:
        raise np.linalg.LinAlgError("the band is singular")
    return lambda right: np.asarray(dgbtrs(factors, width, width, right.reshape(-1), pivots)[0]).reshape(right.shape)


def _longest(values: Numbers, change: Numbers) -> float:
    """The share of a change, 1 at most, after which a value is 0."""
    falling = change < 0
    return min(1.0, float((-values[falling] / change[falling]).min())) if falling.any() else 1.0


def _times(rows: Numbers, x: Numbers) -> Numbers:
    product: Numbers = np.einsum("nci,ni->nc", rows, x)
    return product


def _band(matrix: sp.csc_matrix) -> Numbers:
    """The upper part of a symmetric sparse matrix as LAPACK keeps bands: [u + i - j, j] is its entry (i, j)."""
    with importing:
        import scipy.sparse as sp

    upper = sp.triu(matrix, format="coo")
    width = int((upper.col - upper.row).max(initial=0))
    band = np.zeros((width + 1, matrix.shape[0]))
    np.add.at(band, (width + upper.row - upper.col, upper.col), upper.data)
    return band


def _product(band: Numbers, x: Numbers) -> Numbers:
    """The matrix of a band times x (n, d)."""
    flat = x.reshape(-1)
    width = len(band) - 1
    result = band[width] * flat
    for k in range(1, width + 1):
        above = band[width - k, k:]
        result[:-k] += above * flat[k:]
        result[k:] += above * flat[:-k]
    return np.asarray(result).reshape(x.shape)


def _with_blocks(band: Numbers, blocks: Numbers) -> Numbers:
    """A band with symmetric blocks (n, d, d) added along its diagonal."""
    size = blocks.shape[1]
    width = len(band) - 1
    extra = max(0, size - 1 - width)
    result = np.concatenate([np.zeros((extra, band.shape[1])), band]) if extra else band.copy()
    width += extra
    for i in range(size):
        for j in range(i, size):
            result[width + i - j, j::size] += blocks[:, i, j]
    return result
