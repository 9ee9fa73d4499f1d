"""What can be said on the line of a window, and how it is done."""

from collections.abc import Callable, Iterator, Sequence

from PySide6.QtWidgets import QWidget

from clevrin.core.document.joining import Setting
from clevrin.desk.shell.actions import Action, Desk
from clevrin.desk.shell.button_sayings import of_buttons, of_lenders, of_lists, of_subject
from clevrin.desk.shell.say_line import SayLine
from clevrin.desk.shell.sayings import (
    DISSOLVE,
    Sayable,
    Saying,
    of_actions,
    of_choosing,
    of_fields,
    of_join_settings,
    of_joins,
    of_offers,
    of_outputs,
    of_recipes,
    of_speeds,
    of_takes,
)
from clevrin.desk.steady.lenders import lenders_of

_WITH_FIELDS = ("steady", "reframe", "pace", "finish")
_WITH_BUTTONS = ("steady", "reframe", "pace", "join")


class Said:
    """The line of a window, and all that can be said there; `run` runs an action by its id."""

    def __init__(self, desk: Desk, run: Callable[[str], object], parent: QWidget) -> None:
        self._desk, self._run = desk, run
        self.line = SayLine(self._sayables, self._run_all, parent)
        self.line.closed.connect(lambda: desk.bench.take_focus())
        self._rest: list[Saying] = []
        desk.reframe.subjects.done.connect(self._go_on)
        desk.session.opened.connect(self._rest.clear)

    @property
    def waiting(self) -> bool:
        """Whether something that was said waits for what is still looked for."""
        return bool(self._rest) or self._desk.reframe.subjects.waiting

    def open_or_close(self, begun: str = "") -> None:
        """`begun`: the first words are typed already."""
        if self.line.isVisible():
            self.line.close_line()
        else:
            self.line.open(begun)

    def _sayables(self) -> list[Sayable]:
        desk = self._desk
        found = list(of_actions(lambda action: action.when(desk), self._run_action))
        missing = "" if desk.session.shot is not None else "There is no shot on the reel yet."
        for step in _WITH_FIELDS:
            found += of_fields(step, getattr(desk, step).sheet, self._enter, missing)
        found += of_speeds(desk.pace.edits, self._enter, missing)
        no_cut = "" if desk.join.can_join else "A join needs two shots that follow each other."
        found += of_joins(desk.join.join_by, no_cut)
        found += of_join_settings(self._put_in_join, no_cut)
        found += of_choosing(self._choose, len(desk.session.project.reel.shots))
        found += of_takes(desk.session.project.takes, self._look_at_take)
        found += of_recipes(desk.recipes.known, desk.recipes.put, missing)
        found += of_outputs(desk.reframe.add_output)
        found += self._of_motion(missing)
        for step in _WITH_BUTTONS:
            bench = getattr(desk, step)
            if bench is not desk.bench:
                bench.look_again()  # its lists are of what was there when it was left
            for of in (of_buttons, of_lists):
                found += of(step, bench.sheet, self._enter, desk.notices.trouble)
        found += of_offers(desk.offering.offers, desk.offering.take)
        return found

    def _of_motion(self, missing: str) -> Iterator[Sayable]:
        """What moves by itself, and whose motion is lent to a shot or to the reel."""
        desk, subjects = self._desk, self._desk.reframe.subjects
        yield of_subject("Follow what moves", "the gate goes with it", "reframe", subjects.follow, self._enter, missing)
        yield of_subject(
            "Hold what moves", "it stands where it is in the picture", "steady", subjects.hold, self._enter, missing
        )
        yield from of_lenders(lenders_of(desk.session.project, "", None), desk.over.lay_all_lent_by, missing)

    def _put_in_join(self, name: str, value: Setting) -> None:
        if name == DISSOLVE:
            self._desk.join.dissolve_over(round(float(value)))
        else:
            self._desk.join.put_setting(name, value)

    def _choose(self, number: int) -> None:
        """The shot that is so many on the reel, from 1 on."""
        shots = self._desk.session.project.reel.shots
        self._desk.session.choose_shot(shots[number - 1].id)

    def _look_at_take(self, take_id: str) -> None:
        self._enter("log")
        self._desk.session.choose_take(take_id)
        self._desk.log.look_at(reel=False)

    def _run_all(self, said: Sequence[Saying]) -> None:
        """Does what was said at once as one step."""
        if len(said) == 1:
            said[0].run()
            return
        self._rest += said
        self._go_on()

    def _go_on(self) -> None:
        """Does what is left of it; what comes behind something that is still looked for waits until that is found."""
        subjects = self._desk.reframe.subjects
        if not self._rest or subjects.waiting:
            return
        with self._desk.session.together(f"{len(self._rest)} things said"):
            while self._rest and not subjects.waiting:
                self._rest.pop(0).run()

    def _enter(self, step: str) -> None:
        if self._desk.bench is not getattr(self._desk, step):
            self._desk.enter_step(step)

    def _run_action(self, action: Action) -> None:
        self._desk.bench.take_focus()
        if action.when(self._desk):
            self._run(action.id)
        else:
            self._desk.notices.trouble(f"{action.words.rstrip('…')}: there is nothing for it to be done to.")
