"""Take cards: a list with thumbnail, ridge, name, facts and verdict lamp of every take, searched and sorted."""

from PySide6.QtCore import (
    QAbstractListModel,
    QEvent,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRect,
    QRectF,
    QSize,
    QSizeF,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from clevrin.core.document import Take
from clevrin.desk.background.ridge_store import RidgeStore
from clevrin.desk.bench.context import Context
from clevrin.desk.log.choice import SORTS, Choice, Measured
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.ridge import RidgeView, paint_ridge, paint_waiting
from clevrin.desk.widgets.sheet import Trouble, plain_button
from clevrin.desk.widgets.wheel import keep_from_wheel

WIDTH = 224
CARD_HEIGHT = 100
_GAP = 6
_THUMB = (96, 54)
_INSET = 6
_LAMPS = {"easy": "kelp", "costly": "ember", "hopeless": "brick"}

Index = QModelIndex | QPersistentModelIndex


class TakeCards(QFrame):
    """The column of cards with its search and sort; the chosen card is marked."""

    take_chosen = Signal(str)
    put_requested = Signal(str)
    add_requested = Signal()

    def __init__(self, context: Context, ridges: RidgeStore, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("cards")
        self.setFixedWidth(theme.widened(WIDTH))
        self._context = context
        self._takes: tuple[Take, ...] = ()
        self._chosen: str | None = None
        self.choice = Choice()
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 0, 8)
        column.setSpacing(_GAP)
        column.addLayout(self._make_head())
        self.empty_note = QLabel("No takes yet. Drop footage files anywhere on the window.")
        self.empty_note.setObjectName("quiet")
        self.empty_note.setWordWrap(True)
        self.empty_note.setContentsMargins(0, 8, 8, 0)
        self.empty_note.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.list = TakeList(context, ridges)
        self.list.take_pressed.connect(self._on_list_take_pressed)
        self.list.take_double_clicked.connect(self.put_requested)
        column.addWidget(self.empty_note)
        column.addWidget(self.list, 1)
        self._again = QTimer(self, singleShot=True, interval=200)
        self._again.timeout.connect(self._show_listed)
        context.measurements.measured.connect(self._on_measurements_measured)
        context.session.opened.connect(self._begin_anew)

    def _make_head(self) -> QVBoxLayout:
        self.add_button = plain_button("Add takes", "Bring footage files in; dropping them on the window does the same")
        self.add_button.setIcon(theme.icon("plus"))
        self.add_button.clicked.connect(self.add_requested)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search names, notes, facts")
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName("search takes")
        self.search.textChanged.connect(lambda text: self._choose(words=text))
        self.sort = QComboBox()
        keep_from_wheel(self.sort)
        self.sort.addItems(SORTS)
        self.sort.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.sort.setToolTip("The order of the cards")
        self.sort.currentTextChanged.connect(lambda sort: self._choose(sort=sort))
        self.dropped_button = plain_button("dropped", "Shows the takes that were dropped, too")
        self.dropped_button.setCheckable(True)
        self.dropped_button.toggled.connect(lambda on: self._choose(dropped=on))
        self.trouble = Trouble()
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self.sort, 1)
        row.addWidget(self.dropped_button)
        head = QVBoxLayout()
        head.setContentsMargins(0, 0, 8, 0)
        head.setSpacing(4)
        head.addWidget(self.add_button)
        head.addWidget(self.search)
        head.addLayout(row)
        head.addWidget(self.trouble)
        return head

    def _begin_anew(self) -> None:
        """All takes of another project are listed, in the usual order, from the first one on."""
        self.search.clear()
        self.sort.setCurrentIndex(0)
        self.dropped_button.setChecked(False)
        self.list.verticalScrollBar().setValue(0)

    @property
    def listed(self) -> tuple[Take, ...]:
        """The takes whose cards are there, in their order."""
        return self.list.takes

    def show_takes(self, takes: tuple[Take, ...], chosen: str | None) -> None:
        """Shows these takes as far as they are searched for."""
        if takes is not self._takes:
            self._takes = takes
            self._show_listed()
        if chosen != self._chosen:
            self._chosen = chosen
            self.list.choose(chosen)

    def neighbour(self, way: int) -> str | None:
        """The take next to the chosen one, in the order of the cards."""
        ids = [take.id for take in self.list.takes]
        if not ids:
            return None
        if self._chosen not in ids:
            return ids[0]
        return ids[min(max(ids.index(self._chosen) + way, 0), len(ids) - 1)]

    def _choose(self, **fields: object) -> None:
        self.choice = Choice(**{**self.choice.__dict__, **fields})
        self._show_listed()

    def _show_listed(self) -> None:
        self.list.show_takes(self.choice.listed(self._takes, self._measured), self._chosen)
        hidden = sum(take.worth == "drop" for take in self._takes)
        self.dropped_button.setText(f"{hidden} dropped" if hidden else "dropped")
        self.dropped_button.setEnabled(bool(hidden))
        if self._takes and not self.list.takes:
            self.empty_note.setText("No take is like that. Clear the search, or show the dropped ones.")
        else:
            self.empty_note.setText("No takes yet. Drop footage files anywhere on the window.")
        self.empty_note.setVisible(not self.list.takes)
        self.list.setVisible(bool(self.list.takes))

    def _measured(self, take: Take) -> Measured:
        measurements = self._context.measurements
        verdict = measurements.verdict(take)
        if verdict is None:
            return Measured(shake_px=None, whips=None, cost=None)
        return Measured(shake_px=verdict.shake_px, whips=len(measurements.whips(take)), cost=verdict.cost)

    def _on_list_take_pressed(self, take_id: str) -> None:
        self._chosen = take_id
        self.take_chosen.emit(take_id)

    def _on_measurements_measured(self, take_id: str) -> None:
        if self.choice.words or self.choice.sort in ("shake", "whips"):
            self._again.start()


