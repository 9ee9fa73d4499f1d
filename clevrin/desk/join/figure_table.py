"""A list of lines with figures, one of which is chosen; a bar beside the figure that ranks them."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from clevrin.desk.widgets import theme

Index = QModelIndex | QPersistentModelIndex
_ROW_PX, _HEAD_PX = 24, 28
_FIGURE_PX, _BAR_PX = 42, 4


@dataclass(frozen=True, kw_only=True)
class Line:
    """Words of a line, and its rank from 0 to 100, which a bar shows; `ticked`: whether it is taken (None: no box).

    `tip`: what is said where one points at it; empty: the words themselves.
    """

    words: tuple[str, ...]
    rank: float | None
    tip: str = ""
    ticked: bool | None = None


class FigureTable(QTableWidget):
    """Up and down choose a line. The column of the ranks has bars; those in `wide` get the room that is left."""

    line_chosen = Signal(int)
    line_ticked = Signal(int, bool)

    def __init__(
        self,
        name: str,
        columns: Sequence[str],
        *,
        ranks: int = 0,
        wide: Sequence[int] = (),
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(0, len(columns), parent)
        self._ranks = ranks
        self.setHorizontalHeaderLabels(list(columns))
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.setWordWrap(False)
        self.verticalHeader().setDefaultSectionSize(theme.scaled(_ROW_PX))
        head = self.horizontalHeader()
        contents, stretch = QHeaderView.ResizeMode.ResizeToContents, QHeaderView.ResizeMode.Stretch
        for column in range(len(columns)):
            head.setSectionResizeMode(column, stretch if not wide or column in wide else contents)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        head.setHighlightSections(False)
        head.setSectionsClickable(False)
        self.setItemDelegateForColumn(ranks, _RankDelegate(self))
        self.setMinimumHeight(theme.scaled(_ROW_PX) * 2 + theme.scaled(_HEAD_PX))
        self.setAccessibleName(name)
        self.itemSelectionChanged.connect(self._on_item_selection_changed)
        self.itemChanged.connect(self._on_item_changed)

    @property
    def chosen_line(self) -> int | None:
        row = self.currentRow()
        return row if 0 <= row < self.rowCount() and self.selectedItems() else None

    def show_lines(self, lines: Iterable[Line], chosen: int | None) -> None:
        """Shows these lines and nothing else, without saying that one is chosen."""
        lines = list(lines)
        self.blockSignals(True)
        self.clearSelection()
        self.setRowCount(len(lines))
        for row, line in enumerate(lines):
            for column, text in enumerate(line.words):
                item = QTableWidgetItem(text)
                item.setToolTip(line.tip or text)
                if column == self._ranks and line.rank is not None:
                    item.setData(Qt.ItemDataRole.UserRole, line.rank)
                if column == 0 and line.ticked is not None:
                    item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                    item.setCheckState(Qt.CheckState.Checked if line.ticked else Qt.CheckState.Unchecked)
                    item.setForeground(theme.colour("text" if line.ticked else "quiet"))
                self.setItem(row, column, item)
        self.choose_line(chosen)
        self.blockSignals(False)

    def choose_line(self, row: int | None) -> None:
        """Shows a line as the chosen one, without saying so."""
        silent = self.blockSignals(True)
        self.clearSelection()
        if row is not None and 0 <= row < self.rowCount():
            self.selectRow(row)
        self.blockSignals(silent)

    def _on_item_selection_changed(self) -> None:
        if self.chosen_line is not None:
            self.line_chosen.emit(self.chosen_line)

    def _on_item_changed(self, item: QTableWidgetItem) -> None:
        if item.column() == 0 and item.flags() & Qt.ItemFlag.ItemIsUserCheckable:
            self.line_ticked.emit(item.row(), item.checkState() == Qt.CheckState.Checked)


class _RankDelegate(QStyledItemDelegate):
    """Draws the rank with a bar beside it."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        super().paint(painter, option, index)
        rank = index.data(Qt.ItemDataRole.UserRole)
        if rank is None:
            return
        box = QRectF(option.rect)
        room = max(0.0, box.width() - _FIGURE_PX - 10)
        bar = QRectF(box.left() + _FIGURE_PX, box.center().y() - _BAR_PX / 2, room, _BAR_PX)
        painter.fillRect(bar, theme.colour("line"))
        bar.setWidth(room * rank / 100)
        painter.fillRect(bar, theme.colour("kelp"))

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        hint = super().sizeHint(option, index)
        hint.setWidth(max(hint.width(), theme.widened(2 * _FIGURE_PX + 24)))
        return hint
