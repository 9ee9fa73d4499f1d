"""The key table as a window: searched, changed, with clashes told before they happen."""

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from clevrin.core.errors import ClevrinError
from clevrin.desk.shell.actions import ACTIONS, GROUP_WORDS, HELD_KEYS, Action
from clevrin.desk.shell.keys import Keys, key_words
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import Trouble, plain_button, quiet_label

_ALONE = {Qt.Key.Key_Control, Qt.Key.Key_Shift, Qt.Key.Key_Alt, Qt.Key.Key_Meta, Qt.Key.Key_AltGr}


class KeySheet(QDialog):
    """All actions with their keys. To change a key, choose a row, press the button, then the new key."""

    def __init__(self, keys: Keys, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.resize(620, 640)
        self._keys = keys
        self._listening: Action | None = None
        self._clash: tuple[Action, str] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        column.setSpacing(8)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search for what it does, or for a key")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._show_rows)
        self.table = QTableWidget(0, 3)
        self.table.setHorizontalHeaderLabels(["What it does", "Key", "In the menu"])
        self.table.verticalHeader().hide()
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        head.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.ResizeToContents)
        self.table.itemSelectionChanged.connect(self._show_buttons)
        self.table.cellDoubleClicked.connect(lambda *_: self.listen())
        self.trouble = Trouble()
        self.change_button = plain_button("Change the key", "Then press the new key")
        self.give_button = plain_button("Give it this key", "The other action loses it", main=True)
        self.reset_button = plain_button("As it was", "Gives this action its first key back")
        self.reset_all_button = plain_button("All as they were", "Gives every action its first key back")
        self.change_button.clicked.connect(self.listen)
        self.give_button.clicked.connect(self._on_give_button_clicked)
        self.reset_button.clicked.connect(self._on_reset_button_clicked)
        self.reset_all_button.clicked.connect(lambda: self._try(lambda: self._keys.reset(ACTIONS)))
        buttons = QHBoxLayout()
        for button in (self.change_button, self.give_button, self.reset_button):
            buttons.addWidget(button)
        buttons.addStretch(1)
        buttons.addWidget(self.reset_all_button)
        column.addWidget(self.search)
        column.addWidget(self.table, 1)
        column.addWidget(self.trouble)
        column.addLayout(buttons)
        column.addWidget(quiet_label("Changed keys are marked, and kept. Held keys cannot be changed."))
        keys.changed.connect(self._show_rows)
        self._show_rows()

    @property
    def chosen(self) -> Action | None:
        """The action whose row is chosen."""
        row = self.table.currentRow()
        if row < 0 or not self.table.selectedItems():
            return None
        return next((action for action in ACTIONS if action.id == self._id(row)), None)

    def choose(self, action_id: str) -> None:
        """Chooses the row of an action."""
        for row in range(self.table.rowCount()):
            item = self.table.item(row, 0)
            if item is not None and self._id(row) == action_id:
                self.table.selectRow(row)
                self.table.scrollToItem(item)

    def _id(self, row: int) -> str:
        item = self.table.item(row, 0)
        return "" if item is None else str(item.data(Qt.ItemDataRole.UserRole))

    def listen(self) -> None:
        """Waits for the new key of the chosen action."""
        if self.chosen is None:
            return
        self._listening, self._clash = self.chosen, None
        self.trouble.hide()
        self.change_button.setText("Press the new key, or Escape")
        self.setFocus()
        self.table.installEventFilter(self)
        self.search.installEventFilter(self)
        self._show_buttons()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._take_key(event):
            super().keyPressEvent(event)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and self._listening is not None:
            return self._take_key(event)
        return super().eventFilter(watched, event)

    def _take_key(self, event: QKeyEvent) -> bool:
        action = self._listening
        if action is None or event.key() in _ALONE:
            return False
        self._stop_listening()
        if event.key() == Qt.Key.Key_Escape:
            return True
        key = QKeySequence(event.keyCombination()).toString(QKeySequence.SequenceFormat.PortableText)
        owner = self._keys.owner(key, besides=action.id)
        if owner is None:
            self._try(lambda: self._keys.give(action, key))
        elif any(words == owner for _, words in HELD_KEYS):
            self.trouble.tell(f"{key_words([key])} is held down to do something ({owner}), and cannot be given away.")
        else:
            self._clash = action, key
            self.trouble.tell(f"{key_words([key])} is the key of “{owner}” already.")
        self._show_buttons()
        return True

    def _stop_listening(self) -> None:
        self._listening = None
        self.change_button.setText("Change the key")
        self.table.removeEventFilter(self)
        self.search.removeEventFilter(self)

    def _on_give_button_clicked(self) -> None:
        if self._clash is not None:
            action, key = self._clash
            self._clash = None
            self.trouble.hide()
            self._try(lambda: self._keys.give(action, key))

    def _on_reset_button_clicked(self) -> None:
        action = self.chosen
        if action is not None:
            self._try(lambda: self._keys.reset([action]))

    def _try(self, change: Callable[[], object]) -> None:
        try:
            change()
        except ClevrinError as error:
            self.trouble.tell(str(error))

    def _show_buttons(self) -> None:
        action = self.chosen
        self.change_button.setEnabled(action is not None)
        self.reset_button.setEnabled(action is not None and self._keys.is_changed(action))
        self.give_button.setVisible(self._clash is not None)

    def _show_rows(self) -> None:
        wanted = self.search.text().strip().lower()
        chosen = self.chosen
        rows = [
            (action.id, action.words, self._keys.of(action), GROUP_WORDS[action.group], self._keys.is_changed(action))
            for action in ACTIONS
        ] + [("", words, (key,), "", False) for key, words in HELD_KEYS]
        shown = [row for row in rows if wanted in row[1].lower() or wanted in key_words(row[2]).lower()]
        self.table.setRowCount(len(shown))
        for number, (id, words, keys, group, changed) in enumerate(shown):
            for column, text in enumerate((words, key_words(keys) or "–", group)):
                item = QTableWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, id)
                if column == 1:
                    item.setFont(theme.font(strong=True))
                    if changed:
                        item.setForeground(theme.colour("ember"))
                if column == 2:
                    item.setForeground(theme.colour("quiet"))
                self.table.setItem(number, column, item)
        if chosen is not None:
            self.choose(chosen.id)
        self._show_buttons()
