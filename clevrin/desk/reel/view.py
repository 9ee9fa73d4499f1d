"""The reel as a widget: shots as ridges over thumbnails, joins as knots, markers, the playhead."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QScrollBar, QSizePolicy, QWidget

from clevrin.core.document import Project
from clevrin.core.pace.timecode import timecode
from clevrin.desk.background.ridge_store import RidgeStore
from clevrin.desk.background.waveforms import Waveforms
from clevrin.desk.bench.context import Context
from clevrin.desk.reel.drag_handles import Drag, Outcome, Pull
from clevrin.desk.reel.knot import Knot, knot_between, paint_knot
from clevrin.desk.reel.layout import LEFT, SHOT_TOP, Hit, ReelLayout, Sight
from clevrin.desk.reel.music_strip import paint_strip
from clevrin.desk.reel.painting import (
    paint_insertion,
    paint_markers,
    paint_over,
    paint_playhead,
    paint_readout,
    paint_ruler,
    paint_shot,
)
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.ridge import Budget
from clevrin.desk.widgets.still import Still

_DRAG_FROM_PX = 5
_ZOOM_STEP = 1.25
_BAR_PX = 10
_PLAYHEAD_PX = 6
"""So far to either side of its place the playhead is drawn."""
_DRAW_S, _FINER_MS = 0.010, 30
"""How long ridges may take to draw in one go, and how soon those that were drawn coarsely are drawn finely."""


class ReelView(QWidget):
    """Shows the reel. Clicks choose and look; drags trim, roll, slip and reorder; the wheel scrolls and zooms."""

    looked_at = Signal(int)
    """Somebody wants to look at this frame of the reel."""
    shots_chosen = Signal(object)
    """These shots are to be chosen, the last of them as the one that the benches show."""
    join_chosen = Signal(str)
    """A knot was clicked: the shot that is left by it."""

    sight_changed = Signal()
    """Another part of the reel is seen, or it is seen nearer."""

    def __init__(
        self, context: Context, ridges: RidgeStore, waveforms: Waveforms, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._context = context
        self._waveforms = waveforms
        self._ridges = ridges
        self._sight = self._sight_before = Sight()
        self._pressed: tuple[Hit, QPointF] | None = None
        self._drag: Drag | None = None
        self._outcome: Outcome | None = None
        self._pointer_x = 0.0
        self._narrows = False
        self._gesture = ""
        self._gestures = 0
        self._laid: tuple[Project, tuple[int, int, Sight], ReelLayout] | None = None
        self.setMinimumHeight(theme.widened(theme.LEAST_REEL_HEIGHT))
        self.setMaximumHeight(theme.widened(theme.REEL_HEIGHT))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setMouseTracking(True)
        self.setAccessibleName("reel")
        self.bar = QScrollBar(Qt.Orientation.Horizontal, self)
        self.bar.setAccessibleName("part of the reel that is seen")
        self.bar.valueChanged.connect(self._on_bar_value_changed)
        self._finer = QTimer(self, singleShot=True, interval=_FINER_MS)
        self._still = Still(self)
        self._playhead_x = 0.0
        session, measurements = context.session, context.measurements
        session.project_changed.connect(self._on_session_project_changed)
        session.playhead_changed.connect(self._on_session_playhead_changed)
        for changed in (self._finer.timeout, session.selection_changed):
            changed.connect(self._still.changed)
        for arrived in (
            context.thumbnails.arrived,
            waveforms.arrived,
            measurements.measured,
            measurements.held_changed,
            measurements.failed,  # so it also says that files are there again, or not any more
        ):
            arrived.connect(self._still.changed_a_little)
        self._show_bar()

    def sizeHint(self) -> QSize:
        return QSize(600, theme.widened(theme.REEL_HEIGHT))

    @property
    def layout_now(self) -> ReelLayout:
        """Where all of it lies; worked out once for as long as nothing of that changes."""
        project, seen = self._context.session.project, (self.width(), self.height(), self._sight)
        if self._laid is None or self._laid[0] is not project or self._laid[1] != seen:
            self._laid = project, seen, ReelLayout.of(project, *seen)
        return self._laid[2]

    @property
    def readout(self) -> str:
        """What the drag under way does, in words."""
        if self._outcome is None:
            return ""
        return self._outcome.words + (f" · at {self._outcome.snapped}" if self._outcome.snapped else "")

    def put_back(self) -> bool:
        """Ends a drag and puts back what it changed; False when none is under way."""
        if self._drag is None:
            return False
        self._context.session.cancel_gesture(self._gesture)
        self._end_drag()
        return True

    # What is seen of the reel

    def zoom(self, steps: float, about_x: float | None = None) -> None:
        """Comes nearer (positive) or goes farther; about the playhead unless a place is given."""
        layout = self.layout_now
        x = layout.x_of(self._context.session.playhead) if about_x is None else about_x
        self._see(layout.zoomed(_ZOOM_STEP**steps, min(max(x, LEFT), self.width())))

    def show_all(self) -> None:
        self._see(Sight())

    def _see(self, sight: Sight) -> None:
        self._sight = sight
        self._show_bar()
        self._still.changed()
        self.sight_changed.emit()

    def _show_bar(self) -> None:
        layout = self.layout_now
        self.bar.setGeometry(LEFT, self.height() - _BAR_PX, layout.room, _BAR_PX)
        beyond = round(layout.content_px - layout.room)
        self.bar.blockSignals(True)
        self.bar.setRange(0, max(0, beyond))
        self.bar.setPageStep(layout.room)
        self.bar.setSingleStep(60)
        self.bar.setValue(round(layout.scroll))
        self.bar.blockSignals(False)
        self.bar.setVisible(beyond > 0)

    def wheelEvent(self, event: QWheelEvent) -> None:
        delta = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(delta.y() / 120, event.position().x())
        else:
            self._see(self.layout_now.scrolled(-(delta.y() or delta.x())))
        event.accept()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._show_bar()

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:  # whatever happens, it is let go of
            self._still.paint(painter, self._paint_still)
            self._paint_what_moves(painter)

    def _paint_what_moves(self, painter: QPainter) -> None:
        layout = self.layout_now
        if not layout.row:
            return
        playhead = self._context.session.playhead
        self._playhead_x = layout.x_of(playhead + 0.5)
        paint_playhead(painter, layout, playhead)
        if self._drag is not None and self._outcome is not None:
            if self._outcome.insert_at is not None:
                paint_insertion(painter, layout, self._drag.moved, self._outcome.insert_at)
            if self._outcome.words:
                paint_readout(painter, layout, self._pointer_x, self._outcome.words, self._outcome.snapped)

    def _paint_still(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("sunk"))
        painter.fillRect(0, 0, self.width(), 1, theme.colour("line"))
        layout = self.layout_now
        session = self._context.session
        paint_ruler(painter, layout)
        painter.setFont(theme.font(theme.SMALL_PX))
        painter.setPen(theme.colour("quiet"))
        painter.drawText(QPointF(12, SHOT_TOP + theme.scaled(11) + 5), "reel")
        if not layout.row:
            words = "The reel is empty. Choose a span of a take and press Enter to put it here."
            painter.drawText(QRectF(LEFT, SHOT_TOP, self.width() - LEFT - 16, 80), Qt.AlignmentFlag.AlignVCenter, words)
            return
        # The room beside the shots does not grow with the text.
        painter.setFont(theme.font(theme.SMALL_PX / max(1.0, theme.scale() / 1.25)))
        length = timecode(layout.frames, float(layout.rate))
        painter.drawText(QPointF(12, SHOT_TOP + theme.scaled(22) + 10), length)
        chosen, main = frozenset(session.shot_ids), session.shot
        budget = Budget(_DRAW_S)
        for index in layout.seen():
            shot = layout.row[index].shot
            is_chosen, is_main = shot.id in chosen, main is not None and shot.id == main.id
            paint_shot(
                painter, layout, index, self._context, self._ridges, budget=budget, chosen=is_chosen, main=is_main
            )
        if budget.exceeded:
            self._finer.start()
        for index in layout.seen():
            radius = layout.knot_radius(index) if index < len(layout.row) - 1 else 0
            if radius and layout.x_of(layout.row[index].end) >= LEFT:
                is_main = main is not None and layout.row[index].shot.id == main.id
                paint_knot(painter, layout.knot_centre(index), self._knot(layout, index), radius, chosen=is_main)
        music = session.project.music
        if music is not None:
            paint_strip(painter, layout, music, self._waveforms.of(music), self._waveforms.trouble(music))
        paint_over(painter, layout, session.project.reel.over)
        paint_markers(painter, layout, session.project.reel.markers)

    def _knot(self, layout: ReelLayout, index: int) -> Knot:
        before, after = layout.row[index], layout.row[index + 1]
        measurements = self._context.measurements
        return knot_between(before, after, measurements.trace(before.take), measurements.trace(after.take))

    # Hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        layout = self.layout_now
        x, y = event.position().x(), event.position().y()
        hit = layout.hit(x, y)
        self._pressed = hit, event.position()
        self._narrows = False
        if hit.part == "knot":
            self.join_chosen.emit(layout.row[hit.index].shot.id)
        elif hit.part in ("shot", "left edge", "right edge"):
            self._choose(layout, hit, event.modifiers())
        if hit.part == "marker":
            self.looked_at.emit(layout.marker_frames[hit.index])
        elif layout.row and hit.part in ("ruler", "shot") and not event.modifiers():
            self.looked_at.emit(layout.frame_at(x))

    def _choose(self, layout: ReelLayout, hit: Hit, modifiers: Qt.KeyboardModifier) -> None:
        """A click chooses one shot, with Ctrl another one besides, with Shift all up to it."""
        shot_id = layout.row[hit.index].shot.id
        chosen = self._context.session.shot_ids
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            rest = tuple(each for each in chosen if each != shot_id)
            self.shots_chosen.emit(rest if shot_id in chosen and rest else (*rest, shot_id))
        elif modifiers & Qt.KeyboardModifier.ShiftModifier and chosen:
            order = [placed.shot.id for placed in layout.row]
            a, b = sorted((order.index(chosen[0]), hit.index))
            between = [each for each in order[a : b + 1] if each not in (chosen[0], shot_id)]
            self.shots_chosen.emit(tuple(dict.fromkeys((chosen[0], *between, shot_id))))
        elif shot_id in chosen and len(chosen) > 1:
            self._narrows = True  # it may become a drag of all of them
        else:
            self.shots_chosen.emit((shot_id,))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            self._show_cursor(event.position())
            return
        hit, start = self._pressed
        self._pointer_x = event.position().x()
        if hit.part == "ruler":
            self.looked_at.emit(self.layout_now.frame_at(self._pointer_x))
            return
        if hit.part == "nothing":
            return
        if self._drag is None:
            if (event.position() - start).manhattanLength() < _DRAG_FROM_PX:
                return
            self._begin_drag(hit)
        self._continue_drag(event)

    def _begin_drag(self, hit: Hit) -> None:
        session = self._context.session
        layout = self.layout_now
        self._sight_before = self._sight
        self._sight = Sight(px_per_frame=layout.px_per_frame, scroll=layout.scroll, held=True)
        self._still.changed()
        self._gestures += 1
        self._gesture = f"reel {self._gestures}"
        self._drag = Drag(hit, session.project, layout, self._context.measurements, session.shot_ids, session.playhead)

    def _continue_drag(self, event: QMouseEvent) -> None:
        assert self._drag is not None and self._pressed is not None
        modifiers = event.modifiers()
        layout = self.layout_now
        pull = Pull(
            by=(event.position().x() - self._pressed[1].x()) / layout.px_per_frame,
            x=event.position().x(),
            slips=bool(modifiers & Qt.KeyboardModifier.AltModifier),
            snaps=not modifiers & Qt.KeyboardModifier.ShiftModifier,
        )
        outcome = self._drag.at(pull)
        self._outcome = outcome
        if outcome.edit is not None:
            self._context.session.do(outcome.edit, gesture=self._gesture)
            if outcome.look_at is not None:
                self.looked_at.emit(outcome.look_at)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None and self._outcome is not None:
            edit = self._drag.drop(self._outcome)
            if edit is not None:
                self._context.session.do(edit)
        elif self._narrows and self._pressed is not None:
            self.shots_chosen.emit((self.layout_now.row[self._pressed[0].index].shot.id,))
        self._end_drag()

    def _end_drag(self) -> None:
        if self._drag is not None:
            self._sight = self._sight_before
            self._context.session.end_gesture()
        self._pressed, self._drag, self._outcome, self._narrows = None, None, None, False
        self._show_bar()
        self._still.changed()

    def _show_cursor(self, at: QPointF) -> None:
        part = self.layout_now.hit(at.x(), at.y()).part
        cursor = {
            "left edge": Qt.CursorShape.SizeHorCursor,
            "right edge": Qt.CursorShape.SizeHorCursor,
            "marker": Qt.CursorShape.SizeHorCursor,
            "knot": Qt.CursorShape.SplitHCursor,
            "shot": Qt.CursorShape.OpenHandCursor,
            "music": Qt.CursorShape.OpenHandCursor,
        }.get(part, Qt.CursorShape.ArrowCursor)
        self.setCursor(cursor)

    def _on_session_project_changed(self) -> None:
        if self._drag is None:
            self._show_bar()
        self._still.changed()

    def _on_session_playhead_changed(self, frame: int) -> None:
        layout = self.layout_now
        if self._context.player.playing:
            sight = layout.following(frame)
            if sight is not None:
                self._see(sight)
        for x in (self._playhead_x, layout.x_of(frame + 0.5)):
            self.update(round(x) - _PLAYHEAD_PX, 0, 2 * _PLAYHEAD_PX, self.height())

    def _on_bar_value_changed(self, value: int) -> None:
        self._sight = Sight(px_per_frame=self.layout_now.px_per_frame, scroll=value)
        self._still.changed()
        self.sight_changed.emit()
