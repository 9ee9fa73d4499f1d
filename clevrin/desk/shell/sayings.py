"""What can be said on the line: all that is done by a key or a menu, and every setting with its value."""

import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING

from clevrin.core.document import Take
from clevrin.core.document.joining import LONGEST_DISSOLVE, WHIP, Setting
from clevrin.core.document.pacing import FASTEST, SLOWEST
from clevrin.core.document.recipes import Recipe
from clevrin.core.errors import ClevrinError
from clevrin.core.join.kinds import KINDS, Kind
from clevrin.core.join.kinds.kind import JoinSetting
from clevrin.core.offering import Offer
from clevrin.desk.reframe.edits import SHAPES
from clevrin.desk.shell.actions import ACTIONS, Action
from clevrin.desk.shell.rail import name_of_step
from clevrin.desk.widgets.fields import Choice, Field, FieldSheet, Number, Switch

if TYPE_CHECKING:
    from clevrin.desk.pace.edits import PaceEdits

_PARTS = re.compile(r"\s*(?:;|,(?!\d)|\bthen\b)\s*")
"""What stands between things that are said at once; between digits a comma is a decimal one."""
_NUMBER = re.compile(r"^[-+]?\d+(?:[.,]\d+)?")
DISSOLVE = "dissolve"
_NOT_SAID = frozenset({"say", "put-back", "take-it"})


@dataclass(frozen=True, kw_only=True)
class Saying:
    """Something that can be said: its words, what it will change, and what does it.

    `missing`: why it cannot be done as it stands; then `run` does nothing. `mended`: what is said before it may change
    that, so `run` finds out whether it can be done, and says so where it cannot.
    """

    words: str
    changes: str
    run: Callable[[], object]
    missing: str = ""
    mended: bool = False


@dataclass(frozen=True, kw_only=True)
class Sayable:
    """What may be meant by words: `of` makes a saying of the number that was typed with them (None: none was).

    `number`: whether one belongs to it (None: it may). `short`: by which words it begins as well. `offered`: it is an
    offer, which comes behind what can be said at any time. `pressed`: a button, which comes behind settings.
    """

    words: str
    place: str
    of: Callable[[float | None], Saying]
    number: bool | None = False
    short: str = ""
    offered: bool = False
    pressed: bool = False

    @property
    def said(self) -> str:
        return f"{self.words} {self.place}".lower()


def parts_of(text: str) -> list[str]:
    """The things that are said at once, in order; the last one may not be said yet."""
    return _PARTS.split(text)


def meant(text: str, sayables: Iterable[Sayable], most: int) -> list[Saying]:
    """What is meant by a text, the nearest first: each of its words begins one of the words of what can be said.

    A number among them is a value, and what takes none comes behind what does. What begins as the text does comes
    first, then what is short.
    """
    words, number = _parted(text)
    if not words:
        return []
    found = []
    for order, each in enumerate(sayables):
        own = re.findall(r"\w+", each.said)
        if all(any(one.startswith(word) for one in own) for word in words):
            begins = each.words.lower().startswith(words[0]) or each.short.lower().startswith(words[0])
            unlike = each.number is not None and each.number != (number is not None)
            found.append(((each.offered, each.pressed, unlike, not begins, len(own), order), each))
    return [each.of(number) for _, each in sorted(found, key=lambda row: row[0])[:most]]


def first_of(text: str, sayables: Iterable[Sayable]) -> Saying:
    """What is most likely meant by a text; where nothing is called so, a saying that cannot be done."""
    found = meant(text, sayables, 1)
    return found[0] if found else Saying(words=text, changes="", run=lambda: None, missing=f"Nothing is called {text}.")


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


def of_actions(can: Callable[[Action], bool], run: Callable[[Action], object]) -> Iterator[Sayable]:
    """All actions; `can` says whether one can be done now."""
    for action in ACTIONS:
        if action.id not in _NOT_SAID:
            yield Sayable(words=action.words.rstrip("…"), place="", of=_action(action, can, run))


