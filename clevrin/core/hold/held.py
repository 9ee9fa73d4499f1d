"""The held path: where the gate lies on the source picture at every frame."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.motion.models import Matrix, apply


@dataclass(frozen=True, kw_only=True, eq=False)
class HeldPath:
    """A held stretch of a take.

    `src_from_held` (span.frames, 3, 3) takes pixels of the held picture, which is as large as the source, to
    pixels of the source picture. `kept` (span.frames,) is the share of the picture's width that is seen.
    """

    span: Span
    src_from_held: NDArray[np.float64]
    kept: NDArray[np.float64]

    def __post_init__(self) -> None:
        self.src_from_held.flags.writeable = self.kept.flags.writeable = False

    def at(self, frame: int) -> Matrix:
        """The map of one frame of the take; outside the span that of its nearest frame."""
        return self.src_from_held[self._row(frame)]

    def kept_at(self, frame: int) -> float:
        """The share of the picture's width that is seen at one frame of the take."""
        return float(self.kept[self._row(frame)])

    def _row(self, frame: int) -> int:
        return int(np.clip(frame - self.span.first, 0, self.span.frames - 1))

    @property
    def least_kept(self) -> float:
        return float(self.kept.min())


def gate_corners(width: int, height: int) -> NDArray[np.float64]:
    """The outer corners of a picture's pixels about its centre: (4, 2), in order round the picture."""
    x, y = width / 2, height / 2
    return np.array([[-x, -y], [x, -y], [x, y], [-x, y]])


def corners_on_source(src_from_held: Matrix, width: int, height: int) -> NDArray[np.float64]:
    """Where the held picture's corners lie on the source, about its centre: (4, 2)."""
    centre = np.array([(width - 1) / 2, (height - 1) / 2])
    return apply(src_from_held, gate_corners(width, height) + centre) - centre


def placed(about_centre: NDArray[np.float64], width: int, height: int) -> NDArray[np.float64]:
    """Maps about the centre (..., 3, 3) as maps of pixel coordinates."""
    shift = np.eye(3)
    shift[:2, 2] = (width - 1) / 2, (height - 1) / 2
    return shift @ about_centre @ np.linalg.inv(shift)
