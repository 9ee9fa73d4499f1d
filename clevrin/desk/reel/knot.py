"""A join on the reel: two half-discs in the hues of their sides; a gap where the sides do not agree."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPixmap

from clevrin.core.document.joining import PLAIN
from clevrin.core.join.between import COMPARED_WIDTHS_PER_S, DISAGREES, at_cut
from clevrin.core.motion import Trace
from clevrin.core.pace import Placed
from clevrin.desk.reel.kind_marks import MARKS, mark_of
from clevrin.desk.widgets import theme

_WIDEST_GAP_PX = 10.0
_LETTERS_FROM_PX = 10.0


@dataclass(frozen=True, kw_only=True)
class Knot:
    """Direction of either side in degrees (None: it hardly moves, or is not measured) and the mismatch, 0 to 1.

    `kind` is that of the join; one that is made has a mark of its own.
    """

    leaving_deg: float | None
    arriving_deg: float | None
    mismatch: float
    kind: str = PLAIN


def knot_between(before: Placed, after: Placed, leaving: Trace | None, arriving: Trace | None) -> Knot:
    """How two shots meet at the cut: their directions as seen on the reel, and how badly these and the speeds agree."""
    out, in_, off = at_cut(before, after, leaving, arriving)
    return Knot(leaving_deg=_angle(out), arriving_deg=_angle(in_), mismatch=off, kind=before.shot.leave.kind)


def _angle(velocity: np.ndarray | None) -> float | None:
    if velocity is None or np.hypot(*velocity) < COMPARED_WIDTHS_PER_S:
        return None
    return float(np.degrees(np.arctan2(velocity[1], velocity[0])))


def paint_knot(painter: QPainter, centre: tuple[float, float], knot: Knot, radius: float, *, chosen: bool) -> None:
    """Draws a knot of a radius in pixels; small differences do not open the gap, large ones do up to 10 px."""
    angles = (None if angle is None else round(angle) for angle in (knot.leaving_deg, knot.arriving_deg))
    gap = round(max(0.0, knot.mismatch - DISAGREES) * _WIDEST_GAP_PX)
    picture = _picture(*angles, gap, round(radius), chosen, painter.device().devicePixelRatioF(), knot.kind)
    size = picture.deviceIndependentSize()
    painter.drawPixmap(QPointF(centre[0] - size.width() / 2, centre[1] - size.height() / 2), picture)


@lru_cache(maxsize=512)
def _picture(
    leaving_deg: int | None, arriving_deg: int | None, gap: int, radius: int, chosen: bool, ratio: float, kind: str
) -> QPixmap:
    """A knot in the middle of a picture; drawing one anew takes 0.3 ms, and a reel has many."""
    half = radius + gap + 5
    picture = QPixmap(round(2 * half * ratio), round(2 * half * ratio))
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for side, angle in ((-1, leaving_deg), (1, arriving_deg)):
        x = half + side * gap
        path = QPainterPath(QPointF(x, half - radius))
        path.arcTo(QRectF(x - radius, half - radius, 2 * radius, 2 * radius), 90, 180 if side < 0 else -180)
        # A tongue on one side and its notch on the other: the halves interlock.
        path.quadTo(QPointF(x + 0.42 * radius, half), QPointF(x, half - radius))
        fill = theme.direction_colour(angle) if angle is not None else theme.colour("line")
        painter.setPen(QPen(theme.colour("sunk"), 1.5))
        painter.setBrush(fill)
        painter.drawPath(path)
        if angle is not None and radius >= _LETTERS_FROM_PX and kind not in MARKS:
            painter.setPen(_ink(fill))
            painter.setFont(theme.font(10, strong=True))
            label = QRectF(x + (-11 if side < 0 else 1), half - 8, 10, 16)
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, theme.direction_arrow(angle))
    if kind in MARKS and radius >= _LETTERS_FROM_PX:
        for token, width in (("sunk", 4.0), ("text", 1.6)):
            painter.setPen(QPen(theme.colour(token), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(mark_of(kind, half, half, 0.62 * radius))
    if chosen:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("text"), 1.5))
        painter.drawEllipse(QPointF(half, half), radius + 2 + gap, radius + 2)
    painter.end()
    return picture


def _ink(fill: QColor) -> QColor:
    return theme.colour("on_accent" if fill.lightness() > 110 else "text")
