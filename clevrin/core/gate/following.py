"""The gate's course after a subject: one convex problem, with the subject in its region and the gate in the picture.

The least weighted sum of squares of the course's first, second and third differences beside its distance from where the
subject asks for it. The three weights are those of a low-pass that is thrice critically damped, (1 + t² w²)³, whose
kernel is positive everywhere: a course without bounds never goes beyond what the subject did, so that a stop is met
without overshoot. Smoothing by differences goes back to Whittaker (1922, doi:10.1017/S001309150000077X); the
corner constraints are those of Grundmann, Kwatra & Essa (2011, doi:10.1109/CVPR.2011.5995525).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from clevrin.core.convex import Programme, solve, unconstrained
from clevrin.core.importing import importing

if TYPE_CHECKING:
    import scipy.sparse as sp

Numbers = NDArray[np.float64]

_SPREAD = np.sqrt(6.0)
"""Deviation of the kernel in time constants: two for each of three stages."""
_MOST_FRAMES = 24.0
"""A longer time constant is solved for every second, third ... frame: more would be lost in rounding."""
_OF_ALL = 0.25
"""Of all frames: with a longer time constant a course is as good as at rest already."""
_BEYOND = 3.0
"""So many time constants further the subject is thought to go on as it did: or the gate would slow down at the ends."""
_FAINT = 1e-7


@dataclass(frozen=True, kw_only=True, eq=False)
class FollowProblem:
    """Where the gate's middle is asked for at each of n frames, in any unit.

    `wanted` (n, 2); `counts` (n,) 0 to 1: how much that frame's wish does. `rows` (n, c, 2) and `reach` (n, c): that
    the gate lies within the picture; `region` (n, r, 2) and `within` (n, r): that the subject is in its region, which
    gives way where both cannot be, infinite where it is not seen. `frames`: deviation of the smoothing.
    """

    wanted: Numbers
    counts: Numbers
    rows: Numbers
    reach: Numbers
    region: Numbers
    within: Numbers
    frames: float


def followed_course(problem: FollowProblem) -> Numbers:
    """The gate's middle at each frame (n, 2). Costs about 10 ms for 300 frames."""
    constant = min(problem.frames / _SPREAD, _OF_ALL * len(problem.wanted))
    beyond = int(np.ceil(_BEYOND * constant))
    if not problem.counts.any():
        return problem.wanted
    found = _found(_gone_on(problem, beyond), constant)
    return found[beyond : beyond + len(problem.wanted)]


def _gone_on(problem: FollowProblem, beyond: int) -> FollowProblem:
    """The problem with frames before and after it, in which the subject goes on as it does at the ends."""
    known = np.flatnonzero(problem.counts > 0)
    if not beyond or not len(known):
        return problem
    n = len(problem.wanted)
    before = _continued(problem.wanted, known[: beyond + 2], np.arange(-beyond, 0))
    after = _continued(problem.wanted, known[-beyond - 2 :], np.arange(n, n + beyond))
    pad = ((beyond, beyond), (0, 0))
    return replace(
        problem,
        wanted=np.concatenate([before, problem.wanted, after]),
        counts=np.pad(problem.counts, beyond, constant_values=1.0),
        rows=np.pad(problem.rows, (*pad, (0, 0)), mode="edge"),
        reach=np.pad(problem.reach, pad, mode="edge"),
        region=np.pad(problem.region, (*pad, (0, 0)), mode="edge"),
        within=np.pad(problem.within, pad, constant_values=np.inf),
    )


def _continued(wanted: Numbers, rows: NDArray[np.int64], at: NDArray[np.int64]) -> Numbers:
    """(m, 2): the line through wishes (n, 2) at some rows, at other rows."""
    middle = wanted[rows].mean(axis=0)
    away = rows - rows.mean()
    slope = away @ (wanted[rows] - middle) / max(1.0, float((away**2).sum()))
    return np.asarray(middle + (at - rows.mean())[:, None] * slope)


