"""Guides over the result: lines to compose by, which never render, and are each output's own."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QPainter, QPen

from clevrin.desk.widgets import theme

GUIDES: tuple[tuple[str, str, str], ...] = (
    ("middle", "middle", "A cross in the middle"),
    ("thirds", "thirds", "Lines at the thirds"),
    ("diagonals", "diagonals", "From corner to corner"),
    ("safe", "safe area", "What no screen cuts off: a share of each side"),
    ("lines", "own lines", "Drag in the result to draw a line across or down; drag one out of it to be rid of it"),
)
OVERLAYS: tuple[tuple[str, str, str], ...] = (
    ("", "nothing", "The result alone"),
    ("before", "shot before", "The last frame of the shot before, half through"),
    ("after", "shot after", "The first frame of the shot after, half through"),
    ("differs-before", "differs, before", "Where it differs from the last frame of the shot before"),
    ("differs-after", "differs, after", "Where it differs from the first frame of the shot after"),
)
"""What of the neighbours is laid over the result, to lay a subject on a subject; none of it renders."""
USUAL_SAFE = 0.9
_NEAR_PX = 6.0

Line = tuple[str, float]
"""Which way a line goes ("across" or "down"), and where: a share of the height or width."""


@dataclass
class OutputGuides:
    """The guides of one output: how large its safe area is, and the lines that were drawn."""

    safe: float = USUAL_SAFE
    lines: list[Line] = field(default_factory=list)


class Guides:
    """An overlay that draws the guides that are on; `changed` is called when a line was drawn."""

    def __init__(self, changed: Callable[[], None]) -> None:
        self._changed = changed
        self.on: set[str] = set()
        self._outputs: dict[str | None, OutputGuides] = {}
        self._output: str | None = None
        self._start: QPointF | None = None
        self._grabbed: Line | None = None
        self._drawn: Line | None = None

    @property
    def own(self) -> OutputGuides:
        """Those of the output that is looked at."""
        return self._outputs.setdefault(self._output, OutputGuides())

    def look_at(self, output_id: str | None) -> None:
        self._output = output_id

    def paint(self, painter: QPainter, rect: QRect) -> None:
        shade = theme.colour("text")
        shade.setAlpha(150)
        painter.setPen(QPen(shade, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        box = QRectF(rect)
        if "thirds" in self.on:
            _grid(painter, box, (1 / 3, 2 / 3))
        if "middle" in self.on:
            _grid(painter, box, (0.5,))
        if "diagonals" in self.on:
            painter.drawLine(box.topLeft(), box.bottomRight())
            painter.drawLine(box.bottomLeft(), box.topRight())
        if "safe" in self.on:
            x, y = box.width() * (1 - self.own.safe) / 2, box.height() * (1 - self.own.safe) / 2
            painter.drawRect(box.adjusted(x, y, -x, -y))
        if "lines" in self.on:
            painter.setPen(QPen(theme.colour("sky"), 1))
            for line in [*self.own.lines, *([] if self._drawn is None else [self._drawn])]:
                painter.drawLine(*_ends(line, box))

    # Drawing lines

    def press(self, at: QPointF, rect: QRect) -> bool:
        if "lines" not in self.on:
            return False
        self._start, self._grabbed = at, self._near(at, rect)
        if self._grabbed is not None:
            self.own.lines.remove(self._grabbed)
            self._drawn = self._grabbed
        return True

    def drag(self, at: QPointF, rect: QRect) -> None:
        if self._start is None:
            return
        way = at - self._start
        kind = self._grabbed[0] if self._grabbed is not None else "across" if abs(way.x()) > abs(way.y()) else "down"
        self._drawn = kind, _share(at, rect, kind)
        self._changed()

    def release(self, at: QPointF, rect: QRect) -> None:
        if self._drawn is not None and 0 <= self._drawn[1] <= 1:
            self.own.lines.append(self._drawn)
        self._start = self._grabbed = self._drawn = None
        self._changed()

    def cursor(self, at: QPointF, rect: QRect) -> Qt.CursorShape:
        return Qt.CursorShape.CrossCursor if "lines" in self.on else Qt.CursorShape.ArrowCursor

    def _near(self, at: QPointF, rect: QRect) -> Line | None:
        for kind, share in self.own.lines:
            length = rect.height() if kind == "across" else rect.width()
            if abs(_share(at, rect, kind) - share) * length < _NEAR_PX:
                return kind, share
        return None


def _share(at: QPointF, rect: QRect, kind: str) -> float:
    if kind == "across":
        return float(at.y() - rect.top()) / max(1, rect.height())
    return float(at.x() - rect.left()) / max(1, rect.width())


def _ends(line: Line, box: QRectF) -> tuple[QPointF, QPointF]:
    kind, share = line
    share = float(np.clip(share, 0, 1))
    if kind == "across":
        y = box.top() + share * box.height()
        return QPointF(box.left(), y), QPointF(box.right(), y)
    x = box.left() + share * box.width()
    return QPointF(x, box.top()), QPointF(x, box.bottom())


def _grid(painter: QPainter, box: QRectF, shares: tuple[float, ...]) -> None:
    for share in shares:
        for kind in ("across", "down"):
            painter.drawLine(*_ends((kind, share), box))
