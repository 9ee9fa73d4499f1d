"""The sheet of the Steady bench: how a shot is held, what stands at its edge, and what motion is lent to it."""

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QColorDialog, QComboBox, QHBoxLayout, QLabel, QWidget

from clevrin.core.document import Anchor, Hold, Loan, Project, Shot, Span, Take
from clevrin.core.document.holding import AXES, LEAST_KEEP, LONGEST_SETTLE_S, MOST_KEEP
from clevrin.core.document.loans import RIGS
from clevrin.desk import theme
from clevrin.desk.sheet import ChoiceSetting, Pages, Sheet, SliderSetting, Trouble, plain_button, quiet_label
from clevrin.desk.steady.bounds import BoundsSetting
from clevrin.desk.steady.chart import KeepChart
from clevrin.desk.steady.proposals import Proposals

CALM, EDGE, LENT = "Calm", "Edge", "Lent motion"
_PLACES: dict[str, tuple[float, float] | None] = {
    "mean": None,
    "centre": (0.5, 0.5),
    "left": (1 / 3, 1 / 3),
    "right": (2 / 3, 1 / 3),
}


_SHARE: dict[str, Any] = {"words": lambda v: f"{v * 100:.0f} %", "typed": 0.01}
"""How a slider of shares shows them, and takes what is typed: as percent."""
_TIMES: dict[str, Any] = {"low": 0.0, "high": 3.0, "step": 0.05, "default": 1.0, "words": lambda v: f"{v:.2f} ×"}


@dataclass(frozen=True, kw_only=True)
class Lender:
    """An entry of the list of those who lend motion."""

    words: str
    loan: Loan | None


