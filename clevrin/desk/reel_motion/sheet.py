"""Motion over the reel, in a sheet beside the picture: its stretches, who lends it, how much room it takes."""

from PySide6.QtWidgets import QWidget

from clevrin.core.document import Over, Project
from clevrin.core.hold.reel_motion import course_over
from clevrin.core.pace.timecode import timecode
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.side_sheet import SideSheet
from clevrin.desk.reel_motion.edits import OverEdits
from clevrin.desk.reel_motion.fields import FIELDS
from clevrin.desk.reel_motion.performing import OverPerforming, WatchReel
from clevrin.desk.steady.lenders import Lender, lenders_of, place_of
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.plain_table import PlainRow, PlainTable
from clevrin.desk.widgets.sheet import beside, named_combo, named_setting, plain_button, quiet_label

_MOST_ROWS = 5


class OverSheet(SideSheet):
    """Shows the stretches of the reel that motion lies over, and the settings of the one that is chosen."""

    def __init__(self, context: Context, edits: OverEdits, watch: WatchReel, parent: QWidget | None = None) -> None:
        """`watch` shows the reel while motion is performed over it."""
        super().__init__(FieldSheet("Motion over the reel", FIELDS), context, edits, parent)
        self.all_button = plain_button("Over all", "Lays motion over the whole reel, in the place of what lies there")
        self.shots_button = plain_button("Over the chosen", "Lays motion over the chosen shots, across their joins")
        self.performing = OverPerforming(context, edits, watch, self)
        self.perform_button = plain_button(
            "Perform", "Plays the reel: where the mouse goes over its picture, the picture goes. Every attempt is kept"
        )
        self.perform_button.setCheckable(True)
        self.remove_button = plain_button("Take away", "The reel lies still there")
        self.stretches = PlainTable("Stretches", "A click chooses one", columns=2, most_rows=_MOST_ROWS)
        self.lender = named_combo("Lent by", "Whose motion it is: a simulated hand's, a take's, one that was performed")
        self.room = quiet_label("")
        self.room.setWordWrap(True)
        self._lenders: list[Lender] = []
        self._setting = named_setting("Lent by", self.lender.toolTip(), self.lender)
        self.sheet.add(
            beside(self.all_button, self.shots_button),
            beside(self.perform_button),
            self.stretches,
            self._setting,
            *self.sheet.controls.values(),
        )
        self.sheet.add(self.room, beside(self.remove_button), self.trouble)
        self.sheet.add_stretch()
        self.let_run(
            (
                (self.all_button, edits.lay_over_all),
                (self.shots_button, edits.lay_over_shots),
                (self.remove_button, edits.remove),
            )
        )
        self.perform_button.clicked.connect(self._on_perform_button_clicked)
        self.closed.connect(self.performing.end)
        self.performing.running_changed.connect(self._on_performing_running_changed)
        self.stretches.row_chosen.connect(lambda id, _: self._choose(id))
        self.lender.activated.connect(lambda at: edits.lend(self._lenders[at].loan))
        edits.chosen_changed = self.refresh
        context.session.selection_changed.connect(self.refresh)
        self.refresh()

    def _choose(self, over_id: str) -> None:
        self._edits.choose(over_id)
        over = self._edits.chosen
        if over is not None:
            self._context.session.move_playhead(over.first)

    def _on_perform_button_clicked(self, on: bool) -> None:
        if on:
            self.performing.begin()
        else:
            self.performing.end()

    def _on_performing_running_changed(self, running: bool) -> None:
        self.perform_button.setChecked(running)
        self.perform_button.setText("Performing: stop" if running else "Perform")

    def refresh(self) -> None:
        """Shows what lies over the reel as it is now."""
        project, chosen = self._context.session.project, self._edits.chosen
        self.stretches.show_rows(
            (PlainRow(id=each.id, words=_words(project, each), named=False) for each in project.reel.over),
            None if chosen is None else chosen.id,
        )
        self.all_button.setEnabled(bool(project.reel.shots))
        self.perform_button.setEnabled(bool(project.reel.shots))
        self.shots_button.setEnabled(bool(self._context.session.shot_ids))
        self.remove_button.setEnabled(chosen is not None)
        self._setting.setVisible(chosen is not None)
        self.room.setVisible(chosen is not None)
        if chosen is None:
            for control in self.sheet.controls.values():
                control.setVisible(False)
            self.sheet.set_about("none")
            return
        self.sheet.set_about("")
        self.sheet.show_fields(chosen)
        self._lenders = [each for each in lenders_of(project, "", chosen.loan) if each.loan is not None]
        self.lender.clear()
        self.lender.addItems([each.words for each in self._lenders])
        self.lender.setCurrentIndex(place_of(chosen.loan, self._lenders))
        kept = course_over(project, chosen).least_kept
        self.room.setText(f"Where it moves most, {kept * 100:.0f} % of the picture's width is shown.")


def _words(project: Project, over: Over) -> tuple[str, str]:
    rate = float(project.reel.rate)
    lender: str = over.loan.rig
    if over.loan.lender != "rig":
        lender = next((each.name for each in project.motions if each.id == over.loan.lender_id), "nobody")
    return f"{timecode(over.first, rate)} to {timecode(over.end, rate)}", lender
