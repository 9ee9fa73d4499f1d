"""The outline of a sound as a filled shape: as high as it is loud."""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainter, QPolygonF

from clevrin.core.sound.music_track import OUTLINE_PER_S
from clevrin.desk.widgets import theme

Numbers = NDArray[np.float64]
Outline = NDArray[np.float32]


def loud_between(outline: Outline, seconds: NDArray[np.floating]) -> Numbers:
    """(n - 1,) how loud a sound is between instants of it, 0 to 1 against its loudest: as it is heard, not as it is."""
    edges = np.clip(np.round(seconds * OUTLINE_PER_S).astype(int), 0, max(0, len(outline) - 1))
    loud = [outline[min(a, b) : max(a, b) + (a == b)].max(initial=0) for a, b in pairwise(edges)]
    return np.sqrt(np.array(loud) / max(1e-3, float(outline.max(initial=0))))


def paint_outline(
    painter: QPainter, columns: NDArray[np.int64], loud: Numbers, foot: float, height: float, token: str
) -> None:
    """Fills what lies under (n - 1,) values between (n,) columns of pixels, from a foot up."""
    if len(loud) < 2:
        return
    xs = columns[:-1] + 0.5
    points = [QPointF(x, foot - y) for x, y in zip(xs, loud * height, strict=True)]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour(token))
    painter.drawPolygon(QPolygonF([QPointF(xs[0], foot), *points, QPointF(xs[-1], foot)]))
