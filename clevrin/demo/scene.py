"""What a take of kite day is made from, and what is true of it: the rate, the camera's path, its lens and shutter."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.demo.camera import Lens, Matrix, Path, Pose, Shake, far_motion, plane_motion

LENS = Lens(width=1280, height=720, focal_px=1152.0)


@dataclass(frozen=True, kw_only=True)
class TrueWhip:
    """A whip as the scene moves: frames of its start, its fastest instant and its end, its direction and kind."""

    start: int
    peak: int
    end: int
    angle_deg: float
    kind: Literal["pan", "tilt", "diagonal", "roll", "zoom"] = "pan"


@dataclass(frozen=True, kw_only=True)
class Scene:
    """One take: all that is needed to film it.

    `zoom` multiplies the lens's focal length by time in seconds; `readout` is the share of a frame's time in which
    a rolling shutter reads its rows, the middle one at the frame's own instant (0: all rows at once).
    """

    name: str
    rate: Fraction
    frames: int
    shutter_deg: float
    path: Path
    background_z: float | None  # None: what counts as background is infinitely far
    whips: tuple[TrueWhip, ...] = ()
    lens: Lens = LENS
    zoom: Callable[[float], float] | None = None
    readout: float = 0.0

    def time(self, frame: float) -> float:
        """The middle of the exposure of a frame, in seconds."""
        return float(frame / self.rate)

    def pose(self, frame: float) -> Pose:
        return self.path(self.time(frame))

    def lens_at(self, frame: float) -> Lens:
        """The lens as it is zoomed at a frame."""
        if self.zoom is None:
            return self.lens
        return replace(self.lens, focal_px=self.lens.focal_px * self.zoom(self.time(frame)))

    def motion(self, before: float, after: float) -> Matrix:
        """The true homography of the background between two frames (of their middle rows)."""
        poses, lenses = (self.pose(before), self.pose(after)), (self.lens_at(before), self.lens_at(after))
        if self.background_z is None:
            return far_motion(*poses, *lenses)
        return plane_motion(*poses, *lenses, self.background_z)

    def carried(self, points: NDArray[np.float64], before: int, after: int) -> NDArray[np.float64]:
        """Where the background's points (n, 2) of one frame truly are in another, row by row as they were read."""
        return np.array([self._carried(point, before, after) for point in points])

    def _carried(self, point: NDArray[np.float64], before: int, after: int) -> NDArray[np.float64]:
        at = point
        for _ in range(6 if self.readout else 1):  # the row where it is read says when, and when says where
            h = self.motion(before + self._late(point[1]), after + self._late(at[1]))
            moved = h @ np.append(point, 1.0)
            at = moved[:2] / moved[2]
        return at

    def _late(self, row: float) -> float:
        """By how many frames a row is read after the middle one."""
        return self.readout * (row - (self.lens.height - 1) / 2) / self.lens.height

    def blur_px(self, frame: int) -> float:
        """The true length of the blur at the picture's centre: how far the centre moves while the shutter is open."""
        half = self.shutter_deg / 720
        h = self.motion(frame - half, frame + half)
        centre = np.array([(self.lens.width - 1) / 2, (self.lens.height - 1) / 2, 1])
        moved = h @ centre
        return float(np.hypot(*(moved[:2] / moved[2] - centre[:2])))


_HAND = [Shake(rms=np.radians(a), seed=s) for a, s in ((0.62, 1), (0.55, 2), (0.42, 3))]


def hand(t: float, seed: float, amount: float = 1.0) -> tuple[float, float, float]:
    """Unrest of hands that try to stand still: yaw, pitch, roll."""
    yaw, pitch, roll = (amount * shake(t + seed) for shake in _HAND)
    return yaw, pitch, roll
