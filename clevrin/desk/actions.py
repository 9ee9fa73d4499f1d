"""All actions in one table: words, key, when they are possible, and what they do. Menus and keys are made from it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from clevrin.desk.rail import STEPS

if TYPE_CHECKING:
    from clevrin.desk.window import MainWindow

Run = Callable[["MainWindow"], object]


def _always(window: "MainWindow") -> bool:
    return True


@dataclass(frozen=True, kw_only=True)
class Action:
    """One thing that can be done. `keys` are those it has at first; `group` says where it stands in the menu."""

    id: str
    words: str
    group: str
    run: Run
    keys: tuple[str, ...] = ()
    when: Callable[["MainWindow"], bool] = _always
    in_menu: bool = True


def _has_shot(window: "MainWindow") -> bool:
    return window.session.shot is not None


def _has_reel(window: "MainWindow") -> bool:
    return bool(window.session.project.reel.shots)


def _has_take(window: "MainWindow") -> bool:
    return window.session.take is not None


def _has_takes(window: "MainWindow") -> bool:
    return bool(window.session.project.takes)


def _action(
    group: str,
    id: str,
    words: str,
    run: Run,
    *keys: str,
    when: Callable[["MainWindow"], bool] = _always,
) -> Action:
    return Action(id=id, words=words, group=group, run=run, keys=keys, when=when)


ACTIONS: tuple[Action, ...] = (
    _action("project", "new", "New project", lambda w: w.begin_new(), "Ctrl+N"),
    _action("project", "open", "Open a project…", lambda w: w.files.ask_to_open(), "Ctrl+O"),
    _action("project", "save", "Save", lambda w: w.save(), "Ctrl+S"),
    _action("project", "save-as", "Save with a name…", lambda w: w.files.ask_to_save(), "Ctrl+Shift+S"),
    _action("project", "pack", "Pack with its media…", lambda w: w.files.ask_where_to_pack(), when=_has_takes),
    _action("project", "add", "Add takes…", lambda w: w.files.ask_for_takes(), "Ctrl+I"),
    _action("project", "add-folder", "Add a folder of takes…", lambda w: w.files.ask_for_folder(), "Ctrl+Shift+I"),
    _action(
        "project",
        "render",
        "Render the reel…",
        lambda w: w.files.ask_where_to_render(),
        "Ctrl+R",
        when=_has_reel,
    ),
    _action("project", "import-otio", "Open an OTIO timeline…", lambda w: w.files.ask_for_timeline()),
    _action(
        "project",
        "export-otio",
        "Hand the reel on as OTIO…",
        lambda w: w.files.ask_where_to_put_timeline(),
        when=_has_reel,
    ),
    _action(
        "project",
        "export-takes",
        "Hand the take list on as CSV…",
        lambda w: w.files.ask_where_to_put_takes(),
        when=_has_takes,
    ),
    _action("project", "import-takes", "Read a take list…", lambda w: w.files.ask_for_take_list(), when=_has_takes),
    _action("project", "settings", "Settings…", lambda w: w.show_settings(), "Ctrl+,"),
    _action(
        "edit",
        "undo",
        "Undo",
        lambda w: w.session.undo(),
        "Ctrl+Z",
        when=lambda w: w.session.history.undo_label is not None,
    ),
    _action(
        "edit",
        "redo",
        "Redo",
        lambda w: w.session.redo(),
        "Ctrl+Shift+Z",
        "Ctrl+Y",
        when=lambda w: w.session.history.redo_label is not None,
    ),
    _action("edit", "split", "Split at the playhead", lambda w: w.reel_edits.split(), "/", when=_has_reel),
    _action(
        "edit",
        "remove-before",
        "Remove what is before the playhead",
        lambda w: w.reel_edits.remove_before(),
        "Shift+I",
        when=_has_reel,
    ),
    _action(
        "edit",
        "remove-after",
        "Remove what is after the playhead",
        lambda w: w.reel_edits.remove_after(),
        "Shift+O",
        when=_has_reel,
    ),
    _action("edit", "duplicate", "Duplicate", lambda w: w.reel_edits.duplicate(), "Ctrl+D", when=_has_shot),
    _action(
        "edit",
        "remove",
        "Remove the chosen shots",
        lambda w: w.reel_edits.remove(),
        "Delete",
        "Backspace",
        when=_has_shot,
    ),
    _action("edit", "mirror", "Mirror", lambda w: w.reel_edits.mirror(), "F", when=_has_shot),
    _action("edit", "reverse", "Reverse", lambda w: w.reel_edits.reverse(), "R", when=_has_shot),
    _action(
        "edit",
        "copy-settings",
        "Copy steady and mirror",
        lambda w: w.reel_edits.copy_settings(),
        "Ctrl+C",
        when=_has_shot,
    ),
    _action(
        "edit",
        "paste-settings",
        "Paste steady and mirror",
        lambda w: w.reel_edits.paste_settings(),
        "Ctrl+V",
        when=lambda w: w.session.shot is not None and w.reel_edits.has_copied,
    ),
    _action("edit", "choose-all", "Choose all shots", lambda w: w.reel_edits.choose_all(), "Ctrl+A", when=_has_reel),
    _action("edit", "format", "Size and rate of the reel…", lambda w: w.show_format()),
    _action("edit", "remove-take", "Remove the chosen take", lambda w: w.remove_take(), when=_has_take),
    _action("look", "play", "Play or stop", lambda w: w.toggle_play(), "Space"),
    _action("look", "shuttle-on", "Play on, faster with each press", lambda w: w.shuttle(1), "L"),
    _action("look", "shuttle-stop", "Stop", lambda w: w.shuttle(0), "K"),
    _action("look", "shuttle-back", "Play backward, faster with each press", lambda w: w.shuttle(-1), "J"),
    _action("look", "loop", "Loop the span or the chosen shots", lambda w: w.toggle_loop(), "Ctrl+L"),
    _action("look", "back", "One frame back", lambda w: w.step(-1), "Left"),
    _action("look", "on", "One frame on", lambda w: w.step(1), "Right"),
    _action("look", "back-10", "Ten frames back", lambda w: w.step(-10), "Shift+Left"),
    _action("look", "on-10", "Ten frames on", lambda w: w.step(10), "Shift+Right"),
    _action("look", "to-start", "To the start", lambda w: w.go_to_end(-1), "Home"),
    _action("look", "to-end", "To the end", lambda w: w.go_to_end(1), "End"),
    _action("look", "instant", "Go to an instant", lambda w: w.type_instant(), "G"),
    _action("look", "whip-before", "Previous whip", lambda w: w.log.jump_to_whip(-1), "PgUp"),
    _action("look", "whip-after", "Next whip", lambda w: w.log.jump_to_whip(1), "PgDown"),
    _action("look", "nearer", "Come nearer to the reel", lambda w: w.reel.zoom(2), "+", "="),
    _action("look", "farther", "Go farther from the reel", lambda w: w.reel.zoom(-2), "-"),
    _action("look", "whole-reel", "See the whole reel", lambda w: w.reel.show_all(), "0"),
    _action("work", "in", "The span begins here", lambda w: w.log.mark("in"), "I", when=_has_take),
    _action("work", "out", "The span ends here", lambda w: w.log.mark("out"), "O", when=_has_take),
    _action("work", "span", "Another span begins here", lambda w: w.log.begin_span(), "A", when=_has_take),
    _action("work", "vectors", "Show or hide vectors", lambda w: w.log.toggle_mark("vectors"), "V", when=_has_take),
    _action("work", "point", "Follow a point", lambda w: w.log.toggle_mark("point"), "P", when=_has_take),
    _action("work", "surface", "Follow a surface", lambda w: w.log.toggle_mark("surface"), "U", when=_has_take),
    _action(
        "work",
        "export-track",
        "Hand the chosen track on as CSV…",
        lambda w: w.files.ask_where_to_put_track(),
        when=lambda w: w.log.marks.can_hand_on,
    ),
    _action("work", "import-track", "Read a track…", lambda w: w.files.ask_for_track(), when=_has_take),
    _action(
        "work",
        "import-motion",
        "Lend the shot a motion from a CSV…",
        lambda w: w.files.ask_for_motion(),
        when=_has_shot,
    ),
    _action(
        "work", "steady-all", "Steady all shots as this one", lambda w: w.steady.edits.steady_all(), when=_has_shot
    ),
    _action("work", "leave-out", "Leave out an area", lambda w: w.log.toggle_mark("area"), when=_has_take),
    _action("work", "keep", "Keep the take", lambda w: w.log.judge("keep"), "Y", when=_has_take),
    _action("work", "maybe", "Maybe use the take", lambda w: w.log.judge("maybe"), "W", when=_has_take),
    _action("work", "drop", "Drop the take", lambda w: w.log.judge("drop"), "N", when=_has_take),
    _action("work", "take-before", "Previous take", lambda w: w.log.choose_neighbour(-1), "Ctrl+Up", when=_has_takes),
    _action("work", "take-after", "Next take", lambda w: w.log.choose_neighbour(1), "Ctrl+Down", when=_has_takes),
    _action("work", "take-it", "Take what is proposed", lambda w: w.take_what_is_proposed(), "Return", "Enter"),
    _action(
        "work",
        "insert",
        "Put the span at the playhead",
        lambda w: w.log.put_on_reel(at_playhead=True),
        "Shift+Return",
        when=_has_take,
    ),
    _action(
        "work",
        "put-all",
        "Put all spans on the reel",
        lambda w: w.log.put_on_reel(everything=True),
        "Ctrl+Return",
        when=_has_take,
    ),
    _action("work", "marker", "Set a marker", lambda w: w.reel_edits.mark("marker"), "M", when=_has_reel),
    _action("work", "beat", "Set a beat", lambda w: w.reel_edits.mark("beat"), "Shift+M", when=_has_reel),
    _action(
        "work",
        "remove-marker",
        "Remove the nearest marker",
        lambda w: w.reel_edits.remove_marker(),
        "Ctrl+M",
        when=lambda w: bool(w.session.project.reel.markers),
    ),
    _action("work", "put-back", "Put back what is being dragged", lambda w: w.put_back(), "Escape"),
    *(
        _action("step", f"step-{step.id}", step.name, lambda w, id=step.id: w.enter_step(id), str(step.number))
        for step in STEPS
    ),
    _action("help", "keys", "Keys…", lambda w: w.show_keys(), "F1"),
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
