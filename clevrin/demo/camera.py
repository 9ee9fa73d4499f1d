"""A pinhole camera on a known path: poses as functions of continuous time, and what they do to pictures.

World axes: x right, y down, z away from the viewer at yaw 0; metres. Yaw turns the camera to the right,
pitch tilts it up, roll turns it clockwise as seen from behind; radians inside, degrees where named so.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True)
class Pose:
    """Where the camera is (metres) and where it looks (radians)."""

    x: float
    y: float
    z: float
    yaw: float
    pitch: float
    roll: float

    @property
    def position(self) -> Matrix:
        return np.array([self.x, self.y, self.z])

    @property
    def cam_from_world(self) -> Matrix:
        """The rotation (3x3) that takes world directions to camera directions."""
        cy, sy = np.cos(self.yaw), np.sin(self.yaw)
        cp, sp = np.cos(self.pitch), np.sin(self.pitch)
        cr, sr = np.cos(self.roll), np.sin(self.roll)
        turn = np.array([[cy, 0, -sy], [0, 1, 0], [sy, 0, cy]])
        tilt = np.array([[1, 0, 0], [0, cp, sp], [0, -sp, cp]])
        lean = np.array([[cr, sr, 0], [-sr, cr, 0], [0, 0, 1]])
        return lean @ tilt @ turn


Path = Callable[[float], Pose]
"""A camera path: time in seconds to pose."""


@dataclass(frozen=True, kw_only=True)
class Lens:
    """A pinhole lens with its centre in the middle of a `width` x `height` picture, `lift_px` above it for a band."""

    width: int
    height: int
    focal_px: float
    lift_px: float = 0.0

    def band(self, first: int, rows: int) -> "Lens":
        """The same lens for some rows of its picture alone."""
        return replace(self, height=rows, lift_px=first + (rows - self.height) / 2 + self.lift_px)

    @property
    def matrix(self) -> Matrix:
        cx, cy = (self.width - 1) / 2, (self.height - 1) / 2 - self.lift_px
        return np.array([[self.focal_px, 0, cx], [0, self.focal_px, cy], [0, 0, 1]])


@dataclass(frozen=True, kw_only=True)
class Shake:
    """Unrest of one coordinate: a fixed sum of sines, so that it is known at every instant.

    The amplitudes fall with frequency as those of resting hands do (most of it under 3 Hz, a small
    tremor near 8 Hz), with phases from the seed.
    """

    rms: float
    seed: int
    corner_hz: float = 1.7
    tremor: float = 0.04

    def __call__(self, t: float) -> float:
        rng = np.random.default_rng(self.seed)
        hz = np.geomspace(0.25, 11.0, 28) * rng.uniform(0.95, 1.05, 28)
        amplitude = 1 / (1 + (hz / self.corner_hz) ** 2) + self.tremor * np.exp(-(((hz - 8) / 2) ** 2))
        amplitude *= self.rms / np.sqrt(np.sum(amplitude**2) / 2)
        return float(np.sum(amplitude * np.sin(2 * np.pi * hz * t + rng.uniform(0, 2 * np.pi, 28))))


def ease(t: float, start: float, end: float) -> float:
    """0 before `start`, 1 after `end`, between them the integral of a raised cosine (speed peaks midway)."""
    s = float(np.clip((t - start) / (end - start), 0, 1))
    return s - np.sin(2 * np.pi * s) / (2 * np.pi)


def far_motion(before: Pose, after: Pose, lens_before: Lens, lens_after: Lens) -> Matrix:
    """The homography by which what is infinitely far moves in the picture between two poses."""
    turn = after.cam_from_world @ before.cam_from_world.T
    return normalised(lens_after.matrix @ turn @ np.linalg.inv(lens_before.matrix))


def plane_motion(before: Pose, after: Pose, lens_before: Lens, lens_after: Lens, plane_z: float) -> Matrix:
    """The homography by which the world plane z = `plane_z` moves in the picture between two poses."""

    def picture_from_plane(pose: Pose, lens: Lens) -> Matrix:
        axes = np.column_stack([[1, 0, 0], [0, 1, 0], [0, 0, plane_z] - pose.position])
        return lens.matrix @ pose.cam_from_world @ axes

    return normalised(picture_from_plane(after, lens_after) @ np.linalg.inv(picture_from_plane(before, lens_before)))


def normalised(h: Matrix) -> Matrix:
    return h / h[2, 2]
