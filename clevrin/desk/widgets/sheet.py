"""The sheet of settings at the right: one column, each with its name, control, value and what was measured."""

import re
from collections.abc import Callable, Iterable, Sequence

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QColorDialog,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QSlider,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from clevrin.desk.widgets import theme
from clevrin.desk.widgets.typing import watch_number
from clevrin.desk.widgets.wheel import keep_from_wheel

_LARGE, _MOST_COLUMNS_LARGE = 1.6, 2
"""Where text is so much larger, no more than so many buttons stand beside each other."""
_FINE = 400
"""Places of a slider that is not even."""


class Sheet(QFrame):
    """A column of settings with a heading; `about` at its right says what they are of.

    Where the window is low the settings roll, and the heading and the foot stay.
    """

    def __init__(self, heading: str, parent: QWidget | None = None, *, rolls: bool = True) -> None:
        """`rolls` False: what is put in rolls by itself."""
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setFixedWidth(theme.widened(theme.SHEET_WIDTH))
        self._whole = QVBoxLayout(self)
        self._whole.setContentsMargins(12, 10, 12, 12)
        self._whole.setSpacing(8)
        head = QHBoxLayout()
        title = QLabel(heading)
        title.setFont(theme.font(theme.TITLE_PX, strong=True))
        self._about = quiet_label("")
        self._about.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        head.addWidget(title)
        head.addWidget(self._about, 1)
        self._head = head
        self._whole.addLayout(head)
        self._column = self._whole
        if rolls:
            inner = QWidget()
            inner.setObjectName("clear")
            self._column = QVBoxLayout(inner)
            self._column.setContentsMargins(0, 0, 0, 0)
            self._column.setSpacing(8)
            self._whole.addWidget(rolled(inner), 1)

    def set_foot(self, *widgets: QWidget) -> None:
        """Puts widgets under the settings, where they stay."""
        for widget in widgets:
            self._whole.addWidget(widget)

    def add_to_head(self, widget: QWidget) -> None:
        """Puts a widget at the right of the heading."""
        self._head.addWidget(widget)

    def set_about(self, words: str) -> None:
        self._about.setText(words)

    def add(self, *widgets: QWidget) -> None:
        for widget in widgets:
            self._column.addWidget(widget)

    def add_row(self, *widgets: QWidget) -> None:
        """Widgets beside each other, sharing the width."""
        row = QHBoxLayout()
        for widget in widgets:
            row.addWidget(widget, 1)
        self._column.addLayout(row)

    def add_stretch(self) -> None:
        self._column.addStretch(1)


