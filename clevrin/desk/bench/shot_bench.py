"""What the benches of the chosen shot have in common: the frame of each that was looked at, in step with the reel."""

from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from clevrin.core.document import Shot
from clevrin.core.pace import nominal_frame, placed_shot, reel_frame, shot_at
from clevrin.desk.bench.bench import Bench
from clevrin.desk.bench.context import Context
from clevrin.desk.widgets.viewer import Viewer

NO_SHOT = "There is no shot yet. In Log, choose a span of a take and press Enter."


class ShotBench(Bench):
    """A bench that plays the chosen shot by the frames of its take."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._frame: dict[str, int] = {}

    def frame_of(self, shot: Shot) -> int:
        """The frame of a shot's take that was looked at last."""
        return self._frame.get(shot.id, shot.span.first)

    def show_instant(self, shot: Shot, frame: int) -> None:
        """Shows which frame is looked at, here and on the reel."""
        self._frame[shot.id] = frame
        session = self.context.session
        rate, first = float(session.project.take(shot.take_id).facts.rate), shot.span.first
        self.transport.show_frame(frame - first, shot.span.frames, rate, offset=first)
        placed = placed_shot(session.project, shot.id)
        if placed is not None:
            session.move_playhead(reel_frame(placed, frame))

    def seek_reel(self, frame: int) -> None:
        """Shows the frame of the chosen shot that stands at a frame of the reel."""
        shot, project = self.context.session.shot, self.context.session.project
        placed = shot_at(project, frame)
        if shot is not None and placed is not None and placed.shot.id == shot.id:
            at = nominal_frame(placed, frame)
            self._frame[shot.id] = at
            self.context.player.seek(at, scrubbing=True)


def titled(title: QLabel, viewer: Viewer, note: QLabel) -> QWidget:
    """A picture with its title above and what was measured below."""
    side = QWidget()
    column = QVBoxLayout(side)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(4)
    column.addWidget(title)
    column.addWidget(viewer, 1)
    column.addWidget(note)
    return side
