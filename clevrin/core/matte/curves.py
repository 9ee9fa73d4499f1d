"""Closed curves of points: evenly along them, their normals, and the best way round.

Points are (n, 2); what is of each point is (n,) or (n, m).
"""

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]


def evenly(curve: Points, count: int) -> Points:
    """So many places along a closed curve (n, 2), as far from each other; the first stays."""
    closed = np.vstack([curve, curve[:1]])
    way = np.concatenate([[0], np.hypot(*np.diff(closed, axis=0).T).cumsum()])
    at = np.linspace(0, way[-1], count, endpoint=False)
    return np.column_stack([np.interp(at, way, closed[:, k]) for k in (0, 1)])


def even_as(curve: Points, before: Points) -> Points:
    """A curve with its points evenly along it again, each as near as that lets it be to where it was `before`.

    Points that are moved along their normals alone come to lie together in time, and no more on what they were laid on.
    """
    closed = np.vstack([curve, curve[:1]])
    steps = np.hypot(*np.diff(closed, axis=0).T)
    way = np.concatenate([[0], steps.cumsum()])
    count, whole = len(curve), float(way[-1])
    along = np.diff(closed, axis=0) / np.maximum(steps, 1e-9)[:, None]
    tangents = along + np.roll(along, 1, axis=0)
    tangents /= np.maximum(np.hypot(*tangents.T), 1e-9)[:, None]
    at = way[:-1] + ((before - curve) * tangents).sum(axis=1)
    start = float(np.median(at - np.arange(count) * whole / count))
    places = (start + np.arange(count) * whole / count) % whole
    return np.column_stack([np.interp(places, way, closed[:, k]) for k in (0, 1)])


def normals_of(curve: Points) -> Points:
    """(n, 2): outwards, of length 1."""
    along = np.roll(curve, -2, axis=0) - np.roll(curve, 2, axis=0)
    along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    out = np.column_stack([along[:, 1], -along[:, 0]])
    return out if signed_area(curve) > 0 else -out


def signed_area(curve: Points) -> float:
    """Over 0 where it goes round clockwise as seen (y down)."""
    x, y = curve.T
    return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2


def area_of(curve: Points) -> float:
    return abs(signed_area(curve))


def without_outliers(values: Points) -> Points:
    """Each value as the median of it and its neighbours round a closed curve."""
    reach = 7
    around = np.stack([np.roll(values, k) for k in range(-reach, reach + 1)])
    return np.asarray(np.median(around, axis=0))


def rounded(values: Points, deviation: float) -> Points:
    """Values round a closed curve, smoothed."""
    reach = int(np.ceil(3 * deviation))
    weights = np.exp(-0.5 * (np.arange(-reach, reach + 1) / deviation) ** 2)
    wrapped = np.concatenate([values[-reach:], values, values[:reach]])
    return np.convolve(wrapped, weights / weights.sum(), mode="valid")


def shortest_round(cost: NDArray, bends: float) -> NDArray[np.int64]:
    """(n,): of each row of costs (n, m) the place that makes the sum least, with what neighbours differ, squared.

    It is closed by going round twice: where the second way begins, the first one's beginning is forgotten.
    """
    rows, places = cost.shape
    between = bends * (np.arange(places)[:, None] - np.arange(places)[None]) ** 2
    twice = np.concatenate([cost, cost])
    total = twice[0].copy()
    back = np.zeros((2 * rows, places), np.int64)
    for k in range(1, 2 * rows):
        way = total[None] + between
        back[k] = way.argmin(axis=1)
        total = way[np.arange(places), back[k]] + twice[k]
    chosen = np.zeros(2 * rows, np.int64)
    chosen[-1] = total.argmin()
    for k in range(2 * rows - 1, 0, -1):
        chosen[k - 1] = back[k, chosen[k]]
    half = rows // 2
    return np.concatenate([chosen[rows : rows + half], chosen[half:rows]])
