"""The reel as a widget: shots as ridges over thumbnails, joins as knots, the playhead."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.document.edits import JoinShots, MoveShot, TrimShot
from clevrin.core.document.model import Hold, Shot
from clevrin.core.pace import Placed
from clevrin.desk import theme
from clevrin.desk.context import Context
from clevrin.desk.reel.knot import Knot, knot_between, paint_knot
from clevrin.desk.reel.layout import LEFT, RULER, SHOT_TOP, Hit, ReelLayout, trimmed
from clevrin.desk.ridge import RidgeView, paint_ridge
from clevrin.desk.ridge_store import RidgeStore

_DRAG_FROM_PX = 5
_THUMB_SHARE = 0.58


class ReelView(QWidget):
    """Shows the reel; clicks choose and look, drags trim, roll and reorder."""

    looked_at = Signal(int)
    """Somebody wants to look at this frame of the reel."""
    shot_chosen = Signal(str)
    join_chosen = Signal(str)
    """A knot was clicked: the shot that is left by it."""

    def __init__(self, context: Context, ridges: RidgeStore, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._context = context
        self._ridges = ridges
        self._pressed: tuple[Hit, QPointF] | None = None
        self._row_before: tuple[Placed, ...] = ()
        self._dragging = False
        self._gesture = ""
        self._gestures = 0
        self._readout = ""
        self._insert_at: int | None = None
        self.setFixedHeight(theme.REEL_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        session = context.session
        session.project_changed.connect(self.update)
        session.selection_changed.connect(self.update)
        session.playhead_changed.connect(self._on_session_playhead_changed)
        context.thumbnails.arrived.connect(self.update)
        context.measurements.measured.connect(self.update)
        context.measurements.held_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(1280, theme.REEL_HEIGHT)

    @property
    def layout_now(self) -> ReelLayout:
        return ReelLayout.of(self._context.session.project, self.width(), self.height())

    @property
    def readout(self) -> str:
        """What the drag under way does, in words."""
        return self._readout

    def put_back(self) -> bool:
        """Ends a drag and puts back what it changed; False when none is under way."""
        if not self._dragging:
            return False
        self._context.session.cancel_gesture(self._gesture)
        self._end_drag()
        return True

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("sunk"))
        painter.fillRect(0, 0, self.width(), 1, theme.colour("line"))
        layout = self.layout_now
        self._paint_ruler(painter, layout)
        painter.setFont(theme.font(theme.SMALL_PX))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QPointF(12, SHOT_TOP + 16), "reel")
        if not layout.row:
            words = "The reel is empty. Choose a span of a take and press Enter to put it here."
            painter.drawText(QRectF(LEFT, SHOT_TOP, self.width() - LEFT - 16, 80), Qt.AlignmentFlag.AlignVCenter, words)
            return
        for index, placed in enumerate(layout.row):
            self._paint_shot(painter, layout, index, placed)
        for index in range(len(layout.row) - 1):
            knot = self._knot(layout, index)
            paint_knot(painter, layout.knot_centre(index), knot, chosen=self._join_is_chosen(layout, index))
        self._paint_playhead(painter, layout)
        if self._insert_at is not None and self._pressed is not None:
            self._paint_insertion(painter, layout)
        if self._readout:
            self._paint_readout(painter, layout)

    def _paint_ruler(self, painter: QPainter, layout: ReelLayout) -> None:
        painter.setFont(theme.font(10))
        px_per_s = layout.px_per_frame * layout.rate if layout.row else 90.0
        step = next(s for s in (1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800) if s * px_per_s > 64 or s == 1800)
        second = 0
        while (x := LEFT + second * px_per_s) < self.width():
            painter.setPen(theme.colour("line"))
            painter.drawLine(int(x), 6, int(x), RULER - 4)
            painter.setPen(theme.colour("quiet"))
            painter.drawText(QPointF(x + 6, 16), f"{second} s")
            second += step

    def _paint_shot(self, painter: QPainter, layout: ReelLayout, index: int, placed: Placed) -> None:
        box = QRectF(*layout.shot_box(index))
        chosen = placed.shot == self._context.session.shot
        painter.save()
        painter.setClipRect(box)
        painter.fillRect(box, theme.colour("surround"))
        self._paint_thumbnails(painter, box, placed)
        data = self._ridges.of(placed.take)
        foot = QRectF(box.left(), box.top() + 14, box.width(), box.height() - 14)
        if data is not None:
            paint_ridge(painter, foot, data, shot_view(placed.shot, flags=box.width() > 60))
        shade = theme.colour("sunk")
        shade.setAlpha(150)
        painter.setFont(theme.font(theme.SMALL_PX, strong=chosen))
        words = painter.fontMetrics().elidedText(placed.take.name, Qt.TextElideMode.ElideRight, int(box.width()) - 10)
        name_box = QRectF(box.left(), box.top(), painter.fontMetrics().horizontalAdvance(words) + 12, 17)
        painter.fillRect(name_box, shade)
        painter.setPen(theme.colour("text"))
        painter.drawText(name_box, Qt.AlignmentFlag.AlignCenter, words)
        marks = [
            m
            for m, on in (
                ("held", placed.shot.hold.how != "none"),
                ("mirrored", bool(placed.shot.mirror)),
                ("backward", placed.shot.reverse),
            )
            if on
        ]
        if marks and box.width() > 150:
            painter.setFont(theme.font(10))
            text = " · ".join(marks)
            mark_box = QRectF(box.right() - painter.fontMetrics().horizontalAdvance(text) - 20, box.top(), 0, 17)
            mark_box.setRight(box.right() - 8)
            painter.fillRect(mark_box.adjusted(0, 0, 8, 0), shade)
            painter.setPen(theme.colour("text"))
            painter.drawText(mark_box, Qt.AlignmentFlag.AlignCenter, text)
        painter.restore()
        if chosen:
            painter.setPen(QPen(theme.colour("ember"), 2))
            painter.drawRect(box.adjusted(1, 1, -1, -1))

    def _paint_thumbnails(self, painter: QPainter, box: QRectF, placed: Placed) -> None:
        session = self._context.session
        height = int(box.height() * _THUMB_SHARE)
        shape = session.project.reel.width / session.project.reel.height
        width = max(24, int(height * shape))
        # As shot: a thumbnail does not wait for a hold, nor change with it.
        plain = placed.shot.changed(span=placed.take.span, hold=Hold())
        ratio = self.devicePixelRatioF()
        size = (max(2, int(width * ratio) // 2 * 2), max(2, int(height * ratio) // 2 * 2))
        span = placed.shot.span
        count = int(box.width() // width) + 1
        for k in range(count):
            share = min(0.999, (k * width + width / 2) / box.width())
            step = int(share * span.frames)
            frame = span.end - 1 - step if placed.shot.reverse else span.first + step
            frame = span.first + (frame - span.first) // 4 * 4  # a small trim does not ask for all of them anew
            reel_size = session.project.reel.width, session.project.reel.height
            image = self._context.thumbnails.of_shot(plain, placed.take, frame, reel_size, size, ready=True)
            if image is not None:
                painter.drawImage(QRectF(box.left() + k * width, box.top(), width, height), image)

    def _knot(self, layout: ReelLayout, index: int) -> Knot:
        before, after = layout.row[index], layout.row[index + 1]
        measurements = self._context.measurements
        return knot_between(before, after, measurements.trace(before.take), measurements.trace(after.take))

    def _join_is_chosen(self, layout: ReelLayout, index: int) -> bool:
        return layout.row[index].shot == self._context.session.shot

    def _paint_playhead(self, painter: QPainter, layout: ReelLayout) -> None:
        x = layout.x_of(self._context.session.playhead + 0.5)
        painter.setPen(QPen(theme.colour("text"), 1.5))
        painter.drawLine(QPointF(x, 2), QPointF(x, self.height() - 4))
        painter.setBrush(theme.colour("text"))
        painter.drawEllipse(QPointF(x, 5), 3, 3)

    def _paint_insertion(self, painter: QPainter, layout: ReelLayout) -> None:
        assert self._insert_at is not None and self._pressed is not None
        others = [p for i, p in enumerate(layout.row) if i != self._pressed[0].index]
        at = others[self._insert_at - 1].end if self._insert_at else others[0].start if others else 0
        painter.setPen(QPen(theme.colour("ember"), 3))
        x = layout.x_of(at)
        painter.drawLine(QPointF(x, SHOT_TOP - 4), QPointF(x, self.height() - 8))

    def _paint_readout(self, painter: QPainter, layout: ReelLayout) -> None:
        painter.setFont(theme.font(theme.SMALL_PX))
        width = painter.fontMetrics().horizontalAdvance(self._readout) + 16
        box = QRectF(self.width() - width - 16, 2, width, RULER - 2)
        painter.fillRect(box, theme.colour("chosen"))
        painter.setPen(theme.colour("text"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self._readout)

    # Hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        layout = self.layout_now
        hit = layout.hit(event.position().x(), event.position().y())
        self._pressed = hit, event.position()
        self._row_before = layout.row
        if hit.part == "knot":
            self.join_chosen.emit(layout.row[hit.index].shot.id)
        elif hit.index >= 0:
            self.shot_chosen.emit(layout.row[hit.index].shot.id)
        if layout.row and hit.part in ("ruler", "shot"):
            self.looked_at.emit(layout.frame_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            self._show_cursor(event.position())
            return
        hit, start = self._pressed
        if hit.part == "ruler":
            self.looked_at.emit(self.layout_now.frame_at(event.position().x()))
            return
        if not self._dragging and (event.position() - start).manhattanLength() < _DRAG_FROM_PX:
            return
        if not self._dragging:
            self._dragging = True
            self._gestures += 1
            self._gesture = f"reel {self._gestures}"
        self._drag(hit, event.position().x() - start.x(), event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging and self._pressed is not None and self._insert_at is not None:
            shot = self._row_before[self._pressed[0].index].shot
            self._context.session.do(MoveShot(shot_id=shot.id, to=self._insert_at))
        self._end_drag()

    def _end_drag(self) -> None:
        if self._dragging:
            self._context.session.end_gesture()
        self._pressed, self._dragging, self._insert_at, self._readout = None, False, None, ""
        self.update()

    def _drag(self, hit: Hit, by_px: float, x: float) -> None:
        """Every step is an edit from how the row was before the drag, so that all of them are one step."""
        session = self._context.session
        rate = float(session.project.reel.rate)
        by = by_px / ReelLayout(row=self._row_before, rate=rate, width=self.width(), height=self.height()).px_per_frame
        if hit.part in ("left edge", "right edge"):
            placed = self._row_before[hit.index]
            span = trimmed(placed, hit.part, by, rate)
            session.do(TrimShot(shot_id=placed.shot.id, span=span), gesture=self._gesture)
            self._readout = (
                f"frames {span.first} to {span.end - 1} · {float(span.frames / placed.take.facts.rate):.2f} s"
            )
        elif hit.part == "knot":
            before, after = self._row_before[hit.index], self._row_before[hit.index + 1]
            outgoing = before.shot.changed(span=trimmed(before, "right edge", by, rate))
            incoming = after.shot.changed(span=trimmed(after, "left edge", by, rate))
            session.do(JoinShots(outgoing=outgoing, incoming=incoming, label="Roll join"), gesture=self._gesture)
            self._readout = f"leaves at {outgoing.span.end - 1}, enters at {incoming.span.first}"
        elif hit.part == "shot" and len(self._row_before) > 1:
            self._insert_at = self.layout_now.place_for(x, hit.index)
            self._readout = f"to place {self._insert_at + 1}"
        self.update()

    def _show_cursor(self, at: QPointF) -> None:
        part = self.layout_now.hit(at.x(), at.y()).part
        cursor = {
            "left edge": Qt.CursorShape.SizeHorCursor,
            "right edge": Qt.CursorShape.SizeHorCursor,
            "knot": Qt.CursorShape.SplitHCursor,
            "shot": Qt.CursorShape.OpenHandCursor,
        }.get(part, Qt.CursorShape.ArrowCursor)
        self.setCursor(cursor)

    def _on_session_playhead_changed(self, frame: int) -> None:
        self.update()


def shot_view(shot: Shot, *, flags: bool = True) -> RidgeView:
    """A shot's ridge as the reel shows it."""
    return RidgeView(
        first=shot.span.first,
        end=shot.span.end,
        backward=shot.reverse,
        mirror_x=shot.mirror in ("horizontal", "both"),
        mirror_y=shot.mirror in ("vertical", "both"),
        flags=flags,
    )
