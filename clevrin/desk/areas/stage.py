"""Areas worked on in a bench: over its viewer, on a take as it was shot, whatever the bench plays else."""

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Area, Take
from clevrin.desk.areas.drawing import AreaDrawing
from clevrin.desk.areas.edits import AreaEdits
from clevrin.desk.areas.lanes import AreaLanes, lanes_of
from clevrin.desk.bench.bench import Showing, Transport
from clevrin.desk.bench.context import Context
from clevrin.desk.playback.programmes import take_programme
from clevrin.desk.widgets.viewer import Overlay, Viewer

Offered = Callable[[], tuple[tuple[Take, int], ...]]
"""The takes on which areas can be made here, and the frame of each that is looked at first."""


class AreaStage(QObject):
    """What a bench has of areas: their drawing, their lanes, and the take on which they are made.

    While it is `active`, the bench shows what `showing` says, and gives `show_frame` what the player brings.
    """

    changed = Signal()
    """Areas are worked on, or no more, or on another take: the bench is to show that."""

    def __init__(
        self, context: Context, viewer: Viewer, offered: Offered, made: Callable[[Area], None] = lambda _: None
    ) -> None:
        """`made` is told of each new area."""
        super().__init__(viewer)
        self._context, self._viewer, self._offered = context, viewer, offered
        self._wanted = ""
        self._own: Overlay | None = None
        self._was = False, ""
        self.edits = AreaEdits(context, lambda: self.take, made)
        self.drawing = AreaDrawing(context, viewer, self.edits)
        self.lanes = AreaLanes()
        self.lanes.area_chosen.connect(self.edits.choose)
        self.lanes.frame_requested.connect(self._on_lanes_frame_requested)
        self.drawing.changed.connect(self.refresh)
        context.mask_jobs.changed.connect(lambda *_: self.refresh())
        context.session.project_changed.connect(self._on_session_changed)
        context.session.selection_changed.connect(self._on_session_changed)

    @property
    def active(self) -> bool:
        """Whether areas are worked on here."""
        return self.drawing.active and self.take is not None

    @property
    def take(self) -> Take | None:
        """The take on which areas are made: the one that was asked for, else the first."""
        takes = self.takes
        return next((each for each in takes if each.id == self._wanted), takes[0] if takes else None)

    @property
    def takes(self) -> tuple[Take, ...]:
        """The takes on which areas can be made, each once."""
        return tuple({take.id: take for take, _ in self._offered()}.values())

    @property
    def name(self) -> str:
        """The name of the take on which areas are made."""
        return "" if self.take is None else self.take.name

    def choose_take(self, take_id: str) -> None:
        self._wanted = take_id
        self._tell_if_other()

    def set_active(self, active: bool) -> None:
        """Has areas worked on here, or what the bench shows else seen again."""
        if active and not self.drawing.active:
            self._own = self._viewer.overlay
        was_active = self.drawing.active
        self.drawing.set_active(active)
        if was_active and not active:
            self._viewer.set_overlay(self._own)
        self._tell_if_other()

    def showing(self) -> Showing | None:
        """What the bench plays while areas are worked on: their take as it was shot."""
        take = self.take
        if take is None or not self.active:
            return None
        first = next(frame for each, frame in self._offered() if each.id == take.id)
        programme = take_programme(take, self._viewer.wanted_size)
        return Showing(programme=programme, subject=("areas of", take.id), frame=first)

    def show_frame(self, frame: int, pictures: tuple, transport: Transport) -> bool:
        """Shows what the player brings while areas are worked on; else does nothing, and says so."""
        take = self.take
        if take is None or not self.active:
            return False
        self._viewer.show_pixels(*pictures)
        transport.show_frame(frame, take.facts.frames, float(take.facts.rate))
        self.look_at(frame)
        return True

    def look_at(self, frame: int) -> None:
        """The frame of the take that the viewer shows."""
        self.drawing.show(frame)
        self.lanes.show_frame(frame)

    def put_back(self) -> bool:
        """Escape: drops what is being drawn; whether there was any."""
        return self.drawing.put_back()

    def refresh(self) -> None:
        """Shows the areas of the take as they are now."""
        take = self.take if self.drawing.active else None
        if take is None:
            self.lanes.show_lanes((), 0, "")
            return
        chosen = self.edits.chosen
        lanes = lanes_of(take, self._context.mask_jobs)
        self.lanes.show_lanes(lanes, take.facts.frames, "" if chosen is None else chosen.id)

    def _tell_if_other(self) -> None:
        now = self.active, "" if self.take is None else self.take.id
        if now != self._was:
            self._was = now
            self.refresh()
            self.changed.emit()

    def _on_session_changed(self) -> None:
        self.refresh()
        self._tell_if_other()

    def _on_lanes_frame_requested(self, frame: int) -> None:
        self._context.player.stop()
        self._context.player.seek(frame, scrubbing=False)
