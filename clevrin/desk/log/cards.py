"""Take cards: thumbnail, ridge, name and facts of every take."""

from PySide6.QtCore import QEvent, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QEnterEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from clevrin.core.document import Take
from clevrin.desk import theme
from clevrin.desk.context import Context
from clevrin.desk.ridge import RidgeView, paint_ridge, paint_waiting
from clevrin.desk.ridge_store import RidgeStore
from clevrin.desk.sheet import Trouble, plain_button

WIDTH = 224
_THUMB = (96, 54)


class TakeCards(QFrame):
    """A column of cards; the chosen one is marked."""

    take_chosen = Signal(str)
    put_requested = Signal(str)
    add_requested = Signal()

    def __init__(self, context: Context, ridges: RidgeStore, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("cards")
        self.setFixedWidth(WIDTH)
        self._context, self._ridges = context, ridges
        self.cards: dict[str, TakeCard] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 0, 8)
        column.setSpacing(6)
        self.add_button = plain_button("Add takes", "Bring footage files in; dropping them on the window does the same")
        self.add_button.setIcon(theme.icon("plus"))
        self.add_button.clicked.connect(self.add_requested)
        self.trouble = Trouble()
        self._empty = QLabel("No takes yet. Drop footage files anywhere on the window.")
        self._empty.setObjectName("quiet")
        self._empty.setWordWrap(True)
        inner = QWidget()
        inner.setObjectName("clear")
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 8, 0)
        self._list.setSpacing(6)
        self._list.addWidget(self._empty)
        self._list.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inner)
        scroll.viewport().setObjectName("clear")
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        head = QVBoxLayout()
        head.setContentsMargins(0, 0, 8, 0)
        head.addWidget(self.add_button)
        head.addWidget(self.trouble)
        column.addLayout(head)
        column.addWidget(scroll, 1)

    def show_takes(self, takes: tuple[Take, ...], chosen: str | None) -> None:
        """Shows these takes; cards that are there already stay."""
        wanted = {take.id for take in takes}
        for take_id in [id for id in self.cards if id not in wanted]:
            self.cards.pop(take_id).deleteLater()
        for place, take in enumerate(takes):
            card = self.cards.get(take.id)
            if card is None:
                card = TakeCard(self._context, self._ridges)
                card.pressed.connect(lambda id=take.id: self.take_chosen.emit(id))
                card.double_clicked.connect(lambda id=take.id: self.put_requested.emit(id))
                self.cards[take.id] = card
                self._list.insertWidget(place, card)
            card.show_take(take, take.id == chosen)
        self._empty.setVisible(not takes)


class TakeCard(QWidget):
    """One take. Moving the pointer across the thumbnail runs through the take."""

    pressed = Signal()
    double_clicked = Signal()

    def __init__(self, context: Context, ridges: RidgeStore) -> None:
        super().__init__()
        self._context, self._ridges = context, ridges
        self._take: Take | None = None
        self._chosen = False
        self._hover: float | None = None
        self.setFixedHeight(96)
        self.setMouseTracking(True)
        context.thumbnails.arrived.connect(self.update)
        context.measurements.measured.connect(self.update)
        context.jobs.states_changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(WIDTH - 16, 96)

    def show_take(self, take: Take, chosen: bool) -> None:
        self._take, self._chosen = take, chosen
        self.setAccessibleName(take.name)
        self.setToolTip(f"{take.path}\nDouble click puts its span on the reel.")
        self.update()

    @property
    def words(self) -> str:
        """How the take stands, in small print."""
        take = self._take
        assert take is not None
        trouble = self._context.measurements.trouble(take)
        if trouble:
            return trouble
        if self._context.measurements.trace(take) is None:
            return "measuring" if self._context.measurements.is_measuring(take) else "not measured"
        count = len(self._context.measurements.whips(take))
        return "no whips" if not count else f"{count} whip{'s' if count > 1 else ''}"

    def paintEvent(self, event: QPaintEvent) -> None:
        take = self._take
        if take is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(QPen(theme.colour("ember" if self._chosen else "line"), 1.5 if self._chosen else 1))
        painter.setBrush(theme.colour("chosen" if self._chosen else "bench"))
        painter.drawRoundedRect(rect, theme.CORNER, theme.CORNER)
        box = QRectF(6, 6, *_THUMB)
        painter.fillRect(box, theme.colour("surround"))
        frame = int((self._hover if self._hover is not None else 0.4) * (take.facts.frames - 1))
        ratio = self.devicePixelRatioF()
        wanted = (int(_THUMB[0] * ratio), int(_THUMB[1] * ratio))
        image = self._context.thumbnails.of_take(take, frame // 5 * 5, wanted)
        if image is not None:
            size = image.size() / ratio
            painter.drawImage(
                QRectF(
                    box.center().x() - size.width() / 2,
                    box.center().y() - size.height() / 2,
                    size.width(),
                    size.height(),
                ),
                image,
            )
        left = box.right() + 8
        painter.setPen(theme.colour("text"))
        painter.setFont(theme.font(theme.BODY_PX, strong=True))
        room = int(self.width() - left - 6)
        painter.drawText(
            QRectF(left, 5, room, 18),
            painter.fontMetrics().elidedText(take.name, Qt.TextElideMode.ElideMiddle, room),
        )
        painter.setPen(theme.colour("quiet"))
        painter.setFont(theme.font(theme.SMALL_PX))
        facts = take.facts
        lines = (
            f"{facts.seconds:.1f} s · {float(facts.rate):.4g}/s",
            f"{facts.width} × {facts.height}",
            self.words,
        )
        for k, line in enumerate(lines):
            text = painter.fontMetrics().elidedText(line, Qt.TextElideMode.ElideRight, room)
            painter.drawText(QRectF(left, 23 + 13 * k, room, 14), text)
        foot = QRectF(6, box.bottom() + 4, self.width() - 12, self.height() - box.bottom() - 9)
        painter.fillRect(foot, theme.colour("surround"))
        data = self._ridges.of(take)
        if data is not None:
            dim = ((-1.0, float(take.span.first)), (float(take.span.end), float(facts.frames + 1)))
            paint_ridge(painter, foot, data, RidgeView(first=0, end=facts.frames, dim=dim))
        elif self._context.measurements.is_measuring(take):
            paint_waiting(painter, foot, "motion is being measured")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.pressed.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.double_clicked.emit()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        share = (event.position().x() - 6) / _THUMB[0]
        self._hover = min(1.0, max(0.0, share)) if 0 <= share <= 1.02 and event.position().y() < 62 else None
        self.update()

    def enterEvent(self, event: QEnterEvent) -> None:
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._hover = None
        self.update()