class Setting(QWidget):
    """The frame of a setting: its name, room beside it in `head`, its control, and a line of small print.

    A double click on the name asks for the default.
    """

    default_requested = Signal()

    def __init__(self, name: str, help_text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setToolTip(help_text)
        self.rows = QVBoxLayout(self)
        self.rows.setContentsMargins(0, 2, 0, 2)
        self.rows.setSpacing(3)
        self.head = QHBoxLayout()
        self.name = QLabel(name)
        self.name.setFont(theme.font(theme.BODY_PX, strong=True))
        self.name.installEventFilter(self)
        self.head.addWidget(self.name)
        self._differing = quiet_label("not alike")
        self._differing.setToolTip("The chosen shots have different values here; what is set now they all get")
        self._differing.hide()
        self.head.addWidget(self._differing)
        self.head.addStretch(1)
        self.rows.addLayout(self.head)
        self.note = quiet_label("")
        self.note.setWordWrap(True)
        self.note.hide()

    def finish(self) -> None:
        """Puts the small print under what has been added."""
        self.rows.addWidget(self.note)

    def set_note(self, words: str) -> None:
        self.note.setText(words)
        self.note.setVisible(bool(words))

    def keep_note_room(self, lines: int) -> None:
        """Small print of so many lines may come later: its room is there from the start."""
        words = self.note.text()
        self.note.setText("\n".join("x" * lines))
        self.note.setMinimumHeight(self.note.sizeHint().height())
        self.note.setText(words)
        keep_room(self.note)

    def show_differing(self, differing: bool) -> None:
        """Says, or says no more, that several things that are set together have different values here."""
        self._differing.setVisible(differing)

    @property
    def differing(self) -> bool:
        """Whether that is said."""
        return not self._differing.isHidden()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.name and event.type() == QEvent.Type.MouseButtonDblClick:
            if isinstance(event, QMouseEvent) and event.button() == Qt.MouseButton.LeftButton:
                self.default_requested.emit()
            return True
        return super().eventFilter(watched, event)


class SliderSetting(Setting):
    """A number with a slider, which can be typed, too.

    `refused` carries a sentence when what was typed is no number of its range; the value stays as it was.
    """

    value_changing = Signal(float)
    value_changed = Signal(float)
    refused = Signal(str)

    def __init__(
        self,
        name: str,
        help_text: str,
        *,
        low: float,
        high: float,
        step: float,
        default: float,
        words: Callable[[float], str],
        typed: float = 1.0,
        bend: float = 1.0,
    ) -> None:
        """`typed`: what a typed 1 means, as 0.01 for percent. `bend`: over 1, the low numbers have more of the way."""
        super().__init__(name, help_text)
        self._low, self._high, self._step, self._default = low, high, step, default
        self._words, self._typed, self._bend = words, typed, bend
        self._number = default
        self._entry = QLineEdit()
        self._entry.setObjectName("figure")
        self._entry.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._entry.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self._entry.setAccessibleName(f"{name}, as a number")
        self._entry.setToolTip("Click to type a number.")
        self.head.addWidget(self._entry)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, round((high - low) / step) if bend == 1 else _FINE)
        self.slider.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.slider.setAccessibleName(name)
        self.slider.setMinimumHeight(18)
        keep_from_wheel(self.slider)
        watch_number(self._entry)
        self.rows.addWidget(self.slider)
        self.finish()
        self.slider.valueChanged.connect(self._on_slider_value_changed)
        self.slider.sliderReleased.connect(lambda: self.value_changed.emit(self.number))
        self._entry.returnPressed.connect(self._on_entry_return_pressed)
        self._entry.editingFinished.connect(self._show)
        self.default_requested.connect(lambda: self._take(self._default))
        self.set_number(default)

    @property
    def number(self) -> float:
        return self._number

    @property
    def entry(self) -> QLineEdit:
        """Where the number is shown and typed."""
        return self._entry

    def set_number(self, number: float) -> None:
        """Shows a value without saying that it changed."""
        self._number = number
        self.slider.blockSignals(True)
        share = (number - self._low) / (self._high - self._low)
        self.slider.setValue(round(max(0.0, share) ** (1 / self._bend) * self.slider.maximum()))
        self.slider.blockSignals(False)
        if not self._entry.hasFocus():
            self._show()

    def _show(self) -> None:
        self._entry.setText(self._words(self._number))

    def _take(self, number: float) -> None:
        self.set_number(number)
        self._show()
        self.value_changing.emit(number)
        self.value_changed.emit(number)

    def _on_slider_value_changed(self) -> None:
        share = (self.slider.value() / self.slider.maximum()) ** self._bend
        steps = round(share * (self._high - self._low) / self._step)
        self._number = round(self._low + steps * self._step, 6)
        self._show()
        self.value_changing.emit(self._number)
        if not self.slider.isSliderDown():
            self.value_changed.emit(self._number)

    def _on_entry_return_pressed(self) -> None:
        text = self._entry.text()
        self._entry.clearFocus()
        found = re.match(r"\s*(-?\d+(?:[.,]\d*)?)", text)
        number = float(found[1].replace(",", ".")) * self._typed if found is not None else None
        if number is None or not self._low - 1e-9 <= number <= self._high + 1e-9:
            self._show()
            self.refused.emit(f"{self.name.text()} goes from {self._words(self._low)} to {self._words(self._high)}.")
            return
        self._take(round(number, 6))


