"""A smooth course through values at given frames, with easing at each side of each of them.

Between two poses the speed goes up over a stretch, stays, and goes down over another, each way by a smooth step: place,
speed and acceleration are continuous everywhere, at the poses as well. At a pose that is passed through, the speed is a
share of the slope there that no monotone course exceeds (the harmonic mean of the slopes at both sides: Fritsch &
Butland 1984, doi:10.1137/0905021), so that nothing overshoots.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.float64]

_LONGEST_RAMP, _SHORTEST_RAMP = 0.5, 0.12
"""Shares of the way between two poses over which the speed changes: at a side that rests, and at one that does not."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Stops:
    """Values (m, d) that a course has from frame `first` (m,) to frame `last` (m,), and the easing of their sides (m,).

    `arrive` and `leave` are 0 to 1: 0 comes to rest there and takes half of the way to do so, 1 hardly slows down.
    """

    values: Numbers
    first: Numbers
    last: Numbers
    arrive: Numbers
    leave: Numbers


def eased(stops: Stops, at: Numbers) -> Numbers:
    """(n, d): the course at frames `at` (n,), also between them; before the first stop and after the last it rests."""
    values = stops.values
    course = np.repeat(values[:1], len(at), axis=0)
    course[at >= stops.last[-1]] = values[-1]
    speeds = _speeds(stops)
    for k in range(len(values)):
        rests = (at >= stops.first[k]) & (at <= stops.last[k])
        course[rests] = values[k]
        if k + 1 == len(values):
            break
        between = (at > stops.last[k]) & (at < stops.first[k + 1])
        if between.any():
            course[between] = values[k] + _way(
                at[between] - stops.last[k],
                float(stops.first[k + 1] - stops.last[k]),
                values[k + 1] - values[k],
                (speeds[k], speeds[k + 1]),
                (_ramp(stops.leave[k]), _ramp(stops.arrive[k + 1])),
            )
    return course


def arrived(stops: Stops, at: Numbers) -> Numbers:
    """(n, m): how much each stop is where the course is at frames `at` (n,): 1 there, 0 at its neighbours."""
    shares = np.zeros((len(at), len(stops.values)))
    for k in range(len(stops.values)):
        if k == 0:
            shares[:, k] = 1.0
        else:
            shares[:, k] = smooth_step((at - stops.last[k - 1]) / max(1e-9, stops.first[k] - stops.last[k - 1]))
            shares[:, k - 1] -= shares[:, k]
    return shares


def smooth_step(share: Numbers) -> Numbers:
    """From 0 at 0 to 1 at 1, without speed or acceleration at either (the quintic)."""
    s = np.clip(share, 0, 1)
    return np.asarray(s**3 * (10 - 15 * s + 6 * s**2))


def _ramp(flow: float) -> float:
    return _LONGEST_RAMP + float(flow) * (_SHORTEST_RAMP - _LONGEST_RAMP)


def _speeds(stops: Stops) -> Numbers:
    """(m, d): the speed at each stop; none where the course rests, begins, ends or turns."""
    count = len(stops.values)
    speeds = np.zeros_like(stops.values)
    if count < 3:
        return speeds
    lengths = np.maximum(1e-9, stops.first[1:] - stops.last[:-1])[:, None]
    slopes = np.diff(stops.values, axis=0) / lengths
    before, after = slopes[:-1], slopes[1:]
    onward = before * after > 0
    mean = np.where(onward, 2 * before * after / np.where(onward, before + after, 1.0), 0.0)
    passed = (stops.last == stops.first)[1:-1] * np.minimum(stops.arrive, stops.leave)[1:-1]
    speeds[1:-1] = passed[:, None] * mean
    return speeds


def _way(
    t: Numbers, length: float, way: Numbers, speeds: tuple[Numbers, Numbers], ramps: tuple[float, float]
) -> Numbers:
    """(n, d): how far a course has come at `t` (n,) of a length, from a speed (d,) at its start to one at its end."""
    up, down = ramps[0] * length, ramps[1] * length
    start, end = speeds
    cruise = (way - start * up / 2 - end * down / 2) / (length - up / 2 - down / 2)
    t = t[:, None]

    def half(s: Numbers) -> Numbers:
        """The integral of a smooth step from 0."""
        s = np.clip(s, 0, 1)
        return np.asarray(s**3 - s**4 / 2)

    gone = start * t + (cruise - start) * (up * half(t / up) + np.maximum(0.0, t - up))
    into_end = t - (length - down)
    return np.asarray(gone + (end - cruise) * down * half(into_end / down))
