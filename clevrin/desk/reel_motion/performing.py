"""Performing motion over the reel: it plays, and where the mouse goes over its picture, the picture goes."""

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from clevrin.desk.bench.context import Context
from clevrin.desk.playback.performing import Performance, attempt_name
from clevrin.desk.reel_motion.edits import OverEdits
from clevrin.desk.widgets.viewer import Viewer

WatchReel = Callable[[int], Viewer]
"""Shows the reel from a frame on, and says in which viewer."""


class OverPerforming(QObject):
    """One attempt after the other; each is kept, and the last one lies over the reel."""

    running_changed = Signal(bool)

    def __init__(self, context: Context, edits: OverEdits, watch: WatchReel, parent: QObject) -> None:
        super().__init__(parent)
        self._context, self._edits, self._watch = context, edits, watch
        self._performance: Performance | None = None
        context.player.shown.connect(self._on_player_shown)
        context.player.playing_changed.connect(self._on_player_playing_changed)

    @property
    def running(self) -> bool:
        return self._performance is not None

    def begin(self) -> None:
        """The reel plays over the chosen stretch, or from its start, and the mouse says where the picture goes."""
        stretch = self._edits.stretch
        if stretch is None:
            self._context.notices.trouble("Motion is performed over shots: put some on the reel first.")
            self.running_changed.emit(False)
            return
        viewer = self._watch(stretch.first)
        self._performance = Performance(stretch, self._context.session.project.reel.rate, viewer)
        self._performance.ended.connect(self.end)
        self.running_changed.emit(True)
        self._context.player.play()

    def end(self) -> None:
        """Keeps what was performed, and lays it over the reel."""
        performance, self._performance = self._performance, None
        if performance is None:
            return
        performance.stop()
        self._context.player.stop()
        self.running_changed.emit(False)
        motion = performance.motion(attempt_name(self._context.session.project))
        if motion is not None:
            self._edits.lend_attempt(motion)

    def _on_player_shown(self, frame: int, pictures: tuple) -> None:
        if self._performance is not None and self._context.player.playing:
            self._performance.record(frame)

    def _on_player_playing_changed(self, playing: bool) -> None:
        if not playing:
            self.end()
