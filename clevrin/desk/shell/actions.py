"""All actions in one table: words, key, when they are possible, and what they do. Menus and keys are made from it."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Protocol

from clevrin.desk.bench.bench import Bench
from clevrin.desk.bench.offering import Offering
from clevrin.desk.files.exchanging import Exchanging
from clevrin.desk.files.footage import Footage
from clevrin.desk.files.projects import Projects
from clevrin.desk.files.recipes import Recipes
from clevrin.desk.finish.handing_on import HandingOn
from clevrin.desk.finish.rendering import Rendering
from clevrin.desk.log.bench import LogBench
from clevrin.desk.music.edits import MusicEdits
from clevrin.desk.reel.edits import ReelEdits
from clevrin.desk.reel.view import ReelView
from clevrin.desk.reel_motion.edits import OverEdits
from clevrin.desk.shell.playing import Playing
from clevrin.desk.shell.rail import STEPS
from clevrin.desk.shell.side_sheets import SideSheets
from clevrin.desk.state.notices import Notices
from clevrin.desk.state.session import Session

if TYPE_CHECKING:
    from clevrin.desk.finish.bench import FinishBench
    from clevrin.desk.join.bench import JoinBench
    from clevrin.desk.pace.bench import PaceBench
    from clevrin.desk.reframe.bench import ReframeBench
    from clevrin.desk.steady.bench import SteadyBench


class Desk(Protocol):
    """What actions are done with; the window is one."""

    session: Session
    projects: Projects
    footage: Footage
    exchanging: Exchanging
    rendering: Rendering
    playing: Playing
    reel: ReelView
    reel_edits: ReelEdits
    music: MusicEdits
    offering: Offering
    recipes: Recipes
    over: OverEdits
    notices: Notices
    sides: SideSheets
    handing_on: HandingOn

    @property
    def log(self) -> LogBench: ...

    @property
    def steady(self) -> "SteadyBench": ...

    @property
    def reframe(self) -> "ReframeBench": ...

    @property
    def pace(self) -> "PaceBench": ...

    @property
    def join(self) -> "JoinBench": ...

    @property
    def finish(self) -> "FinishBench": ...

    @property
    def bench(self) -> Bench:
        """The bench of the step that is entered."""
        ...

    def enter_step(self, step: str) -> None: ...

    def take_what_is_proposed(self) -> None: ...

    def ask_where_to_render(self) -> None: ...

    def put_back(self) -> None: ...

    def show_settings(self) -> None: ...

    def show_format(self) -> None: ...

    def show_keys(self) -> None: ...

    def say(self) -> None: ...

    def say_recipe(self) -> None: ...


Run = Callable[[Desk], object]


def _always(desk: Desk) -> bool:
    return True


@dataclass(frozen=True, kw_only=True)
class Action:
    """One thing that can be done. `keys` are those it has at first; `group` says where it stands in the menu."""

    id: str
    words: str
    group: str
    run: Run
    keys: tuple[str, ...] = ()
    when: Callable[[Desk], bool] = _always
    in_menu: bool = True


def _nudge(across: int, down: int, desk: Desk) -> None:
    desk.reframe.edits.nudge(across, down)


def _enter(step: str, desk: Desk) -> None:
    desk.enter_step(step)


def _has_shot(desk: Desk) -> bool:
    return desk.session.shot is not None


def _has_reel(desk: Desk) -> bool:
    return bool(desk.session.project.reel.shots)


def _has_take(desk: Desk) -> bool:
    return desk.session.take is not None


def _reframing(desk: Desk) -> bool:
    return desk.bench is desk.reframe and desk.session.shot is not None


def _setting(desk: Desk) -> bool:
    return (desk.bench is desk.reframe or desk.bench is desk.pace) and desk.session.shot is not None


def _joining(desk: Desk) -> bool:
    return desk.bench is desk.join and len(desk.session.project.reel.shots) > 1


def _is_offered(desk: Desk) -> bool:
    return desk.offering.first is not None


def _has_takes(desk: Desk) -> bool:
    return bool(desk.session.project.takes)


def _action(
    group: str,
    id: str,
    words: str,
    run: Run,
    *keys: str,
    when: Callable[[Desk], bool] = _always,
) -> Action:
    return Action(id=id, words=words, group=group, run=run, keys=keys, when=when)


ACTIONS: tuple[Action, ...] = (
    _action("project", "new", "New project", lambda desk: desk.projects.begin_new(), "Ctrl+N"),
    _action("project", "open", "Open a project…", lambda desk: desk.projects.ask_to_open(), "Ctrl+O"),
    _action("project", "save", "Save", lambda desk: desk.projects.save(), "Ctrl+S"),
    _action("project", "save-as", "Save with a name…", lambda desk: desk.projects.ask_to_save(), "Ctrl+Shift+S"),
    _action("project", "pack", "Pack with its media…", lambda desk: desk.projects.ask_where_to_pack(), when=_has_takes),
    _action("project", "add", "Add takes…", lambda desk: desk.footage.ask_for_takes(), "Ctrl+I"),
    _action(
        "project", "add-folder", "Add a folder of takes…", lambda desk: desk.footage.ask_for_folder(), "Ctrl+Shift+I"
    ),
    _action(
        "project",
        "render",
        "Render the reel…",
        lambda desk: desk.ask_where_to_render(),
        "Ctrl+R",
        when=_has_reel,
    ),
    _action(
        "project",
        "render-again",
        "Render now, to the place of last time",
        lambda desk: desk.finish.render_now(),
        when=_has_reel,
    ),
    _action(
        "project",
        "render-all",
        "Render the reel and all its outputs now",
        lambda desk: desk.finish.render_all(),
        when=_has_reel,
    ),
    _action(
        "project",
        "steady-takes",
        "Steady all takes into a folder…",
        lambda desk: desk.rendering.ask_for_steadied(),
        when=_has_takes,
    ),
    _action("project", "import-otio", "Open an OTIO timeline…", lambda desk: desk.exchanging.ask_for_timeline()),
    _action(
        "project",
        "export-otio",
        "Hand the reel on as OTIO…",
        lambda desk: desk.exchanging.ask_where_to_put_timeline(),
        when=_has_reel,
    ),
    _action(
        "project",
        "hand-on",
        "Hand the reel on with films and motion…",
        lambda desk: desk.sides.show_handing_on(),
        when=_has_reel,
    ),
    _action(
        "project",
        "report",
        "Write a report of the reel…",
        lambda desk: desk.handing_on.ask_where_to_report(),
        when=_has_reel,
    ),
    _action(
        "project",
        "export-takes",
        "Hand the take list on as CSV…",
        lambda desk: desk.exchanging.ask_where_to_put_takes(),
        when=_has_takes,
    ),
    _action(
        "project",
        "import-takes",
        "Read a take list…",
        lambda desk: desk.exchanging.ask_for_take_list(),
        when=_has_takes,
    ),
    _action("project", "settings", "Settings…", lambda desk: desk.show_settings(), "Ctrl+,"),
    _action(
        "edit",
        "undo",
        "Undo",
        lambda desk: desk.session.undo(),
        "Ctrl+Z",
        when=lambda desk: desk.session.history.undo_label is not None,
    ),
    _action(
        "edit",
        "redo",
        "Redo",
        lambda desk: desk.session.redo(),
        "Ctrl+Shift+Z",
        "Ctrl+Y",
        when=lambda desk: desk.session.history.redo_label is not None,
    ),
    _action("edit", "split", "Split at the playhead", lambda desk: desk.reel_edits.split(), "/", when=_has_reel),
    _action(
        "edit",
        "remove-before",
        "Remove what is before the playhead",
        lambda desk: desk.reel_edits.remove_before(),
        "Shift+I",
        when=_has_reel,
    ),
    _action(
        "edit",
        "remove-after",
        "Remove what is after the playhead",
        lambda desk: desk.reel_edits.remove_after(),
        "Shift+O",
        when=_has_reel,
    ),
    _action("edit", "duplicate", "Duplicate", lambda desk: desk.reel_edits.duplicate(), "Ctrl+D", when=_has_shot),
    _action(
        "edit",
        "remove",
        "Remove the chosen shots",
        lambda desk: desk.reel_edits.remove(),
        "Delete",
        "Backspace",
        when=_has_shot,
    ),
    _action("edit", "mirror", "Mirror", lambda desk: desk.reel_edits.mirror(), "F", when=_has_shot),
    _action("edit", "reverse", "Reverse", lambda desk: desk.reel_edits.reverse(), "R", when=_has_shot),
    _action(
        "edit",
        "copy-settings",
        "Copy steady and mirror",
        lambda desk: desk.reel_edits.copy_settings(),
        "Ctrl+C",
        when=_has_shot,
    ),
    _action(
        "edit",
        "paste-settings",
        "Paste steady and mirror",
        lambda desk: desk.reel_edits.paste_settings(),
        "Ctrl+V",
        when=lambda desk: desk.session.shot is not None and desk.reel_edits.has_copied,
    ),
    _action("edit", "copy-join", "Copy join", lambda desk: desk.reel_edits.copy_join(), "Ctrl+Shift+C", when=_has_shot),
    _action(
        "edit",
        "paste-join",
        "Paste join",
        lambda desk: desk.reel_edits.paste_join(),
        "Ctrl+Shift+V",
        when=lambda desk: desk.session.shot is not None and desk.reel_edits.has_copied_join,
    ),
    _action(
        "edit", "choose-all", "Choose all shots", lambda desk: desk.reel_edits.choose_all(), "Ctrl+A", when=_has_reel
    ),
    _action("edit", "lay-music", "Lay music under the reel…", lambda desk: desk.music.ask_for_music()),
    _action("edit", "over", "Motion over the reel…", lambda desk: desk.sides.show_over(), "Shift+H"),
    _action("edit", "areas", "Areas of the take…", lambda desk: desk.sides.show_areas(), "Shift+R"),
    _action("edit", "pinned", "Pin words and pictures in the scene…", lambda desk: desk.sides.show_pinned(), "Shift+W"),
    _action("edit", "music", "Music and its beats…", lambda desk: desk.sides.show_music(), "H"),
    _action("edit", "format", "Size and rate of the reel…", lambda desk: desk.show_format()),
    _action("edit", "remove-take", "Remove the chosen take", lambda desk: desk.footage.remove_take(), when=_has_take),
    _action(
        "look",
        "fill-screen",
        "Fill the screen with the reel",
        lambda desk: desk.finish.fill_screen(),
        "F11",
        when=lambda desk: desk.bench is desk.finish,
    ),
    _action("look", "play", "Play or stop", lambda desk: desk.playing.toggle(), "Space"),
    _action("look", "shuttle-on", "Play on, faster with each press", lambda desk: desk.playing.shuttle(1), "L"),
    _action("look", "shuttle-stop", "Stop", lambda desk: desk.playing.shuttle(0), "K"),
    _action(
        "look", "shuttle-back", "Play backward, faster with each press", lambda desk: desk.playing.shuttle(-1), "J"
    ),
    _action("look", "loop", "Loop the span or the chosen shots", lambda desk: desk.log.toggle_loop(), "Ctrl+L"),
    _action("look", "back", "One frame back", lambda desk: desk.playing.step(-1), "Left"),
    _action("look", "on", "One frame on", lambda desk: desk.playing.step(1), "Right"),
    _action("look", "back-10", "Ten frames back", lambda desk: desk.playing.step(-10), "Shift+Left"),
    _action("look", "on-10", "Ten frames on", lambda desk: desk.playing.step(10), "Shift+Right"),
    _action("look", "to-start", "To the start", lambda desk: desk.playing.go_to_end(-1), "Home"),
    _action("look", "to-end", "To the end", lambda desk: desk.playing.go_to_end(1), "End"),
    _action("look", "instant", "Go to an instant", lambda desk: desk.bench.type_instant(), "G"),
    _action("look", "whip-before", "Previous whip", lambda desk: desk.log.jump_to_whip(-1), "PgUp"),
    _action("look", "whip-after", "Next whip", lambda desk: desk.log.jump_to_whip(1), "PgDown"),
    _action("look", "nearer", "Come nearer to the reel", lambda desk: desk.reel.zoom(2), "+", "="),
    _action("look", "farther", "Go farther from the reel", lambda desk: desk.reel.zoom(-2), "-"),
    _action("look", "whole-reel", "See the whole reel", lambda desk: desk.reel.show_all(), "0"),
    _action("work", "in", "The span begins here", lambda desk: desk.log.mark("in"), "I", when=_has_take),
    _action("work", "out", "The span ends here", lambda desk: desk.log.mark("out"), "O", when=_has_take),
    _action("work", "span", "Another span begins here", lambda desk: desk.log.begin_span(), "A", when=_has_take),
    _action(
        "work", "vectors", "Show or hide vectors", lambda desk: desk.log.toggle_mark("vectors"), "V", when=_has_take
    ),
    _action("work", "point", "Follow a point", lambda desk: desk.log.toggle_mark("point"), "P", when=_has_take),
    _action("work", "surface", "Follow a surface", lambda desk: desk.log.toggle_mark("surface"), "U", when=_has_take),
    _action(
        "work",
        "export-track",
        "Hand the chosen track on as CSV…",
        lambda desk: desk.exchanging.ask_where_to_put_track(),
        when=lambda desk: desk.log.marks.can_hand_on,
    ),
    _action("work", "import-track", "Read a track…", lambda desk: desk.exchanging.ask_for_track(), when=_has_take),
    _action("work", "beats", "Mark the beats of a sound…", lambda desk: desk.music.ask_for_beats(), when=_has_reel),
    _action(
        "work",
        "import-motion",
        "Lend the shot a motion from a CSV…",
        lambda desk: desk.exchanging.ask_for_motion(),
        when=_has_shot,
    ),
    _action(
        "work",
        "steady-all",
        "Steady all shots as this one",
        lambda desk: desk.steady.edits.steady_all(),
        when=_has_shot,
    ),
    _action(
        "work",
        "kind-after",
        "Next kind of join",
        lambda desk: desk.join.choose_neighbour_kind(1),
        "T",
        when=_joining,
    ),
    _action(
        "work",
        "kind-before",
        "Previous kind of join",
        lambda desk: desk.join.choose_neighbour_kind(-1),
        "Shift+T",
        when=_joining,
    ),
    _action("work", "ways", "Look at joins another way", lambda desk: desk.join.ways.look_on(), "E", when=_joining),
    _action(
        "work", "standing", "Choose what stands still", lambda desk: desk.log.toggle_mark("standing"), when=_has_take
    ),
    _action("work", "pose", "Set a pose or a speed here", lambda desk: desk.bench.put_here(), "X", when=_setting),
    _action("work", "remove-pose", "Remove what is set here", lambda desk: desk.bench.remove_here(), when=_setting),
    _action(
        "work",
        "pose-before",
        "Previous pose or speed",
        lambda desk: desk.bench.go_to_neighbour(-1),
        "Ctrl+Left",
        when=_setting,
    ),
    _action(
        "work",
        "pose-after",
        "Next pose or speed",
        lambda desk: desk.bench.go_to_neighbour(1),
        "Ctrl+Right",
        when=_setting,
    ),
    *(
        _action(
            "work",
            f"nudge-{name}",
            f"Move the gate {name}",
            partial(_nudge, across, down),
            f"Alt+{key}",
            when=_reframing,
        )
        for name, key, across, down in (
            ("left", "Left", -4, 0),
            ("right", "Right", 4, 0),
            ("up", "Up", 0, -4),
            ("down", "Down", 0, 4),
        )
    ),
    _action("work", "recipe", "Put a recipe on the chosen shots…", lambda desk: desk.say_recipe(), "C", when=_has_shot),
    _action(
        "work", "keep-recipe", "Keep this shot as a recipe…", lambda desk: desk.recipes.ask_to_keep(), when=_has_shot
    ),
    _action("work", "leave-out", "Leave out an area", lambda desk: desk.log.toggle_mark("area"), when=_has_take),
    _action("work", "keep", "Keep the take", lambda desk: desk.log.judge("keep"), "Y", when=_has_take),
    _action("work", "maybe", "Maybe use the take", lambda desk: desk.log.judge("maybe"), "W", when=_has_take),
    _action("work", "drop", "Drop the take", lambda desk: desk.log.judge("drop"), "N", when=_has_take),
    _action(
        "work", "take-before", "Previous take", lambda desk: desk.log.choose_neighbour(-1), "Ctrl+Up", when=_has_takes
    ),
    _action("work", "take-after", "Next take", lambda desk: desk.log.choose_neighbour(1), "Ctrl+Down", when=_has_takes),
    _action("work", "offer-take", "Take what is offered", lambda desk: desk.offering.take(), "Q", when=_is_offered),
    _action(
        "work",
        "offer-all",
        "Take what is offered, on the whole reel",
        lambda desk: desk.offering.take_all(),
        "Shift+Q",
        when=_is_offered,
    ),
    _action("work", "offer-next", "Another offer", lambda desk: desk.offering.go_on(), "Alt+Q", when=_is_offered),
    _action("work", "take-it", "Take what is proposed", lambda desk: desk.take_what_is_proposed(), "Return", "Enter"),
    _action(
        "work",
        "insert",
        "Put the span at the playhead",
        lambda desk: desk.log.put_on_reel(at_playhead=True),
        "Shift+Return",
        when=_has_take,
    ),
    _action(
        "work",
        "put-all",
        "Put all spans of this take on the reel",
        lambda desk: desk.log.put_on_reel(everything=True),
        "Ctrl+Return",
        when=_has_take,
    ),
    _action("work", "marker", "Set a marker", lambda desk: desk.reel_edits.mark("marker"), "M", when=_has_reel),
    _action("work", "beat", "Set a beat", lambda desk: desk.reel_edits.mark("beat"), "Shift+M", when=_has_reel),
    _action(
        "work",
        "remove-marker",
        "Remove the nearest marker",
        lambda desk: desk.reel_edits.remove_marker(),
        "Ctrl+M",
        when=lambda desk: bool(desk.session.project.reel.markers),
    ),
    _action("work", "put-back", "Put back what is being dragged", lambda desk: desk.put_back(), "Escape"),
    *(_action("step", f"step-{step.id}", step.name, partial(_enter, step.id), str(step.number)) for step in STEPS),
    _action("help", "say", "Say what to do…", lambda desk: desk.say(), "Ctrl+T"),
    _action("help", "keys", "Keys…", lambda desk: desk.show_keys(), "F1"),
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