class SteadySheet(Sheet):
    """Shows a shot's settings, and says what the user wants of them."""

    hold_changing = Signal(dict, str)
    """Fields of the hold, and the gesture that they belong to ("" for none)."""
    gesture_ended = Signal()
    axis_toggled = Signal(str)
    anchor_changing = Signal(dict)
    subject_chosen = Signal(str)
    """The id of the track that the shot is to be anchored to."""
    reference_requested = Signal(bool)
    """The lock-off is to stand on the frame looked at (True), or on one chosen by itself."""
    jolt_spared = Signal(object)
    enough_requested = Signal()
    steady_all_requested = Signal()
    loan_changing = Signal(object, str)
    motion_file_requested = Signal()
    perform_requested = Signal(bool)

    def __init__(self) -> None:
        super().__init__("Steady")
        self._lenders: list[Lender] = []
        self._loan: Loan | None = None
        self._jolt: Span | None = None
        self._colour = Hold().colour
        self.pages = Pages(
            (
                (CALM, "How the shot is held"),
                (EDGE, "What stands where the picture ends, and how sharp it is"),
                (LENT, "Motion of another take or of a hand, put on this shot"),
            )
        )
        self.trouble = Trouble()
        self.add(self.pages, self.trouble)
        self._make_calm()
        self._make_edge()
        self._make_lent()
        self.pages.add_stretch()
        for slider in (self.settle, self.keep, self.returned, self.crispness):
            slider.value_changed.connect(lambda _: self.gesture_ended.emit())
        for slider in (self.settle, self.keep, self.returned, self.crispness, self.amount, self.size_amount):
            slider.refused.connect(self.trouble.tell)

    # How it is put together

    def _make_calm(self) -> None:
        self.how = ChoiceSetting(
            "Hold",
            "How the shot is steadied",
            (
                ("none", "As shot", "Nothing is taken out"),
                ("float", "Float", "Takes the shake out and keeps the move"),
                ("lock-off", "Lock-off", "Makes the shot stand still, like on a tripod"),
                ("anchor", "Anchor", "Keeps a point of the subject in place: click it in the picture as shot"),
            ),
            columns=4,
            default="none",
        )
        self.how.chosen.connect(lambda how: self.hold_changing.emit({"how": how}, ""))
        self.settle = self._slider(
            "Settle",
            "settle_s",
            "Motion quicker than this is taken out: more makes the move calmer and slower to change",
            low=0.0,
            high=LONGEST_SETTLE_S,
            step=0.1,
            words=lambda v: f"{v:.1f} s",
            bend=3.0,
        )
        self.keep = self._slider(
            "Keep at least",
            "keep",
            "The least share of the picture's width that must stay: less gives the hold more room",
            low=LEAST_KEEP,
            high=MOST_KEEP,
            step=0.01,
            **_SHARE,
        )
        self.chart = KeepChart()
        self.chart.choice_changing.connect(
            lambda settle_s, keep: self.hold_changing.emit({"settle_s": settle_s, "keep": keep}, "chart")
        )
        self.chart.choice_changed.connect(self.gesture_ended)
        self.price = quiet_label("")
        self.price.setWordWrap(True)
        self.spare_button = plain_button("Spare", "Demands no calm of these frames, so that the others keep more")
        self.spare_button.clicked.connect(lambda: self.jolt_spared.emit(self._jolt))
        self._price_row = _beside(self.price, self.spare_button)
        self.axes = ChoiceSetting(
            "Axes",
            "Which motions are taken out; an axis that was never shaken is better left alone",
            tuple((axis, axis, f"Take out the shake in {axis}") for axis in AXES),
            columns=4,
            exclusive=False,
        )
        self.axes.chosen.connect(self.axis_toggled)
        self.returned = self._slider(
            "Brought back",
            "returned",
            "How much of the motion as shot stays: a little keeps it from looking lifeless",
            low=0.0,
            high=1.0,
            step=0.01,
            **_SHARE,
        )
        self.blur = quiet_label("")
        self.blur.setWordWrap(True)
        self.enough_button = plain_button(
            "Least hold", "Sets settle so that blurred frames are not held harder than their blur"
        )
        self.enough_button.clicked.connect(self.enough_requested)
        self._blur_row = _beside(self.blur, self.enough_button)
        self.ease_button = plain_button("Let blur move", "Lets some of the motion back where blur shows")
        self.ease_button.setCheckable(True)
        self.ease_button.clicked.connect(lambda on: self.hold_changing.emit({"ease_blurred": on}, ""))
        self._make_standing()
        self.all_button = plain_button("Steady all so", "Gives every shot of the reel this hold")
        self.all_button.clicked.connect(self.steady_all_requested)
        self.pages.add(
            CALM,
            self.how,
            self.anchor_note,
            self.subjects,
            self.place,
            self.follow,
            self.standing,
            self.settle,
            self.keep,
        )
        self.pages.add(CALM, self.chart, self._price_row, self.axes, self.returned)
        self.pages.add(CALM, self._blur_row, _beside(self.ease_button, self.all_button))
        for widget in (self.anchor_note, self.subjects, self.place, self.follow, self.standing):
            widget.hide()

    def _make_standing(self) -> None:
        """What only a lock-off or an anchor has."""
        self.anchor_note = quiet_label("")
        self.anchor_note.setWordWrap(True)
        self.subjects = QComboBox()
        self.subjects.setToolTip("Which of the take's points and surfaces is held")
        self.subjects.setAccessibleName("What is held")
        self.subjects.activated.connect(lambda index: self.subject_chosen.emit(self.subjects.itemData(index)))
        self.place = ChoiceSetting(
            "Place in the gate",
            "Where the point stands in the held picture; it can be dragged there, too",
            (
                ("mean", "as it is", "Where it is on the average"),
                ("centre", "middle", "In the middle"),
                ("left", "left third", "Where the left and the upper thirds meet"),
                ("right", "right third", "Where the right and the upper thirds meet"),
            ),
            columns=4,
        )
        self.place.chosen.connect(lambda key: self.anchor_changing.emit({"place": _PLACES[key]}))
        self.follow = ChoiceSetting(
            "Besides",
            "What else of the subject is kept",
            (
                ("slowly", "slow path", "It goes on a slow path of its own instead of standing still"),
                ("turn", "its turn", "Its turn is taken out, too; needs a surface"),
                ("size", "its size", "Its change of size is taken out, too; needs a surface"),
            ),
            exclusive=False,
        )
        self.follow.chosen.connect(lambda key: self.anchor_changing.emit({key: self.follow.buttons[key].isChecked()}))
        self.standing = ChoiceSetting(
            "Stands on",
            "Which frame the lock-off is made to agree with",
            (
                ("auto", "by itself", "A sharp frame that sees most of what the others see"),
                ("here", "this frame", "The frame that is looked at"),
            ),
            columns=2,
        )
        self.standing.chosen.connect(lambda key: self.reference_requested.emit(key == "here"))

    def _make_edge(self) -> None:
        self.edge = ChoiceSetting(
            "Edge",
            "What stands where the gate leaves the picture",
            (
                ("fill", "fill", "Enlarges the picture so that its edge never shows"),
                ("trim", "trim", "Makes the gate smaller instead: nothing is enlarged, and a steady frame is left"),
                ("borrow", "borrow", "Keeps the size; missing parts come from frames that saw them"),
                ("mirror", "mirror", "Keeps the size; the picture goes on mirrored beyond its edge"),
                ("smear", "smear", "Keeps the size; the outermost pixels are drawn on"),
                ("colour", "colour", "Keeps the size; a plain colour stands there"),
                ("clear", "clear", "Keeps the size; nothing stands there, in a MOV film"),
                ("bare", "bare", "Keeps the size and shows black: the picture dances in its frame"),
            ),
            columns=4,
            default="fill",
        )
        self.edge.chosen.connect(lambda edge: self.hold_changing.emit({"edge": edge}, ""))
        self.colour_button = plain_button("Colour of the edge…", "Which colour stands where the picture ends")
        self.colour_button.clicked.connect(self._ask_for_colour)
        self.enlargement = ChoiceSetting(
            "Enlargement",
            "Whether the picture keeps one size, or breathes slowly with what each moment needs",
            (
                ("constant", "one size", "The same for all frames"),
                ("varying", "slowly varying", "Less where the picture was calm"),
            ),
            columns=2,
            default="constant",
        )
        self.enlargement.chosen.connect(lambda key: self.hold_changing.emit({"enlargement": key}, ""))
        self.kernel = ChoiceSetting(
            "Resampling",
            "How the picture is laid on new pixels; shows in the render",
            (
                ("bicubic", "bicubic", "Quick, and nearly as sharp"),
                ("lanczos", "Lanczos", "Sharpest; renders more slowly"),
            ),
            columns=2,
            default="bicubic",
        )
        self.kernel.chosen.connect(lambda key: self.hold_changing.emit({"kernel": key}, ""))
        self.crispness = self._slider(
            "Crispness",
            "crispness",
            "Sharpens what the enlargement made soft, more where it was enlarged more; shows in the render",
            low=0.0,
            high=1.0,
            step=0.05,
            **_SHARE,
        )
        self.mesh = ChoiceSetting(
            "Model",
            "What is taken out of the picture",
            (
                ("whole", "whole picture", "One map for all of it"),
                ("mesh", "and a mesh", "What is left of parallax and rolling shutter, within bounds: nothing bends"),
            ),
            columns=2,
            default="whole",
        )
        self.mesh.chosen.connect(lambda key: self.hold_changing.emit({"mesh": key == "mesh"}, ""))
        self.grid_button = plain_button("Show the mesh", "Draws the grid over the held picture")
        self.grid_button.setCheckable(True)
        self.pages.add(EDGE, self.edge, self.colour_button, self.enlargement, self.kernel, self.crispness)
        self.bounds = BoundsSetting()
        self.bounds.bounds_changed.connect(lambda bounds: self.hold_changing.emit({"bounds": bounds}, ""))
        self.bounds.refused.connect(self.trouble.tell)
        self.pages.add(EDGE, self.mesh, self.grid_button, self.bounds)

    def _make_lent(self) -> None:
        self.lenders = QComboBox()
        self.lenders.setToolTip("Whose motion is put on this shot")
        self.lenders.setAccessibleName("Whose motion")
        self.lenders.activated.connect(self._on_lenders_activated)
        self.lent = ChoiceSetting(
            "What of it",
            "Which part of its motion",
            (
                ("course", "all of it", "The whole course"),
                ("shake", "its shake", "Only what is quicker than 1 Hz"),
                ("difference", "unrest", "What a float with this settle would take out of it"),
            ),
        )
        self.lent.chosen.connect(lambda key: self._change_loan(lent=key))
        self.amount = SliderSetting("Amount", "How much of its pan, tilt and roll", **_TIMES)
        self.size_amount = SliderSetting("Size", "How much of its zoom", **_TIMES)
        self.amount.value_changing.connect(lambda v: self._change_loan("amount", amount=v))
        self.size_amount.value_changing.connect(lambda v: self._change_loan("size", size=v))
        for slider in (self.amount, self.size_amount):
            slider.value_changed.connect(lambda _: self.gesture_ended.emit())
        self.other_button = plain_button("Another course", "The same hand at another time")
        self.other_button.clicked.connect(self._take_another_course)
        self.file_button = plain_button("Read a motion CSV…", "Motion that was measured here or elsewhere")
        self.file_button.clicked.connect(self.motion_file_requested)
        self.perform_button = plain_button(
            "Perform", "The shot plays, and the gate goes where the mouse goes over the held picture; wheel: zoom"
        )
        self.perform_button.setCheckable(True)
        self.perform_button.clicked.connect(self.perform_requested)
        self.lent_note = quiet_label("")
        self.lent_note.setWordWrap(True)
        heading = QLabel("Whose motion")
        heading.setFont(theme.font(theme.BODY_PX, strong=True))
        self.pages.add(LENT, heading, self.lenders, self.lent, self.amount, self.size_amount, self.other_button)
        self.pages.add(LENT, self.file_button, self.perform_button, self.lent_note)

    def _slider(self, name: str, field: str, help_text: str, **how) -> SliderSetting:
        slider = SliderSetting(name, help_text, default=getattr(Hold(), field), **how)
        slider.value_changing.connect(lambda v: self.hold_changing.emit({field: v}, field))
        return slider

    # What it shows

    def show_shot(self, shot: Shot, project: Project) -> None:
        """The settings of a shot of a project."""
        hold = shot.hold
        self.set_about(project.take(shot.take_id).name)
        self.how.set_chosen(hold.how)
        for slider, value in (
            (self.settle, hold.settle_s),
            (self.keep, hold.keep),
            (self.returned, hold.returned),
            (self.crispness, hold.crispness),
        ):
            slider.set_number(value)
        self.axes.set_chosen(*hold.axes)
        self.edge.set_chosen(hold.edge)
        self.enlargement.set_chosen(hold.enlargement)
        self.kernel.set_chosen(hold.kernel)
        self.mesh.set_chosen("mesh" if hold.mesh else "whole")
        self.ease_button.setChecked(hold.ease_blurred)
        self.standing.set_chosen("auto" if hold.reference is None else "here")
        self.standing.set_note("" if hold.reference is None else f"on frame {hold.reference}")
        self._colour = hold.colour
        self.bounds.show_bounds(hold.bounds)
        self._show_subjects(project.take(shot.take_id), hold.anchor)
        self._show_anchor(hold.anchor or Anchor(track_id="none"))
        self._show_what_counts(shot)
        self._show_lenders(shot.loan, project, shot.take_id)

    def _show_subjects(self, take: Take, anchor: Anchor | None) -> None:
        """The take's tracks, of which the anchor's is chosen; none where it is gone."""
        self.subjects.clear()
        for track in take.tracks:
            self.subjects.addItem(f"{track.name} ({track.kind})", track.id)
        self.subjects.setCurrentIndex(-1 if anchor is None else self.subjects.findData(anchor.track_id))

    def _show_anchor(self, anchor: Anchor) -> None:
        self.place.set_chosen(*(key for key, place in _PLACES.items() if place == anchor.place))
        chosen = {"slowly": anchor.slowly, "turn": anchor.turn, "size": anchor.size}
        self.follow.set_chosen(*(key for key, on in chosen.items() if on))

    def _show_what_counts(self, shot: Shot) -> None:
        """Hides what the chosen hold does not use."""
        hold = shot.hold
        how, held = hold.how, hold.how != "none"
        floats = how == "float"
        for widget in (self.anchor_note, self.place, self.follow):
            widget.setVisible(how == "anchor")
        self.subjects.setVisible(how == "anchor" and self.subjects.count() > 0)
        self.standing.setVisible(how == "lock-off")
        self.settle.setVisible(
            floats or not held or (how == "anchor" and hold.anchor is not None and hold.anchor.slowly)
        )
        self.axes.setVisible(how in ("none", "float", "lock-off"))
        for widget in (self.chart, self._price_row, self._blur_row, self.ease_button):
            widget.setVisible(floats)
        for setting in (self.settle, self.keep, self.axes, self.returned, self.mesh, self.bounds, self.all_button):
            setting.setEnabled(held)
        for setting in (self.edge, self.enlargement, self.kernel, self.crispness):
            setting.setEnabled(held or shot.loan is not None)
        self.bounds.setVisible(floats)
        self.enlargement.setVisible(hold.edge == "fill")
        self.colour_button.setVisible(hold.edge == "colour")
        self.grid_button.setVisible(hold.mesh)

    def _show_lenders(self, loan: Loan | None, project: Project, take_id: str) -> None:
        self._loan = loan
        terms = {} if loan is None else {"lent": loan.lent, "amount": loan.amount, "size": loan.size}
        seed = 1 if loan is None else loan.seed
        self._lenders = [Lender(words="nobody", loan=None)]
        self._lenders += [
            Lender(words=f"hand: {rig}", loan=Loan.model_validate({"lender": "rig", "rig": rig, "seed": seed, **terms}))
            for rig in RIGS
        ]
        for kind, among in (("motion", project.motions), ("take", project.takes)):
            for each in among:
                if each.id != take_id:
                    given = Loan.model_validate({"lender": kind, "lender_id": each.id, **terms})
                    self._lenders.append(Lender(words=each.name, loan=given))
        self.lenders.clear()
        self.lenders.addItems([each.words for each in self._lenders])
        chosen = next((k for k, each in enumerate(self._lenders) if _alike(each.loan, loan)), 0)
        self.lenders.setCurrentIndex(chosen)
        for widget in (self.lent, self.amount, self.size_amount):
            widget.setEnabled(loan is not None)
        self.other_button.setEnabled(loan is not None and loan.lender == "rig")
        if loan is not None:
            self.lent.set_chosen(loan.lent)
            self.amount.set_number(loan.amount)
            self.size_amount.set_number(loan.size)

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
        self._price_row.setVisible(hold.how == "float" and bool(jolts or hold.spared))
        self.spare_button.setText("Spare" if jolts else "Spare none")

    def _ask_for_colour(self) -> None:
        dialog = QColorDialog(QColor(self._colour), self)
        dialog.setObjectName("colours")
        dialog.setWindowTitle("Colour of the edge")
        dialog.setOption(QColorDialog.ColorDialogOption.DontUseNativeDialog)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.colorSelected.connect(lambda chosen: self.hold_changing.emit({"colour": chosen.name()}, ""))
        dialog.open()

    def _on_lenders_activated(self, index: int) -> None:
        self.loan_changing.emit(self._lenders[index].loan, "")

    def _change_loan(self, gesture: str = "", **fields: object) -> None:
        if self._loan is not None:
            self.loan_changing.emit(self._loan.changed(**fields), gesture)

    def _take_another_course(self) -> None:
        if self._loan is not None:
            self._change_loan(seed=self._loan.seed + 1)


def _alike(one: Loan | None, other: Loan | None) -> bool:
    """Whether two loans have one lender."""
    if one is None or other is None:
        return one is other
    if one.lender == "rig" == other.lender:
        return one.rig == other.rig
    return (one.lender, one.lender_id) == (other.lender, other.lender_id)


def _beside(words: QWidget, button: QWidget) -> QWidget:
    """A sentence and what can be done about it."""
    row = QWidget()
    inner = QHBoxLayout(row)
    inner.setContentsMargins(0, 0, 0, 0)
    inner.addWidget(words, 1)
    inner.addWidget(button)
    return row
