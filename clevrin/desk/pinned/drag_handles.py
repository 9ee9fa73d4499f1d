"""What is pinned, over the whole picture of its take: dragged, sized, turned, and pulled into perspective."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRect, Qt
from PySide6.QtGui import QPainter, QPen, QPolygonF

from clevrin.core.document import Pinned
from clevrin.core.motion.geometry.models import apply
from clevrin.core.render.measured.carried import widths_from_own
from clevrin.desk.pinned.edits import Likeness, PinnedEdits
from clevrin.desk.widgets import theme

Numbers = NDArray[np.float64]

GESTURE = "drag"
_NEAR_PX = 13.0
_KNOB_PX = 24.0


@dataclass(frozen=True, kw_only=True)
class _Grabbed:
    """What a drag holds, where it began, and the element as it was then."""

    what: str
    corner: int
    start: tuple[float, float]
    begun: Pinned


class PinnedHands:
    """An overlay of a viewer that shows all of a take's picture."""

    def __init__(self, edits: PinnedEdits) -> None:
        self._edits = edits
        self.pulls = False
        """Whether a dragged corner goes by itself, into perspective; else all of it is sized."""
        self._grabbed: _Grabbed | None = None

    def paint(self, painter: QPainter, rect: QRect) -> None:
        shot, chosen = self._edits.shot, self._edits.chosen
        if shot is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for each in shot.pinned:
            view = self._in_view(each, rect)
            if view is None:
                continue
            ours = chosen is not None and each.id == chosen.id
            line = QPolygonF([QPointF(float(x), float(y)) for x, y in view])
            painter.setPen(QPen(theme.colour("sunk"), 4))
            painter.drawPolygon(line)
            pen = QPen(theme.colour("ember" if ours else "quiet"), 1.8 if ours else 1.2)
            painter.setPen(pen)
            painter.drawPolygon(line)
            if ours:
                self._paint_grips(painter, view)

    def _paint_grips(self, painter: QPainter, view: Numbers) -> None:
        knob, top = _knob(view), (view[0] + view[1]) / 2
        for colour, width in (("sunk", 4.0), ("ember", 1.6)):
            painter.setPen(QPen(theme.colour(colour), width))
            painter.drawLine(QPointF(*top), QPointF(*knob))
        painter.setPen(QPen(theme.colour("sunk"), 1.5))
        painter.setBrush(theme.colour("ember"))
        kite = ((0, -9), (6, -2), (0, 7), (-6, -2))
        painter.drawPolygon(QPolygonF([QPointF(*knob) + QPointF(*each) for each in kite]))
        painter.setPen(QPen(theme.colour("ember"), 1.4))
        painter.setBrush(theme.colour("sunk" if self.pulls else "ember"))
        for x, y in view:  # sails, as for all points that are dragged; open ones go by themselves
            sail = [QPointF(x - 5, y + 5), QPointF(x + 5, y + 5), QPointF(x - 5, y - 6)]
            painter.drawPolygon(QPolygonF(sail))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape:
        what = self._what(at, rect)[0]
        shapes = {"move": Qt.CursorShape.SizeAllCursor, "turn": Qt.CursorShape.PointingHandCursor}
        return shapes.get(what, Qt.CursorShape.SizeFDiagCursor if what else Qt.CursorShape.ArrowCursor)

    def press(self, at: QPointF, rect: QRect) -> bool:
        what, corner = self._what(at, rect)
        if not what:
            under = self._under(at, rect)
            if under is None:
                return False
            self._edits.choose(under.id)
            what = "move"
        begun = self._edits.chosen
        assert begun is not None
        self._grabbed = _Grabbed(what=what, corner=corner, start=self._off(at, rect), begun=begun)
        return True

    def drag(self, at: QPointF, rect: QRect) -> None:
        grabbed = self._grabbed
        if grabbed is None:
            return
        if grabbed.what == "pull":
            self._edits.pull(grabbed.corner, self._off(at, rect), grabbed.begun, GESTURE)
            return
        known = self._edits.known(grabbed.begun)
        if known is None:
            return
        # In its own plane: what is dragged stays under the mouse however it lies there.
        to_widths = widths_from_own(grabbed.begun) @ np.linalg.inv(known.carried(self._edits.frame) @ known.placed)
        pose = known.pose(self._edits.frame)
        before, now = apply(to_widths, np.array([grabbed.start, self._off(at, rect)]))
        if not np.isfinite(now).all():
            return
        middle = np.array([pose.x, pose.y])
        if grabbed.what == "move":
            by = Likeness(x=float(now[0] - before[0]), y=float(now[1] - before[1]))
        elif grabbed.what == "turn":
            angles = [np.degrees(np.arctan2(*(place - middle)[::-1])) for place in (before, now)]
            by = Likeness(turn_deg=float((angles[1] - angles[0] + 180) % 360 - 180))
        else:
            far, near = (float(np.hypot(*(place - middle))) for place in (now, before))
            by = Likeness(size=float(np.clip(far / max(near, 1e-6), 0.02, 50)))
        self._edits.liken(by, grabbed.begun, GESTURE)

    def release(self, at: QPointF, rect: QRect) -> None:
        if self._grabbed is not None:
            self._grabbed = None
            self._edits.end()

    def put_back(self) -> bool:
        """Undoes a drag that is not over; whether there was one."""
        grabbed, self._grabbed = self._grabbed, None
        if grabbed is not None:
            self._edits.put_back(GESTURE, grabbed.begun.id)
        return grabbed is not None

    def _what(self, at: QPointF, rect: QRect) -> tuple[str, int]:
        """What of the chosen element is under the mouse: "", or what a drag does, and which corner."""
        chosen = self._edits.chosen
        view = None if chosen is None else self._in_view(chosen, rect)
        if view is None:
            return "", 0
        place = np.array([at.x(), at.y()])
        if np.hypot(*(place - _knob(view))) < _NEAR_PX:
            return "turn", 0
        away = np.hypot(*(view - place).T)
        if away.min() < _NEAR_PX:
            pulls = self.pulls and not self._edits.by_poses
            return ("pull" if pulls else "size"), int(np.argmin(away))
        return ("move", 0) if _within(view, at) else ("", 0)

    def _under(self, at: QPointF, rect: QRect) -> Pinned | None:
        """The foremost element under the mouse."""
        shot = self._edits.shot
        for each in reversed(() if shot is None else shot.pinned):
            view = self._in_view(each, rect)
            if view is not None and _within(view, at):
                return each
        return None

    def _in_view(self, pinned: Pinned, rect: QRect) -> Numbers | None:
        """(4, 2): the corners of an element in the widget."""
        corners, take = self._edits.corners(pinned), self._edits.take
        if corners is None or take is None:
            return None
        size = (take.facts.width, take.facts.height)
        return np.asarray((corners + 0.5) / size * (rect.width(), rect.height()) + (rect.left(), rect.top()))

    def _off(self, at: QPointF, rect: QRect) -> tuple[float, float]:
        take = self._edits.take
        assert take is not None
        x = (at.x() - rect.left()) / max(1, rect.width()) * take.facts.width - 0.5
        y = (at.y() - rect.top()) / max(1, rect.height()) * take.facts.height - 0.5
        return float(x), float(y)


def _knob(view: Numbers) -> Numbers:
    """The kite by which it is turned, on its string over its top."""
    top = (view[0] + view[1]) / 2
    up = top - (view[2] + view[3]) / 2
    return np.asarray(top + up / max(1.0, float(np.hypot(*up))) * _KNOB_PX)


def _within(view: Numbers, at: QPointF) -> bool:
    quad = QPolygonF([QPointF(float(x), float(y)) for x, y in view])
    return bool(quad.containsPoint(at, Qt.FillRule.OddEvenFill))
