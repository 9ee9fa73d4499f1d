"""The step rail: the steps of the work in their order; each can be entered at any time."""

from dataclasses import dataclass

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetrics, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QFrame, QSizePolicy, QVBoxLayout, QWidget

from clevrin.desk.widgets import theme


@dataclass(frozen=True, kw_only=True)
class Step:
    """One step of the work."""

    id: str
    name: str
    icon: str
    tip: str

    @property
    def number(self) -> int:
        """Its place in the order of the work, which is also its key."""
        return STEPS.index(self) + 1


STEPS = (
    Step(id="log", name="Log", icon="list-video", tip="Bring takes in, look at them, keep what is usable"),
    Step(id="steady", name="Steady", icon="activity", tip="Take the shake out and keep the move"),
    Step(id="reframe", name="Reframe", icon="proportions", tip="Choose what is seen of the picture, in every shape"),
    Step(id="pace", name="Pace", icon="gauge", tip="Choose how fast it plays, and what is made of the moments between"),
    Step(id="join", name="Join", icon="blend", tip="Cut where two takes' whips agree"),
    Step(id="finish", name="Finish", icon="inbox-down", tip="Watch the reel, find what is not right, deliver it"),
)


def name_of_step(step: str) -> str:
    """What a step is called, by its id."""
    return next(each.name for each in STEPS if each.id == step)


class StepRail(QFrame):
    """Buttons for the steps; a dot shows that the chosen shot has settings there."""

    step_requested = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("rail")
        self.setFixedWidth(theme.widened(theme.RAIL_WIDTH))
        column = QVBoxLayout(self)
        column.setContentsMargins(4, 8, 4, 8)
        column.setSpacing(8)
        group = QButtonGroup(self)
        self.buttons: dict[str, _StepButton] = {}
        for step in STEPS:
            button = _StepButton(step)
            group.addButton(button)
            column.addWidget(button)
            button.clicked.connect(lambda _=False, id=step.id: self.step_requested.emit(id))
            self.buttons[step.id] = button
        column.addStretch(1)

    def show_step(self, step_id: str) -> None:
        self.buttons[step_id].setChecked(True)

    def show_dots(self, step_ids: set[str]) -> None:
        for step_id, button in self.buttons.items():
            button.set_dot(step_id in step_ids)


class _StepButton(QAbstractButton):
    def __init__(self, step: Step) -> None:
        super().__init__()
        self.step = step
        self._dot = False
        self.setText(step.name)
        self.setCheckable(True)
        self.setToolTip(f"{step.tip}  ({step.number})")
        self.setMinimumHeight(theme.scaled(20) + 6)  # with very large text there may be room for its name alone
        self.setMaximumHeight(38 + theme.scaled(28))
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Preferred)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(step.name)

    def sizeHint(self) -> QSize:
        return QSize(56, 38 + theme.scaled(28))

    def set_dot(self, dot: bool) -> None:
        if dot != self._dot:
            self._dot = dot
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        with QPainter(self) as painter:  # whatever happens, it is let go of
            self._paint(painter)

    def _paint(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(self.rect())
        on = self.isChecked()
        if on or self.underMouse():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("sunk" if on else "bench"))
            painter.drawRoundedRect(rect, theme.CORNER, theme.CORNER)
        if on:
            painter.fillRect(QRectF(0, 6, 3, rect.height() - 12), theme.colour("ember"))
        if self.hasFocus():
            painter.setPen(theme.colour("ember"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(rect.adjusted(0.5, 0.5, -0.5, -0.5), theme.CORNER, theme.CORNER)
        tint = "text" if on else "quiet"
        whole = self.height() >= 38 + theme.scaled(20)
        if whole:
            theme.icon(self.step.icon, tint, 22).paint(painter, (self.width() - 22) // 2, 14, 22, 22)
        painter.setPen(theme.colour(tint))
        font = theme.font(12, strong=on)
        wide = QFontMetrics(font).horizontalAdvance(self.step.name) / (rect.width() - 8)
        if wide > 1:  # with very large text the longest name would be cut
            font.setPixelSize(int(font.pixelSize() / wide))
        painter.setFont(font)
        under = Qt.AlignmentFlag.AlignHCenter
        if whole:
            painter.drawText(rect.adjusted(0, 40, 0, -4), under, self.step.name)
        else:
            painter.drawText(rect, under | Qt.AlignmentFlag.AlignVCenter, self.step.name)
        painter.setFont(theme.font(10))
        painter.setPen(theme.colour("quiet"))
        if whole:
            painter.drawText(rect.adjusted(0, 3, -6, 0), Qt.AlignmentFlag.AlignRight, str(self.step.number))
        if self._dot:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour("kelp"))
            painter.drawEllipse(QRectF(7, 8, 5, 5))
