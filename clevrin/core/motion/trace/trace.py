"""The trace of a take: what was measured of its motion, frame by frame."""

from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.mesh import knot_shares
from clevrin.core.motion.geometry.models import FittedModel, apply, similarities_of

Model = Literal["auto", "translation", "similarity", "homography", "mesh"]
Numbers = NDArray[np.float64]

ASSUMED_SHUTTER_DEG = 180.0
"""What is taken where a take never moves fast enough for its shutter angle to be seen."""

_EVEN_FRAMES, _EVEN_S = 0.1, 0.0015
"""Stamps that stray no further are even: the ticks of a container are as coarse."""
_LEAST_STEP = 0.1
_LONGEST_GUESS = 12
"""Frames over which a speed that is not known is thought to go from one that is to the next."""
LOW_CONFIDENCE = 0.35
"""Confidence under which a frame's motion is not known surely."""
REPEATED = 0.3
"""Confidence of a frame that is the one before once more: the picture has no motion there, but the camera had."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Trace:
    """Measured motion. All arrays are float64, read-only, and have a first axis of `frames`.

    `motions` (frames, 3, 3): homographies in full-size pixels of the upright picture (x right, y down, integer
    coordinates at pixel centres); row k takes frame k-1 to frame k, row 0 is the identity. `confidence` is 0 to
    1: 0 where nothing is known and the motion is none or an even share of what the frames around it say, `REPEATED`
    where a frame is shown once more. `shutter_deg` is None where it could not be measured. `seen_blur_px` (frames,):
    length of the blur as the picture alone shows it, NaN where it does not. `mesh` (frames, rows, columns, 2), with
    the model of that name alone: what `motions` leave of the motion at the knots of a grid over the picture.
    `sigma_px` (frames, 2): by how much a row of `motions` may be off at the centre and at the corners, one deviation of
    the distance. `parallax_px` (frames,): what is tracked does beside `motions`, RMS over the picture. `changed`
    (frames,): whether another plane is followed from a frame on.
    """

    width: int
    height: int
    rate: Fraction
    times_s: Numbers
    model: FittedModel
    motions: Numbers
    confidence: Numbers
    shutter_deg: float | None
    seen_blur_px: Numbers | None = None
    mesh: Numbers | None = None
    sigma_px: Numbers | None = None
    parallax_px: Numbers | None = None
    changed: NDArray[np.bool_] | None = None

    def __post_init__(self) -> None:
        for array in (
            *(self.times_s, self.motions, self.confidence, self.seen_blur_px, self.mesh),
            *(self.sigma_px, self.parallax_px, self.changed),
        ):
            if array is not None:
                array.flags.writeable = False

    @property
    def frames(self) -> int:
        return len(self.motions)

    @property
    def blind(self) -> bool:
        """Whether nothing at all could be followed from one frame to the next."""
        return not self.confidence[1:].any()

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
        return similarities_of(self.about_centre)

    def carried(self, points: Numbers, frame: int) -> Numbers:
        """Where the background's points (n, 2) of the frame before are in a frame, with the mesh if there is one."""
        moved = apply(self.motions[frame], points)
        if self.mesh is None:
            return moved
        half = np.array([self.width, self.height]) / 2
        shares = knot_shares(points - self.centre, half)
        return moved + shares @ self.mesh[frame].reshape(-1, 2)

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
        return self.while_open(self.displacement_px)

    @cached_property
    def varying(self) -> Numbers | None:
        """(frames,): how long each step took, in mean frames, where the rate varies; None where it is even."""
        if self.frames < 3 or len(self.times_s) != self.frames:
            return None
        taken = (self.times_s - self.times_s[0]) * float(self.rate)
        strayed = np.abs(taken - np.arange(self.frames) * taken[-1] / (self.frames - 1)).max()
        if strayed <= max(_EVEN_FRAMES, _EVEN_S * float(self.rate)):
            return None
        return np.maximum(np.diff(taken, prepend=-1.0), _LEAST_STEP)

    def while_open(self, steps: Numbers) -> Numbers:
        """From steps (frames, ...) into each frame, the rate of change while it is exposed.

        The mean of the steps into and out of the frame; at the ends of the take the one that is known. A frame
        that is shown once more shares the step that follows it, and of a step that is not known, as across a cut, is
        thought what lies between its neighbours: the camera did not halt. Where the rate varies, a step over more time
        than others counts for less.
        """
        if self.frames < 2:
            return np.zeros_like(steps)
        steps = steps.copy()
        repeated = np.append(self.confidence[:-1] == REPEATED, False)
        for frame in np.flatnonzero(repeated)[::-1]:
            steps[frame] = steps[frame + 1] = steps[frame + 1] / 2
        if self.varying is not None:
            steps /= self.varying.reshape(-1, *[1] * (steps.ndim - 1))
        known = np.flatnonzero(self.confidence[1:] > 0) + 1
        for before, after in pairwise(known):
            if 1 < after - before <= _LONGEST_GUESS:
                share = np.arange(1, after - before) / (after - before)
                share = share.reshape(-1, *[1] * (steps.ndim - 1))
                steps[before + 1 : after] = steps[before] * (1 - share) + steps[after] * share
        into = np.concatenate([steps[1:2], steps[1:]])
        out = np.concatenate([steps[1:], steps[-1:]])
        return (into + out) / 2

    @cached_property
    def whole_speed_px(self) -> Numbers:
        """(frames,): how fast the picture moves while each frame is exposed, RMS over all of it, with roll and zoom."""
        half = np.array([self.width, self.height]) / 2
        return self.while_open(picture_speeds(self.about_centre, half))

    @cached_property
    def turn_deg(self) -> Numbers:
        """(frames,): how fast the picture turns while each frame is exposed, in degrees per frame, anticlockwise."""
        return self.while_open(self.roll_deg)

    @cached_property
    def growth(self) -> Numbers:
        """(frames,): how fast the picture grows while each frame is exposed, as a natural logarithm per frame."""
        return self.while_open(np.log(self.scale))

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
        return np.hypot(*self.velocity_px.T) * self.open_share

    @property
    def open_share(self) -> float:
        """The share of a frame's time in which the shutter is open, as fitted, or as most film-makers set it."""
        return (ASSUMED_SHUTTER_DEG if self.shutter_deg is None else self.shutter_deg) / 360

    @property
    def blur_angle_deg(self) -> Numbers:
        """(frames,): the direction in which the picture is smeared, 0 to 180 (not including 180)."""
        return np.mod(np.round(self.heading_deg, 6), 180.0)


def picture_speeds(motions: Numbers, half: Numbers) -> Numbers:
    """(frames,): RMS displacement over a grid within `half` (2,) about the centre, by motions (frames, 3, 3)."""
    grid = np.stack(np.meshgrid(np.linspace(-1, 1, 5), np.linspace(-1, 1, 5)), axis=-1).reshape(-1, 2) * half
    moved = np.column_stack([grid, np.ones(len(grid))]) @ motions.transpose(0, 2, 1)
    steps: Numbers = moved[:, :, :2] / moved[:, :, 2:] - grid
    return np.sqrt((steps**2).sum(axis=2).mean(axis=1))


def camera_angle_deg(displacement_px: Numbers) -> Numbers:
    """The camera's direction for a displacement of the picture (..., 2): right 0, up 90, -180 to 180."""
    return np.degrees(np.arctan2(displacement_px[..., 1], -displacement_px[..., 0]))
