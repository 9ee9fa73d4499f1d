"""The Steady bench: before and after in three views, four lanes, and a sheet with the hold."""

from typing import Literal

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout

from clevrin.core.document import Loan, Shot, Take
from clevrin.core.document.edits import SetLoan
from clevrin.core.document.holding import AXES
from clevrin.core.hold.blurred import blurred_frames
from clevrin.core.hold.report import calm_frames, course, idle_axes, shake, shake_px
from clevrin.desk.bench.bench import Showing, Transport, bench_column, bench_row
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.shot_bench import NO_SHOT, ShotBench, titled
from clevrin.desk.playback.performing import Performance, attempt_name
from clevrin.desk.playback.programmes import before_after_programme, outline_programme
from clevrin.desk.steady.edits import HoldEdits
from clevrin.desk.steady.lanes import Lane, Lanes, Marked
from clevrin.desk.steady.on_picture import OnPicture
from clevrin.desk.steady.proposals import ShotProposals
from clevrin.desk.steady.sheet import SteadySheet
from clevrin.desk.steady.subject import MeshDrawing, Place, PlaceDragger, SubjectPicker
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.flow import FlowLayout
from clevrin.desk.widgets.sheet import plain_button, quiet_label
from clevrin.desk.widgets.viewer import Viewer

View = Literal["two", "divide", "outline"]

_WRAPS_FROM = 1.3

_VIEWS: tuple[tuple[View, str, str], ...] = (
    ("two", "two pictures", "As shot and as held beside each other"),
    ("divide", "divide", "One picture: as shot left of a divide that can be dragged, held right of it"),
    ("outline", "outline", "The held picture, and around it all of the source as it moves behind the gate"),
)


