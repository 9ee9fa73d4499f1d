"""Two strips of frames that meet at the cut, and between them the two ridges standing base to base."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.desk.background.ridge_store import RidgeStore
from clevrin.desk.bench.context import Context
from clevrin.desk.join.hump import paint_hump
from clevrin.desk.join.meeting import Meeting
from clevrin.desk.widgets import theme

_EACH_SIDE = 3


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
        paint_hump(painter, meeting, self._ridges, middle)
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