def _found(problem: FollowProblem, constant: float) -> Numbers:
    with importing:
        import scipy.sparse as sp
        from scipy.interpolate import CubicSpline

    n = len(problem.wanted)
    every = max(1, int(np.ceil(constant / _MOST_FRAMES)))
    at = np.arange(0, n, every)
    if at[-1] != n - 1:
        at = np.append(at, n - 1)
    wanted, counts = _meant(problem, at)
    total = _hessian(counts, constant / every)
    near = _unbound(total, wanted, counts)
    rows = np.concatenate([problem.rows, problem.region], axis=1)
    inside = _nearest_inside(problem)
    # The region gives way as far as it must for the gate to stay in the picture.
    within = np.maximum(problem.within, np.einsum("nci,ni->nc", problem.region, inside) + 1e-6)
    reach = np.concatenate([problem.reach, within], axis=1)
    tightest = _tightest(rows, reach, at)
    if (np.einsum("nci,ni->nc", tightest[0], near) <= tightest[1]).all():
        found = near
    else:
        programme = Programme(
            hessian=sp.kron(total, sp.eye(2), format="csc"),
            linear=-counts[:, None] * wanted,
            rows=tightest[0],
            reach=tightest[1],
        )
        answer = solve(programme, near)
        found = answer.unknowns if answer.solved else inside[at]
    if every == 1:
        return found
    return np.asarray(CubicSpline(at, found)(np.arange(n)) if len(at) > 3 else _between(at, found, n))


def smoothed(values: Numbers, counts: Numbers, frames: float) -> Numbers:
    """Values (n, d) smoothed over so many frames, what goes on evenly left as it is (Whittaker 1922)."""
    with importing:
        import scipy.sparse as sp

    n = len(values)
    if n < 3 or frames <= 0:
        return values
    difference = sp.diags((1.0, -2.0, 1.0), range(3), shape=(n - 2, n), format="csc")
    hessian = sp.diags(np.maximum(counts, _FAINT)) + frames**4 * (difference.T @ difference)
    return _unbound(hessian.tocsc(), values, counts)


def _hessian(counts: Numbers, constant: float) -> sp.csc_matrix:
    """(n, n): of one column of the unknowns."""
    with importing:
        import scipy.sparse as sp

    n = len(counts)
    total = sp.diags(np.maximum(counts, _FAINT), format="csc")
    for taps, share in (((-1.0, 1.0), 3.0), ((1.0, -2.0, 1.0), 3.0), ((-1.0, 3.0, -3.0, 1.0), 1.0)):
        order = len(taps) - 1
        if n <= order:
            break
        difference = sp.diags(taps, range(order + 1), shape=(n - order, n), format="csc")
        total = total + share * constant ** (2 * order) * (difference.T @ difference)
    return total.tocsc()


def _unbound(hessian: sp.csc_matrix, values: Numbers, counts: Numbers) -> Numbers:
    columns = [unconstrained(hessian, -(counts * column)[:, None])[:, 0] for column in values.T]
    return np.stack(columns, axis=1)


def _meant(problem: FollowProblem, at: NDArray[np.int64]) -> tuple[Numbers, Numbers]:
    """The wishes at some of the frames, each the mean of those around it, and how much they count."""
    if len(at) == len(problem.wanted):
        return problem.wanted, problem.counts
    edges = np.concatenate([[0], (at[1:] + at[:-1] + 1) // 2])
    counts = np.add.reduceat(problem.counts, edges)
    sums = np.add.reduceat(problem.wanted * problem.counts[:, None], edges, axis=0)
    lengths = np.diff(np.append(edges, len(problem.wanted)))
    wanted = np.where(counts[:, None] > 0, sums / np.maximum(counts, 1e-9)[:, None], problem.wanted[at])
    return wanted, counts / lengths


def _tightest(rows: Numbers, reach: Numbers, at: NDArray[np.int64]) -> tuple[Numbers, Numbers]:
    """The bounds at some of the frames, where those between have the same rows: the tightest of each frame's own."""
    if len(at) == len(rows):
        return rows, reach
    edges = np.concatenate([[0], (at[1:] + at[:-1] + 1) // 2])
    least = np.minimum.reduceat(reach, edges, axis=0)
    return rows[at], least


def _nearest_inside(problem: FollowProblem) -> Numbers:
    """(n, 2): for each frame by itself a middle near its wish at which the gate lies within the picture."""
    found = problem.wanted.copy()
    for _ in range(12):
        for c in range(problem.rows.shape[1]):
            row = problem.rows[:, c]
            over = np.maximum(0.0, (row * found).sum(axis=1) - problem.reach[:, c])
            found -= (over / np.maximum((row**2).sum(axis=1), 1e-12))[:, None] * row
    return found


def _between(at: NDArray[np.int64], found: Numbers, n: int) -> Numbers:
    frames = np.arange(n)
    return np.column_stack([np.interp(frames, at, column) for column in found.T])
