"""What can be said of the buttons and lists of a bench: each is pressed as the hand would press it."""

from collections.abc import Callable, Iterable, Iterator
from functools import partial

from PySide6.QtWidgets import QComboBox, QPushButton, QWidget

from clevrin.core.document import Loan
from clevrin.desk.shell.rail import name_of_step
from clevrin.desk.shell.sayings import Sayable, Saying, always
from clevrin.desk.steady.lenders import Lender
from clevrin.desk.widgets.sheet import ChoiceSetting, Pages

_SHORTEST = 4
"""Letters: shorter words are signs, which nobody says."""


def of_buttons(
    step: str, sheet: QWidget, enter: Callable[[str], object], refuse: Callable[[str], object]
) -> Iterator[Sayable]:
    """The buttons of a bench's sheet that are no setting; `refuse` is told why one could not be pressed."""
    place = name_of_step(step)
    seen: set[str] = set()
    for button in sheet.findChildren(QPushButton):
        words = button.text().split("   ")[0].rstrip("…")  # behind it stands its key
        if len(words) < _SHORTEST or words in seen or _of_a_setting(button, sheet):
            continue
        seen.add(words)

        def press(button: QPushButton = button, words: str = words) -> None:
            enter(step)
            if button.isEnabled():
                button.click()
            else:
                refuse(f"{words}: there is nothing in {place} for it to be done to.")

        said = Saying(words=words, changes=_with_what_it_does(place, button), run=press)
        yield Sayable(words=words, place=place, of=always(said), pressed=True)


def of_lists(
    step: str, sheet: QWidget, enter: Callable[[str], object], refuse: Callable[[str], object]
) -> Iterator[Sayable]:
    """The rows of the lists of a bench's sheet, each behind what its list is called."""
    place = name_of_step(step)
    for combo in sheet.findChildren(QComboBox):
        for row in range(combo.count() if combo.accessibleName() else 0):

            def choose(combo: QComboBox = combo, row: str = combo.itemText(row)) -> None:
                enter(step)
                at = combo.findText(row)
                if at < 0 or not combo.isEnabled():
                    refuse(f"{combo.accessibleName()}: {row} is not in {place} any more.")
                    return
                combo.setCurrentIndex(at)
                combo.activated.emit(at)

            words = f"{combo.accessibleName()}: {combo.itemText(row)}"
            said = Saying(words=words, changes=_with_what_it_does(place, combo), run=choose)
            yield Sayable(words=words, place=place, short=combo.itemText(row), of=always(said), pressed=True)


def of_lenders(lenders: Iterable[Lender], lend: Callable[[Loan], object], missing: str) -> Iterator[Sayable]:
    """Everybody whose motion may be laid over the reel, by name."""
    for lender in lenders:
        if lender.loan is not None:
            words = f"Over the reel: {lender.words}"
            said = Saying(words=words, changes="all of it", run=partial(lend, lender.loan), missing=missing)
            yield Sayable(words=words, place="", short=lender.words, of=always(said), pressed=True)


def of_subject(
    words: str, about: str, step: str, do: Callable[[int], object], enter: Callable[[str], object], missing: str
) -> Sayable:
    """What is done with what moves by itself; `do` is told with which of them (1: what moves most).

    `about`: what will come of it.
    """
    place = name_of_step(step)

    def run(which: int) -> None:
        enter(step)
        do(which)

    def of(typed: float | None) -> Saying:
        which = 1 if typed is None else round(typed)
        none = missing or ("" if which >= 1 else "They are counted from 1.")
        return Saying(words=words, changes=f"{place}: {about}", run=partial(run, which), missing=none)

    return Sayable(words=words, place=place, number=None, of=of)


def _with_what_it_does(place: str, control: QWidget) -> str:
    """Where it is, and what its tooltip says of it."""
    tip = control.toolTip().split("\n")[0]
    return f"{place}: {tip[:1].lower()}{tip[1:]}" if tip else place


def _of_a_setting(button: QWidget, sheet: QWidget) -> bool:
    """Whether a button is one of several that show a value or a page, or a switch: those are said by what they set."""
    if isinstance(button.parentWidget(), ChoiceSetting | Pages):
        return True
    return button in getattr(sheet, "controls", {}).values()
