"""What can be said on the line of a window, and how it is done."""

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QWidget

from clevrin.core.document.joining import Setting
from clevrin.desk.shell.actions import Desk
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
)

_WITH_FIELDS = ("steady", "reframe", "pace", "finish")


class Said:
    """The line of a window, and all that can be said there; `run` runs an action by its id."""

    def __init__(self, desk: Desk, run: Callable[[str], object], parent: QWidget) -> None:
        self._desk, self._run = desk, run
        self.line = SayLine(self._sayables, self._run_all, parent)
        self.line.closed.connect(lambda: desk.bench.take_focus())

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
        found += of_recipes(desk.recipes.known, desk.recipes.put, missing)
        found += of_outputs(desk.reframe.edits.add_output)
        found += of_offers(desk.offering.offers, desk.offering.take)
        return found

    def _put_in_join(self, name: str, value: Setting) -> None:
        if name == DISSOLVE:
            self._desk.join.dissolve_over(round(float(value)))
        else:
            self._desk.join.put_setting(name, value)

    def _choose(self, number: int) -> None:
        """The shot that is so many on the reel, from 1 on."""
        shots = self._desk.session.project.reel.shots
        self._desk.session.choose_shot(shots[number - 1].id)

    def _run_all(self, said: Sequence[Saying]) -> None:
        """Does what was said at once as one step."""
        if len(said) == 1:
            said[0].run()
            return
        with self._desk.session.together(f"{len(said)} things said"):
            for each in said:
                each.run()

    def _enter(self, step: str) -> None:
        if self._desk.bench is not getattr(self._desk, step):
            self._desk.enter_step(step)

    def _run_action(self, action_id: str) -> None:
        self._desk.bench.take_focus()
        self._run(action_id)
