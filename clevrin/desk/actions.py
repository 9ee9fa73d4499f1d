"""All actions in one table: words, key, when they are possible, and what they do. Menus and keys are made from it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from clevrin.desk.rail import STEPS

if TYPE_CHECKING:
    from clevrin.desk.window import MainWindow


def _always(window: "MainWindow") -> bool:
    return True


@dataclass(frozen=True, kw_only=True)
class Action:
    """One thing that can be done. `keys` empty: only in the menu; `group` says where it stands there."""

    id: str
    words: str
    group: str
    run: Callable[["MainWindow"], None]
    keys: tuple[str, ...] = ()
    when: Callable[["MainWindow"], bool] = _always
    in_menu: bool = True


def _has_shot(window: "MainWindow") -> bool:
    return window.session.shot is not None


def _has_reel(window: "MainWindow") -> bool:
    return bool(window.session.project.reel.shots)


def _has_take(window: "MainWindow") -> bool:
    return window.session.take is not None


ACTIONS: tuple[Action, ...] = (
    Action(id="new", words="New project", group="project", keys=("Ctrl+N",), run=lambda w: w.begin_new()),
    Action(id="open", words="Open a project…", group="project", keys=("Ctrl+O",), run=lambda w: w.ask_to_open()),
    Action(id="save", words="Save", group="project", keys=("Ctrl+S",), run=lambda w: w.save()),
    Action(
        id="save-as",
        words="Save with a name…",
        group="project",
        keys=("Ctrl+Shift+S",),
        run=lambda w: w.ask_to_save(),
    ),
    Action(id="add", words="Add takes…", group="project", keys=("Ctrl+I",), run=lambda w: w.ask_for_takes()),
    Action(
        id="render",
        words="Render the reel…",
        group="project",
        keys=("Ctrl+R",),
        run=lambda w: w.ask_where_to_render(),
        when=_has_reel,
    ),
    Action(
        id="undo",
        words="Undo",
        group="edit",
        keys=("Ctrl+Z",),
        run=lambda w: w.session.undo(),
        when=lambda w: w.session.history.undo_label is not None,
    ),
    Action(
        id="redo",
        words="Redo",
        group="edit",
        keys=("Ctrl+Shift+Z", "Ctrl+Y"),
        run=lambda w: w.session.redo(),
        when=lambda w: w.session.history.redo_label is not None,
    ),
    Action(
        id="remove",
        words="Remove the chosen shot",
        group="edit",
        keys=("Delete", "Backspace"),
        run=lambda w: w.remove_shot(),
        when=_has_shot,
    ),
    Action(
        id="remove-take",
        words="Remove the chosen take",
        group="edit",
        run=lambda w: w.remove_take(),
        when=_has_take,
    ),
    Action(
        id="mirror",
        words="Mirror the chosen shot",
        group="edit",
        keys=("F",),
        run=lambda w: w.mirror_shot(),
        when=_has_shot,
    ),
    Action(id="play", words="Play or stop", group="look", keys=("Space",), run=lambda w: w.toggle_play()),
    Action(id="back", words="One frame back", group="look", keys=("Left",), run=lambda w: w.step(-1)),
    Action(id="on", words="One frame on", group="look", keys=("Right",), run=lambda w: w.step(1)),
    Action(id="back-10", words="Ten frames back", group="look", keys=("Shift+Left",), run=lambda w: w.step(-10)),
    Action(id="on-10", words="Ten frames on", group="look", keys=("Shift+Right",), run=lambda w: w.step(10)),
    Action(
        id="whip-before",
        words="Previous whip",
        group="look",
        keys=("PgUp",),
        run=lambda w: w.log.jump_to_whip(-1),
    ),
    Action(
        id="whip-after",
        words="Next whip",
        group="look",
        keys=("PgDown",),
        run=lambda w: w.log.jump_to_whip(1),
    ),
    Action(
        id="in",
        words="The span begins here",
        group="work",
        keys=("I",),
        run=lambda w: w.log.mark("in"),
        when=_has_take,
    ),
    Action(
        id="out",
        words="The span ends here",
        group="work",
        keys=("O",),
        run=lambda w: w.log.mark("out"),
        when=_has_take,
    ),
    Action(
        id="take-it",
        words="Take what is proposed",
        group="work",
        keys=("Return", "Enter"),
        run=lambda w: w.take_what_is_proposed(),
    ),
    Action(
        id="put-back",
        words="Put back what is being dragged",
        group="work",
        keys=("Escape",),
        run=lambda w: w.put_back(),
    ),
    *(
        Action(
            id=f"step-{step.id}",
            words=step.name,
            group="step",
            keys=(str(step.number),),
            run=lambda w, id=step.id: w.enter_step(id),
        )
        for step in STEPS
    ),
    Action(id="keys", words="Keys…", group="help", keys=("F1",), run=lambda w: w.show_keys()),
)

GROUPS = ("project", "edit", "look", "work", "step", "help")
GROUP_WORDS = {
    "project": "Project",
    "edit": "Change",
    "look": "Look",
    "work": "Work",
    "step": "Steps",
    "help": "Help",
}
HELD_KEYS = (("B", "Held down: the picture as shot"),)
"""Keys that do something while they are held, which no menu entry can say."""


def key_rows() -> list[tuple[str, str]]:
    """Keys and what they do, for the key sheet."""
    return [(", ".join(action.keys), action.words) for action in ACTIONS if action.keys] + [
        (key, words) for key, words in HELD_KEYS
    ]
