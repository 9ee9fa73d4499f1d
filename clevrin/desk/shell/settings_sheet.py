"""The settings as a window beside the main one, made from their table."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from clevrin.core.errors import ClevrinError
from clevrin.desk.state.settings import SETTINGS, Entry, Settings, Value
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import ChoiceSetting, Setting, Trouble, plain_button, rolled
from clevrin.desk.widgets.wheel import keep_from_wheel


class SettingsSheet(QDialog):
    """Every setting with its name, control and help; changes hold at once and are kept."""

    def __init__(self, settings: Settings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Settings")
        self.setMinimumWidth(theme.widened(520))
        self._settings = settings
        self.controls: dict[str, QWidget] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(10)
        self.trouble = Trouble()
        column.addWidget(self.trouble)
        inner = QWidget()
        inner.setObjectName("clear")
        rows = QVBoxLayout(inner)
        rows.setContentsMargins(0, 0, 8, 0)
        rows.setSpacing(10)
        for entry in SETTINGS:
            rows.addWidget(self._row(entry))
        column.addWidget(rolled(inner), 1)
        # As high as all of it, where the screen is: else it rolls.
        free = self.screen().availableGeometry().height()
        width = self.minimumWidth()
        needed = inner.heightForWidth(width - 60) if inner.hasHeightForWidth() else inner.sizeHint().height()
        self.resize(width, min(needed + 60, round(free * 0.9)))

    def _row(self, entry: Entry) -> Setting:
        if entry.kind == "choice":
            choices = [(choice, choice, entry.help) for choice in entry.choices]
            made = ChoiceSetting(entry.title, entry.help, choices, columns=4, default=str(entry.default))
            made.set_chosen(str(self._settings.value(entry.id)))
            made.chosen.connect(lambda choice: self._set(entry, choice))
            made.chosen.connect(made.set_chosen)
            self.controls[entry.id] = made
            row: Setting = made
        else:
            row = Setting(entry.title, entry.help)
            control = self._control(entry)
            self.controls[entry.id] = control
            line = QHBoxLayout()
            line.addWidget(control, 1 if entry.kind == "folder" else 0)
            if entry.kind == "folder":
                button = plain_button("Choose", f"Choose another folder for: {entry.title}")
                button.clicked.connect(lambda _=False: self._ask_for_folder(entry))
                line.addWidget(button)
            else:
                line.addStretch(1)
            row.rows.addLayout(line)
            row.finish()
            row.default_requested.connect(lambda: self._to_default(entry))
        row.set_note(entry.help + (" Holds from the next start." if entry.at_next_start else ""))
        return row

    def _control(self, entry: Entry) -> QWidget:
        value = self._settings.value(entry.id)
        if entry.kind == "switch":
            box = QCheckBox("on")
            box.setChecked(bool(value))
            box.toggled.connect(lambda on: self._set(entry, on))
            return box
        if entry.kind == "number":
            spin = QSpinBox()
            keep_from_wheel(spin)
            spin.setRange(entry.low, entry.high)
            spin.setSuffix(f" {entry.unit}")
            spin.setValue(int(value))
            spin.setMinimumWidth(120)
            spin.setKeyboardTracking(False)
            spin.valueChanged.connect(lambda number: self._set(entry, number))
            return spin
        line = QLineEdit(str(value))
        line.setPlaceholderText(str(getattr(self._settings, entry.id)))
        line.editingFinished.connect(lambda: self._set(entry, line.text().strip()))
        return line

    def _set(self, entry: Entry, value: Value) -> None:
        try:
            self._settings.set(entry.id, value)
        except ClevrinError as error:
            self.trouble.tell(str(error))
        else:
            self.trouble.hide()

    def _to_default(self, entry: Entry) -> None:
        control = self.controls[entry.id]
        if isinstance(control, QCheckBox):
            control.setChecked(bool(entry.default))
        elif isinstance(control, QSpinBox):
            control.setValue(int(entry.default))
        elif isinstance(control, QLineEdit):
            control.setText(str(entry.default))
            self._set(entry, entry.default)

    def _ask_for_folder(self, entry: Entry) -> None:
        dialog = QFileDialog(self, entry.title)
        dialog.setObjectName("files")
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.setFileMode(QFileDialog.FileMode.Directory)

        def chosen(folder: str) -> None:
            line = self.controls[entry.id]
            assert isinstance(line, QLineEdit)
            line.setText(folder)
            self._set(entry, folder)

        dialog.fileSelected.connect(chosen)
        dialog.open()
