"""Laying the two pictures of a match cut on each other: as wholes, or by what is followed in both."""

from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from clevrin.core.document import Project, Shot
from clevrin.core.document.edits import SetLeaves
from clevrin.core.join.kinds.match_cut import MATCH_CUT
from clevrin.core.join.laying import Laid
from clevrin.core.join.movement import Alike
from clevrin.core.progress import Progress
from clevrin.core.render.reports.cut_alignment import lay_by_pictures, lay_by_tracks
from clevrin.core.render.reports.matched_motion import cuts_where_alike
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job
from clevrin.desk.bench.context import Context
from clevrin.desk.join.in_turn import CutsInTurn
from clevrin.desk.join.page import chosen_pair
from clevrin.desk.widgets.sheet import fill_combo, grey, named_combo, named_setting, plain_button, quiet_label

_WHOLE = "the picture as a whole"


class LayRow(QWidget):
    """Shown with a match cut alone: by what it is laid, the button that does it, and what came of it."""

    def __init__(self, context: Context, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._context = context
        self.combos = (named_combo("Laid by, this shot"), named_combo("Laid by, next shot"))
        self.button = plain_button("Lay on each other", "Finds how both pictures at the cut lie on each other")
        self.button.clicked.connect(lambda: self.lay())
        self.alike_button = plain_button(
            "Where they move alike", "Cuts where both subjects are at one place, as fast, the same way; again: the next"
        )
        self.alike_button.clicked.connect(self.cut_where_alike)
        self.note = quiet_label("")
        self.note.setWordWrap(True)
        self._cuts: CutsInTurn[Alike] = CutsInTurn(
            context,
            "Looking where both move alike",
            "Cut where they move alike",
            lambda found, _: (found.outgoing, found.incoming),
            self.note.setText,
            self._lay_again,
        )
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for words, combo in zip(("This shot by", "Next shot by"), self.combos, strict=True):
            column.addWidget(named_setting(words, "What is laid on what of the other shot", combo))
            combo.activated.connect(lambda _: self._show_alike())
        column.addWidget(self.alike_button)
        column.addWidget(self.button)
        column.addWidget(self.note)

    def show_pair(self, pair: tuple[Shot, Shot] | None) -> None:
        """What can be laid on each other at the cut between two shots; None, or another kind of join: nothing."""
        if pair is None or pair[0].leave.kind != MATCH_CUT.id:
            self.hide()
            return
        self.show()
        for combo, shot in zip(self.combos, pair, strict=True):
            _show_tracks(combo, self._context.session.project, shot)
        self._show_alike()

    @property
    def _tracks(self) -> tuple[str, str]:
        return str(self.combos[0].currentData() or ""), str(self.combos[1].currentData() or "")

    def _show_alike(self) -> None:
        why_not = "Choose what is followed in both shots first."
        grey(self.alike_button, all(self._tracks), why_not)

    def cut_where_alike(self) -> None:
        """Moves the cut to the frames at which both subjects move most alike; pressed again, to the next best."""
        project, tracks = self._context.session.project, self._tracks
        if not all(tracks):
            return

        def find(shot_id: str, sources: Sources, progress: Progress) -> tuple[Alike, ...]:
            return cuts_where_alike(project, shot_id, tracks, sources, progress)

        self._cuts.take_next(tracks, find, _words, "")

    def _lay_again(self, said: str, gesture: str) -> None:
        """A laying is of two frames: it follows the cut to a new place, as a part of the same step."""
        pair = chosen_pair(self._context.session)
        if pair is not None and pair[0].leave.kind == MATCH_CUT.id:
            self.lay(said, gesture)

    def lay(self, before: str = "", gesture: str | None = None) -> None:
        """Lays them on each other in the background, and has the join do that; `before`: what is told already."""
        session, pair = self._context.session, chosen_pair(self._context.session)
        if pair is None:
            return
        project, shot, store = session.project, pair[0], self._context.measurements.store
        tracks = self._tracks

        def work(progress: Progress) -> Laid:
            with Sources.of(store, light=True) as sources:
                if all(tracks):
                    return lay_by_tracks(project, shot.id, tracks, sources)
                return lay_by_pictures(project, shot.id, sources)

        def done(found: Laid) -> None:
            now = chosen_pair(session)
            if now is None or now[0].id != shot.id or now[0].leave.kind != MATCH_CUT.id:
                return
            leave = now[0].leave.having(**found.settings)
            session.do(SetLeaves(leaves=((shot.id, leave),), label="Lay pictures on each other"), gesture=gesture)
            width = project.reel.width
            tell(f"Laid by {found.points} places, {found.residual * width:.1f} px of the reel are left.")

        def tell(words: str) -> None:
            self.note.setText(f"{before}\n{words}".strip())

        self.note.setText(before)
        self._context.jobs.restart(
            Job(key=("laying",), what="Laying pictures", work=work, done=done, failed=tell, quiet=True)
        )


def _show_tracks(combo: QComboBox, project: Project, shot: Shot) -> None:
    """The tracks of a shot's take; what was chosen stays chosen as long as it is there."""
    named = ((track.name, track.id) for track in project.take(shot.take_id).tracks)
    fill_combo(combo, [(_WHOLE, ""), *named], combo.currentData())


def _words(found: Alike) -> str:
    return (
        f"Frames {found.outgoing} and {found.incoming}: {found.apart:.2f} widths and {found.turned_deg:.0f}° apart, "
        f"{found.faster:.2g} times as fast"
    )
