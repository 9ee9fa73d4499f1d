"""The sheet of settings at the right: one column, each with its name, control, value and what was measured."""

from collections.abc import Callable, Iterable

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from clevrin.desk import theme


class Sheet(QFrame):
    """A column of settings with a heading; `about` at its right says what they are of."""

    def __init__(self, heading: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setFixedWidth(theme.SHEET_WIDTH)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 10, 12, 12)
        self._column.setSpacing(8)
        head = QHBoxLayout()
        title = QLabel(heading)
        title.setFont(theme.font(theme.TITLE_PX, strong=True))
        self._about = quiet_label("")
        self._about.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        head.addWidget(title)
        head.addWidget(self._about, 1)
        self._column.addLayout(head)

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

    def add_gap(self, px: int = 8) -> None:
        self._column.addSpacing(px)

    def add_stretch(self) -> None:
        self._column.addStretch(1)


class Setting(QWidget):
    """The frame of a setting: its name, its value at the right, its control, and a line of small print.

    A double click on the name asks for the default.
    """

    default_requested = Signal()

    def __init__(self, name: str, help_text: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setToolTip(help_text)
        self.rows = QVBoxLayout(self)
        self.rows.setContentsMargins(0, 2, 0, 2)
        self.rows.setSpacing(3)
        head = QHBoxLayout()
        self.name = QLabel(name)
        self.name.setFont(theme.font(theme.BODY_PX, strong=True))
        self.name.installEventFilter(self)
        self.value = QLabel("")
        self.value.setAlignment(Qt.AlignmentFlag.AlignRight)
        head.addWidget(self.name)
        head.addWidget(self.value, 1)
        self.rows.addLayout(head)
        self._note = quiet_label("")
        self._note.setWordWrap(True)
        self._note.hide()

    def finish(self) -> None:
        """Puts the small print under what has been added."""
        self.rows.addWidget(self._note)

    def set_note(self, words: str) -> None:
        self._note.setText(words)
        self._note.setVisible(bool(words))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.name and event.type() == QEvent.Type.MouseButtonDblClick:
            if isinstance(event, QMouseEvent) and event.button() == Qt.MouseButton.LeftButton:
                self.default_requested.emit()
            return True
        return super().eventFilter(watched, event)


class SliderSetting(Setting):
    """A number with a slider."""

    value_changing = Signal(float)
    value_changed = Signal(float)

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
    ) -> None:
        super().__init__(name, help_text)
        self._low, self._step, self._default, self._words = low, step, default, words
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, round((high - low) / step))
        self.slider.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.slider.setAccessibleName(name)
        self.slider.setMinimumHeight(18)
        self.rows.addWidget(self.slider)
        self.finish()
        self.slider.valueChanged.connect(self._on_slider_value_changed)
        self.slider.sliderReleased.connect(lambda: self.value_changed.emit(self.number))
        self.default_requested.connect(self._on_default_requested)
        self.set_number(default)

    @property
    def number(self) -> float:
        return round(self._low + self.slider.value() * self._step, 6)

    def set_number(self, number: float) -> None:
        """Shows a value without saying that it changed."""
        self.slider.blockSignals(True)
        self.slider.setValue(round((number - self._low) / self._step))
        self.slider.blockSignals(False)
        self.value.setText(self._words(number))

    def _on_slider_value_changed(self) -> None:
        self.value.setText(self._words(self.number))
        self.value_changing.emit(self.number)
        if not self.slider.isSliderDown():
            self.value_changed.emit(self.number)

    def _on_default_requested(self) -> None:
        self.set_number(self._default)
        self.value_changing.emit(self._default)
        self.value_changed.emit(self._default)


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
        grid = QGridLayout()
        grid.setSpacing(4)
        group = QButtonGroup(self)
        group.setExclusive(exclusive)
        self.buttons: dict[str, QPushButton] = {}
        for number, (key, words, tip) in enumerate(choices):
            button = plain_button(words, tip)
            button.setCheckable(True)
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
        for key, button in self.buttons.items():
            button.setChecked(key in keys)


def plain_button(words: str, tip: str = "", *, main: bool = False) -> QPushButton:
    """A button that a click does not give the focus to, so that the keys stay with the pictures."""
    button = QPushButton(words)
    button.setToolTip(tip)
    button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    if main:
        button.setObjectName("main")
    return button


def quiet_label(words: str) -> QLabel:
    label = QLabel(words)
    label.setObjectName("quiet")
    label.setFont(theme.font(theme.SMALL_PX))
    return label


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
