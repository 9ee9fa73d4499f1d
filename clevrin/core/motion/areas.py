"""Areas that do not count when motion is measured: fixed ones, and ones that go along with the picture."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from clevrin.core.motion.models import apply
from clevrin.core.motion.trace import Trace
from clevrin.core.motion.working import Area


@dataclass(frozen=True, kw_only=True)
class CarriedArea:
    """An area drawn on one frame that goes along with the picture's motion on all others."""

    frame: int
    area: Area


def areas_of_frames(
    fixed: tuple[Area, ...], carried: tuple[CarriedArea, ...], trace: Trace | None
) -> Callable[[int], tuple[Area, ...]]:
    """What is left out of each frame; `trace` says where carried areas go, and is needed for these alone."""
    if not carried or trace is None:
        return lambda frame: fixed
    paths = [carried_area(each, trace) for each in carried]
    return lambda frame: (*fixed, *(area for path in paths if (area := path[frame]) is not None))


def area_words(fixed: tuple[Area, ...], carried: tuple[CarriedArea, ...]) -> tuple[str, str]:
    """Areas as parts of a shelf's key."""
    return ";".join(_numbers(area) for area in fixed), ";".join(f"{c.frame}:{_numbers(c.area)}" for c in carried)


def _numbers(area: Area) -> str:
    return ",".join(f"{value:.5f}" for value in area)


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
