"""The hump: the ridges of two shots base to base across the cut, so that a good match is one smooth hump."""

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from clevrin.core.join.between import OnScreen
from clevrin.desk.background.ridge_store import RidgeStore
from clevrin.desk.join.meeting import Meeting
from clevrin.desk.reel.painting import shot_view
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.ridge import RidgeView, height_share, paint_ridge, paint_waiting

_RIDGE_S = 0.55
"""How much of either side is seen."""


def paint_hump(painter: QPainter, meeting: Meeting, ridges: RidgeStore, box: QRectF) -> None:
    """The ridges of both sides in a box, the outgoing one on the incoming one; light: what the join makes of them."""
    painter.fillRect(box, theme.colour("surround"))
    half = box.height() / 2
    for outgoing in (True, False):
        take = meeting.outgoing_take if outgoing else meeting.incoming_take
        rect = QRectF(box.left(), box.top() + (0 if outgoing else half), box.width(), half)
        data = ridges.of(take)
        if data is None:
            paint_waiting(painter, rect, "motion is being measured")
        else:
            paint_ridge(painter, rect, data, meeting_view(meeting, outgoing=outgoing))
    if meeting.made is not None:
        _paint_made(painter, meeting.made, box)
    painter.setPen(theme.colour("line"))
    painter.drawLine(QPointF(box.left(), box.top() + half), QPointF(box.right(), box.top() + half))
    painter.setPen(theme.colour("quiet"))
    painter.setFont(theme.font(theme.SMALL_PX))
    words = "speed · dark line: blur"
    if meeting.made is not None:
        words += " · light line: with what the join makes"
    painter.drawText(QPointF(box.left() + 8, box.top() + 16), words)
    seconds = f"{2 * _RIDGE_S:.1f} s"
    painter.drawText(box.adjusted(0, 4, -8, 0), Qt.AlignmentFlag.AlignRight, seconds)


def _paint_made(painter: QPainter, made: OnScreen, box: QRectF) -> None:
    """The speed on the screen as one curve: standing on the middle before the cut, hanging from it after."""
    middle, half = box.center().y(), box.height() / 2
    for leaving in (True, False):
        # At the cut there are two values, the last of one side and the first of the other.
        cut = int(np.searchsorted(made.times_s, 0.0, side="left")) + 1
        part = slice(None, cut) if leaving else slice(cut, None)
        x = box.center().x() + made.times_s[part] / (2 * _RIDGE_S) * box.width()
        high = height_share(made.widths_per_s[part]) * half
        y = middle - high if leaving else middle + high
        points = [QPointF(*each) for each in zip(x.tolist(), y.tolist(), strict=True)]
        filled = QPolygonF([QPointF(points[0].x(), middle), *points, QPointF(points[-1].x(), middle)])
        shade = theme.colour("ember" if leaving else "kelp")
        shade.setAlpha(70)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setClipRect(box)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(shade)
        painter.drawPolygon(filled)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("text"), 1.6))
        painter.drawPolyline(QPolygonF(points))
    painter.setClipping(False)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def meeting_view(meeting: Meeting, *, outgoing: bool) -> RidgeView:
    """A side's ridge with the cut in its middle; what lies beyond the cut is dim."""
    shot = meeting.outgoing if outgoing else meeting.incoming
    take = meeting.outgoing_take if outgoing else meeting.incoming_take
    reach = _RIDGE_S * float(take.facts.rate)
    cut = meeting.out_frame if outgoing else meeting.in_frame
    # The cut is a boundary between frames: behind the last frame shown, or before the first one, in playing order.
    boundary = cut + 1 if outgoing != shot.reverse else cut
    beyond_is_later = outgoing != shot.reverse
    far = 10.0 * reach
    dim = (float(boundary), boundary + far) if beyond_is_later else (boundary - far, float(boundary))
    view = shot_view(shot, first=boundary - reach, end=boundary + reach)
    return replace(view, hanging=not outgoing, dim=(dim,))
