"""Performing motion by hand: a shot or the reel plays, and where the mouse goes over the picture, the gate goes."""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QObject, QPointF, Signal
from PySide6.QtGui import QCursor, QMouseEvent, QWheelEvent

from clevrin.core.document import Motion, Project, Span
from clevrin.core.document.value import Rate
from clevrin.core.hold.lending import smoothed
from clevrin.desk.widgets.viewer import Viewer

_REACH = 0.35
"""How far the gate goes, in picture widths, when the mouse goes from the middle of the picture to its side."""
_ZOOM_PER_NOTCH = 0.02
_SETTLE_S = 0.5
_ATTEMPT = "attempt"


def attempt_name(project: Project) -> str:
    """What the next attempt is called."""
    attempts = sum(motion.name.startswith(_ATTEMPT) for motion in project.motions)
    return f"{_ATTEMPT} {attempts + 1}"


class Performance(QObject):
    """One attempt: what the mouse did at each frame that was played."""

    ended = Signal()

    def __init__(self, span: Span, rate: Rate, viewer: Viewer) -> None:
        """`span`: the frames that play, of a take or of the reel."""
        super().__init__(viewer)
        self._span, self._rate, self._viewer = span, rate, viewer
        self._course: dict[int, tuple[float, float, float]] = {}
        self._zoom = 0.0
        self._mouse: QPointF | None = None
        viewer.setMouseTracking(True)
        viewer.installEventFilter(self)

    def record(self, frame: int) -> None:
        """A frame was shown: where the mouse is now belongs to it. The end of the span ends the attempt."""
        if self._course and frame < max(self._course):
            self.ended.emit()
            return
        if not self._course and frame > self._span.first + self._span.frames // 2:
            return  # a picture from before it was begun anew
        rect = self._viewer.picture_rect()
        at = self._mouse
        if at is None:
            at = QPointF(self._viewer.mapFromGlobal(QCursor.pos()))
        if rect.isValid() and rect.width() > 1:
            x = 2 * (at.x() - rect.center().x()) / rect.width()
            y = 2 * (at.y() - rect.center().y()) / rect.width()
            self._course[frame] = float(np.clip(x, -1, 1)) * _REACH, -float(np.clip(y, -1, 1)) * _REACH, self._zoom
        if frame >= self._span.end - 1:
            self.ended.emit()

    def motion(self, name: str) -> Motion | None:
        """What was performed, without the jumps of the hand; None when it was too short to be anything."""
        if len(self._course) < 2:
            return None
        known = sorted(self._course)
        # Frames that playback left out lie between those that it showed; at the ends the gate stays.
        frames = np.arange(self._span.first, self._span.end)
        given = np.array([self._course[k] for k in known])
        course: NDArray[np.float64] = np.zeros((len(frames), 4))
        for column, axis in enumerate((0, 1, 3)):
            course[:, axis] = np.interp(frames, known, given[:, column])
        course = smoothed(course - course[:1], float(self._rate), _SETTLE_S)
        rows = tuple(tuple(float(v) for v in row) for row in course)
        return Motion.model_validate({"name": name, "rate": self._rate, "course": rows})

    def stop(self) -> None:
        """Listens to the mouse no more."""
        self._viewer.removeEventFilter(self)
        self._viewer.setMouseTracking(False)
        self.deleteLater()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QMouseEvent) and event.type() == QEvent.Type.MouseMove:
            self._mouse = event.position()
        if isinstance(event, QWheelEvent):
            self._zoom += event.angleDelta().y() / 120 * _ZOOM_PER_NOTCH
            return True
        return super().eventFilter(watched, event)
