"""Settings of a sheet as a table: what each is called, how it is set, when it counts. Controls are made from it."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QWidget

from clevrin.desk.widgets.sheet import ChoiceSetting, Setting, Sheet, SliderSetting, grey, percent, plain_button

S = TypeVar("S")
E = TypeVar("E")


def _always(_: object) -> bool:
    return True


@dataclass(frozen=True, kw_only=True)
class Field(Generic[S, E]):
    """A setting of something of the kind S, which edits of the kind E change.

    `value` reads what the control shows, `edit` carries out what was done to it: the edits, the value, and the
    gesture that it belongs to ("" for none). `shown` says whether it concerns the thing at all, `enabled` whether it
    can be changed now; `why_not` is what a greyed control says. `note_lines` of small print may come later: their room
    is there from the start.
    """

    id: str
    page: str
    title: str
    help: str
    value: Callable[[S], Any]
    edit: Callable[[E, Any, str], object]
    shown: Callable[[S], bool] = _always
    enabled: Callable[[S], bool] = _always
    why_not: str = ""
    note_lines: int = 0


@dataclass(frozen=True, kw_only=True)
class Choice(Field[S, E]):
    """One of several, or with `several` any of them: then `value` is a tuple of keys, and `edit` gets the one pressed.

    `options`: key, words on the button, tooltip.
    """

    options: tuple[tuple[str, str, str], ...]
    columns: int = 3
    several: bool = False
    default: str | None = None


@dataclass(frozen=True, kw_only=True)
class Number(Field[S, E]):
    """A number with a slider. `typed`: what a typed 1 means; `bend`: over 1, the low numbers have more of the way."""

    low: float
    high: float
    step: float
    default: float
    words: Callable[[float], str]
    typed: float = 1.0
    bend: float = 1.0


def share_field(**fields: Any) -> Number:
    """A share, told and typed in percent: all of it, unless another `high` is given."""
    usual = {"page": "", "low": 0.0, "high": 1.0, "step": 0.01, "words": percent, "typed": 0.01}
    return Number(**{**usual, **fields})


@dataclass(frozen=True, kw_only=True)
class Switch(Field[S, E]):
    """Something that is on or off, as a button that stays down."""


class FieldSheet(Sheet):
    """A sheet whose controls are made from a table of fields."""

    field_changing = Signal(object, object, str)
    """A field, its new value, and the gesture that the change belongs to ("" for none)."""
    gesture_ended = Signal()
    refused = Signal(str)
    """Why what was typed cannot be."""

    def __init__(
        self, heading: str, fields: Iterable[Field], parent: QWidget | None = None, *, rolls: bool = True
    ) -> None:
        super().__init__(heading, parent, rolls=rolls)
        self._fields = tuple(fields)
        self.controls: dict[str, QWidget] = {field.id: self._made(field) for field in self._fields}
        for field in self._fields:
            control = self.controls[field.id]
            if field.note_lines and isinstance(control, Setting):
                control.keep_note_room(field.note_lines)

    @property
    def fields(self) -> tuple[Field, ...]:
        """The table that the sheet is made from."""
        return self._fields

    def is_on(self, field_id: str) -> bool:
        """Whether a switch is shown as on."""
        control = self.controls[field_id]
        return isinstance(control, QPushButton) and control.isChecked()

    def show_fields(self, subject: object, others: Sequence[object] = ()) -> None:
        """Shows the values of what the sheet is of, without saying that they changed, and clears the small print.

        `others`: of the same kind, which are changed with it; where they have other values that is said.
        """
        for field in self._fields:
            control = self.controls[field.id]
            value = field.value(subject)
            _show_value(control, value)
            if isinstance(control, Setting):
                control.show_differing(any(field.value(other) != value for other in others))
            control.setVisible(field.shown(subject))
            grey(control, field.enabled(subject), field.why_not)

    def set_enabled(self, field_id: str, on: bool) -> None:
        """Lets a field be changed or not, by what only its sheet knows."""
        field = next(each for each in self._fields if each.id == field_id)
        grey(self.controls[field_id], on, field.why_not)

    def set_note(self, field_id: str, words: str) -> None:
        """Puts small print under a setting."""
        control = self.controls[field_id]
        assert isinstance(control, Setting), "only settings with a name have small print"
        control.set_note(words)

    def _made(self, field: Field) -> QWidget:
        if isinstance(field, Choice):
            return self._made_choice(field)
        if isinstance(field, Number):
            return self._made_number(field)
        button = plain_button(field.title, field.help)
        button.setCheckable(True)
        button.clicked.connect(lambda on: self.field_changing.emit(field, on, ""))
        return button

    def _made_choice(self, field: Choice) -> ChoiceSetting:
        made = ChoiceSetting(
            field.title,
            field.help,
            field.options,
            columns=field.columns,
            exclusive=not field.several,
            default=field.default,
        )
        made.chosen.connect(lambda key: self.field_changing.emit(field, key, ""))
        return made

    def _made_number(self, field: Number) -> SliderSetting:
        made = SliderSetting(
            field.title,
            field.help,
            low=field.low,
            high=field.high,
            step=field.step,
            default=field.default,
            words=field.words,
            typed=field.typed,
            bend=field.bend,
        )
        made.value_changing.connect(lambda value: self.field_changing.emit(field, value, field.id))
        made.value_changed.connect(lambda _: self.gesture_ended.emit())
        made.refused.connect(self.refused)
        return made


def _show_value(control: QWidget, value: Any) -> None:
    if isinstance(control, ChoiceSetting):
        control.set_chosen(*(value if isinstance(value, tuple) else (value,)))
        control.set_note("")
    elif isinstance(control, SliderSetting):
        control.set_number(value)
        control.set_note("")
    elif isinstance(control, QPushButton):
        control.setChecked(value)
