"""Two strips of frames that meet at the cut, and between them the two ridges standing base to base."""

from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.document import Project, Shot, Take
from clevrin.core.join.between import OnScreen
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.desk.background.ridge_store import RidgeStore
from clevrin.desk.bench.context import Context
from clevrin.desk.reel.painting import shot_view
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.ridge import RidgeView, height_share, paint_ridge, paint_waiting

_EACH_SIDE = 3
_RIDGE_S = 0.55


@dataclass(frozen=True, kw_only=True)
class Meeting:
    """Two shots as they would meet, and the reel they are on."""

    project: Project
    outgoing: Shot
    outgoing_take: Take
    incoming: Shot
    incoming_take: Take
    reel_size: tuple[int, int]
    made: OnScreen | None = None
    """How fast the picture moves with what the join makes of it."""

    @property
    def out_frame(self) -> int:
        """The last frame that is shown of the outgoing side."""
        span = self.outgoing.span
        return span.first if self.outgoing.reverse else span.end - 1

    @property
    def in_frame(self) -> int:
        """The first frame that is shown of the incoming side."""
        span = self.incoming.span
        return span.end - 1 if self.incoming.reverse else span.first


class Strips(QWidget):
    """Draws a meeting: outgoing above, incoming below, the cut in the middle."""

    def __init__(self, context: Context, ridges: RidgeStore, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._context, self._ridges = context, ridges
        self._meeting: Meeting | None = None
        self._words = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(theme.scaled(40) + 110)
        self.setToolTip(
            "Above: the outgoing take. Below: the incoming one. A good match is one smooth hump across the cut."
        )
        context.thumbnails.arrived.connect(self.update)
        context.measurements.measured.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(900, 430)

    @property
    def meeting(self) -> Meeting | None:
        return self._meeting

    def show_meeting(self, meeting: Meeting | None, words: str = "") -> None:
        self._meeting, self._words = meeting, words
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:  # whatever happens, it is let go of
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        if self._meeting is None:
            painter.setPen(theme.colour("quiet"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._words)
            return
        meeting = self._meeting
        width, height = self.width(), self.height()
        shape = meeting.reel_size[0] / meeting.reel_size[1]
        caption = theme.scaled(20)
        frame_width = min((width - 5 * 4) / (2 * _EACH_SIDE), shape * height * 0.2)
        strip = frame_width / shape
        middle = QRectF(0, caption + strip + 6, width, height - 2 * (caption + strip + 6))
        for outgoing in (True, False):
            top = caption if outgoing else height - caption - strip
            self._paint_strip(painter, meeting, outgoing, QRectF(0, top, width, strip), frame_width)
            self._paint_caption(
                painter,
                meeting,
                outgoing,
                QRectF(0, 0 if outgoing else height - caption + 3, width, caption - 4),
            )
        self._paint_ridges(painter, meeting, middle)
        painter.setPen(QPen(theme.colour("text"), 2))
        painter.drawLine(QPointF(width / 2, caption - 4), QPointF(width / 2, height - caption + 4))

    def _paint_caption(self, painter: QPainter, meeting: Meeting, outgoing: bool, box: QRectF) -> None:
        take = meeting.outgoing_take if outgoing else meeting.incoming_take
        shot = meeting.outgoing if outgoing else meeting.incoming
        painter.setFont(theme.font(theme.BODY_PX, strong=True))
        painter.setPen(theme.colour("ember" if outgoing else "kelp"))
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, take.name)
        taken = painter.fontMetrics().horizontalAdvance(take.name) + 12
        words = f"leaves at frame {meeting.out_frame}" if outgoing else f"enters at frame {meeting.in_frame}"
        if shot.turns:
            words += f" · turned by {90 * shot.turns}°"
        if shot.mirror:
            words += f" · mirrored{'' if shot.mirror == 'horizontal' else ' ' + shot.mirror}"
        if shot.reverse:
            words += " · played backward"
        painter.setFont(theme.font(12))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(
            box.adjusted(taken, 0, 0, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words
        )

    def _paint_strip(self, painter: QPainter, meeting: Meeting, outgoing: bool, box: QRectF, width: float) -> None:
        shot = meeting.outgoing if outgoing else meeting.incoming
        take = meeting.outgoing_take if outgoing else meeting.incoming_take
        cut = meeting.out_frame if outgoing else meeting.in_frame
        way = -1 if shot.reverse else 1
        # The picture as it is shown must not depend on the cut that is being tried: the whole take is held.
        plain = HoldRequest.of(meeting.project, shot.changed(span=take.span))
        ready = self._context.measurements.trace(take) is not None
        ratio = self.devicePixelRatioF()
        size = (int(width * ratio) // 2 * 2, int(box.height() * ratio) // 2 * 2)
        centre = box.center().x()
        for step in range(-_EACH_SIDE, _EACH_SIDE):
            offset = step + 1 if outgoing else step
            frame = cut + way * offset
            x = centre + step * (width + 4) + 2
            place = QRectF(x, box.top(), width, box.height())
            used = offset <= 0 if outgoing else offset >= 0
            painter.fillRect(place, theme.colour("surround"))
            if not 0 <= frame < take.facts.frames:
                continue
            image = self._context.thumbnails.of_shot(plain, frame, meeting.reel_size, size, ready=ready)
            painter.setOpacity(1.0 if used else 0.3)
            if image is not None:
                painter.drawImage(place, image)
            painter.setOpacity(1.0 if used else 0.6)
            painter.setFont(theme.font(theme.SMALL_PX, strong=True))
            label = QRectF(
                place.left() + 4,
                place.bottom() - theme.scaled(15) - 4,
                painter.fontMetrics().horizontalAdvance(str(frame)) + 8,
                theme.scaled(15),
            )
            shade = theme.colour("sunk")
            shade.setAlpha(170)
            painter.fillRect(label, shade)
            painter.setPen(theme.colour("text"))
            painter.drawText(label, Qt.AlignmentFlag.AlignCenter, str(frame))
            painter.setOpacity(1.0)

    def _paint_ridges(self, painter: QPainter, meeting: Meeting, box: QRectF) -> None:
        painter.fillRect(box, theme.colour("surround"))
        half = box.height() / 2
        for outgoing in (True, False):
            take = meeting.outgoing_take if outgoing else meeting.incoming_take
            rect = QRectF(box.left(), box.top() + (0 if outgoing else half), box.width(), half)
            data = self._ridges.of(take)
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
