"""How vectors, tracks and areas left out are drawn over a picture."""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from clevrin.core.motion.matching.working_picture import Area
from clevrin.core.motion.measuring.vectors import Vectors
from clevrin.desk.marks.seen_track import SeenTrack
from clevrin.desk.widgets import theme

Places = NDArray[np.float64]

_STILL_PX = 0.75
_HUES = ("ember", "sky", "plum", "kelp")
_GROUP_HUES = ("brick", "text", "sky", "plum")
"""Of what moves with nothing, what is followed, and planes that move otherwise."""
_KITE_PX = 7.0


def polygon(places: Places) -> QPolygonF:
    return QPolygonF([QPointF(float(x), float(y)) for x, y in places])


def track_hue(number: int) -> str:
    """The token of the colour of a take's track by its number."""
    return _HUES[number % len(_HUES)]


def paint_vectors(painter: QPainter, rect: QRect, vectors: Vectors) -> None:
    """A dot where a corner stood still, a line from where it was to a dot where it is, coloured by its group.

    Crosses for what moves with nothing that is followed or could be.
    """
    size, corner = np.array([rect.width(), rect.height()]), np.array([rect.left(), rect.top()])
    before, after = (places * size + corner for places in (vectors.before, vectors.after))
    for rim, width in ((True, 3.2), (False, 1.4)):  # dark rims first: they are under all lines
        for a, b, group in zip(before, after, vectors.groups, strict=True):
            shown = theme.colour("sunk" if rim else _GROUP_HUES[min(group, len(_GROUP_HUES) - 1)])
            painter.setPen(QPen(shown, width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            start, end = QPointF(*a), QPointF(*b)
            if np.hypot(*(b - a)) > _STILL_PX:
                painter.drawLine(start, end)
            if group:
                painter.setBrush(shown)
                painter.drawEllipse(end, 1.6, 1.6)
            else:
                painter.drawLine(end + QPointF(-3, -3), end + QPointF(3, 3))
                painter.drawLine(end + QPointF(-3, 3), end + QPointF(3, -3))


def group_words(vectors: Vectors) -> str:
    """What the colours of vectors mean, as far as there are such."""
    words = ["white is followed"]
    if (vectors.groups > 1).any():
        words.append("blue and plum are other planes")
    if (vectors.groups == 0).any():
        words.append("red belongs to none")
    return ", ".join(words)


def paint_pointed(painter: QPainter, rect: QRect, place: tuple[float, float]) -> None:
    """Where somebody pointed at what is to stand still: the foot of a peg, with its shadow."""
    at = QPointF(rect.left() + place[0] * rect.width(), rect.top() + place[1] * rect.height())
    for hue, width in (("sunk", 6.0), ("ember", 2.6)):
        painter.setPen(QPen(theme.colour(hue), width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
        painter.drawLine(at, at + QPointF(0, -16))
        painter.drawLine(at + QPointF(-5, -16), at + QPointF(5, -16))
        painter.drawLine(at + QPointF(-7, 0), at + QPointF(7, 0))


def paint_area(painter: QPainter, rect: QRect, area: Area, *, chosen: bool) -> None:
    """An area that does not count: hatched, so that what is under it is still seen."""
    x, y, w, h = area
    box = QRectF(rect.left() + x * rect.width(), rect.top() + y * rect.height(), w * rect.width(), h * rect.height())
    shade = theme.colour("sunk")
    shade.setAlpha(70)
    painter.fillRect(box, shade)
    hatch = theme.colour("text")
    hatch.setAlpha(120)
    painter.fillRect(box, QBrush(hatch, Qt.BrushStyle.BDiagPattern))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme.colour("ember" if chosen else "text"), 2 if chosen else 1))
    painter.drawRect(box)
    _label(painter, QPointF(box.left() + 4, box.top() + 4), "left out", theme.colour("text"))


def paint_track(
    painter: QPainter, seen: SeenTrack, places: Places, trail: Places | None, number: int, *, chosen: bool
) -> None:
    """A point as a kite with its trail, a surface as its outline; dashed where it was lost."""
    hue = theme.colour(track_hue(number))
    if trail is not None:
        painter.setPen(QPen(hue, 1.2))
        for a, b in pairwise(trail):
            if np.isfinite([a, b]).all():
                painter.drawLine(QPointF(*a), QPointF(*b))
    lost = seen.source == "lost"
    style = Qt.PenStyle.DashLine if lost else Qt.PenStyle.SolidLine
    if len(places) > 1:
        for pen in (QPen(theme.colour("sunk"), 4), QPen(hue, 2 if chosen else 1.4, style)):
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(polygon(places))
    for place in places:
        paint_kite(painter, QPointF(*place), hue, filled=seen.source == "placed", dashed=lost, large=chosen)
    words = seen.track.name
    if lost:
        words += " was lost: drag it to where it is"
    elif seen.source == "followed":
        words += f"  {seen.confidence * 100:.0f} %"
    top = places[np.argmin(places[:, 1])]
    _label(painter, QPointF(float(top[0]) + 12, float(top[1]) - 22), words, hue)


def paint_frame(painter: QPainter, start: QPointF, now: QPointF, *, point: bool) -> None:
    """What is being drawn just now."""
    if point:
        paint_kite(painter, now, theme.colour("text"), filled=False, dashed=False, large=True)
        return
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme.colour("text"), 1.4, Qt.PenStyle.DashLine))
    painter.drawRect(QRectF(start, now).normalized())


def paint_words(painter: QPainter, rect: QRect, words: str) -> None:
    _label(painter, QPointF(rect.left() + 8, rect.top() + 8), words, theme.colour("text"))


def paint_kite(painter: QPainter, at: QPointF, hue: QColor, *, filled: bool, dashed: bool, large: bool) -> None:
    """A small kite whose crossing lies on a place; filled where somebody put it there."""
    reach = _KITE_PX * (1.35 if large else 1.0)
    tips = ((0.0, -1.0), (0.75, -0.15), (0.0, 1.4), (-0.75, -0.15))
    shape = QPolygonF([at + QPointF(x * reach, y * reach) for x, y in tips])
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(theme.colour("sunk"), 4))
    painter.drawPolygon(shape)
    painter.setBrush(hue if filled else Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(hue, 1.8, Qt.PenStyle.DotLine if dashed else Qt.PenStyle.SolidLine))
    painter.drawPolygon(shape)
    painter.setPen(QPen(theme.colour("sunk") if filled else hue, 2.4, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    painter.drawPoint(at)


def _label(painter: QPainter, at: QPointF, words: str, hue: QColor) -> None:
    painter.setFont(theme.font(theme.SMALL_PX, strong=True))
    metrics = painter.fontMetrics()
    clip = painter.clipBoundingRect()
    width, height = metrics.horizontalAdvance(words) + 8, metrics.height() + 2
    x = max(clip.left() + 2, min(at.x(), clip.right() - width - 2))
    y = max(clip.top() + 2, min(at.y(), clip.bottom() - height - 2))
    box = QRectF(x, y, width, height)
    shade = theme.colour("sunk")
    shade.setAlpha(200)
    painter.fillRect(box, shade)
    painter.setPen(hue)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
