"""The gate of an output on a picture: how large it is, and where its poses put it."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Pose
from clevrin.core.document.gating import LEAST_GATE_PX
from clevrin.core.motion.geometry.models import gate_corners

Numbers = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True, eq=False)
class GateForm:
    """What an output shows of a picture of a size, in pixels about the picture's centre (x right, y down).

    `half` (2,): half the width and height of the gate where nothing poses it: the largest of its shape in the picture's
    middle. `posed` (n, 3, 3): what takes that gate to where it is wanted at each of n frames; None: it rests.
    """

    size: tuple[int, int]
    half: Numbers
    posed: Numbers | None = None

    @staticmethod
    def of(size: tuple[int, int], shape: tuple[int, int] | None = None) -> "GateForm":
        """The largest gate of a shape (width, height in any unit) in the middle of a picture; None: all of it."""
        half = np.array(size, np.float64) / 2
        if shape is not None:
            scale = min(size[0] / shape[0], size[1] / shape[1])
            half = np.minimum(half, np.array(shape, np.float64) * scale / 2)
        return GateForm(size=size, half=half)

    @property
    def corners(self) -> Numbers:
        """(4, 2): the corners of the gate that rests: top left, top right, bottom right, bottom left."""
        return gate_corners(*(2 * self.half))

    @property
    def limits(self) -> Numbers:
        """(2,): how far from the centre it may reach so that all it shows lies between the centres of pixels."""
        return (np.array(self.size, np.float64) - 1) / 2

    def kept_inside(self, pose: Pose) -> Pose:
        """A pose on the picture moved, and made smaller where it must be, so that no corner of it is outside."""
        turn = np.radians(pose.turn_deg)
        c, s = abs(np.cos(turn)), abs(np.sin(turn))
        x, y = self.half / self.half[0] * pose.width / 2
        extent = np.array([c * x + s * y, s * x + c * y])
        share = float(np.minimum(1.0, (self.limits / extent).min()))
        room = np.maximum(0.0, self.limits - share * extent)
        at = self.limits + np.clip(np.array([pose.x, pose.y]) - self.limits, -room, room)
        width = max(LEAST_GATE_PX, pose.width * share)
        return pose.changed(x=float(at[0]), y=float(at[1]), width=width)

    def with_poses(self, posed: Numbers | None) -> "GateForm":
        return replace(self, posed=posed)

    def laid(self, maps: Numbers) -> Numbers:
        """Maps (n, 3, 3) of the held picture on the source as maps of the gate that rests."""
        return maps if self.posed is None else maps @ self.posed
