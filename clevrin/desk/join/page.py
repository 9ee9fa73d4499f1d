"""What the ways of looking at joins have in common: each lists something, tries it in the viewer, and can take it."""

from dataclasses import dataclass

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from clevrin.core.document import Project, Shot, Take
from clevrin.desk.background.known_moves import KnownMoves
from clevrin.desk.bench.context import Context
from clevrin.desk.join.figure_table import FigureTable
from clevrin.desk.state.session import Session
from clevrin.desk.widgets.sheet import OwnChoice, quiet_label


@dataclass(frozen=True, kw_only=True)
class Tried:
    """A project with a cut that is looked at: the shots that meet there."""

    project: Project
    outgoing: Shot
    incoming: Shot


class JoinPage(QWidget):
    """One way of looking. While it is shown, `refresh` is called after every change."""

    chooser: QWidget
    """Where something is chosen: it has the keys."""
    tried_changed = Signal()
    """What is looked at is another cut."""
    take_changed = Signal()
    """What taking does is something else, or can be done now."""
    line_chosen = Signal()
    """The user chose something, to be tried."""
    about_cuts_of_the_reel = False
    """Whether the settings of the cut that is chosen on the reel belong beside it."""
    controls: tuple[QWidget, ...] = ()
    """What stands in the sheet while it is shown."""

    def __init__(self, context: Context, known: KnownMoves, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.context, self.known = context, known
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(6)
        self.note = quiet_label("")
        self.note.setWordWrap(True)

    def add_table(self, table: FigureTable) -> None:
        """A table as what the page is about, with words over it."""
        self.chooser = table
        self.column.addWidget(self.note)
        self.column.addWidget(table, 1)
        table.line_chosen.connect(lambda _: self.line_chosen.emit())

    def add_takes_choice(self) -> OwnChoice:
        """A choice of which takes are used: `usable_takes` follows it."""
        self._which = OwnChoice(
            "Takes",
            "Which takes of the log are used",
            [
                ("all", "all but dropped", "Every take that is not marked drop"),
                ("keep", "only kept", "The takes that are marked keep"),
            ],
            columns=2,
            default="all",
        )
        self._which.chosen.connect(lambda _: self.refresh())
        return self._which

    def usable_takes(self) -> tuple[Take, ...]:
        """Takes of the log that may be put on the reel."""
        takes, only_kept = self.context.session.project.takes, self._which.key == "keep"
        return tuple(take for take in takes if (take.worth == "keep" if only_kept else take.worth != "drop"))

    def refresh(self) -> None:
        """Shows what is to be seen of the project as it is now; may begin work."""

    def tried(self) -> Tried | None:
        """What is looked at; None: the cut that is chosen on the reel."""
        return None

    @property
    def take_words(self) -> str:
        """What taking does, as the button says it."""
        raise NotImplementedError

    @property
    def can_take(self) -> bool:
        raise NotImplementedError

    def take(self) -> None:
        """Takes what is proposed, as one edit."""
        raise NotImplementedError

    def chosen_shot_id(self) -> str | None:
        """The shot whose cut into the next one is chosen on the reel."""
        pair = chosen_pair(self.context.session)
        return None if pair is None else pair[0].id

    def say(self, words: str) -> None:
        """Words where the list would be."""
        self.note.setText(words)
        self.note.setVisible(bool(words))


def chosen_pair(session: Session) -> tuple[Shot, Shot] | None:
    """The chosen shot and the next one (the last but one and the last); None where there are no two."""
    shots = session.project.reel.shots
    if len(shots) < 2:
        return None
    at = session.project.shot_index(session.shot.id) if session.shot is not None else 0
    at = min(at, len(shots) - 2)
    return shots[at], shots[at + 1]
