"""What a passing edge can be given: a cut under full cover, and a next shot that arrives as fast as the edge goes."""

from dataclasses import dataclass

from PySide6.QtWidgets import QVBoxLayout, QWidget

from clevrin.core.document import Project, Shot
from clevrin.core.document.edits import JoinShots
from clevrin.core.errors import ClevrinError
from clevrin.core.join.kinds import named_by
from clevrin.core.join.kinds.passing_edge import PASSING_EDGE
from clevrin.core.join.meeting import arriving_as_fast
from clevrin.core.join.uncovering import CutUnderCover
from clevrin.core.progress import Progress
from clevrin.core.render.reports.occlusion import find_cover, passing_speed
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.bench.context import Context
from clevrin.desk.join.in_turn import CutsInTurn, Pair
from clevrin.desk.join.page import chosen_pair
from clevrin.desk.widgets.sheet import grey, plain_button, quiet_label

_NO_COVER = "Neither shot is ever covered: by the area, by something dark, or by one colour."


@dataclass(frozen=True, kw_only=True)
class _Arrival:
    shot: Shot
    speed: float | None
    edge: float


class CoverRow(QWidget):
    """Shown with a passing edge alone."""

    def __init__(self, context: Context, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._context = context
        self.cover_button = plain_button(
            "Cut under cover", "Cuts where all of the picture is covered, dark or of one colour; again: the next place"
        )
        self.cover_button.clicked.connect(self.cut_under_cover)
        self.speed_button = plain_button(
            "Arrive as fast as the edge", "The next shot begins so fast that its picture goes by as the edge does"
        )
        self.speed_button.clicked.connect(self.arrive_as_fast)
        self.note = quiet_label("")
        self.note.setWordWrap(True)
        self._cuts: CutsInTurn[CutUnderCover] = CutsInTurn(
            context, "Looking for cover", "Cut under cover", _frames_of, self.note.setText
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for part in (self.cover_button, self.speed_button, self.note):
            column.addWidget(part)

    def show_pair(self, pair: Pair | None) -> None:
        """What can be done at the cut between two shots; None, or another kind of join: nothing."""
        if pair is None or pair[0].leave.kind != PASSING_EDGE.id:
            self.hide()
            return
        self.show()
        owns = bool(named_by(pair[0].leave, "area", leaving=True))
        grey(self.speed_button, owns, "It needs an area of the first shot, whose edge passes.")

    def cut_under_cover(self) -> None:
        """Moves the cut to where the pictures are covered; pressed again, to the next such place."""
        project, pair = self._context.session.project, chosen_pair(self._context.session)
        if pair is None:
            return

        def find(shot_id: str, sources: Sources, progress: Progress) -> tuple[CutUnderCover, ...]:
            return find_cover(project, shot_id, sources, progress)

        self._cuts.take_next(pair[0].leave.given.get("area"), find, _words, _NO_COVER)

    def arrive_as_fast(self) -> None:
        """Has the next shot begin as fast as the edge goes, in the background."""
        session, pair = self._context.session, chosen_pair(self._context.session)
        if pair is None:
            return
        project, measurements = session.project, self._context.measurements
        path = measurements.held_before(pair[1])
        enlarged = 1.0 if path is None else 1 / max(path.kept_at(pair[1].first_shown), 1e-3)

        def work(progress: Progress) -> _Arrival:
            with Sources.of(measurements.store, light=True) as sources:
                edge = passing_speed(project, pair[0].id, sources, progress)
                return _arrival(project, pair[1], edge, sources, progress, enlarged)

        def done(found: _Arrival) -> None:
            if chosen_pair(session) != pair:
                return
            if found.speed is None:
                self.note.setText("The next shot's camera hardly moves: no speed makes it go as the edge does.")
                return
            session.do(JoinShots(outgoing=pair[0], incoming=found.shot, label="Arrive as fast as the edge"))
            self.note.setText(f"The edge goes {found.edge:.2g} widths a second: arrives at {found.speed:.3g}×.")

        self.note.setText("")
        what = "Looking how fast the edge goes"
        self._context.jobs.restart(
            Job(key=("edge speed",), what=what, work=work, done=done, failed=self.note.setText, quiet=True)
        )


def _arrival(
    project: Project, shot: Shot, edge: float, sources: Sources, progress: Progress, enlarged: float
) -> _Arrival:
    take = project.take(shot.take_id)
    trace = sources.measured.measure(take, progress)
    if trace.blind:
        raise ClevrinError(f"{take.name} shows nothing that could be followed: how fast it moves is not known.")
    arrived, speed = arriving_as_fast(shot, take, trace, project.reel.rate, edge, enlarged)
    return _Arrival(shot=arrived, speed=speed, edge=edge)


def _frames_of(found: CutUnderCover, pair: Pair) -> tuple[int, int]:
    """The frames at which both shots are cut; a side that is not covered stays as it is."""
    own, other = found.outgoing, found.incoming
    return (
        pair[0].last_shown if own is None else own.middle,
        pair[1].first_shown if other is None else other.middle,
    )


def _words(found: CutUnderCover) -> str:
    sides = ("this shot", found.outgoing), ("the next one", found.incoming)
    said = [f"{name}: {each.words}" for name, each in sides if each is not None]
    return "; ".join(said).capitalize()
