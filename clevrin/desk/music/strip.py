"""The music as a strip under the shots of the reel."""

from itertools import pairwise

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPolygonF

from clevrin.core.document import Music
from clevrin.core.sound.bed import OUTLINE_PER_S
from clevrin.desk import theme
from clevrin.desk.music.outlines import Outline
from clevrin.desk.reel.layout import LEFT, ReelLayout


def paint_strip(
    painter: QPainter, layout: ReelLayout, music: Music, outline: Outline | None, trouble: str | None
) -> None:
    """The outline of the music, as high as it is loud; in words where it cannot be drawn."""
    left, top, width, height = layout.music_box()
    box = QRectF(left, top, width, height).intersected(QRectF(LEFT, 0, layout.room, layout.height))
    painter.setFont(theme.font(10))
    painter.setPen(theme.colour("quiet"))
    painter.drawText(QPointF(12, top + height - 2), "music")
    if box.width() < 1:
        return
    painter.fillRect(box, theme.colour("surround"))
    if trouble is not None or outline is None:
        words = "music is missing" if trouble is not None else ""
        painter.setPen(theme.colour("brick"))
        painter.drawText(box.adjusted(6, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, words)
        return
    columns = np.arange(int(box.left()), int(box.right()) + 1)
    seconds = (columns - LEFT + layout.scroll) / layout.px_per_frame / float(layout.rate) - music.start_s
    edges = np.clip(np.round(seconds * OUTLINE_PER_S).astype(int), 0, max(0, len(outline) - 1))
    loud = np.array([outline[a : max(a + 1, b)].max(initial=0) for a, b in pairwise(edges)])
    shown = np.sqrt(loud / max(1e-3, float(outline.max(initial=0)))) * (height - 2)
    foot = top + height
    xs = columns[:-1] + 0.5
    points = [QPointF(x, foot - y) for x, y in zip(xs, shown, strict=True)]
    if len(points) < 2:
        return
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.colour("quiet"))
    painter.drawPolygon(QPolygonF([QPointF(xs[0], foot), *points, QPointF(xs[-1], foot)]))
