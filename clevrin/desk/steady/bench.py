"""The Steady bench: before and after, four lanes, and a sheet with the hold."""

from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from clevrin.core.document import Hold, Shot, Take
from clevrin.core.document.edits import SetHold
from clevrin.core.document.holding import AXES
from clevrin.core.hold.report import LITTLE, calm_frames, course, shake
from clevrin.core.pace import nominal_frame, placed_shots, reel_frame, shot_at
from clevrin.desk import theme
from clevrin.desk.bench import Bench, Showing, Transport
from clevrin.desk.context import Context
from clevrin.desk.programmes import before_after_programme
from clevrin.desk.sheet import ChoiceSetting, Sheet, SliderSetting, Trouble, plain_button, quiet_label
from clevrin.desk.steady.lanes import Lane, Lanes
from clevrin.desk.viewer import Viewer


class SteadyBench(Bench):
    """Holds the chosen shot."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._divided = False
        self._before_held = False
        self._frame: dict[str, int] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(self._make_middle(), 1)
        row.addWidget(self._make_sheet())
        context.session.trouble.connect(self.trouble.tell)

    def _make_middle(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(12, 8, 12, 8)
        column.setSpacing(6)
        head = QHBoxLayout()
        head.setSpacing(4)
        self._before_label, self._after_label = QLabel("as shot"), QLabel("held")
        self._after_label.setStyleSheet(f"color: {theme.COLOURS.ember}")
        self.two_button = plain_button("two pictures", "As shot and as held beside each other")
        self.divide_button = plain_button(
            "divide", "One picture: as shot left of a divide that can be dragged, held right of it"
        )
        for button, divided in ((self.two_button, False), (self.divide_button, True)):
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.clicked.connect(lambda _=False, divided=divided: self.set_divided(divided))
        self.two_button.setChecked(True)
        head.addStretch(1)
        head.addWidget(self.two_button)
        head.addWidget(self.divide_button)
        pictures = QHBoxLayout()
        pictures.setSpacing(12)
        self.before, self.after = Viewer(), Viewer()
        self.after.wanted_size_changed.connect(self.reload)
        self._before_note, self._after_note = quiet_label(""), quiet_label("")
        self._before_side = _titled(self._before_label, self.before, self._before_note)
        pictures.addWidget(self._before_side, 1)
        pictures.addWidget(_titled(self._after_label, self.after, self._after_note), 1)
        self.transport = Transport(self.context)
        self.lanes = Lanes()
        self.lanes.frame_requested.connect(self.context.player.seek)
        column.addLayout(pictures, 5)
        foot = QHBoxLayout()
        foot.addWidget(self.transport, 1)
        foot.addLayout(head)
        column.addLayout(foot)
        column.addWidget(self.lanes, 4)
        self._column = column
        return column

    def _make_sheet(self) -> Sheet:
        self._sheet = Sheet("Steady")
        self.how = ChoiceSetting(
            "Hold",
            "How the shot is steadied",
            (
                ("none", "As shot", "Nothing is taken out"),
                ("float", "Float", "Takes the shake out and keeps the move"),
                ("lock-off", "Lock-off", "Makes the shot stand still, like on a tripod"),
            ),
            default="none",
        )
        self.how.chosen.connect(lambda how: self._change(how=how))
        self.settle = SliderSetting(
            "Settle",
            "Motion quicker than this is taken out: more makes the move calmer and slower to change",
            low=0.2,
            high=4.0,
            step=0.1,
            default=Hold().settle_s,
            words=lambda v: f"{v:.1f} s",
        )
        self.keep = SliderSetting(
            "Keep at least",
            "The least share of the picture's width that must stay: less gives the hold more room",
            low=0.5,
            high=1.0,
            step=0.01,
            default=Hold().keep,
            words=lambda v: f"{v * 100:.0f} %",
        )
        self.settle.value_changing.connect(lambda v: self._change(settle_s=v, gesture="settle"))
        self.keep.value_changing.connect(lambda v: self._change(keep=v, gesture="keep"))
        for slider in (self.settle, self.keep):
            slider.value_changed.connect(lambda _: self.context.session.end_gesture())
        self.axes = ChoiceSetting(
            "Axes",
            "Which motions are taken out; an axis that was never shaken is better left alone",
            tuple((axis, axis, f"Take out the shake in {axis}") for axis in AXES),
            columns=4,
            exclusive=False,
        )
        self.axes.chosen.connect(self._toggle_axis)
        self.edge = ChoiceSetting(
            "Edge",
            "What stands where the gate leaves the picture",
            (
                ("fill", "fill", "Enlarges the picture so that its edge never shows"),
                ("mirror", "mirror", "Keeps the size; the picture goes on mirrored beyond its edge"),
                ("smear", "smear", "Keeps the size; the outermost pixels are drawn on"),
                ("bare", "bare", "Keeps the size and shows black: the picture dances in its frame"),
            ),
            columns=4,
            default="fill",
        )
        self.edge.chosen.connect(lambda edge: self._change(edge=edge))
        self.crispness = SliderSetting(
            "Crispness",
            "Sharpens what the enlargement made soft; shows in the render",
            low=0.0,
            high=1.0,
            step=0.05,
            default=0.0,
            words=lambda v: f"{v * 100:.0f} %",
        )
        self.crispness.value_changing.connect(lambda v: self._change(crispness=v, gesture="crispness"))
        self.crispness.value_changed.connect(lambda _: self.context.session.end_gesture())
        self.trouble = Trouble()
        self._sheet.add(self.how, self.settle, self.keep, self.axes, self.edge, self.crispness, self.trouble)
        self._sheet.add_stretch()
        return self._sheet

    # What is looked at

    def set_divided(self, divided: bool) -> None:
        """One picture with a divide, or two beside each other."""
        self._divided = divided
        self._before_side.setVisible(not divided)
        # One picture may be larger than two: it takes its height from the lanes.
        self._column.setStretchFactor(self.lanes, 1 if divided else 4)
        self.after.set_divide(0.5 if divided else None)
        self._after_label.setText("as shot | held" if divided else "held")
        self.reload()

    def show_before(self, before: bool) -> None:
        """While B is held down the held picture gives way to the one as shot."""
        if before != self._before_held:
            self._before_held = before
            self._after_label.setText("as shot" if before else ("as shot | held" if self._divided else "held"))
            self.context.player.seek(self.context.player.frame)

    def showing(self) -> Showing | None:
        shot = self.context.session.shot
        if shot is None:
            return None
        programme = before_after_programme(self.context.session.project, shot, self.after.wanted_size)
        return Showing(programme=programme, subject=(shot.id,), frame=self._frame.get(shot.id, shot.span.first))

    def show_frame(self, frame: int, pictures: tuple) -> None:
        shot = self.context.session.shot
        if shot is None or len(pictures) != 2:
            return
        before, after = pictures
        if self._before_held:
            after = before
        self._frame[shot.id] = frame
        if self._divided:
            self.after.show_pixels(before, after)
        else:
            self.before.show_pixels(before)
            self.after.show_pixels(after)
        self.lanes.show_playhead(frame)
        rate = float(self.context.session.project.take(shot.take_id).facts.rate)
        first = shot.span.first
        self.transport.show_frame(frame - first, shot.span.frames, rate, offset=first)
        self._follow_on_reel(shot, frame)

    def _follow_on_reel(self, shot: Shot, frame: int) -> None:
        session = self.context.session
        for placed in placed_shots(session.project):
            if placed.shot.id == shot.id:
                session.move_playhead(reel_frame(placed, frame, session.project.reel.rate))

    def viewers(self) -> tuple[Viewer, ...]:
        return self.before, self.after

    def seek_reel(self, frame: int) -> None:
        """Shows the frame of the chosen shot that stands at a frame of the reel."""
        shot, project = self.context.session.shot, self.context.session.project
        placed = shot_at(project, frame)
        if shot is not None and placed is not None and placed.shot.id == shot.id:
            at = nominal_frame(placed, frame, project.reel.rate)
            self._frame[shot.id] = at
            self.context.player.seek(at, scrubbing=True)

    def show_trouble(self, sentence: str) -> None:
        self.trouble.tell(sentence)

    def refresh(self) -> None:
        session = self.context.session
        shot = session.shot
        self._sheet.setEnabled(shot is not None)
        if shot is None:
            self._sheet.set_about("")
            words = "There is no shot yet. In Log, choose a span of a take and press Enter."
            self.before.show_words("")
            self.after.show_words(words)
            self.lanes.show_words("")
            return
        take = session.project.take(shot.take_id)
        hold = shot.hold
        self._sheet.set_about(take.name)
        self.how.set_chosen(hold.how)
        self.settle.set_number(hold.settle_s)
        self.keep.set_number(hold.keep)
        self.crispness.set_number(hold.crispness)
        self.axes.set_chosen(*hold.axes)
        self.edge.set_chosen(hold.edge)
        held = hold.how != "none"
        for setting in (self.settle, self.keep, self.axes, self.edge, self.crispness):
            setting.setEnabled(held)
        self.settle.setVisible(hold.how != "lock-off")
        self._show_measured(shot, take)

    def _show_measured(self, shot: Shot, take: Take) -> None:
        measurements = self.context.measurements
        trace = measurements.trace(take)
        if trace is None:
            self.lanes.show_words(measurements.trouble(take) or "The motion is being measured.")
            self._before_note.setText("")
            self._after_note.setText("")
            return
        path = measurements.held(shot, take)
        calm = calm_frames(trace, shot.span, measurements.whips(take))
        rate = float(trace.rate)
        before = course(trace, shot.span)
        after = course(trace, shot.span, path) if path is not None else None
        shake_before = shake(before, rate, calm)
        shake_after = shake(after, rate, calm) if after is not None else None
        self.lanes.show_lanes(
            tuple(
                Lane(
                    axis=axis,
                    shot=before.axes[axis],
                    held=after.axes[axis] if after is not None else None,
                    shake_before=shake_before[axis],
                    shake_after=shake_after[axis] if shake_after is not None else None,
                    on=axis in shot.hold.axes,
                )
                for axis in AXES
            ),
            calm,
            shot.span.first,
        )
        self._before_note.setText(f"shake over 1 Hz: {_total(shake_before):.1f} px, {shake_before['roll']:.2f}°")
        still = [axis for axis in AXES if shake_before[axis] < LITTLE[axis]]
        self.axes.set_note(f"{', '.join(still)}: little to remove" if still else "")
        if path is None or shake_after is None:
            self._after_note.setText("" if shot.hold.how == "none" else "being worked out")
            self.keep.set_note("")
            return
        self._after_note.setText(
            f"after: {_total(shake_after):.1f} px, {shake_after['roll']:.2f}° · keeps {path.least_kept * 100:.0f} %"
        )
        if shot.hold.edge == "fill":
            self.keep.set_note(f"keeps {path.least_kept * 100:.0f} % now: nothing is empty")
        else:
            self.keep.set_note("not used: the picture is not enlarged")

    # What the user does

    def _change(self, *, gesture: str | None = None, **fields: object) -> None:
        shot = self.context.session.shot
        if shot is not None:
            self.trouble.hide()
            edit = SetHold(shot_id=shot.id, hold=shot.hold.changed(**fields))
            self.context.session.do(edit, gesture=f"{gesture} of {shot.id}" if gesture else None)

    def _toggle_axis(self, axis: str) -> None:
        shot = self.context.session.shot
        if shot is None:
            return
        chosen = set(shot.hold.axes) ^ {axis}
        if not chosen:
            self.trouble.tell("At least one axis has to stay on; choose As shot to hold nothing.")
            self.refresh()
            return
        self._change(axes=tuple(a for a in AXES if a in chosen))


def _titled(title: QLabel, viewer: Viewer, note: QLabel) -> QWidget:
    """A picture with its title above and what was measured below."""
    side = QWidget()
    column = QVBoxLayout(side)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(4)
    column.addWidget(title)
    column.addWidget(viewer, 1)
    column.addWidget(note)
    return side


def _total(figures: dict[str, float]) -> float:
    return (figures["pan"] ** 2 + figures["tilt"] ** 2) ** 0.5