class SteadyBench(ShotBench):
    """Holds the chosen shot."""

    sheet: SteadySheet

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._view: View = "two"
        self._before_held = False
        self.performance: Performance | None = None
        self.proposals = ShotProposals(context.session, context.jobs, context.measurements)
        row = bench_row(self)
        row.addLayout(self._make_middle(), 1)
        row.addWidget(self._make_sheet())
        context.session.trouble.connect(self.sheet.trouble.tell)
        context.track_jobs.changed.connect(self._on_track_jobs_changed)
        self.proposals.changed.connect(lambda _: self._show_proposals())

    def _make_middle(self) -> QVBoxLayout:
        column = bench_column()
        foot = FlowLayout()
        self.transport = Transport(self.context)
        foot.addWidget(self.transport)
        self._before_label, self._after_label = QLabel("as shot"), QLabel("held")
        self._after_label.setStyleSheet(f"color: {theme.COLOURS.ember}")
        self.view_buttons = {view: plain_button(words, tip) for view, words, tip in _VIEWS}
        for view, button in self.view_buttons.items():
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.clicked.connect(lambda _=False, view=view: self.set_view(view))
            foot.addWidget(button)
        self.view_buttons["two"].setChecked(True)
        pictures = QHBoxLayout()
        pictures.setSpacing(12)
        self.before, self.after = Viewer(), Viewer()
        self.after.wanted_size_changed.connect(self.reload)
        self.before_note, self.after_note = quiet_label(""), quiet_label("")
        for note in (self.before_note, self.after_note):
            # A label that wraps has its pictures laid out by their width: only where it must.
            note.setWordWrap(theme.scale() > _WRAPS_FROM)
            note.setMinimumWidth(1)
        self._before_side = titled(self._before_label, self.before, self.before_note)
        pictures.addWidget(self._before_side, 1)
        pictures.addWidget(titled(self._after_label, self.after, self.after_note), 1)
        self.lanes = Lanes()
        self.lanes.frame_requested.connect(self.context.player.seek)
        column.addLayout(pictures, 5)
        column.addLayout(foot)
        column.addWidget(self.lanes, 4)
        self._column = column
        self.on_picture = OnPicture(self.context)
        self._mesh = MeshDrawing(self._knots)
        return column

    def _make_sheet(self) -> SteadySheet:
        sheet = self.sheet = SteadySheet()
        edits = self.edits = HoldEdits(
            self.context, self.proposals, self.on_picture, sheet.trouble.tell, lambda: self.refresh()
        )
        self._picker = SubjectPicker(self._subject_as_shot, edits.anchor_at)
        self._dragger = PlaceDragger(self._subject_as_held, edits.move_place, self.context.session.end_gesture)
        sheet.hold_changing.connect(edits.change)
        sheet.gesture_ended.connect(self.context.session.end_gesture)
        sheet.field_changing.connect(lambda field, value, gesture: field.edit(edits, value, gesture))
        sheet.subject_chosen.connect(edits.anchor_to)
        sheet.jolt_spared.connect(edits.spare)
        sheet.enough_requested.connect(edits.take_enough)
        sheet.steady_all_requested.connect(edits.steady_all)
        sheet.loan_changing.connect(edits.change_loan)
        sheet.perform_requested.connect(self.perform)
        sheet.grid_button.clicked.connect(lambda _: self._show_overlays())
        return sheet

    # What is looked at

    def set_view(self, view: View) -> None:
        """Two pictures beside each other, one with a divide, or the held one with the source around it."""
        self._view = view
        self.view_buttons[view].setChecked(True)
        self._before_side.setVisible(view == "two")
        # One picture may be larger than two: it takes its height from the lanes.
        self._column.setStretchFactor(self.lanes, 4 if view == "two" else 1)
        self.after.set_divide(0.5 if view == "divide" else None)
        self._show_titles()
        self._show_overlays()
        self.reload()

    def show_before(self, before: bool) -> None:
        """While B is held down the held picture gives way to the one as shot."""
        if before != self._before_held:
            self._before_held = before
            self._show_titles()
            self._show_overlays()
            self.context.player.seek(self.context.player.frame)

    def _show_titles(self) -> None:
        words = {"two": "held", "divide": "as shot | held", "outline": "held, within all that was shot"}[self._view]
        self._after_label.setText("as shot" if self._before_held else words)

    def showing(self) -> Showing | None:
        shot = self.context.session.shot
        if shot is None:
            return None
        make = outline_programme if self._view == "outline" else before_after_programme
        programme = make(self.context.session.project, shot, self.after.wanted_size)
        return Showing(programme=programme, subject=(shot.id,), frame=self.frame_of(shot))

    def show_frame(self, frame: int, pictures: tuple) -> None:
        shot = self.context.session.shot
        if shot is None or len(pictures) != 2:
            return
        before, after = pictures
        if self._before_held:
            after = before
        if self._view == "divide":
            self.after.show_pixels(before, after)
        else:
            self.before.show_pixels(before)
            self.after.show_pixels(after)
        self.lanes.show_playhead(frame)
        self.show_instant(shot, frame)
        if self.performance is not None and self.context.player.playing:
            self.performance.record(frame)

    def viewers(self) -> tuple[Viewer, ...]:
        return self.before, self.after

    def leave(self) -> None:
        self._end_performance()
        super().leave()

    def show_trouble(self, sentence: str) -> None:
        self.sheet.trouble.tell(sentence)

    def refresh(self) -> None:
        session = self.context.session
        shot = session.shot
        self.sheet.setEnabled(shot is not None)
        self._show_overlays()
        if shot is None:
            self.sheet.set_about("")
            words = NO_SHOT
            self.before.show_words("")
            self.after.show_words(words)
            self.lanes.show_words("")
            return
        self.sheet.show_shot(shot, session.project, session.others)
        self._show_measured(shot, session.project.take(shot.take_id))
        self._show_proposals()

    # What was measured

    def _show_measured(self, shot: Shot, take: Take) -> None:
        measurements = self.context.measurements
        trace = measurements.trace(take)
        sheet = self.sheet
        if trace is None:
            self.lanes.show_words(measurements.trouble(take) or "The motion is being measured.")
            self.before_note.setText("")
            self.after_note.setText("")
            return
        path = measurements.last_held(shot)
        if path is not None and (shot.span.first < path.span.first or shot.span.end > path.span.end):
            path = None  # of an earlier span
        whips = measurements.whips(take)
        calm = calm_frames(trace, shot.span, whips)
        rate = float(trace.rate)
        before = course(trace, shot.span)
        after = course(trace, shot.span, path) if path is not None else None
        shake_before = shake(before, rate, calm)
        shake_after = shake(after, rate, calm) if after is not None else None
        blurred = blurred_frames(trace, shot.span, path, whips) if path is not None else ()
        bridged = () if path is None else path.bridged_in(shot.span)
        spared = tuple(k for span in shot.hold.spared for k in range(span.first, span.end) if k in shot.span)
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
            Marked(blurred=blurred, bridged=bridged, spared=spared),
        )
        if trace.blind:
            sheet.trouble.tell("Nothing in this take could be followed: it stays as it was shot.")
        self.before_note.setText(f"shake over 1 Hz: {shake_px(shake_before):.1f} px, {shake_before['roll']:.2f}°")
        still = idle_axes(shake_before, trace.width)
        sheet.set_note("axes", f"{', '.join(still)}: little to remove" if still else "")
        sheet.show_blur(len(blurred), shot.span.frames, eased=shot.hold.ease_blurred)
        self._show_anchored(shot, bridged)
        sheet.show_standing(path)
        sheet.lent_note.setText("")
        if path is None or shake_after is None:
            self.after_note.setText("" if shot.hold.how == "none" else "being worked out")
            return
        least = path.least_kept_in(shot.span)
        self.after_note.setText(
            f"after: {shake_px(shake_after):.1f} px, {shake_after['roll']:.2f}° · keeps {least * 100:.0f} %"
        )
        self.sheet.chart.show_kept(least)
        self._show_kept(shot, take, least)
        if path.untouched and shot.hold.how == "float":
            sheet.set_note("keep", "as calm as can be: it stays as it was shot")

    def _show_kept(self, shot: Shot, take: Take, least: float) -> None:
        """What is kept of the picture, and whether it is still as fine as the reel."""
        if not shot.hold.stays_inside:
            self.sheet.set_note("keep", "not used: the picture is not enlarged")
            return
        self.sheet.set_note("keep", f"keeps {least * 100:.0f} % now: nothing is empty")
        reel = self.context.session.project.reel
        per_px = min(take.facts.width / reel.width, take.facts.height / reel.height)
        if per_px * least >= 1:
            words = f"{per_px * least:.2f} source px for each reel px: nothing is lost down to {100 / per_px:.0f} %"
        else:
            words = f"enlarged {1 / (per_px * least):.2f} times: the reel has more pixels than the gate"
        self.sheet.set_note("edge", words if shot.hold.edge == "fill" else "")
        if shot.loan is not None and least < shot.hold.keep - 0.005:
            self.sheet.lent_note.setText(f"The lent motion needs room: {least * 100:.0f} % of the width stays.")

    def _show_anchored(self, shot: Shot, bridged: tuple[int, ...]) -> None:
        if shot.hold.how != "anchor":
            return
        if self.on_picture.track(shot) is None:
            words = "Click the point to hold in the picture as shot."
        elif len(bridged) >= shot.span.frames - 1:
            words = "Nothing there can be followed: click a place with more detail."
        elif bridged:
            words = f"Not seen in {len(bridged)} frames: they are bridged. Correct the track in Log."
        else:
            words = "Click another point in the picture as shot to hold that."
        self.sheet.anchor_note.setText(words)

    def _show_proposals(self) -> None:
        shot = self.context.session.shot
        if not self.entered or shot is None or shot.hold.how != "float":
            return
        found = self.proposals.of(shot)
        measured = self.context.measurements.trace(self.context.session.project.take(shot.take_id)) is not None
        self.sheet.show_proposals(found, shot.hold, "being charted" if measured else "not measured yet")

    def _show_overlays(self) -> None:
        shot = self.context.session.shot
        anchored = shot is not None and shot.hold.how == "anchor"
        self.before.set_overlay(self._picker if anchored and self._view == "two" else None)
        meshed = shot is not None and shot.hold.mesh and self.sheet.grid_button.isChecked()
        plain = self._view != "outline" and not self._before_held
        if self.performance is not None:
            return
        if anchored and plain and self._view == "two":
            self.after.set_overlay(self._dragger)
        else:
            self.after.set_overlay(self._mesh if meshed and plain else None)

    def _subject_as_shot(self) -> Place | None:
        shot = self.context.session.shot
        return None if shot is None else self.on_picture.as_shot(shot, self.context.player.frame)

    def _subject_as_held(self) -> Place | None:
        shot = self.context.session.shot
        return None if shot is None else self.on_picture.as_held(shot, self.context.player.frame)

    def _knots(self) -> np.ndarray | None:
        shot = self.context.session.shot
        return None if shot is None else self.on_picture.knots(shot, self.context.player.frame)

    def _on_track_jobs_changed(self, take_id: str, track_id: str) -> None:
        if self.entered:
            self.measurements_changed()

    # Lent motion

    def perform(self, on: bool) -> None:
        """Begins an attempt, or ends it: the shot plays from its start, and the mouse says where the gate goes."""
        shot = self.context.session.shot
        if not on or shot is None:
            self._end_performance()
            return
        take = self.context.session.project.take(shot.take_id)
        self.performance = Performance(shot.span, take.facts.rate, self.after)
        self.performance.ended.connect(self._end_performance)
        self.sheet.lent_note.setText("Performing: move the mouse over the held picture. It ends with the shot.")
        self.context.player.seek(shot.span.first)
        self.context.player.play()

    def _end_performance(self) -> None:
        """Keeps what was performed as an attempt, and lends it to the shot."""
        performance, self.performance = self.performance, None
        self.sheet.perform_button.setChecked(False)
        if performance is None:
            return
        performance.stop()
        self.context.player.stop()
        session, shot = self.context.session, self.context.session.shot
        motion = performance.motion(attempt_name(session.project))
        if shot is None or motion is None:
            return
        terms = {} if shot.loan is None else {"amount": shot.loan.amount, "size": shot.loan.size}
        loan = Loan.model_validate({"lender": "motion", "lender_id": motion.id, **terms})
        session.do(SetLoan(shot_id=shot.id, loan=loan, motion=motion))
        self._show_overlays()
