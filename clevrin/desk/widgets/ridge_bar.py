"""The ridge of a take as a widget: a playhead to drag, brackets for the chosen span, and the other spans."""

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.document import NamedSpan, Span
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.ridge import RidgeData, RidgeView, paint_ridge, paint_waiting, x_of

_GRAB_PX = 7


class RidgeBar(QWidget):
    """Shows a ridge over all of a take; drags move the playhead, or a bracket of the span."""

    frame_requested = Signal(int)
    span_changed = Signal(object)
    span_chosen = Signal(str)
    """The name of another span was clicked: its id."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._data: RidgeData | None = None
        self._words = ""
        self._frames = 0
        self._span: Span | None = None
        self._others: tuple[NamedSpan, ...] = ()
        self._before_drag: Span | None = None
        self._playhead = 0
        self._grabbed: str | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setMinimumHeight(theme.scaled(72))
        self.setMaximumHeight(theme.scaled(96))
        self.setMouseTracking(True)
        self.setToolTip("Height: speed of the camera. Colour: its direction. Dark line: blur. Drag to look.")

    def sizeHint(self) -> QSize:
        return QSize(300, theme.scaled(96))

    def show_ridge(self, frames: int, data: RidgeData | None, words: str = "") -> None:
        """What to draw: the ridge of `frames` frames, or words while it is not there."""
        self._frames, self._data, self._words = frames, data, words
        self.update()

    def show_span(self, span: Span | None, others: tuple[NamedSpan, ...] = ()) -> None:
        """The chosen span, between brackets that can be dragged, and the take's other spans."""
        self._span, self._others = span, others
        self.update()

    def show_playhead(self, frame: int) -> None:
        if frame != self._playhead:
            self._playhead = frame
            self.update()

    def x_of_frame(self, frame: float) -> float:
        """Where a frame lies in the widget."""
        return x_of(frame, self._area(), self._view())

    def frame_at(self, x: float) -> int:
        area = self._area()
        share = (x - area.left()) / max(1.0, area.width())
        return max(0, min(int(share * self._frames), self._frames - 1))

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:  # whatever happens, it is let go of
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        area = self._area()
        painter.fillRect(self.rect(), theme.colour("surround"))
        if self._data is not None:
            paint_ridge(painter, area, self._data, self._view())
        elif self._words:
            paint_waiting(painter, area, self._words)
        if self._frames == 0:
            return
        for other in self._others:
            self._paint_other(painter, area, other)
        if self._span is not None:
            self._paint_brackets(painter, area)
        x = self.x_of_frame(self._playhead)
        painter.setPen(QPen(theme.colour("text"), 1.5))
        painter.drawLine(int(x), 0, int(x), self.height())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self._frames == 0 or event.button() != Qt.MouseButton.LeftButton:
            return
        other = self._other_at(event.position().x(), event.position().y())
        if other is not None:
            self.span_chosen.emit(other.id)
            return
        self._grabbed = self._bracket_at(event.position().x()) or "playhead"
        self._before_drag = self._span
        self._drag(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grabbed is not None:
            self._drag(event.position().x())
        else:
            over = self._frames and self._bracket_at(event.position().x())
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grabbed, self._grabbed = self._grabbed, None
        if grabbed in ("first", "end") and self._span != self._before_drag:
            self.span_changed.emit(self._span)

    def put_back(self) -> bool:
        """Ends a drag of a bracket and puts it back where it was; False when none is dragged."""
        if self._grabbed not in ("first", "end"):
            return False
        self._grabbed = None
        self._span = self._before_drag
        self.update()
        return True

    def _drag(self, x: float) -> None:
        frame = self.frame_at(x)
        if self._grabbed == "playhead":
            self.frame_requested.emit(frame)
            return
        span = self._span
        assert span is not None
        if self._grabbed == "first":
            span = Span(first=min(frame, span.end - 1), end=span.end)
        else:
            span = Span(first=span.first, end=max(frame + 1, span.first + 1))
        self._span = span
        self.frame_requested.emit(span.first if self._grabbed == "first" else span.end - 1)
        self.update()

    def _area(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 4, -8, 0)

    def _view(self) -> RidgeView:
        span = self._span
        dim = ((-1.0, float(span.first)), (float(span.end), float(self._frames + 1))) if span else ()
        return RidgeView(first=0, end=max(1, self._frames), dim=dim)

    def _edges(self) -> dict[str, float]:
        if self._span is None:
            return {}
        return {
            "first": self.x_of_frame(self._span.first - 0.5),
            "end": self.x_of_frame(self._span.end - 0.5),
        }

    def _bracket_at(self, x: float) -> str | None:
        near = {name: abs(x - edge) for name, edge in self._edges().items()}
        name = min(near, key=near.__getitem__, default=None)
        return name if name is not None and near[name] <= _GRAB_PX else None

    def _other_box(self, other: NamedSpan) -> QRectF:
        """The bar of another span, at the top of the ridge."""
        left, right = (self.x_of_frame(frame - 0.5) for frame in (other.span.first, other.span.end))
        return QRectF(left, 2, max(14.0, right - left), theme.scaled(15))

    def _other_at(self, x: float, y: float) -> NamedSpan | None:
        return next((other for other in self._others if self._other_box(other).contains(x, y)), None)

    def _paint_other(self, painter: QPainter, area: QRectF, other: NamedSpan) -> None:
        box = self._other_box(other)
        shade = theme.colour("line")
        shade.setAlpha(190)
        painter.fillRect(box, shade)
        painter.setPen(theme.colour("quiet"))
        for x in (box.left(), box.right()):
            painter.drawLine(int(x), 2, int(x), int(area.bottom()))
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("text"))
        words = painter.fontMetrics().elidedText(other.name, Qt.TextElideMode.ElideRight, int(box.width()) - 6)
        painter.drawText(box.adjusted(4, 0, -2, 0), Qt.AlignmentFlag.AlignVCenter, words)

    def _paint_brackets(self, painter: QPainter, area: QRectF) -> None:
        painter.setPen(QPen(theme.colour("ember"), 2))
        for (_, x), inward in zip(self._edges().items(), (5, -5), strict=True):
            painter.drawLine(int(x), int(area.top()), int(x), int(area.bottom()))
            for y in (area.top() + 1, area.bottom() - 1):
                painter.drawLine(int(x), int(y), int(x) + inward, int(y))
