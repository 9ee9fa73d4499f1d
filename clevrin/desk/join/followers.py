"""What could follow the chosen shot: every take of the log, those first whose moves agree with it."""

from PySide6.QtWidgets import QWidget

from clevrin.core.document import Take
from clevrin.core.document.edits import FollowShot
from clevrin.core.join.survey import Follower, could_follow
from clevrin.core.progress import Progress
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.background.known_moves import KnownMoves, why_not_yet
from clevrin.desk.bench.context import Context
from clevrin.desk.join.figure_table import FigureTable, Line
from clevrin.desk.join.page import JoinPage, Tried
from clevrin.desk.join.proposals import in_short

_COLUMNS = ("fits", "take", "joined by", "leaves at", "enters at", "why")


class Followers(JoinPage):
    """A line for each take that is not dropped; up and down try one, Enter puts it on the reel."""

    def __init__(self, context: Context, known: KnownMoves, parent: QWidget | None = None) -> None:
        super().__init__(context, known, parent)
        self.table = FigureTable("What could follow", _COLUMNS, wide=(5,))
        self.table.line_chosen.connect(lambda _: self.tried_changed.emit())
        self.controls = (self.add_takes_choice(),)
        self.add_table(self.table)
        self._found: tuple[Follower, ...] = ()
        self._found_for: tuple | None = None

    def _takes(self) -> tuple[Take, ...]:
        """Those that may be used; a shot is not followed by its own take."""
        shot = self._shot_id()
        own = None if shot is None else self._own(shot).id
        return tuple(take for take in self.usable_takes() if take.id != own)

    def _shot_id(self) -> str | None:
        session = self.context.session
        shots = session.project.reel.shots
        if not shots:
            return None
        return session.shot.id if session.shot is not None else shots[-1].id

    def refresh(self) -> None:
        session, shot_id = self.context.session, self._shot_id()
        takes = self._takes()
        missing = "" if shot_id is None else why_not_yet(self.context.measurements, (self._own(shot_id), *takes))
        key = (shot_id, session.project.reel.shots, takes, missing)
        if key == self._found_for:
            return
        self._found_for, self._found = key, ()
        self.table.show_lines((), None)
        if shot_id is None or not takes or missing:
            self.say(missing or "Something can follow once there are a shot on the reel and another take.")
            return
        self.say(f"Looking for what could follow {self._own(shot_id).name}.")
        project, known, store = session.project, self.known, self.context.measurements.store

        def work(progress: Progress) -> tuple[Follower, ...]:
            with Sources.of(store, light=True) as sources:
                return could_follow(project, shot_id, takes, known.library(sources, progress), progress)

        def done(found: tuple[Follower, ...]) -> None:
            if key != self._found_for:
                return  # it is about another shot by now
            self._found = found
            self.say(f"Behind {self._own(shot_id).name}: first what agrees with it, then what a made move joins.")
            self.table.show_lines(map(_line, found), 0)
            self.tried_changed.emit()

        self.context.jobs.restart(
            Job(key=("followers",), what="Looking for what follows", work=work, done=done, failed=self.say)
        )

    def _own(self, shot_id: str) -> Take:
        project = self.context.session.project
        return project.take(project.shot(shot_id).take_id)

    @property
    def chosen(self) -> Follower | None:
        line = self.table.chosen_line
        return None if line is None or line >= len(self._found) else self._found[line]

    def tried(self) -> Tried | None:
        chosen = self.chosen
        if chosen is None:
            return None
        project = self._edit(chosen).apply(self.context.session.project)
        return Tried(project=project, outgoing=chosen.outgoing, incoming=chosen.incoming)

    @staticmethod
    def _edit(chosen: Follower) -> FollowShot:
        return FollowShot(outgoing=chosen.outgoing, incoming=chosen.incoming)

    @property
    def take_words(self) -> str:
        return "Let it follow   Enter"

    @property
    def can_take(self) -> bool:
        return self.chosen is not None

    def take(self) -> None:
        chosen = self.chosen
        if chosen is not None and self.context.session.do(self._edit(chosen)):
            self.context.session.choose_shot(chosen.incoming.id)


def _line(each: Follower) -> Line:
    why = in_short(each.proposal) if each.proposal is not None else each.suggestion.fit.why
    ends = str(each.outgoing.last_shown), str(each.incoming.first_shown)
    return Line(words=(f"{each.score:.0f}", each.take.name, each.outgoing.leave.kind, *ends, why), rank=each.score)
