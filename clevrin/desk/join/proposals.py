"""The ranked list of proposals: one line each, with the reasons in figures."""

from PySide6.QtCore import QRectF, Qt, Signal
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

from clevrin.core.join import Proposal
from clevrin.desk import theme

COLUMNS = ("match", "out", "in", "direction", "speed", "blur", "colour", "mirror", "play", "leaves")


class ProposalTable(QTableWidget):
    """Up and down preview a proposal."""

    proposal_chosen = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(0, len(COLUMNS), parent)
        self._proposals: tuple[Proposal, ...] = ()
        self.setHorizontalHeaderLabels(list(COLUMNS))
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.verticalHeader().setDefaultSectionSize(theme.scaled(24))
        self.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        self.horizontalHeader().setHighlightSections(False)
        self.horizontalHeader().setSectionsClickable(False)
        self.setItemDelegateForColumn(0, _MatchDelegate(self))
        self.setMinimumHeight(theme.scaled(24) * 2 + theme.scaled(28))
        self.setAccessibleName("Proposals")
        self.itemSelectionChanged.connect(self._on_table_item_selection_changed)

    @property
    def proposals(self) -> tuple[Proposal, ...]:
        return self._proposals

    @property
    def chosen(self) -> Proposal | None:
        row = self.currentRow()
        return self._proposals[row] if 0 <= row < len(self._proposals) and self.selectedItems() else None

    def show_proposals(self, proposals: tuple[Proposal, ...]) -> None:
        """Fills the list; the best one is chosen."""
        self.blockSignals(True)
        self._proposals = proposals
        self.clearSelection()
        self.setRowCount(len(proposals))
        for row, proposal in enumerate(proposals):
            for column, text in enumerate(cells(proposal)):
                item = QTableWidgetItem(text)
                if column == 0:
                    item.setData(Qt.ItemDataRole.UserRole, proposal.score)
                self.setItem(row, column, item)
        self.blockSignals(False)
        if proposals:
            self.blockSignals(True)  # who shows them says what becomes of the first one
        self.selectRow(0)
        self.blockSignals(False)

    def _on_table_item_selection_changed(self) -> None:
        if self.chosen is not None:
            self.proposal_chosen.emit(self.chosen)


def cells(p: Proposal) -> tuple[str, ...]:
    """The words of a line."""
    mirrored = {None: "–", "horizontal": "across", "vertical": "vertical", "both": "both ways"}[p.mirror]
    backward = [side for side, on in (("out", p.reverse_out), ("in", p.reverse_in)) if on]
    return (
        f"{p.score:.0f}",
        str(p.out_frame),
        str(p.in_frame),
        f"{p.direction_diff_deg:.0f}°",
        f"× {p.speed_ratio:.2f}",
        f"× {p.blur_ratio:.2f}",
        f"ΔE {p.colour_delta_e:.0f}",
        mirrored,
        f"{' and '.join(backward)} backward" if backward else "forward",
        f"{p.out_left_s:.1f} | {p.in_left_s:.1f} s{' !' if p.short_s is not None else ''}",
    )


class _MatchDelegate(QStyledItemDelegate):
    """Draws the score with a bar beside it."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index) -> None:
        super().paint(painter, option, index)
        score = index.data(Qt.ItemDataRole.UserRole)
        if score is None:
            return
        box = QRectF(option.rect)
        room = max(0.0, box.width() - 46)
        bar = QRectF(box.left() + 36, box.center().y() - 2, room, 4)
        painter.fillRect(bar, theme.colour("line"))
        bar.setWidth(room * score / 100)
        painter.fillRect(bar, theme.colour("kelp"))
