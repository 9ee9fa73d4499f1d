"""The spans of a take as a short list in the sheet: choose, name, remove, put on the reel."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from clevrin.core.document import NamedSpan, Take
from clevrin.desk import theme

_ROW_PX = 24
_MOST_ROWS = 4


class SpanList(QTableWidget):
    """One row a span: its name, which can be typed over, its frames and its length."""

    span_chosen = Signal(str)
    span_named = Signal(str, str)
    put_requested = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(0, 3, parent)
        self.setAccessibleName("spans of the take")
        self.setToolTip("The spans that were chosen. Double click a name to change it.")
        self.horizontalHeader().hide()
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(_ROW_PX)
        self.setShowGrid(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        head = self.horizontalHeader()
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column in (1, 2):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        self.cellClicked.connect(lambda row, _: self.span_chosen.emit(self._id(row)))
        self.itemChanged.connect(self._on_item_changed)

    def show_spans(self, take: Take | None, chosen: NamedSpan | None) -> None:
        """Shows the spans of a take; none: nothing is listed."""
        spans = take.spans if take is not None else ()
        self.blockSignals(True)
        self.setRowCount(len(spans))
        for row, each in enumerate(spans):
            assert take is not None
            span = each.span
            texts = (each.name, f"{span.first}–{span.end - 1}", f"{float(span.frames / take.facts.rate):.2f} s")
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, each.id)
                item.setFont(theme.font(12, strong=column == 0))
                if column:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
                    item.setForeground(theme.colour("quiet"))
                self.setItem(row, column, item)
            if chosen is not None and each.id == chosen.id:
                self.selectRow(row)
        self.blockSignals(False)
        self.setVisible(bool(spans))
        self.setFixedHeight(_ROW_PX * min(_MOST_ROWS, max(1, len(spans))) + 4)

    def _id(self, row: int) -> str:
        return str(self.item(row, 0).data(Qt.ItemDataRole.UserRole))

    def _on_item_changed(self, item: QTableWidgetItem) -> None:
        if item.column() == 0:
            self.span_named.emit(self._id(item.row()), item.text().strip())
