"""The held path: where the gate lies on the source picture at every frame."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.motion.geometry.models import Matrix, apply, gate_corners

Numbers = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True, eq=False)
class HeldPath:
    """A held stretch of a take.

    `src_from_held` (span.frames, 3, 3) takes pixels of the held picture, which is as large as the source, to pixels of
    the source picture. `kept` (span.frames,) is the share of the picture's width that is seen. `window` is the share of
    the held picture, about its middle, that shows anything: under 1 with the edge `trim`. `bound`: whether the
    picture's edge or a bound held the path back; `bridged` (span.frames,) bool: where an anchor was not seen.
    `standing`: which share of the width may be kept for a lock-off to stand quite still, where it cannot as it is.
    `bend` (span.frames, rows, columns, 2): what is added to places on the source, in pixels, at the knots of a grid
    over it, where a mesh is taken out. `rooms` (span.frames,): how large each frame by itself would let the gate be, as
    a share of the picture; with edges that fill. `gate` (span.frames, 3, 3): where the gate is on the picture as it is
    held, as maps of the gate that rests, about the picture's centre.
    """

    span: Span
    src_from_held: Numbers
    kept: Numbers
    window: float = 1.0
    bound: bool = False
    standing: float | None = None
    bridged: NDArray[np.bool_]
    bend: Numbers | None = None
    rooms: Numbers | None = None
    gate: Numbers | None = None

    def __post_init__(self) -> None:
        for array in (self.src_from_held, self.kept, self.bridged, self.bend, self.rooms, self.gate):
            if array is not None:
                array.flags.writeable = False

    def at(self, frame: int) -> Matrix:
        """The map of one frame of the take; outside the span that of its nearest frame."""
        return self.src_from_held[self._row(frame)]

    def gates(self, span: Span) -> Numbers:
        """The maps of the frames of a span, each as `at` gives it: (span.frames, 3, 3)."""
        return self.src_from_held[self.rows(span)]

    def gate_at(self, frame: int) -> Matrix | None:
        """Where the gate is on the held picture at one frame of the take, about the picture's centre."""
        return None if self.gate is None else self.gate[self._row(frame)]

    def kept_at(self, frame: int) -> float:
        """The share of the picture's width that is seen at one frame of the take."""
        return float(self.kept[self._row(frame)])

    def bend_at(self, frame: int) -> Numbers | None:
        """The grid's displacements of one frame (rows, columns, 2)."""
        return None if self.bend is None else self.bend[self._row(frame)]

    def bridged_at(self, frame: int) -> bool:
        """Whether the anchor was not seen in one frame of the take."""
        return bool(self.bridged[self._row(frame)])

    def bridged_in(self, span: Span) -> tuple[int, ...]:
        """The frames of a span in which the anchor was not seen."""
        return tuple(k for k in range(span.first, span.end) if self.bridged_at(k))

    def rows(self, span: Span) -> NDArray[np.int64]:
        """(span.frames,): which row of the arrays each frame of a span has; outside this one's its nearest."""
        return np.clip(np.arange(span.first, span.end) - self.span.first, 0, self.span.frames - 1)

    def least_kept_in(self, span: Span) -> float:
        """The least share of the width that is seen in a span."""
        return float(self.kept[self.rows(span)].min())

    def _row(self, frame: int) -> int:
        return int(np.clip(frame - self.span.first, 0, self.span.frames - 1))

    @property
    def untouched(self) -> bool:
        """Whether every frame is shown as it was shot."""
        return self.bend is None and bool((self.src_from_held == np.eye(3)).all())

    @property
    def least_kept(self) -> float:
        return float(self.kept.min())


def corners_on_source(src_from_held: Matrix, width: int, height: int, window: float = 1.0) -> Numbers:
    """Where the corners of what the held picture shows lie on the source, about its centre: (4, 2)."""
    centre = np.array([(width - 1) / 2, (height - 1) / 2])
    return apply(src_from_held, window * gate_corners(width, height) + centre) - centre


def placed(about_centre: Numbers, width: int, height: int) -> Numbers:
    """Maps about the centre (..., 3, 3) as maps of pixel coordinates."""
    shift = np.eye(3)
    shift[:2, 2] = (width - 1) / 2, (height - 1) / 2
    return shift @ about_centre @ np.linalg.inv(shift)


def maps_of(corrections: Numbers) -> Numbers:
    """Similarities (n, 4) as a, b, x, y as maps (n, 3, 3)."""
    a, b, x, y = corrections.T
    maps = np.zeros((len(corrections), 3, 3))
    maps[:, 0] = np.column_stack([a, -b, x])
    maps[:, 1] = np.column_stack([b, a, y])
    maps[:, 2, 2] = 1.0
    return maps
