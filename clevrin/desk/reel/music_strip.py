"""The music as a strip under the shots of the reel."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter

from clevrin.core.document import Music
from clevrin.desk.reel.layout import LEFT, ReelLayout
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.waveform import Outline, loud_between, paint_outline


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
    paint_outline(painter, columns, loud_between(outline, seconds), top + height, height - 2, "quiet")