class ChoiceSetting(Setting):
    """One of several, as buttons; `columns` beside each other."""

    chosen = Signal(str)

    def __init__(
        self,
        name: str,
        help_text: str,
        choices: Iterable[tuple[str, str, str]],
        *,
        columns: int = 3,
        exclusive: bool = True,
        default: str | None = None,
    ) -> None:
        """`choices`: key, words on the button, tooltip."""
        super().__init__(name, help_text)
        if columns > _MOST_COLUMNS_LARGE and theme.scale() > _LARGE:
            columns = _MOST_COLUMNS_LARGE
        grid = QGridLayout()
        grid.setSpacing(4)
        group = self._group = QButtonGroup(self)
        self._exclusive = exclusive
        group.setExclusive(exclusive)
        self.buttons: dict[str, QPushButton] = {}
        for number, (key, words, tip) in enumerate(choices):
            button = plain_button(words, tip)
            button.setCheckable(True)
            button.setProperty("tight", True)
            button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            group.addButton(button)
            grid.addWidget(button, number // columns, number % columns)
            button.clicked.connect(lambda _=False, key=key: self.chosen.emit(key))
            self.buttons[key] = button
        self.rows.addLayout(grid)
        self.finish()
        if default is not None:
            self.default_requested.connect(lambda: self.chosen.emit(default))

    def set_chosen(self, *keys: str) -> None:
        """Shows which are chosen without saying that it changed."""
        self._group.setExclusive(False)  # it may be none of them
        for key, button in self.buttons.items():
            button.setChecked(key in keys)
        self._group.setExclusive(self._exclusive)


class OwnChoice(ChoiceSetting):
    """A choice that is kept nowhere but here: how something is looked at, not what it is."""

    def __init__(
        self, name: str, help_text: str, choices: Iterable[tuple[str, str, str]], *, default: str, columns: int = 3
    ) -> None:
        super().__init__(name, help_text, choices, columns=columns, default=default)
        self.chosen.connect(self.keep)  # before anybody else hears of it
        self.keep(default)

    def keep(self, key: str) -> None:
        """Shows another one as chosen, without saying that it changed."""
        self.key = key
        self.set_chosen(key)


def percent(share: float) -> str:
    return f"{share * 100:.0f} %"


def about(name: str, others: Sequence[object]) -> str:
    """What a sheet is of: one thing by its name, and how many are set with it."""
    return f"{name} and {len(others)} more" if others else name


def fill_combo(combo: QComboBox, rows: Sequence[tuple[str, object]], chosen: object) -> None:
    """Shows rows of words and values, one of them chosen (else the first), without saying that it changed."""
    present = [(combo.itemText(k), combo.itemData(k)) for k in range(combo.count())]
    if present != list(rows):
        combo.clear()
        for words, value in rows:
            combo.addItem(words, value)
    values = [value for _, value in rows]
    combo.setCurrentIndex(values.index(chosen) if chosen in values else 0)


def named_combo(name: str, tip: str = "") -> QComboBox:
    """A row of choices with what it is called for those who hear it; `tip`: where that says more."""
    combo = QComboBox()
    keep_from_wheel(combo)
    combo.setAccessibleName(name)
    combo.setToolTip(tip or name)
    return combo


def named_setting(name: str, help_text: str, control: QWidget) -> Setting:
    """A control under its name."""
    setting = Setting(name, help_text)
    setting.rows.addWidget(control)
    setting.finish()
    return setting


def beside(*widgets: QWidget) -> QWidget:
    """Widgets beside each other; buttons are as wide as there is room, whatever they say."""
    row = QWidget()
    inner = QHBoxLayout(row)
    inner.setContentsMargins(0, 2, 0, 2)
    inner.setSpacing(4)
    for widget in widgets:
        fixed = widget.minimumWidth() == widget.maximumWidth()
        if isinstance(widget, QPushButton):
            widget.setProperty("tight", True)
        if isinstance(widget, QPushButton) and not fixed:
            widget.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        inner.addWidget(widget, 0 if fixed else 1)
    return row


def plain_button(words: str, tip: str = "", *, main: bool = False) -> QPushButton:
    """A button that a click does not give the focus to, so that the keys stay with the pictures."""
    button = QPushButton(words)
    button.setToolTip(tip)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    if main:
        button.setObjectName("main")
    return button


def grey(control: QWidget, on: bool, why_not: str) -> None:
    """Lets a control be used or not; a greyed one says why before what it is for."""
    usual = control.property("usual")
    if usual is None:
        usual = control.toolTip()
        control.setProperty("usual", usual)
    control.setEnabled(on)
    control.setToolTip(usual if on or not why_not else f"{why_not}\n{usual}")


def keep_room(widget: QWidget) -> None:
    """Where a widget is hidden its room stays: nothing beside it moves when it comes or goes."""
    policy = widget.sizePolicy()
    policy.setRetainSizeWhenHidden(True)
    widget.setSizePolicy(policy)


def quiet_label(words: str) -> QLabel:
    label = QLabel(words)
    label.setObjectName("quiet")
    label.setFont(theme.font(theme.SMALL_PX))
    return label


def ask_for_colour(parent: QWidget, title: str, colour: str, chosen: Callable[[str], None]) -> None:
    """Lets a colour (#rrggbb) be chosen; nothing waits for it."""
    dialog = QColorDialog(QColor(colour), parent)
    dialog.setObjectName("colours")
    dialog.setWindowTitle(title)
    dialog.setOption(QColorDialog.ColorDialogOption.DontUseNativeDialog)
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.colorSelected.connect(lambda each: chosen(each.name()))
    dialog.open()


class Trouble(QLabel):
    """A sentence about something that went wrong, beside the thing; a click takes it away."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("", parent)
        self.setObjectName("trouble")
        self.setWordWrap(True)
        self.setToolTip("Click to put this away.")
        self.hide()

    def tell(self, sentence: str) -> None:
        self.setText(sentence)
        self.setVisible(bool(sentence))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.hide()


def rolled(column: QWidget) -> QScrollArea:
    """A column that rolls up and down where there is not room for all of it."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    area.setWidget(column)
    area.viewport().setObjectName("clear")
    return area


class Pages(QWidget):
    """Several columns of settings, one of which is shown; buttons above say which."""

    def __init__(self, names: Iterable[tuple[str, str]], parent: QWidget | None = None) -> None:
        """`names`: the words on each page's button, and its tooltip."""
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        row = QHBoxLayout()
        row.setSpacing(4)
        self._stack = QStackedWidget()
        self.buttons: dict[str, QPushButton] = {}
        self._columns: dict[str, QVBoxLayout] = {}
        for number, (name, tip) in enumerate(names):
            button = plain_button(name, tip)
            button.setObjectName("page")
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setChecked(number == 0)
            button.clicked.connect(lambda _=False, number=number: self._stack.setCurrentIndex(number))
            row.addWidget(button, 1)
            page = QWidget()
            page.setObjectName("clear")
            inner = QVBoxLayout(page)
            inner.setContentsMargins(0, 0, 0, 0)
            inner.setSpacing(4)
            self._stack.addWidget(rolled(page))
            self.buttons[name], self._columns[name] = button, inner
        column.addLayout(row)
        column.addWidget(self._stack, 1)

    def add(self, name: str, *widgets: QWidget) -> None:
        """Puts widgets under each other on a page."""
        for widget in widgets:
            self._columns[name].addWidget(widget)

    def add_stretch(self) -> None:
        for column in self._columns.values():
            column.addStretch(1)

    def show_page(self, name: str) -> None:
        self.buttons[name].click()


def tool_button(icon: str, tip: str) -> QToolButton:
    button = QToolButton()
    button.setIcon(theme.icon(icon))
    button.setToolTip(tip)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    return button
