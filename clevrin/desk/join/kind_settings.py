"""The settings of the kind of join that is chosen, made from that kind's own table: a new kind needs nothing here."""

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from clevrin.core.document import Join
from clevrin.core.document.joining import Setting as Value
from clevrin.core.join.kinds import Kind, kind_of
from clevrin.core.join.kinds.kind import AUTO, BALANCE_OF_IT, SOUND_OF_IT, JoinSetting
from clevrin.desk.widgets.sheet import (
    ChoiceSetting,
    Setting,
    SliderSetting,
    ask_for_colour,
    fill_combo,
    named_combo,
    named_setting,
    plain_button,
)

_BY_ITSELF, _NONE = "by itself", "none"
Named = tuple[tuple[str, str], ...]
"""Ids, and what is called by them."""


class KindSettings(QWidget):
    """Shows how a join is set, and says what the user wants of it."""

    setting_changing = Signal(str, object, str)
    """A setting's name, its value, and the gesture that the change belongs to ("" for none)."""
    gesture_ended = Signal()
    refused = Signal(str)

    def __init__(
        self, *, sound: bool, named: Callable[[str], Named] = lambda _: (), parent: QWidget | None = None
    ) -> None:
        """`sound`: those settings that every kind has, of its sound; else its own.

        `named`: what there is to choose from, of surfaces or areas.
        """
        super().__init__(parent)
        self._of_sound, self._names = sound, named
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(6)
        self._kind: Kind | None = None
        self._pages: dict[str, tuple[QWidget, dict[str, QWidget], dict[str, QPushButton]]] = {}
        self.controls: dict[str, QWidget] = {}
        self.auto_buttons: dict[str, QPushButton] = {}

    def show_join(self, join: Join) -> None:
        """Shows the settings of a join; controls are made anew where its kind is another one."""
        kind = kind_of(join)
        if kind is not self._kind:
            self._make(kind)
        values = kind.values(join)
        for each in self._shown(kind):
            self._show(each, values[each.id])

    def _shown(self, kind: Kind) -> tuple[JoinSetting, ...]:
        rest = (each for each in kind.settings if each not in BALANCE_OF_IT)  # that is found, not set
        return tuple(each for each in rest if (each in SOUND_OF_IT) == self._of_sound)

    def _make(self, kind: Kind) -> None:
        """Shows the controls of a kind; they are made once, and never let go of while workers run."""
        self._kind = kind
        for page, _, _ in self._pages.values():
            page.hide()
        if kind.id in self._pages:
            page, self.controls, self.auto_buttons = self._pages[kind.id]
            page.show()
            return
        page = QWidget(self)
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.controls, self.auto_buttons = {}, {}
        self._pages[kind.id] = page, self.controls, self.auto_buttons
        self._column.addWidget(page)
        for each in self._shown(kind):
            made = self._control(each)
            self.controls[each.id] = made
            column.addWidget(made)
            if each.auto:
                button = plain_button(_BY_ITSELF, each.help)
                button.setCheckable(True)
                button.clicked.connect(lambda on, each=each: self._on_auto_clicked(each, on))
                self.auto_buttons[each.id] = button
                column.addWidget(button)

    def _control(self, each: JoinSetting) -> Setting:
        if each.options:
            return self._choice(each)
        if each.names:
            return self._named(each)
        return self._colour(each) if each.colour else self._number(each)

    def _named(self, each: JoinSetting) -> Setting:
        combo = named_combo(each.title, each.help)
        combo.activated.connect(lambda at: self.setting_changing.emit(each.id, combo.itemData(at), ""))
        made = named_setting(each.title, each.help, combo)
        made.setProperty("combo", combo)
        return made

    def _choice(self, each: JoinSetting) -> ChoiceSetting:
        options = [(word, word, each.help) for word in each.options]
        made = ChoiceSetting(each.title, each.help, options, columns=2, default=str(each.default))
        made.chosen.connect(lambda word: self.setting_changing.emit(each.id, word, ""))
        return made

    def _colour(self, each: JoinSetting) -> Setting:
        made = Setting(each.title, each.help)
        button = plain_button(str(each.default), each.help)
        made.rows.addWidget(button)
        made.finish()

        def chosen(colour: str) -> None:
            self.setting_changing.emit(each.id, colour, "")

        button.clicked.connect(lambda: ask_for_colour(self, each.title, button.text(), chosen))
        made.setProperty("button", button)
        return made

    def _number(self, each: JoinSetting) -> SliderSetting:
        usual = 0.0 if each.default == AUTO else float(each.default)
        unit = {"": "", "°": "°"}.get(each.unit, f" {each.unit}")
        made = SliderSetting(
            each.title,
            each.help,
            low=each.low,
            high=each.high,
            step=each.step,
            default=usual,
            words=lambda value: f"{value:.3g}{unit}",
        )
        made.value_changing.connect(lambda value: self.setting_changing.emit(each.id, value, each.id))
        made.value_changed.connect(lambda _: self.gesture_ended.emit())
        made.refused.connect(self.refused)
        return made

    def _show(self, each: JoinSetting, value: Value) -> None:
        control = self.controls[each.id]
        if isinstance(control, ChoiceSetting):
            control.set_chosen(str(value))
        elif isinstance(control, SliderSetting):
            if value != AUTO:
                control.set_number(float(value))
            if each.auto:
                self.auto_buttons[each.id].setChecked(value == AUTO)
        elif each.names:
            named = ((words, id) for id, words in self._names(each.names))
            fill_combo(control.property("combo"), [(_NONE, ""), *named], str(value))
        else:
            control.property("button").setText(str(value))

    def _on_auto_clicked(self, each: JoinSetting, on: bool) -> None:
        control = self.controls[each.id]
        number = control.number if isinstance(control, SliderSetting) else 0.0
        self.setting_changing.emit(each.id, AUTO if on else number, "")
