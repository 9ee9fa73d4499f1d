"""Areas that do not count when motion is measured: boxes, fixed or going along with the picture, and masks."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.matching.working_picture import Area, LeftOut, Mask
from clevrin.core.motion.trace.trace import Trace


@dataclass(frozen=True, kw_only=True)
class CarriedArea:
    """An area drawn on one frame that goes along with the picture's motion on all others."""

    frame: int
    area: Area


@dataclass(frozen=True, kw_only=True)
class Masks:
    """What does not count of each frame of a take.

    `known_by`: what they depend on, by which what is measured so is found again. `packed` (frames, h, bytes): the masks
    themselves, eight pixels to a byte, `wide` pixels across; None where what was measured is only looked up.
    """

    known_by: str
    wide: int = 0
    packed: NDArray[np.uint8] | None = field(default=None, compare=False, repr=False)

    @staticmethod
    def of(masks: list[Mask], known_by: str) -> "Masks":
        """Masks, one a frame, all of one size."""
        return Masks(known_by=known_by, wide=masks[0].shape[1], packed=np.packbits(np.array(masks), axis=2))

    def of_frame(self, frame: int) -> Mask:
        """(h, w): what does not count of a frame."""
        assert self.packed is not None, "what is measured has its masks"
        return np.unpackbits(self.packed[frame], axis=1, count=self.wide).astype(bool)


@dataclass(frozen=True, kw_only=True)
class Without:
    """All that is left out of a measurement: `fixed` boxes, boxes `carried` along with the picture, and masks."""

    fixed: tuple[Area, ...] = ()
    carried: tuple[CarriedArea, ...] = ()
    masks: Masks | None = None

    def of_frames(self, trace: Trace | None) -> Callable[[int], tuple[LeftOut, ...]]:
        """What is left out of each frame; `trace` says where carried boxes go, and is needed for these alone."""
        paths = [] if trace is None else [carried_area(each, trace) for each in self.carried]

        def of_frame(frame: int) -> tuple[LeftOut, ...]:
            found: list[LeftOut] = [*self.fixed, *(area for path in paths if (area := path[frame]) is not None)]
            return tuple(found if self.masks is None else [*found, self.masks.of_frame(frame)])

        return of_frame

    @property
    def words(self) -> tuple[str, ...]:
        """It as parts of a shelf's key."""
        fixed = ";".join(_numbers(area) for area in self.fixed)
        carried = ";".join(f"{each.frame}:{_numbers(each.area)}" for each in self.carried)
        return (fixed, carried) if self.masks is None else (fixed, carried, self.masks.known_by)


def _numbers(area: Area) -> str:
    return ",".join(f"{value:.5f}" for value in area)


ALL_COUNTS = Without()


def carried_area(drawn: CarriedArea, trace: Trace) -> list[Area | None]:
    """Where an area is in every frame, as an upright box; None where it has left the picture."""
    x, y, w, h = drawn.area
    size = np.array([trace.width, trace.height])
    corners = np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]]) * size - 0.5
    found: list[Area | None] = [None] * trace.frames
    start = min(drawn.frame, trace.frames - 1)
    for way in (1, -1):
        at = corners
        last = trace.frames if way > 0 else -1
        for frame in range(start, last, way):
            if frame != start:
                motion = trace.motions[frame] if way > 0 else np.linalg.inv(trace.motions[frame + 1])
                at = apply(motion, at)
            low, high = (at.min(axis=0) + 0.5) / size, (at.max(axis=0) + 0.5) / size
            if not np.isfinite(at).all() or (high < -1).any() or (low > 2).any():
                break
            found[frame] = (float(low[0]), float(low[1]), float(high[0] - low[0]), float(high[1] - low[1]))
    return found