def _action(
    action: Action, can: Callable[[Action], bool], run: Callable[[Action], object]
) -> Callable[[float | None], Saying]:
    def of(_: float | None) -> Saying:
        missing = "" if can(action) else "There is nothing for it to be done to."
        return Saying(words=action.words, changes="", run=lambda: run(action), missing=missing, mended=True)

    return of


def of_fields(step: str, sheet: FieldSheet, enter: Callable[[str], object], missing: str) -> Iterator[Sayable]:
    """The settings of a bench's sheet: numbers with what is typed, each option of a choice, switches.

    `missing`: why there is nothing to be set; empty where there is.
    """
    place = name_of_step(step)

    def do(field: Field, value: object) -> None:
        enter(step)
        sheet.field_changing.emit(field, value, "")
        sheet.gesture_ended.emit()

    for field in sheet.fields:
        if isinstance(field, Number):
            yield Sayable(words=field.title, place=place, number=True, of=_if(missing, _number(field, place, do)))
        elif isinstance(field, Choice):
            for key, words, _ in field.options:
                of = _option(field, key, words, place, do)
                yield Sayable(words=f"{field.title}: {words}", place=place, short=words, of=_if(missing, of))
        elif isinstance(field, Switch):
            yield Sayable(words=field.title, place=place, of=_if(missing, _switch(field, sheet, place, do)))


def of_speeds(edits: "PaceEdits", enter: Callable[[str], object], missing: str) -> Iterator[Sayable]:
    """How many times slower, or as fast, a shot plays."""
    place = name_of_step("pace")
    for words, most, way in (("Slow", 1 / SLOWEST, -1), ("Fast", FASTEST, 1)):
        yield Sayable(
            words=words, place="", number=True, of=_if(missing, _speed(words, most, way, place, edits, enter))
        )


def _speed(
    words: str,
    most: float,
    way: int,
    place: str,
    edits: "PaceEdits",
    enter: Callable[[str], object],
) -> Callable[[float | None], Saying]:
    def of(typed: float | None) -> Saying:
        if typed is None or not 1 <= typed <= most:
            return Saying(words=words, changes=place, run=lambda: None, missing=f"How many times: 1 to {most:g}.")
        plays = typed**way

        def run() -> None:
            enter("pace")
            edits.play_at(plays)

        return Saying(words=words, changes=f"{place}: all of it plays at {plays:.3g}×", run=run)

    return of


def of_joins(join: Callable[[str, float | None], object], missing: str) -> Iterator[Sayable]:
    """Every kind of join, with its length in frames. `join` makes one."""
    place = name_of_step("join")
    for kind in (each for each in KINDS.values() if each.id != WHIP):  # that is a pair of frames, which is found
        yield Sayable(words=kind.id.capitalize(), place=place, number=None, of=_if(missing, _join(kind, place, join)))


def _join(kind: Kind, place: str, join: Callable[[str, float | None], object]) -> Callable[[float | None], Saying]:
    def of(typed: float | None) -> Saying:
        length = next((each for each in kind.settings if each.id == "length"), None)
        words, missing = kind.id.capitalize(), ""
        if typed is not None and length is not None:
            try:
                length.checked(typed)
            except ClevrinError as error:
                missing = str(error)
        lasts = f", {typed:g} frames" if typed is not None and length is not None else ""
        return Saying(
            words=words, changes=f"{place}: {kind.id}{lasts}", run=lambda: join(kind.id, typed), missing=missing
        )

    return of


