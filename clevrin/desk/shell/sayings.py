"""What can be said on the line: all that is done by a key or a menu, and every setting with its value."""

import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

from clevrin.desk.shell.actions import ACTIONS, Action
from clevrin.desk.shell.rail import STEPS
from clevrin.desk.widgets.fields import Choice, Field, FieldSheet, Number, Switch

_NUMBER = re.compile(r"^[-+]?\d+(?:[.,]\d+)?")
_NOT_SAID = frozenset({"say", "put-back", "take-it"})


@dataclass(frozen=True, kw_only=True)
class Saying:
    """Something that can be said: its words, what it will change, and what does it.

    `missing`: why it cannot be done as it stands; then `run` does nothing.
    """

    words: str
    changes: str
    run: Callable[[], object]
    missing: str = ""


@dataclass(frozen=True, kw_only=True)
class Sayable:
    """What may be meant by words: `of` makes a saying of the number that was typed with them (None: none was)."""

    words: str
    place: str
    of: Callable[[float | None], Saying]

    @property
    def said(self) -> str:
        return f"{self.words} {self.place}".lower()


def meant(text: str, sayables: Iterable[Sayable], most: int) -> list[Saying]:
    """What is meant by a text, the nearest first: each of its words begins one of the words of what can be said.

    A number among them is a value. What begins as the text does comes first, then what is short.
    """
    words, number = _parted(text)
    if not words:
        return []
    found = []
    for order, each in enumerate(sayables):
        own = re.findall(r"\w+", each.said)
        if all(any(one.startswith(word) for one in own) for word in words):
            begins = each.words.lower().startswith(words[0])
            found.append((not begins, len(own), order, each))
    return [each.of(number) for *_, each in sorted(found, key=lambda row: row[:3])[:most]]


def _parted(text: str) -> tuple[list[str], float | None]:
    number: float | None = None
    words: list[str] = []
    for part in text.lower().split():
        at = _NUMBER.match(part)
        if at is not None:
            number = float(at[0].replace(",", "."))
        else:
            words += re.findall(r"\w+", part)
    return words, number


def of_actions(can: Callable[[Action], bool], run: Callable[[str], object]) -> Iterator[Sayable]:
    """All actions; `can` says whether one can be done now."""
    for action in ACTIONS:
        if action.id not in _NOT_SAID:
            yield Sayable(words=action.words.rstrip("…"), place="", of=_action(action, can, run))


def _action(
    action: Action, can: Callable[[Action], bool], run: Callable[[str], object]
) -> Callable[[float | None], Saying]:
    def of(_: float | None) -> Saying:
        missing = "" if can(action) else "There is nothing for it to be done to."
        return Saying(words=action.words, changes="", run=lambda: run(action.id), missing=missing)

    return of


def of_fields(step: str, sheet: FieldSheet, enter: Callable[[str], object], missing: str) -> Iterator[Sayable]:
    """The settings of a bench's sheet: numbers with what is typed, each option of a choice, switches.

    `missing`: why there is nothing to be set; empty where there is.
    """
    place = next(each.name for each in STEPS if each.id == step)

    def do(field: Field, value: object) -> None:
        enter(step)
        sheet.field_changing.emit(field, value, "")
        sheet.gesture_ended.emit()

    for field in sheet.fields:
        if isinstance(field, Number):
            yield Sayable(words=field.title, place=place, of=_if(missing, _number(field, place, do)))
        elif isinstance(field, Choice):
            for key, words, _ in field.options:
                of = _option(field, key, words, place, do)
                yield Sayable(words=f"{field.title}: {words}", place=place, of=_if(missing, of))
        elif isinstance(field, Switch):
            yield Sayable(words=field.title, place=place, of=_if(missing, _switch(field, sheet, place, do)))


def _if(missing: str, of: Callable[[float | None], Saying]) -> Callable[[float | None], Saying]:
    return (lambda number: replace(of(number), missing=missing)) if missing else of


def _number(field: Number, place: str, do: Callable[[Field, object], None]) -> Callable[[float | None], Saying]:
    span = f"{field.words(field.low)} to {field.words(field.high)}"

    def of(typed: float | None) -> Saying:
        if typed is None:
            return Saying(words=field.title, changes=place, run=lambda: None, missing=f"Type a number: {span}.")
        value = round(typed * field.typed, 6)
        inside = field.low - 1e-9 <= value <= field.high + 1e-9
        missing = "" if inside else f"It goes from {span}."
        changes = f"{place}: {field.words(value)}" if inside else place
        return Saying(words=field.title, changes=changes, run=lambda: do(field, value), missing=missing)

    return of


def _option(
    field: Choice, key: str, words: str, place: str, do: Callable[[Field, object], None]
) -> Callable[[float | None], Saying]:
    return lambda _: Saying(words=f"{field.title}: {words}", changes=place, run=lambda: do(field, key))


def _switch(
    field: Field, sheet: FieldSheet, place: str, do: Callable[[Field, object], None]
) -> Callable[[float | None], Saying]:
    def of(_: float | None) -> Saying:
        on = not sheet.is_on(field.id)
        return Saying(words=field.title, changes=f"{place}: {'on' if on else 'off'}", run=lambda: do(field, on))

    return of
