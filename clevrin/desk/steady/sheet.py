"""The sheet of the Steady bench: its table of fields, and beside them what is measured, proposed and drawn."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QWidget

from clevrin.core.document import Anchor, Hold, Loan, Project, Shot, Span, Take
from clevrin.core.document.holding import LEAST_KEEP, MOST_KEEP
from clevrin.core.hold.held import HeldPath
from clevrin.desk.steady.bounds import BoundsSetting
from clevrin.desk.steady.fields import CALM, EDGE, FIELDS, LENT
from clevrin.desk.steady.lenders import Lender, lenders_of, place_of
from clevrin.desk.steady.price_chart import KeepChart
from clevrin.desk.steady.proposals import Proposals
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.sheet import (
    Pages,
    Trouble,
    about,
    ask_for_colour,
    fill_combo,
    grey,
    keep_room,
    named_combo,
    named_setting,
    plain_button,
    quiet_label,
)


class SteadySheet(FieldSheet):
    """Shows a shot's settings, and says what the user wants of them.

    Fields say it by `field_changing`; the signals here are of what is no field.
    """

    hold_changing = Signal(dict, str)
    """Fields of the hold, and the gesture that they belong to ("" for none)."""
    subject_chosen = Signal(str)
    """The id of the track that the shot is to be anchored to."""
    jolt_spared = Signal(object)
    enough_requested = Signal()
    steady_all_requested = Signal()
    loan_changing = Signal(object, str)
    motion_file_requested = Signal()
    perform_requested = Signal(bool)

    def __init__(self) -> None:
        super().__init__("Steady", FIELDS, rolls=False)
        self._lenders: list[Lender] = []
        self._loan: Loan | None = None
        self._jolt: Span | None = None
        self._standing = MOST_KEEP
        self._colour = Hold().colour
        self.pages = Pages(
            (
                (CALM, "How the shot is held"),
                (EDGE, "What stands where the picture ends, and how sharp it is"),
                (LENT, "Motion of another take or of a hand, put on this shot"),
            )
        )
        self.trouble = Trouble()
        self.refused.connect(self.trouble.tell)
        self.add(self.pages, self.trouble)
        self._make_calm()
        self._make_edge()
        self._make_lent()
        self.pages.add_stretch()

    # How it is put together

    def _make_calm(self) -> None:
        self.anchor_note = _note()
        self.subjects = named_combo("What is held", "Which of the take's points and surfaces is held")
        self.subjects.activated.connect(lambda index: self.subject_chosen.emit(self.subjects.itemData(index)))
        self.chart = KeepChart()
        self.chart.choice_changing.connect(
            lambda settle_s, keep: self.hold_changing.emit({"settle_s": settle_s, "keep": keep}, "chart")
        )
        self.chart.choice_changed.connect(self.gesture_ended)
        self.price = _note()
        self.spare_button = plain_button("Spare", "Demands no calm of these frames, so that the others keep more")
        self.spare_button.clicked.connect(lambda: self.jolt_spared.emit(self._jolt))
        keep_room(self.spare_button)
        self._price_row = _beside(self.price, self.spare_button)
        self.standing = _note()
        self.stand_button = plain_button("Quite still", "Keeps as much of the width as lets the shot stand quite still")
        self.stand_button.clicked.connect(lambda: self.hold_changing.emit({"keep": self._standing}, ""))
        keep_room(self.stand_button)
        self._standing_row = _beside(self.standing, self.stand_button)
        self.blur = _note()
        self.enough_button = plain_button(
            "Least hold", "Sets settle so that blurred frames are not held harder than their blur"
        )
        self.enough_button.clicked.connect(self.enough_requested)
        self._blur_row = _beside(self.blur, self.enough_button)
        self.all_button = plain_button("Steady all so", "Gives every shot of the reel this hold")
        self.all_button.clicked.connect(self.steady_all_requested)
        field = self.controls
        self.pages.add(CALM, field["how"], self.anchor_note, self.subjects, field["place"], field["besides"])
        self.pages.add(CALM, field["reference"], field["settle"], field["keep"], self._standing_row)
        self.pages.add(CALM, self.chart, self._price_row)
        self.pages.add(CALM, field["axes"], field["returned"], self._blur_row)
        self.pages.add(CALM, _beside(field["ease_blurred"], self.all_button))

    def _make_edge(self) -> None:
        self.colour_button = plain_button("Colour of the edge…", "Which colour stands where the picture ends")
        self.colour_button.clicked.connect(self._ask_for_colour)
        self.grid_button = plain_button("Show the mesh", "Draws the grid over the held picture")
        self.grid_button.setCheckable(True)
        self.bounds = BoundsSetting()
        self.bounds.bounds_changed.connect(lambda bounds: self.hold_changing.emit({"bounds": bounds}, ""))
        self.bounds.refused.connect(self.refused)
        self.not_borrowed = named_combo("Without", "An area of the take of which no edge takes anything")
        self.not_borrowed.activated.connect(
            lambda at: self.hold_changing.emit({"not_borrowed": self.not_borrowed.itemData(at) or None}, "")
        )
        self.not_borrowed_setting = named_setting("Without", self.not_borrowed.toolTip(), self.not_borrowed)
        field = self.controls
        self.pages.add(EDGE, field["edge"], self.not_borrowed_setting, self.colour_button)
        self.pages.add(EDGE, field["enlargement"], field["kernel"])
        self.pages.add(EDGE, field["crispness"], field["mesh"], self.grid_button, self.bounds)

    def _make_lent(self) -> None:
        self.lenders = named_combo("Whose motion", "Whose motion is put on this shot")
        self.lenders.activated.connect(self._on_lenders_activated)
        self.other_button = plain_button("Another course", "The same hand at another time")
        self.other_button.clicked.connect(self._take_another_course)
        self.file_button = plain_button("Read a motion CSV…", "Motion that was measured here or elsewhere")
        self.file_button.clicked.connect(self.motion_file_requested)
        self.perform_button = plain_button(
            "Perform", "The shot plays, and the gate goes where the mouse goes over the held picture; wheel: zoom"
        )
        self.perform_button.setCheckable(True)
        self.perform_button.clicked.connect(self.perform_requested)
        self.lent_note = _note()
        heading = QLabel("Whose motion")
        heading.setFont(theme.font(theme.BODY_PX, strong=True))
        field = self.controls
        self.pages.add(LENT, heading, self.lenders, field["lent"], field["amount"], field["size"], self.other_button)
        self.pages.add(LENT, self.file_button, self.perform_button, self.lent_note)

    # What it shows

    def show_shot(self, shot: Shot, project: Project, others: tuple[Shot, ...]) -> None:
        """The settings of a shot of a project; `others` are set with it."""
        hold, take = shot.hold, project.take(shot.take_id)
        self.set_about(about(take.name, others))
        self.show_fields(shot, others)
        self.set_note("reference", "" if hold.reference is None else f"on frame {hold.reference}")
        self._colour = hold.colour
        self.bounds.show_bounds(hold.bounds)
        self._show_subjects(take, hold.anchor)
        self._show_areas(take, hold)
        self._show_what_counts(shot)
        self._show_lenders(shot.loan, project, shot.take_id)

    def _show_subjects(self, take: Take, anchor: Anchor | None) -> None:
        """The take's tracks, of which the anchor's is chosen; none where it is gone."""
        self.subjects.clear()
        for track in take.tracks:
            self.subjects.addItem(f"{track.name} ({track.kind})", track.id)
        self.subjects.setCurrentIndex(-1 if anchor is None else self.subjects.findData(anchor.track_id))

    def _show_areas(self, take: Take, hold: Hold) -> None:
        """Of which areas of the take an edge that borrows may take nothing."""
        self.not_borrowed_setting.setVisible(hold.edge == "borrow" and bool(take.areas))
        named = ((area.name, area.id) for area in take.areas)
        fill_combo(self.not_borrowed, [("nothing is left out", ""), *named], hold.not_borrowed or "")

    def _show_what_counts(self, shot: Shot) -> None:
        """Hides of what is no field what the chosen hold does not use."""
        hold = shot.hold
        anchored, floats = hold.how == "anchor", hold.how == "float"
        self.anchor_note.setVisible(anchored)
        self.subjects.setVisible(anchored and self.subjects.count() > 0)
        for widget in (self.chart, self._price_row, self._blur_row):
            widget.setVisible(floats)
        grey(self.all_button, hold.how != "none", "Nothing is held here that the others could be given.")
        self._standing_row.setVisible(hold.how == "lock-off" and hold.stays_inside)
        self.bounds.setVisible(floats)
        self.colour_button.setVisible(hold.edge == "colour")
        self.grid_button.setVisible(hold.mesh)

    def _show_lenders(self, loan: Loan | None, project: Project, take_id: str) -> None:
        self._loan = loan
        self._lenders = lenders_of(project, take_id, loan)
        self.lenders.clear()
        self.lenders.addItems([each.words for each in self._lenders])
        self.lenders.setCurrentIndex(place_of(loan, self._lenders))
        by_hand = loan is not None and loan.lender == "rig"
        grey(self.other_button, by_hand, "Only a simulated hand has other courses.")

    def show_proposals(self, found: Proposals | None, hold: Hold, words: str) -> None:
        """The chart and what is proposed, or why there is none yet."""
        self.chart.show_chart(None if found is None else found.chart, hold.settle_s, hold.keep, words)
        jolts = () if found is None else found.jolts
        self._jolt = jolts[0].span if jolts else None
        if jolts:
            span, gain = jolts[0].span, jolts[0].gain
            self.price.setText(f"Frames {span.first} to {span.end - 1} cost {gain * 100:.0f} % of the width.")
        else:
            self.price.setText(f"{len(hold.spared)} stretches are spared." if hold.spared else "")
        self.spare_button.setText("Spare" if jolts else "Spare none")
        self.spare_button.setVisible(bool(jolts or hold.spared))

    def show_standing(self, path: HeldPath | None) -> None:
        """Whether a lock-off stands quite still, or what it would have to keep for that."""
        share = None if path is None else path.standing
        possible = share is not None and share >= LEAST_KEEP
        self._standing = int(share * 1000) / 1000 if share is not None and possible else MOST_KEEP
        if share is None:
            words = "" if path is None else "It stands quite still."
        elif possible:
            words = f"It would stand quite still at {self._standing * 100:.1f} %."
        else:
            words = f"It would stand quite still at {share * 100:.0f} %: too little would be seen."
        self.standing.setText(words)
        grey(self.stand_button, possible, words or "It is being worked out.")

    def show_blur(self, blurred: int, frames: int, *, eased: bool) -> None:
        """How many frames of the shot stay blurred, and what can be done about it."""
        self.blur.setText(f"{blurred} of {frames} frames stay blurred." if blurred else "No blur will show.")
        grey(self.enough_button, blurred > 0, "No blur will show: there is nothing to spare.")
        self.set_enabled("ease_blurred", blurred > 0 or eased)

    def _ask_for_colour(self) -> None:
        ask_for_colour(
            self, "Colour of the edge", self._colour, lambda colour: self.hold_changing.emit({"colour": colour}, "")
        )

    def _on_lenders_activated(self, index: int) -> None:
        self.loan_changing.emit(self._lenders[index].loan, "")

    def _take_another_course(self) -> None:
        if self._loan is not None:
            self.loan_changing.emit(self._loan.changed(seed=self._loan.seed + 1), "")


def _note() -> QLabel:
    label = quiet_label("")
    label.setWordWrap(True)
    return label


def _beside(words: QWidget, button: QWidget) -> QWidget:
    """A sentence and what can be done about it."""
    row = QWidget()
    inner = QHBoxLayout(row)
    inner.setContentsMargins(0, 0, 0, 0)
    inner.addWidget(words, 1)
    inner.addWidget(button)
    row.setMinimumHeight(max(button.sizeHint().height(), 2 * words.fontMetrics().lineSpacing()))
    return row
