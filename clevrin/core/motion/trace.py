"""The trace of a take: what was measured of its motion, frame by frame."""

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.models import FittedModel

Model = Literal["auto", "translation", "similarity", "homography"]
Numbers = NDArray[np.float64]

ASSUMED_SHUTTER_DEG = 180.0
"""What is taken where a take never moves fast enough for its shutter angle to be seen."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Trace:
    """Measured motion. All arrays are float64, read-only, and have a first axis of `frames`.

    `motions` (frames, 3, 3): homographies in full-size pixels of the upright picture (x right, y down, integer
    coordinates at pixel centres); row k takes frame k-1 to frame k, row 0 is the identity. `confidence` is 0 to
    1. `shutter_deg` is None where it could not be measured.
    """

    width: int
    height: int
    rate: Fraction
    times_s: Numbers
    model: FittedModel
    motions: Numbers
    confidence: Numbers
    shutter_deg: float | None

    def __post_init__(self) -> None:
        for array in (self.times_s, self.motions, self.confidence):
            array.flags.writeable = False

    @property
    def frames(self) -> int:
        return len(self.motions)

    @property
    def centre(self) -> Numbers:
        return np.array([(self.width - 1) / 2, (self.height - 1) / 2])

    @cached_property
    def about_centre(self) -> Numbers:
        """`motions` for coordinates whose origin is the picture's centre."""
        shift = np.eye(3)
        shift[:2, 2] = self.centre
        return np.linalg.inv(shift) @ self.motions @ shift

    @cached_property
    def displacement_px(self) -> Numbers:
        """(frames, 2): how the picture's centre moved since the frame before."""
        h = self.about_centre
        return h[:, :2, 2] / h[:, 2:, 2]

    @cached_property
    def similarity(self) -> Numbers:
        """(frames, 4): a, b, x, y of the similarity part about the centre."""
        h = self.about_centre
        w = h[:, 2, 2]
        place = h[:, :2, 2] / w[:, None]
        jacobian = (h[:, :2, :2] - place[:, :, None] * h[:, 2, None, :2]) / w[:, None, None]
        a = (jacobian[:, 0, 0] + jacobian[:, 1, 1]) / 2
        b = (jacobian[:, 1, 0] - jacobian[:, 0, 1]) / 2
        return np.column_stack([a, b, place])

    @property
    def roll_deg(self) -> Numbers:
        """(frames,): how the picture turned since the frame before, anticlockwise as seen."""
        a, b = self.similarity[:, 0], self.similarity[:, 1]
        return -np.degrees(np.arctan2(b, a))

    @property
    def scale(self) -> Numbers:
        """(frames,): by how much the picture grew since the frame before."""
        return np.hypot(self.similarity[:, 0], self.similarity[:, 1])

    @property
    def speed_px(self) -> Numbers:
        """(frames,): pixels per frame at the centre, from the frame before to this one."""
        return np.hypot(*self.displacement_px.T)

    @property
    def angle_deg(self) -> Numbers:
        """(frames,): the camera's direction, opposite to the picture's: right 0, up 90, -180 to 180."""
        return camera_angle_deg(self.displacement_px)

    @cached_property
    def velocity_px(self) -> Numbers:
        """(frames, 2): motion of the centre while each frame is exposed, in pixels per frame.

        The mean of the steps into and out of the frame; at the ends of the take the one that is known.
        """
        steps = self.displacement_px
        if self.frames < 2:
            return np.zeros_like(steps)
        into = np.vstack([steps[1:2], steps[1:]])
        out = np.vstack([steps[1:], steps[-1:]])
        return (into + out) / 2

    @cached_property
    def widths_per_s(self) -> Numbers:
        """(frames,): speed while each frame is exposed, in picture widths per second."""
        return np.hypot(*self.velocity_px.T) / self.width * float(self.rate)

    @property
    def heading_deg(self) -> Numbers:
        """(frames,): the camera's direction while each frame is exposed."""
        return camera_angle_deg(self.velocity_px)

    @property
    def blur_px(self) -> Numbers:
        """(frames,): length of the motion blur at the centre: speed times the open part of the shutter."""
        shutter = ASSUMED_SHUTTER_DEG if self.shutter_deg is None else self.shutter_deg
        return np.hypot(*self.velocity_px.T) * shutter / 360

    @property
    def blur_angle_deg(self) -> Numbers:
        """(frames,): the direction in which the picture is smeared, 0 to 180 (not including 180)."""
        return np.mod(np.round(self.heading_deg, 6), 180.0)


def camera_angle_deg(displacement_px: Numbers) -> Numbers:
    """The camera's direction for a displacement of the picture (..., 2): right 0, up 90, -180 to 180."""
    return np.degrees(np.arctan2(displacement_px[..., 1], -displacement_px[..., 0]))
