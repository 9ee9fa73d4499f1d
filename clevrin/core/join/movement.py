"""Where two subjects move alike, so that a cut from one to the other goes on as one move.

They are at the same place of the picture, as fast, the same way.
"""

from dataclasses import dataclass
from math import atan2, degrees, hypot

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.tracks.both_ways import Followed

Numbers = NDArray[np.float64]

_REACH = 2
"""How fast it is: over so many frames to either side."""
_APART, _SLOW, _SHARE = 0.15, 0.05, 0.5
"""Widths that count as one; velocities that differ by half of the faster one, and 0.05 widths a second, do as well."""
_OTHERS = 6
"""So near to a pair of frames no other one is proposed."""
_MOST_PAIRS = 4_000_000


@dataclass(frozen=True, kw_only=True, eq=False)
class Course:
    """A subject on its way: `frames` (n,) of its take, `places` (n, 2) in widths from the picture's middle, y down.

    `speeds` (n, 2) in widths a second; `step_s`: how long a frame lasts.
    """

    frames: NDArray[np.int64]
    places: Numbers
    speeds: Numbers
    step_s: float

    @staticmethod
    def of(followed: Followed, first: int, end: int, size: tuple[int, int], rate: float) -> "Course":
        """The course of a track between two frames of its take, of pictures of a `size`; where it is known."""
        return Course.along(followed.places.mean(axis=1), first, end, size, np.full(followed.frames, rate), rate)

    @staticmethod
    def along(
        middles: Numbers, first: int, end: int, size: tuple[int, int], rates: Numbers, shown_rate: float
    ) -> "Course":
        """The same from places (frames, 2) in pixels of pictures of a `size`, NaN where it is not known.

        `rates` (frames,): how many frames go by in a second where each is shown, below 0 backward; `shown_rate`: how
        many pictures are shown in a second.
        """
        places = (middles - (np.array(size) - 1) / 2) / size[0]
        frames = np.arange(max(first, _REACH), min(end, len(places) - _REACH))
        if not len(frames):
            return Course(frames=frames, places=np.empty((0, 2)), speeds=np.empty((0, 2)), step_s=1 / shown_rate)
        speeds = (places[frames + _REACH] - places[frames - _REACH]) * (rates[frames, None] / (2 * _REACH))
        known = np.isfinite(places[frames]).all(axis=1) & np.isfinite(speeds).all(axis=1)
        kept = frames[known]
        return Course(frames=kept, places=places[kept], speeds=speeds[known], step_s=1 / shown_rate)


@dataclass(frozen=True, kw_only=True)
class Alike:
    """A pair of frames, the last of one shot and the first of the next one, and how alike their subjects move there.

    `apart` in widths, `turned_deg` between their ways (0 where either hardly moves), `faster`: how many times as fast
    the incoming one is.
    """

    outgoing: int
    incoming: int
    apart: float
    turned_deg: float
    faster: float
    cost: float


def moving_alike(before: Course, after: Course, most: int = 8) -> tuple[Alike, ...]:
    """The pairs of frames at which two subjects move most alike, the best first; none is next to a better one.

    The incoming one should be where the outgoing one would be a frame later. Costs 50 ms for a million pairs.
    """
    some = max(1, int(np.ceil(np.sqrt(len(before.frames) * len(after.frames) / _MOST_PAIRS))))
    rows, columns = np.arange(0, len(before.frames), some), np.arange(0, len(after.frames), some)
    if not len(rows) or not len(columns):
        return ()
    ahead = before.places[rows] + before.speeds[rows] * before.step_s
    apart = np.linalg.norm(ahead[:, None] - after.places[columns][None], axis=2)
    speeds = [np.linalg.norm(each, axis=1) for each in (before.speeds[rows], after.speeds[columns])]
    differ = np.linalg.norm(before.speeds[rows][:, None] - after.speeds[columns][None], axis=2)
    unlike = differ / (_SLOW + _SHARE * np.maximum(speeds[0][:, None], speeds[1][None]))
    cost = (apart / _APART) ** 2 + unlike**2
    found: list[Alike] = []
    while len(found) < most:
        row, column = np.unravel_index(int(np.argmin(cost)), cost.shape)
        if not np.isfinite(cost[row, column]):
            break
        own, other = rows[row], columns[column]
        found.append(_alike(before, after, int(own), int(other), float(apart[row, column]), float(cost[row, column])))
        near = _OTHERS // some + 1
        cost[max(0, row - near) : row + near + 1, max(0, column - near) : column + near + 1] = np.inf
    return tuple(found)


def _alike(before: Course, after: Course, own: int, other: int, apart: float, cost: float) -> Alike:
    (vx, vy), (wx, wy) = before.speeds[own], after.speeds[other]
    fast, faster = hypot(vx, vy), hypot(wx, wy)
    turned = 0.0
    if min(fast, faster) > _SLOW:
        turned = abs((degrees(atan2(wy, wx) - atan2(vy, vx)) + 180) % 360 - 180)
    return Alike(
        outgoing=int(before.frames[own]),
        incoming=int(after.frames[other]),
        apart=apart,
        turned_deg=turned,
        faster=faster / max(fast, 1e-6),
        cost=cost,
    )
