"""One move of the takes of the log, proposed with reasons: takes that are not wanted are left out of it."""

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from clevrin.core.document import Take
from clevrin.core.document.edits import InsertShots
from clevrin.core.join.one_move import OneMove, Wish, one_move
from clevrin.core.pace import Placed, placed_shots, reel_frames
from clevrin.core.progress import Progress, step
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.background.known_moves import KnownMoves, why_not_yet
from clevrin.desk.bench.context import Context
from clevrin.desk.join.figure_table import FigureTable, Line
from clevrin.desk.join.page import JoinPage, Tried
from clevrin.desk.widgets.sheet import OwnChoice, SliderSetting

_COLUMNS = ("take", "frames", "lasts", "then", "fits", "why")
_FITS, _WHY = 4, 5
_LONGEST_S = 180


class OneMovePage(JoinPage):
    """A line for each shot of the proposal, with a box that leaves its take out."""

    def __init__(self, context: Context, known: KnownMoves, parent: QWidget | None = None) -> None:
        super().__init__(context, known, parent)
        self.order = OwnChoice(
            "Order",
            "In which order the takes follow each other",
            [
                ("given", "as in the log", "The takes follow each other as they lie in the log"),
                ("best", "that joins best", "The order in which most moves agree"),
            ],
            columns=2,
            default="given",
        )
        self.beats = OwnChoice(
            "Cuts",
            "Where cuts may fall",
            [
                ("free", "anywhere", "Where the moves agree best"),
                ("beats", "on beats", "On the beats of the reel, where a shot can give way"),
            ],
            columns=2,
            default="free",
        )
        self.length = SliderSetting(
            "Length",
            "How long all of it lasts at most; the shots are made shorter where they are free",
            low=0,
            high=_LONGEST_S,
            step=1,
            default=0,
            words=lambda value: "as it comes" if value == 0 else f"{value:.0f} s",
        )
        for control in (self.order, self.beats):
            control.chosen.connect(lambda _: self.refresh())
        self._soon = QTimer(self, singleShot=True, interval=150)
        self.length.value_changing.connect(lambda _: self._refresh_soon())
        self.length.refused.connect(self.say)
        self.table = FigureTable("One move", _COLUMNS, ranks=_FITS, wide=(_WHY,))
        self.table.line_chosen.connect(lambda _: self.tried_changed.emit())
        self.table.line_ticked.connect(self._on_table_line_ticked)
        self.controls = (self.add_takes_choice(), self.order, self.beats, self.length)
        self.add_table(self.table)
        self._soon.timeout.connect(self.refresh)
        self._left_out: set[str] = set()
        self._proposed: OneMove | None = None
        self._proposed_for: tuple | None = None
        """All that it was proposed from: where anything of that has changed, it is neither shown nor taken."""
        self._order: tuple[str, ...] = ()
        """The takes in the order of the last proposal with all of them: those that are left out keep their places."""
        self._found_for: tuple | None = None

    def _beats(self) -> tuple[int, ...]:
        """Those of the reel behind what is on it already, from the first frame of the move."""
        project = self.context.session.project
        begins = reel_frames(project)
        beats = tuple(m.frame - begins for m in project.reel.markers if m.kind == "beat" and m.frame >= begins)
        return beats if self.beats.key == "beats" else ()

    @property
    def proposed(self) -> OneMove | None:
        """What is proposed for the takes and the settings as they are now; None while it is looked for."""
        return self._proposed if self._proposed_for == self._asked() else None

    def _used(self) -> tuple[Take, ...]:
        return tuple(take for take in self.usable_takes() if take.id not in self._left_out)

    def _asked(self) -> tuple:
        """All that a proposal depends on, as it is now."""
        wish = Wish(length_s=self.length.number or None, beats=self._beats(), best_order=self.order.key == "best")
        rate, missing = self.context.session.project.reel.rate, why_not_yet(self.context.measurements, self._used())
        return self.usable_takes(), self._used(), wish, rate, missing

    def _refresh_soon(self) -> None:
        self._soon.start()
        self.take_changed.emit()  # what is there is of before

    def refresh(self) -> None:
        project, used = self.context.session.project, self._used()
        key = self._asked()
        *_, wish, _, missing = key
        if key == self._found_for:
            return
        self._found_for = key
        if len(used) < 2 or missing:
            self._show()
            self.say(missing or "One move needs two takes at least.")
            self.tried_changed.emit()
            return
        self.say("Looking for one move.")
        self.take_changed.emit()
        reel, known, store = project.reel, self.known, self.context.measurements.store

        def work(progress: Progress) -> OneMove:
            with Sources.of(store, light=True) as sources:
                library = known.library(sources, progress)
                measured = []
                for number, take in enumerate(used):
                    measured.append(library.measured(take))
                    step(progress, number + 1, len(used))
                return one_move(measured, reel, wish, lambda: step(progress, len(used), len(used)))

        def done(move: OneMove) -> None:
            if key != self._asked():  # something else is wanted by now; should this be again, it is looked for again
                self._found_for = None
                return
            self._proposed, self._proposed_for = move, key
            lasts = move.frames / float(reel.rate)
            self.say(" ".join((f"{lasts:.1f} s, put behind what is on the reel.", *move.remarks)))
            self._show()
            self.tried_changed.emit()

        self.context.jobs.restart(
            Job(key=("one move",), what="Looking for one move", work=work, done=done, failed=self.say)
        )

    def _show(self) -> None:
        chosen = self.table.chosen_line
        names = {take.id: take.name for take in self.usable_takes()}
        lines: dict[str, Line] = {}
        if self.proposed is not None:
            reel = self.context.session.project.reel.changed(shots=self.proposed.shots, markers=())
            alone = self.context.session.project.changed(reel=reel)
            for number, placed in enumerate(placed_shots(alone)):
                lines[placed.take.id] = self._line(self.proposed, number, placed)
        used = [each.take.id for each in self.proposed.takes] if self.proposed is not None else []
        rest = [id for id in names if id not in used]
        for id in rest:
            words = (names[id], "left out" if id in self._left_out else "", "", "", "", "")
            lines[id] = Line(words=words, rank=None, ticked=id not in self._left_out)
        self._order = (*used, *rest)
        self.table.show_lines([lines[id] for id in self._order], 0 if chosen is None else chosen)

    @staticmethod
    def _line(move: OneMove, number: int, placed: Placed) -> Line:
        span = placed.shot.span
        frames = f"{span.first} to {span.end - 1}"
        lasts = f"{placed.frames / float(placed.reel_rate):.1f} s"
        if number >= len(move.passages):
            return Line(words=(placed.take.name, frames, lasts, "", "", ""), rank=None, ticked=True)
        then = move.passages[number]
        words = (placed.take.name, frames, lasts, then.join.kind, f"{then.score:.0f}", then.why)
        return Line(words=words, rank=then.score, ticked=True)

    def _on_table_line_ticked(self, line: int, on: bool) -> None:
        (self._left_out.discard if on else self._left_out.add)(self._order[line])
        self._refresh_soon()

    # What is tried and taken

    def _edit(self, move: OneMove) -> InsertShots:
        return InsertShots(shots=move.shots, label="One move")

    def tried(self) -> Tried | None:
        move, line = self.proposed, self.table.chosen_line
        if move is None or len(move.shots) < 2:
            return None
        project = self._edit(move).apply(self.context.session.project)
        at = min(line or 0, len(move.shots) - 2)
        return Tried(project=project, outgoing=move.shots[at], incoming=move.shots[at + 1])

    @property
    def take_words(self) -> str:
        return "Put it on the reel   Enter"

    @property
    def can_take(self) -> bool:
        return self.proposed is not None

    def take(self) -> None:
        move = self.proposed
        if move is None:
            return
        self._proposed, self._found_for = None, None  # its shots are on the reel from now on: the next ones are others
        if self.context.session.do(self._edit(move)):
            self.context.session.choose_shot(move.shots[0].id)