class TakeList(QListView):
    """The cards. Moving the pointer across a thumbnail runs through its take."""

    take_pressed = Signal(str)
    take_double_clicked = Signal(str)

    def __init__(self, context: Context, ridges: RidgeStore) -> None:
        super().__init__()
        self._model = _TakeModel(self, context)
        self._card = _Card(context, ridges, self)
        self.setModel(self._model)
        self.setItemDelegate(self._card)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setObjectName("clear")
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setMouseTracking(True)
        self.verticalScrollBar().setSingleStep(36)
        self.setAccessibleName("takes")
        for signal in (context.thumbnails.arrived, context.measurements.measured, context.jobs.states_changed):
            signal.connect(self.viewport().update)

    @property
    def takes(self) -> tuple[Take, ...]:
        return self._model.takes

    @property
    def hovered(self) -> tuple[str, float] | None:
        """The take that the pointer runs through, and how far, 0 to 1."""
        return self._card.hover

    def show_takes(self, takes: list[Take], chosen: str | None) -> None:
        self._model.show_takes(takes)
        self.choose(chosen)

    def choose(self, take_id: str | None) -> None:
        """Marks a card and brings it into sight."""
        index = self._model.index_of(take_id)
        if index.isValid():
            self.setCurrentIndex(index)
            self.scrollTo(index)
        else:
            self.clearSelection()

    def place_of(self, take_id: str) -> QRect:
        """Where a take's card lies in the viewport; empty when it is not listed."""
        return self.visualRect(self._model.index_of(take_id))

    def words_of(self, take_id: str) -> str:
        """How a take stands, as its card says it."""
        return self._card.words(self._model.take(self._model.index_of(take_id)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        super().mousePressEvent(event)
        take = self._model.take(self.indexAt(event.position().toPoint()))
        if take is not None and event.button() == Qt.MouseButton.LeftButton:
            self.take_pressed.emit(take.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        take = self._model.take(self.indexAt(event.position().toPoint()))
        if take is not None:
            self.take_double_clicked.emit(take.id)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        super().mouseMoveEvent(event)
        at = event.position().toPoint()
        index = self.indexAt(at)
        take = self._model.take(index)
        rect = self.visualRect(index)
        x, y = (at.x() - rect.left() - _INSET) / _thumb().width(), at.y() - rect.top()
        over = take is not None and 0 <= x <= 1.03 and y < _thumb().height() + 2 * _INSET
        self._card.hover = (take.id, min(1.0, x)) if over and take is not None else None
        self.viewport().update()

    def leaveEvent(self, event: QEvent) -> None:
        self._card.hover = None
        self.viewport().update()
        super().leaveEvent(event)


class _TakeModel(QAbstractListModel):
    """The takes that are listed."""

    def __init__(self, parent: QWidget, context: Context) -> None:
        super().__init__(parent)
        self._context = context
        self.takes: tuple[Take, ...] = ()
        self._rows: dict[str, int] = {}

    def show_takes(self, takes: list[Take]) -> None:
        same = [take.id for take in takes] == [take.id for take in self.takes]
        if not same:
            self.beginResetModel()
        self.takes = tuple(takes)
        self._rows = {take.id: row for row, take in enumerate(takes)}
        if same and takes:
            self.dataChanged.emit(self.index(0), self.index(len(takes) - 1))
        elif not same:
            self.endResetModel()

    def take(self, index: Index) -> Take | None:
        return self.takes[index.row()] if index.isValid() and index.row() < len(self.takes) else None

    def index_of(self, take_id: str | None) -> QModelIndex:
        row = self._rows.get(take_id) if take_id is not None else None
        return self.index(row) if row is not None else QModelIndex()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008
        return 0 if parent.isValid() else len(self.takes)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        take = self.take(index)
        if take is None:
            return None
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return take.name
        if role == Qt.ItemDataRole.ToolTipRole:
            trouble = self._context.measurements.trouble(take)
            lines = [take.path, trouble or "", take.note, "Double click puts its span on the reel."]
            return "\n".join(line for line in lines if line)
        return None


class _Card(QStyledItemDelegate):
    """Draws one card."""

    def __init__(self, context: Context, ridges: RidgeStore, parent: QWidget) -> None:
        super().__init__(parent)
        self._context, self._ridges = context, ridges
        self.hover: tuple[str, float] | None = None

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(theme.widened(WIDTH) - 24, theme.scaled(CARD_HEIGHT) + _GAP)

    def words(self, take: Take | None) -> str:
        """How the take stands, in small print."""
        if take is None:
            return ""
        measurements = self._context.measurements
        if measurements.missing(take):
            return "missing" if self._context.intake.file_state(take) == "missing" else "another film now"
        if measurements.trouble(take):
            return "cannot be measured"
        if measurements.trace(take) is None:
            state = measurements.measuring(take)
            if state is None:
                return "stopped" if measurements.is_stopped(take) else "not measured"
            return f"measuring, {state.share * 100:.0f} %" if state.total else "waiting"
        count = len(measurements.whips(take))
        whips = "no whips" if not count else f"{count} whip{'s' if count > 1 else ''}"
        proxy = self._context.intake.making_proxy(take)
        return f"{whips} · proxy {proxy.share * 100:.0f} %" if proxy is not None and proxy.total else whips

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = index.model()
        assert isinstance(model, _TakeModel)
        take = model.take(index)
        if take is None:
            return
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(option.rect).adjusted(0.5, 0.5, -6.5, -_GAP - 0.5)
        painter.setPen(QPen(theme.colour("ember" if chosen else "line"), 1.5 if chosen else 1))
        painter.setBrush(theme.colour("chosen" if chosen else "bench"))
        painter.drawRoundedRect(rect, theme.CORNER, theme.CORNER)
        painter.setOpacity(0.5 if take.worth == "drop" else 1.0)
        self._paint_thumbnail(
            painter, QRectF(QPointF(rect.left() + _INSET, rect.top() + _INSET), QSizeF(_thumb())), take
        )
        self._paint_facts(painter, rect, take)
        self._paint_foot(painter, rect, take)
        painter.restore()

    def _paint_thumbnail(self, painter: QPainter, box: QRectF, take: Take) -> None:
        painter.fillRect(box, theme.colour("surround"))
        share = self.hover[1] if self.hover is not None and self.hover[0] == take.id else None
        span = take.span
        frame = int(share * (take.facts.frames - 1)) if share is not None else span.first + int(0.4 * span.frames)
        ratio = painter.device().devicePixelRatioF()
        wanted = (int(box.width() * ratio), int(box.height() * ratio))
        image = self._context.thumbnails.of_take(take, frame // 5 * 5, wanted, urgent=share is not None)
        if image is not None:
            size = image.size() / ratio
            left, top = box.center().x() - size.width() / 2, box.center().y() - size.height() / 2
            painter.drawImage(QRectF(left, top, size.width(), size.height()), image)
        if share is not None:
            x = box.left() + share * box.width()
            painter.setPen(QPen(theme.colour("ember"), 1.5))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))

    def _paint_facts(self, painter: QPainter, rect: QRectF, take: Take) -> None:
        left = rect.left() + _INSET + _thumb().width() + 8
        room = int(rect.right() - left - 5)
        painter.setPen(theme.colour("text"))
        painter.setFont(theme.font(theme.BODY_PX, strong=True))
        name = painter.fontMetrics().elidedText(take.name, Qt.TextElideMode.ElideMiddle, room)
        painter.drawText(QRectF(left, rect.top() + 3, room, theme.scaled(18)), name)
        painter.setFont(theme.font(theme.SMALL_PX))
        facts = take.facts
        missing = self._context.measurements.missing(take)
        lines = (
            (f"{facts.seconds:.1f} s · {float(facts.rate):.4g}/s", "quiet"),
            (f"{facts.width} × {facts.height}", "quiet"),
            (self.words(take), "brick" if missing else "quiet"),
        )
        for k, (line, tint) in enumerate(lines):
            indent = 12 if k == 2 and self._paint_lamp(painter, left, rect.top() + theme.scaled(54), take) else 0
            painter.setPen(theme.colour(tint))
            text = painter.fontMetrics().elidedText(line, Qt.TextElideMode.ElideRight, room - indent)
            top = rect.top() + theme.scaled(21 + 13 * k)
            painter.drawText(QRectF(left + indent, top, room - indent, theme.scaled(14)), text)

    def _paint_lamp(self, painter: QPainter, x: float, y: float, take: Take) -> bool:
        """The verdict: a full disc is easy, a half one costly, an empty ring hopeless. False: not known yet."""
        verdict = self._context.measurements.verdict(take)
        if verdict is None or self._context.measurements.missing(take):
            return False
        tint = theme.colour(_LAMPS[verdict.cost])
        box = QRectF(x, y - 4, 8, 8)
        painter.setPen(QPen(tint, 1.5))
        painter.setBrush(tint if verdict.cost == "easy" else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(box)
        if verdict.cost == "costly":
            painter.setBrush(tint)
            painter.drawPie(box, 90 * 16, 180 * 16)
        return True

    def _paint_foot(self, painter: QPainter, rect: QRectF, take: Take) -> None:
        top = theme.scaled(64)
        foot = QRectF(rect.left() + _INSET, rect.top() + top, rect.width() - 2 * _INSET, rect.height() - top - 5)
        painter.fillRect(foot, theme.colour("surround"))
        data = self._ridges.of(take)
        frames = take.facts.frames
        if data is not None:
            paint_ridge(painter, foot, data, RidgeView(first=0, end=frames, dim=_outside(take)))
        elif (state := self._context.measurements.measuring(take)) is not None:
            paint_waiting(painter, foot, "motion is being measured" if state.total else "waits to be measured")
        painter.setPen(QPen(theme.colour("ember"), 2))
        for each in take.spans:
            a, b = (foot.left() + foot.width() * at / frames for at in (each.span.first, each.span.end))
            painter.drawLine(QPointF(a + 1, foot.bottom()), QPointF(max(a + 2, b - 1), foot.bottom()))
        if take.worth is not None:
            painter.setFont(theme.font(10, strong=True))
            width = painter.fontMetrics().horizontalAdvance(take.worth) + 10
            tag = QRectF(foot.right() - width, foot.top(), width, theme.scaled(14))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour({"keep": "kelp", "maybe": "line", "drop": "sunk"}[take.worth]))
            painter.drawRoundedRect(tag, 3, 3)
            painter.setPen(theme.colour("on_accent" if take.worth == "keep" else "text"))
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, take.worth)


def _thumb() -> QSize:
    """The size of a card's picture; it leaves room for words, which grow with their size."""
    return QSize(*_THUMB)


def _outside(take: Take) -> tuple[tuple[float, float], ...]:
    """The stretches of a take that no span holds; none where no span was chosen."""
    gaps: list[tuple[float, float]] = []
    at = -1.0
    for each in take.spans:
        if each.span.first > at:
            gaps.append((at, float(each.span.first)))
        at = max(at, float(each.span.end))
    return (*gaps, (at, float(take.facts.frames + 1))) if take.spans else ()
