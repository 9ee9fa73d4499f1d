"""The lanes of sound as a widget under the reel: what is drawn can be dragged."""

from PySide6.QtCore import QEvent, QPointF, QSize, Qt, Signal
from PySide6.QtGui import QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from clevrin.core.document import LANES
from clevrin.core.sound.loudness import LoudnessCourse
from clevrin.desk.background.waveforms import Waveforms
from clevrin.desk.bench.context import Context
from clevrin.desk.reel.painting import paint_readout
from clevrin.desk.reel.view import ReelView
from clevrin.desk.sound.drag_handles import SoundDrag, SoundOutcome, usual
from clevrin.desk.sound.edits import SoundEdits
from clevrin.desk.sound.layout import HEIGHT, LanesLayout, Touch
from clevrin.desk.sound.painting import paint_loudness, paint_music, paint_names, paint_swishes, paint_takes
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.still import Still

_DRAG_FROM_PX = 3
_HELP = {
    "name": "A click mutes this lane, or has it heard again: in what is rendered, too",
    "level": "Drag up or down: how loud this shot's own sound is; a double click: as recorded",
    "comes": "Drag: over how long its sound comes in",
    "goes": "Drag: over how long its sound goes",
    "passes over": "Drag: how long before or after the picture the sound passes over",
    "crosses": "Drag: over how long one sound crosses into the other",
    "music level": "Drag up or down: how loud the music is",
    "music comes": "Drag: over how long the music comes in",
    "music goes": "Drag: over how long the music goes",
    "swish": "Drag up: the move of this cut is heard as a swish",
}
_ACROSS = ("comes", "goes", "passes over", "crosses", "music comes", "music goes")


class SoundLanes(QWidget):
    """Takes, music and swishes under the reel, and how loud all of it is; laid out as the reel is."""

    looked_at = Signal(int)
    """Somebody wants to look at this frame of the reel."""
    shot_chosen = Signal(str)

    def __init__(
        self,
        context: Context,
        reel: ReelView,
        waveforms: Waveforms,
        edits: SoundEdits,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._context, self._reel, self._waveforms, self._edits = context, reel, waveforms, edits
        self._course: LoudnessCourse | None = None
        self._pressed: tuple[Touch, QPointF] | None = None
        self._drag: SoundDrag | None = None
        self._outcome: SoundOutcome | None = None
        self._pointer_x = 0.0
        self._gesture, self._gestures = "", 0
        self.setMouseTracking(True)
        self.setAccessibleName("lanes of sound")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEIGHT)
        session = context.session
        self._still = Still(self)
        session.playhead_changed.connect(self._on_session_playhead_changed)
        for changed in (
            reel.sight_changed,
            session.project_changed,
            session.selection_changed,
            waveforms.arrived,
            edits.alone_changed,
        ):
            changed.connect(self._still.changed)

    def sizeHint(self) -> QSize:
        return QSize(600, HEIGHT)

    @property
    def layout_now(self) -> LanesLayout:
        return LanesLayout(reel=self._reel.layout_now, project=self._context.session.project)

    @property
    def readout(self) -> str:
        """What the drag under way does, in words."""
        return self._outcome.words if self._outcome is not None else ""

    def show_loudness(self, course: LoudnessCourse | None) -> None:
        """How loud the reel is as it goes on, None while that is not known."""
        self._course = course
        self._still.changed()

    def put_back(self) -> bool:
        """Ends a drag and puts back what it changed; False when none is under way."""
        if self._drag is None:
            return False
        self._context.session.cancel_gesture(self._gesture)
        self._end_drag()
        return True

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            self._still.paint(painter, self._paint_still)
            self._paint_what_moves(painter)

    def _paint_what_moves(self, painter: QPainter) -> None:
        layout = self.layout_now
        if not layout.reel.row:
            return
        x = layout.reel.x_of(self._context.session.playhead + 0.5)
        if x >= layout.reel.x_of(layout.reel.frame_at(0)):
            painter.fillRect(int(x), 0, 1, self.height(), theme.colour("text"))
        if self.readout:
            painter.translate(0, layout.loud_box()[1])  # under the lanes: it hides nothing that is dragged
            paint_readout(painter, layout.reel, self._pointer_x, self.readout, None)

    def _paint_still(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("sunk"))
        layout = self.layout_now
        mix = self._edits.as_heard(layout.project).mix
        silent = frozenset(lane for lane in LANES if mix.lane(lane).muted)
        paint_names(painter, layout, silent)
        if not layout.reel.row:
            return
        chosen = frozenset(self._context.session.shot_ids)
        paint_takes(painter, layout, self._waveforms, chosen, muted="takes" in silent)
        paint_music(painter, layout, self._waveforms, self._course, muted="music" in silent)
        paint_swishes(painter, layout, muted="swishes" in silent)
        paint_loudness(painter, layout, self._course)

    # Hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        layout = self.layout_now
        touch = layout.touch(event.position().x(), event.position().y())
        self._pressed = touch, event.position()
        if touch.part == "name":
            self._edits.mute(touch.lane, not layout.project.mix.lane(touch.lane).muted)
        elif touch.part in ("level", "comes", "goes"):
            self.shot_chosen.emit(layout.reel.row[touch.index].shot.id)
        elif touch.part == "nothing" and layout.reel.row and event.position().x() >= layout.reel.x_of(0):
            self.looked_at.emit(layout.reel.frame_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            self._show_cursor(self.layout_now.touch(event.position().x(), event.position().y()))
            return
        touch, start = self._pressed
        gone = event.position() - start
        self._pointer_x = event.position().x()
        if touch.part in ("name", "nothing"):
            return
        if self._drag is None:
            if gone.manhattanLength() < _DRAG_FROM_PX:
                return
            self._gestures += 1
            self._gesture = f"sound {self._gestures}"
            self._drag = SoundDrag(touch, self.layout_now)
        finely = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self._outcome = self._drag.at(gone.x(), gone.y(), finely=finely)
        self._context.session.do(self._outcome.edit, gesture=self._gesture)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._end_drag()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        layout = self.layout_now
        edit = usual(layout.touch(event.position().x(), event.position().y()), layout)
        if edit is not None:
            self._context.session.do(edit)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._reel.wheelEvent(event)

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ToolTip and isinstance(event, QHelpEvent):
            part = self.layout_now.touch(event.pos().x(), event.pos().y()).part
            QToolTip.showText(event.globalPos(), _HELP.get(part, ""), self)
            return True
        return super().event(event)

    def _end_drag(self) -> None:
        if self._drag is not None:
            self._context.session.end_gesture()
        self._pressed, self._drag, self._outcome = None, None, None
        self.update()

    def _show_cursor(self, touch: Touch) -> None:
        if touch.part == "nothing":
            self.setCursor(Qt.CursorShape.ArrowCursor)
        elif touch.part == "name":
            self.setCursor(Qt.CursorShape.PointingHandCursor)
        else:
            across = touch.part in _ACROSS
            self.setCursor(Qt.CursorShape.SizeHorCursor if across else Qt.CursorShape.SizeVerCursor)

    def _on_session_playhead_changed(self, _: int) -> None:
        if self.isVisible():
            self.update()
