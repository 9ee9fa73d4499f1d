"""Where a gate rests best when nothing is followed: where most of a take's detail and motion is."""

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.gate.form import GateForm
from clevrin.core.motion.measuring.vectors import Vectors

Numbers = NDArray[np.float64]

ROWS, COLUMNS = 36, 64
_LOOKED_AT = 24
_MOVES = 4.0
"""What moves by itself counts so many times as much as what does not."""
_MIDDLE = 0.15
"""How much less the rim counts than the middle: of two places that are alike the one in the middle is meant."""


def detail_of(span: Span, vectors: Callable[[int], Vectors | None]) -> Numbers:
    """(36, 64): how much there is to see in each part of the picture over a span; it sums to 1 in any case.

    `vectors` gives what was tracked into a frame: corners stand where there is detail.
    """
    total = np.zeros((ROWS, COLUMNS))
    for frame in np.unique(np.linspace(max(1, span.first), span.end - 1, _LOOKED_AT).astype(int)):
        found = vectors(int(frame))
        if found is None or len(found.after) == 0:
            continue
        at = np.clip((found.after * (COLUMNS, ROWS)).astype(int), 0, (COLUMNS - 1, ROWS - 1))
        np.add.at(total, (at[:, 1], at[:, 0]), np.where(found.follows, 1.0, _MOVES))
    soft = cv2.GaussianBlur(total, (0, 0), 1.5)
    return np.asarray(soft / soft.sum() if soft.sum() > 0 else np.full_like(total, 1 / total.size))


def resting_place(detail: Numbers, form: GateForm, width: float) -> tuple[float, float]:
    """The middle, in pixels of the source, of a gate of a width that shows the most of what there is to see."""
    size = np.array(form.size, np.float64)
    half = form.half * width / (2 * form.half[0])
    cells = np.maximum(1, np.round(2 * half / size * (COLUMNS, ROWS)).astype(int))
    cells = np.minimum(cells, (COLUMNS, ROWS))
    sums = cv2.integral(np.ascontiguousarray(detail))
    down, across = ROWS - cells[1], COLUMNS - cells[0]
    seen = (
        sums[cells[1] :, cells[0] :][: down + 1, : across + 1]
        - sums[: down + 1, cells[0] :][:, : across + 1]
        - sums[cells[1] :, : across + 1][: down + 1]
        + sums[: down + 1, : across + 1]
    )
    y, x = np.mgrid[0 : down + 1, 0 : across + 1]
    off = np.hypot((x + cells[0] / 2) / COLUMNS - 0.5, (y + cells[1] / 2) / ROWS - 0.5)
    best = np.unravel_index(int(np.argmax(seen * (1 - _MIDDLE * off))), seen.shape)
    place = (np.array([best[1], best[0]]) + cells / 2) / (COLUMNS, ROWS) * size - 0.5
    room = np.maximum(0.0, form.limits - half)
    return tuple(float(v) for v in form.limits + np.clip(place - form.limits, -room, room))  # type: ignore[return-value]
