"""What the lanes of the Pace bench share: one axis of time, a column of names, and the playhead."""

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from clevrin.desk.pace.paced_shot import PacedShot
from clevrin.desk.reel.snapping import SNAP_PX
from clevrin.desk.widgets import theme

LABEL_PX, MARGIN_PX = 96, 8


class TimedLane(QWidget):
    """A drawing over the frames of the reel that a shot lasts; where nothing is grabbed, drags move the playhead."""

    place_requested = Signal(float)
    """A place on the shot's reel that somebody wants to look at, in frames of it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.shown: PacedShot | None = None
        self._frames = 1
        self.playhead = 0.0
        self.setMouseTracking(True)

    def show_shot(self, shown: PacedShot | None, *, held: bool = False) -> None:
        """Shows a shot; while the axis is `held`, what is dragged stays under the pointer, however long it gets."""
        self.shown = shown
        if shown is not None and not held:
            self._frames = max(1, shown.frames)
        self.update()

    @property
    def grabbing(self) -> bool:
        """Whether something is being dragged."""
        return False

    def show_playhead(self, at: float) -> None:
        if at != self.playhead:
            self.playhead = at
            self.update()

    def x_of(self, at: float) -> float:
        """Where the middle of a frame of the shot's reel is drawn."""
        area = self.area()
        return area.left() + (at + 0.5) / self._frames * area.width()

    def at(self, x: float) -> float:
        """The place on the shot's reel at a column of pixels, within the shot."""
        area = self.area()
        place = (x - area.left()) / max(1.0, area.width()) * self._frames - 0.5
        return min(max(place, 0.0), self._frames - 1.0)

    def mark_near(self, x: float) -> float | None:
        """The place of the marker or beat that a column of pixels is next to, where one is near enough to snap to."""
        shown = self.shown
        if shown is None:
            return None
        places = [marker.frame - shown.placed.start for marker in shown.project.reel.markers]
        near = min(places, key=lambda place: abs(self.x_of(place) - x), default=None)
        return None if near is None or abs(self.x_of(near) - x) > SNAP_PX else float(near)

    def area(self) -> QRectF:
        left = theme.scaled(LABEL_PX)
        return QRectF(left, 0, max(1, self.width() - left - MARGIN_PX), self.height())

    def label(self, painter: QPainter, words: str, below: str = "", token: str = "ember") -> None:
        """Names the lane at its left, with small print under the name."""
        box = QRectF(8, 4, theme.scaled(LABEL_PX) - 12, self.height() - 8)
        painter.setPen(theme.colour(token))
        painter.setFont(theme.font(theme.BODY_PX, strong=True))
        painter.drawText(box, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, words)
        if below:
            painter.setPen(theme.colour("quiet"))
            painter.setFont(theme.font(theme.SMALL_PX))
            box.setTop(box.top() + painter.fontMetrics().height() + 3)
            flags = Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap
            painter.drawText(box, int(flags), below)

    def paint_playhead(self, painter: QPainter) -> None:
        painter.setPen(QPen(theme.colour("text"), 1.5))
        x = self.x_of(self.playhead)
        painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))

    def paint_beats(self, painter: QPainter) -> None:
        """Markers and beats of the reel as lines."""
        shown = self.shown
        if shown is None:
            return
        for marker in shown.project.reel.markers:
            if shown.placed.start <= marker.frame <= shown.placed.end:
                tint = theme.colour("sky" if marker.kind == "marker" else "plum")
                tint.setAlpha(170)
                painter.setPen(QPen(tint, 1))
                x = self.x_of(marker.frame - shown.placed.start)
                painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:  # whatever happens, it is let go of
            painter.fillRect(self.rect(), theme.colour("surround"))
            if self.shown is not None:
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                self.paint(painter)
                painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
                self.paint_playhead(painter)

    def paint(self, painter: QPainter) -> None:
        """Draws the lane; `shown` is there."""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.shown is not None and event.button() == Qt.MouseButton.LeftButton:
            self.place_requested.emit(self.at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.shown is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.place_requested.emit(self.at(event.position().x()))
