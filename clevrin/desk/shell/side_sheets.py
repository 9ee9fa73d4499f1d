"""The sheets that lie in the place of a bench's own one: of areas, pinned things, music, motion over the reel,
and of what is handed on."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from clevrin.desk.areas.sheet import AreaSheet
from clevrin.desk.areas.stage import AreaStage
from clevrin.desk.bench.side_sheet import SideSheet
from clevrin.desk.finish.handing_on import HandOnSheet
from clevrin.desk.music.sheet import MusicSheet
from clevrin.desk.pinned.sheet import PinnedSheet
from clevrin.desk.reel_motion.sheet import OverSheet
from clevrin.desk.widgets.viewer import Viewer

if TYPE_CHECKING:
    from clevrin.desk.shell.window import MainWindow

_WITH_AREAS = ("log", "join", "pace")


class SideSheets:
    """Opens one of them at a time, and closes it when it is asked for again. Each is made when it is first opened."""

    music: MusicSheet | None = None
    over: OverSheet | None = None
    pinned: PinnedSheet | None = None
    handing_on: HandOnSheet | None = None

    def __init__(self, window: "MainWindow") -> None:
        self._window = window
        self._areas: dict[str, AreaSheet] = {}

    @property
    def areas(self) -> AreaSheet | None:
        """The sheet of areas of the bench that is shown; None where there was none yet."""
        return self._areas.get(self._window.step)

    @property
    def shown(self) -> SideSheet | None:
        """The one that is open."""
        made = (self.music, self.over, self.pinned, self.handing_on, *self._areas.values())
        return next((sheet for sheet in made if sheet is not None and not sheet.isHidden()), None)

    def close(self) -> bool:
        """Shows the bench's own sheet again; whether another one lay there."""
        shown = self.shown
        return shown is not None and shown.close()

    def show_music(self) -> None:
        """Music and its beats, or what was there before."""
        if self.music is None:
            self.music = MusicSheet(self._window.context, self._window.music, self._window)
        self._open_or_close(self.music)

    def show_over(self) -> None:
        """Motion over the reel, or what was there before."""
        if self.over is None:
            self.over = OverSheet(self._window.context, self._window.over, self._watch_reel, self._window)
        self._open_or_close(self.over)

    def show_handing_on(self) -> None:
        """What goes to others, and the report, or what was there before."""
        if self.handing_on is None:
            self.handing_on = HandOnSheet(self._window.context, self._window.handing_on, self._window)
        self._open_or_close(self.handing_on)

    def show_areas(self) -> None:
        """Areas are made over the picture of a take: in Join and Pace of theirs, else in Log of the chosen one."""
        window = self._window
        step = window.step if window.step in _WITH_AREAS and self._stage(window.step).take is not None else "log"
        if step != window.step:
            window.enter_step(step)
        if step == "log":
            window.log.look_at(reel=False)
        stage = self._stage(step)
        if step not in self._areas:
            self._areas[step] = AreaSheet(window.context, stage, window)
        self._open_or_close(self._areas[step], before=lambda: stage.set_active(True))

    def show_pinned(self) -> None:
        """What is pinned is worked on over the whole picture, in the Reframe bench."""
        window = self._window
        if window.step != "reframe":
            window.enter_step("reframe")
        if self.pinned is None:
            reframe = window.reframe
            self.pinned = PinnedSheet(window.context, reframe.pinned_edits, reframe.pinned_hands, window)
            self.pinned.closed.connect(lambda: reframe.pin(False))
        self._open_or_close(self.pinned, before=lambda: window.reframe.pin(True))

    def _open_or_close(self, sheet: SideSheet, before: Callable[[], object] = lambda: None) -> None:
        again = sheet is self.shown
        self.close()
        if not again:
            before()
            sheet.open_in(self._window.bench)

    def _stage(self, step: str) -> AreaStage:
        """Where areas are worked on in a step that has them."""
        stage: AreaStage = getattr(self._window, step).areas
        return stage

    def _watch_reel(self, frame: int) -> Viewer:
        """The reel plays in the Log bench, and the sheet goes there with it."""
        window = self._window
        if window.step != "log":
            window.enter_step("log")
            self.show_over()
        return window.log.watch_reel(frame)