def of_join_settings(put: Callable[[str, Setting], object], missing: str) -> Iterator[Sayable]:
    """The settings of joins, whatever kinds they are of, and the dissolve over any. `put` sets one by its id."""
    place = name_of_step("join")
    settings = {(each.id, each.title): each for kind in KINDS.values() for each in kind.settings}
    dissolve = JoinSetting(
        id=DISSOLVE, title="Dissolve", help="", default=0, unit="frames", high=LONGEST_DISSOLVE, step=1
    )
    for setting in (dissolve, *settings.values()):
        for option in setting.options:
            words = f"{setting.title}: {option}"
            run = partial(put, setting.id, option)
            said = Saying(words=words, changes=f"{place}: {words}", run=run, missing=missing)
            yield Sayable(words=words, place=place, short=option, of=always(said))
        if not (setting.options or setting.colour or setting.names):
            of = _if(missing, partial(_join_number, setting, place, put))
            yield Sayable(words=setting.title, place=place, number=True, of=of)


def always(said: Saying) -> Callable[[float | None], Saying]:
    """The same saying, whatever number was typed with it."""
    return lambda _: said


def _join_number(
    setting: JoinSetting, place: str, put: Callable[[str, Setting], object], typed: float | None
) -> Saying:
    span = f"{setting.title} goes from {setting.low:g} to {setting.high:g}."
    inside = typed is not None and setting.low <= typed <= setting.high
    changes = f"{place}: {setting.title.lower()} {typed:g} {setting.unit}".strip() if typed is not None else place
    value = setting.low if typed is None else typed
    return Saying(
        words=setting.title, changes=changes, run=partial(put, setting.id, value), missing="" if inside else span
    )


def of_choosing(choose: Callable[[int], object], shots: int) -> Iterator[Sayable]:
    """Choosing a shot by where it stands on the reel, or the cut behind it."""
    for words, most in (("Shot", shots), ("Cut", shots - 1)):

        def of(typed: float | None, words: str = words, most: int = most) -> Saying:
            inside = typed is not None and typed == round(typed) and 1 <= typed <= most
            missing = "" if inside else f"There is {words.lower()} 1 to {most}." if most > 0 else "There is none."
            number = 0 if typed is None else round(typed)
            return Saying(words=words, changes=f"{words.lower()} {number}", run=lambda: choose(number), missing=missing)

        yield Sayable(words=words, place="", number=True, of=of)


def of_takes(takes: Iterable[Take], look_at: Callable[[str], object]) -> Iterator[Sayable]:
    """Looking at a take as it was shot, by its name."""
    place = name_of_step("log")
    for take in takes:
        words = f"Take {take.name}"
        said = Saying(words=words, changes=f"{place}: as it was shot", run=partial(look_at, take.id))
        yield Sayable(words=words, place=place, of=always(said))


def of_recipes(recipes: Iterable[Recipe], put: Callable[[Recipe], object], missing: str) -> Iterator[Sayable]:
    """Recipes, by their names."""
    for recipe in recipes:
        words, run = f"Recipe: {recipe.name}", partial(put, recipe)
        said = Saying(words=words, changes=recipe.about or recipe.told, run=run, missing=missing)
        yield Sayable(words=words, place="", short=recipe.name, of=always(said))


def of_offers(offers: Iterable[Offer], take: Callable[[Offer], object]) -> Iterator[Sayable]:
    """What is offered, in its own words."""
    for offer in offers:

        def of(_: float | None, offer: Offer = offer) -> Saying:
            return Saying(words=offer.words, changes=f"offered: {offer.price}", run=lambda: take(offer))

        yield Sayable(words=offer.words, place="", offered=True, of=of)


def of_outputs(add: Callable[[str, int, int], object]) -> Iterator[Sayable]:
    """The shapes in which the reel can be rendered beside its own."""
    place = name_of_step("reframe")
    for name, shape, width, height in SHAPES:

        def of(_: float | None, name: str = name, width: int = width, height: int = height) -> Saying:
            words = f"Render {name} as well"
            return Saying(words=words, changes=f"an output of {width}x{height}", run=lambda: add(name, width, height))

        yield Sayable(words=f"Render {name} as well", place=f"{place} output {shape}", of=of)


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
