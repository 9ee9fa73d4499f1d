"""All cuts of the reel in one table: how each is joined, by what it could be, and which kind fits."""

from itertools import pairwise

from PySide6.QtWidgets import QWidget

from clevrin.core.document.edits import Edit
from clevrin.core.document.joining import WHIP
from clevrin.core.join.survey import SurveyedCut, survey_reel
from clevrin.core.offering import edit_to
from clevrin.core.pace import placed_shots
from clevrin.core.pace.timecode import timecode
from clevrin.core.progress import Progress
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.background.known_moves import KnownMoves, why_not_yet
from clevrin.desk.bench.context import Context
from clevrin.desk.join.figure_table import FigureTable, Line
from clevrin.desk.join.page import JoinPage
from clevrin.desk.join.proposals import in_short

_COLUMNS = ("agrees", "at", "from", "into", "joined by", "best match", "fits", "why")
_AGREE, _WHY = 0, 7


class AllCuts(JoinPage):
    """A line for each cut; choosing one chooses the cut on the reel."""

    about_cuts_of_the_reel = True

    def __init__(self, context: Context, known: KnownMoves, parent: QWidget | None = None) -> None:
        super().__init__(context, known, parent)
        self.table = FigureTable("All cuts", _COLUMNS, ranks=_AGREE, wide=(_WHY,))
        self.table.line_chosen.connect(self._on_table_line_chosen)
        self.add_table(self.table)
        self._found: dict[str, SurveyedCut] = {}
        self._found_for: tuple | None = None
        self._looking_for: tuple | None = None

    def _what_decides(self) -> tuple:
        reel = self.context.session.project.reel
        return reel.shots, self.context.session.project.takes, reel.markers

    def refresh(self) -> None:
        project = self.context.session.project
        self._show()
        key = self._what_decides()
        if key in (self._found_for, self._looking_for):
            return
        missing = why_not_yet(self.context.measurements, (project.take(shot.take_id) for shot in project.reel.shots))
        if len(project.reel.shots) < 2 or missing:
            self.say(missing or "A cut needs two shots on the reel.")
            return
        self._looking_for = key
        if not self._found:
            self.say("Looking at all cuts.")
        known, store = self.known, self.context.measurements.store

        def work(progress: Progress) -> tuple[SurveyedCut, ...]:
            with Sources.of(store, light=True) as sources:
                return survey_reel(project, known.library(sources, progress), progress)

        def done(found: tuple[SurveyedCut, ...]) -> None:
            if key != self._looking_for:
                return  # the reel is another one by now
            self._found, self._found_for, self._looking_for = {each.shot_id: each for each in found}, key, None
            self.say("")
            self._show()
            self.take_changed.emit()

        def failed(sentence: str) -> None:
            self._looking_for = None
            self.say(sentence)

        self.context.jobs.restart(
            Job(key=("all cuts",), what="Looking at all cuts", work=work, done=done, failed=failed, quiet=True)
        )

    @property
    def chosen(self) -> SurveyedCut | None:
        """What was found of the cut that is chosen, as it is now."""
        shot = self.chosen_shot_id()
        return None if shot is None or self._found_for != self._what_decides() else self._found.get(shot)

    def _show(self) -> None:
        project = self.context.session.project
        row = placed_shots(project)
        lines, chosen = [], None
        for number, (before, after) in enumerate(pairwise(row)):
            found = self._found.get(before.shot.id)
            at = timecode(before.end, float(project.reel.rate))
            words: tuple[str, ...] = ("", at, before.take.name, after.take.name, before.shot.leave.kind, "", "", "")
            rank = None
            if found is not None:
                rank = 100 * (1 - found.seen.apart)
                best = found.fits[0]
                match = f"{found.proposal.score:.0f}  {in_short(found.proposal)}" if found.proposal else "none"
                words = (f"{rank:.0f}", *words[1:5], match, best.kind.id, best.fit.why)
            lines.append(Line(words=words, rank=rank))
            if before.shot.id == self.chosen_shot_id():
                chosen = number
        self.table.show_lines(lines, chosen)

    def _on_table_line_chosen(self, line: int) -> None:
        self.context.session.choose_shot(self.context.session.project.reel.shots[line].id)

    # What is taken

    def _fitting(self) -> Edit | None:
        """The edit that joins the chosen cut as it fits: by its match where that is good, else by the kind."""
        found = self.chosen
        if found is None:
            return None
        return edit_to(self.context.session.project, found, WHIP if found.agrees else found.fits[0].kind.id)

    @property
    def take_words(self) -> str:
        return "Join it as it fits   Enter"

    @property
    def can_take(self) -> bool:
        edit = self._fitting()
        return edit is not None and edit.apply(self.context.session.project) != self.context.session.project

    def take(self) -> None:
        edit = self._fitting()
        if edit is not None:
            self.context.session.do(edit)
