"""A short list in a sheet: rows of words, the first of which may be typed over."""

from collections.abc import Iterable
from dataclasses import dataclass

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from clevrin.desk.widgets import theme

_ROW_PX = 24


@dataclass(frozen=True, kw_only=True)
class PlainRow:
    """What a row says; `named` when its first word can be typed over, `hue` the token of that word's colour."""

    id: str
    words: tuple[str, ...]
    named: bool = True
    hue: str = "text"


class PlainTable(QTableWidget):
    """As high as its rows need, up to `most_rows`; hidden while there is none."""

    row_chosen = Signal(str, int)
    """A row was clicked: its id, and the column."""
    row_named = Signal(str, str)

    def __init__(
        self,
        name: str,
        help_text: str,
        *,
        columns: int,
        most_rows: int,
        wraps: bool = False,
        parent: QWidget | None = None,
    ) -> None:
        """`wraps`: rows are as high as all of their words need."""
        super().__init__(0, columns, parent)
        self._wraps = wraps
        self.setWordWrap(wraps)
        self._most_rows = most_rows
        self.setAccessibleName(name)
        self.setToolTip(help_text)
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
        for column in range(1, columns):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        self.cellClicked.connect(lambda row, column: self.row_chosen.emit(self._id(row), column))
        self.itemChanged.connect(self._on_item_changed)

    def show_rows(self, rows: Iterable[PlainRow], chosen: str | None) -> None:
        """Shows these rows and nothing else."""
        rows = list(rows)
        self.blockSignals(True)
        self.setRowCount(len(rows))
        self.clearSelection()
        for number, row in enumerate(rows):
            for column, text in enumerate(row.words):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, row.id)
                item.setToolTip(text)  # there may be no room for all of it
                item.setFont(theme.font(12, strong=column == 0))
                item.setForeground(theme.colour(row.hue if column == 0 else "quiet"))
                if column or not row.named:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
                self.setItem(number, column, item)
            if row.id == chosen:
                self.selectRow(number)
        self.blockSignals(False)
        self.setVisible(bool(rows))
        self._fit()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._wraps and event.size().width() != event.oldSize().width():
            self._fit()

    def _fit(self) -> None:
        """Makes it as high as its first rows."""
        shown = min(self._most_rows, max(1, self.rowCount()))
        if self._wraps:
            self.resizeRowsToContents()
        height = sum(self.rowHeight(row) for row in range(self.rowCount())[:shown]) if self._wraps else _ROW_PX * shown
        self.setFixedHeight(max(height, _ROW_PX) + 4)

    def _id(self, row: int) -> str:
        item = self.item(row, 0)
        return "" if item is None else str(item.data(Qt.ItemDataRole.UserRole))

    def _on_item_changed(self, item: QTableWidgetItem) -> None:
        if item.column() == 0:
            self.row_named.emit(self._id(item.row()), item.text().strip())
