"""The keep-settle chart: least picture kept against the shake that remains, with the present choice as a dot."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from clevrin.core.hold.proposals import Chart, ChartPoint, hold_at
from clevrin.desk.widgets import theme

_LEFT, _RIGHT, _TOP, _FOOT = 34.0, 18.0, 8.0, 18.0
_HEIGHT = 112
_MOST, _LEAST = 1.0, 0.5
_DOT_PX = 6.0


class KeepChart(QWidget):
    """Draws a chart; the dot is dragged along for the budget and across the lines for the settle."""

    choice_changing = Signal(float, float)
    """Settle in seconds and keep as a share, while the dot is dragged."""
    choice_changed = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.chart: Chart | None = None
        self._settle_s, self._keep = 1.6, 0.85
        self._words = ""
        self._kept: float | None = None
        self.setFixedHeight(theme.scaled(_HEIGHT))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setToolTip(
            "What calm costs: to the right less of the picture stays, further down less shake is left. One line for "
            "each settle, the thick one for yours. Drag the dot."
        )

    def sizeHint(self) -> QSize:
        return QSize(256, theme.scaled(_HEIGHT))

    def show_chart(self, chart: Chart | None, settle_s: float, keep: float, words: str = "") -> None:
        """The chart, or words in its place, and where the present choice is."""
        self.chart, self._settle_s, self._keep, self._words = chart, settle_s, keep, words
        self.update()

    def show_kept(self, kept: float | None) -> None:
        """How much stays as it is held now: what is charted is worked out for some budgets, and wanders by a little."""
        if kept != self._kept:
            self._kept = kept
            self.update()

    @property
    def least_needed(self) -> float:
        """How much stays whatever budget there is, by the line of the chosen settle and by what stays now."""
        kept = min((p.kept for p in self._line()), default=1.0)
        return kept if self._kept is None or self._kept <= self._keep else min(kept, self._kept)

    @property
    def _area(self) -> QRectF:
        """Where the lines are drawn; the scales stand at its left and under it."""
        left, right, top, foot = (theme.scaled(px) for px in (_LEFT, _RIGHT, _TOP, _FOOT))
        return QRectF(left, top, max(1.0, self.width() - left - right), max(1.0, self.height() - top - foot))

    def dot(self) -> QPointF:
        """Where the present choice is drawn."""
        assert self.chart is not None
        return QPointF(self._x(self._keep), self._y(self._shake_at(self._line(), self._keep)))

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:  # whatever happens, it is let go of
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.fillRect(self.rect(), theme.colour("surround"))
        painter.setFont(theme.font(theme.SMALL_PX))
        if self.chart is None:
            painter.setPen(theme.colour("quiet"))
            box = self.rect().adjusted(10, 0, -10, 0)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._words)
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_scales(painter)
        present = self._line()
        for line in self.chart.lines:
            strong = line is present
            painter.setPen(QPen(theme.colour("ember" if strong else "line"), 2.2 if strong else 1.2))
            painter.drawPolyline(
                QPolygonF([QPointF(self._x(p.asked_keep), self._y(p.shake_px)) for p in line if p.asked_keep >= _LEAST])
            )
        painter.setPen(theme.colour("quiet"))
        self._paint_words(painter, 0, "px of shake left")
        self._paint_used(painter, present)
        painter.setPen(QPen(theme.colour("sunk"), 2))
        painter.setBrush(theme.colour("text"))
        painter.drawEllipse(self.dot(), _DOT_PX, _DOT_PX)

    def _paint_scales(self, painter: QPainter) -> None:
        assert self.chart is not None
        quiet = theme.colour("quiet")
        painter.setPen(quiet)
        area, line = self._area, theme.scaled(16)
        for keep in (1.0, 0.9, 0.8, 0.7, 0.6, 0.5) if theme.scale() < 1.3 else (1.0, 0.8, 0.6):
            box = QRectF(self._x(keep) - 1.25 * line, area.bottom() + 2, 2.5 * line, line)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{keep * 100:.0f} %" if keep != 1 else "100")
        for share in (1.0, 0.25, 0.0):
            shake = self.chart.shake_px * share
            box = QRectF(0, self._y(shake) - line / 2, area.left() - 5, line)
            words = f"{shake:.1f}" if share < 1 else f"{shake:.1f} px"
            painter.drawText(
                box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, words.removesuffix(" px")
            )
            painter.setPen(QPen(theme.colour("line"), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(area.left(), self._y(shake)), QPointF(area.right(), self._y(shake)))
            painter.setPen(quiet)

    def _paint_used(self, painter: QPainter, line: tuple[ChartPoint, ...]) -> None:
        """Where the line is level, calm costs no more: from here on the budget is not used up."""
        kept = self.least_needed
        if kept <= self._keep:
            return
        x, y = self._x(kept), self._y(line[-1].shake_px)
        painter.setPen(QPen(theme.colour("kelp"), 1.6))
        painter.drawLine(QPointF(x, y - 7), QPointF(x, y + 5))
        self._paint_words(painter, theme.scaled(15), f"never needs less than {kept * 100:.0f} %")

    def _paint_words(self, painter: QPainter, down: float, words: str) -> None:
        """Words at the upper right, on a ground of their own: a line may run there."""
        width = painter.fontMetrics().horizontalAdvance(words) + 6
        box = QRectF(self._area.right() - width, self._area.top() + down - 1, width, theme.scaled(15))
        shade = theme.colour("surround")
        shade.setAlpha(215)
        painter.fillRect(box, shade)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.chart is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        share = (event.position().x() - self._area.left()) / self._area.width()
        keep = round(float(np.clip(_MOST - share * (_MOST - _LEAST), _LEAST, _MOST)), 2)
        settle_s = hold_at(self.chart, keep, self._shake_of(event.position().y()))
        self._settle_s, self._keep = settle_s, keep
        self.choice_changing.emit(settle_s, keep)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.chart is not None and event.button() == Qt.MouseButton.LeftButton:
            self.choice_changed.emit()

    def _line(self) -> tuple[ChartPoint, ...]:
        """The line whose settle is nearest to the present one."""
        assert self.chart is not None
        wanted = np.log(max(self._settle_s, 0.05))
        return min(self.chart.lines, key=lambda line: abs(np.log(line[0].settle_s) - wanted))

    @staticmethod
    def _shake_at(line: tuple[ChartPoint, ...], keep: float) -> float:
        keeps, shakes = zip(*sorted((p.asked_keep, p.shake_px) for p in line), strict=True)
        return float(np.interp(keep, keeps, shakes))

    def _x(self, keep: float) -> float:
        share = (_MOST - max(keep, _LEAST)) / (_MOST - _LEAST)
        return self._area.left() + share * self._area.width()

    def _y(self, shake_px: float) -> float:
        """The square root, so that what is nearly calm is still told apart."""
        assert self.chart is not None
        share = np.sqrt(min(1.0, max(0.0, shake_px) / max(self.chart.shake_px, 1e-6)))
        return float(self._area.bottom() - 6 - share * (self._area.height() - 14))

    def _shake_of(self, y: float) -> float:
        assert self.chart is not None
        share = (self._area.bottom() - 6 - y) / (self._area.height() - 14)
        return float(np.clip(share, 0, 1) ** 2 * self.chart.shake_px)
