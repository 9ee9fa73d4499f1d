"""The Reframe bench: the whole picture with the gate, the result in its shape, and lanes with the poses."""

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from clevrin.core.document import Pose
from clevrin.desk.bench.bench import Showing, Transport, bench_column, bench_row
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.shot_bench import NO_SHOT, ShotBench, titled
from clevrin.desk.bench.shot_movers import ShotMovers
from clevrin.desk.pinned.drag_handles import PinnedHands
from clevrin.desk.pinned.edits import PinnedEdits
from clevrin.desk.playback.programmes import How, LaidOver, reframe_programme
from clevrin.desk.reframe.drag_handles import GateHands, GateView
from clevrin.desk.reframe.edits import GateEdits
from clevrin.desk.reframe.fields import GateHere
from clevrin.desk.reframe.gated_shot import SeenShot
from clevrin.desk.reframe.guides import Guides
from clevrin.desk.reframe.lanes import GateLanes, PoseLanes
from clevrin.desk.reframe.mover_row import MoverRow
from clevrin.desk.reframe.sheet import ReframeSheet
from clevrin.desk.reframe.status_text import counter_zoom, followed, sharpness
from clevrin.desk.reframe.subjects import Subjects
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import quiet_label
from clevrin.desk.widgets.viewer import Viewer

_POSE = "pose"


class ReframeBench(ShotBench):
    """Chooses what is seen of the chosen shot, in each output."""

    sheet: ReframeSheet

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self._output: str | None = None
        self._beside: str | None = ""  # "": nothing is seen beside; None: the reel's own
        self._laid = ""
        self._pinning = False
        self.seen: SeenShot | None = None
        self.movers, self.mover_row = ShotMovers(context, self), MoverRow(context)
        self.subjects = Subjects(context, self.movers, lambda: self.output, self)
        self.sheet = ReframeSheet(self.mover_row)
        self.edits = GateEdits(context, lambda: self.seen, self.sheet.trouble.tell, lambda: context.player.frame)
        row = bench_row(self)
        row.addLayout(self._make_middle(), 1)
        row.addWidget(self.sheet)
        self._connect()

    # How it is put together

    def _make_middle(self) -> QVBoxLayout:
        column = bench_column()
        pictures = QHBoxLayout()
        pictures.setSpacing(12)
        self.whole, self.result, self.other = Viewer(), Viewer(), Viewer()
        for viewer in (self.whole, self.result, self.other):
            viewer.wanted_size_changed.connect(self.reload)
        self._result_label, self.other_label = QLabel(""), QLabel("")
        for label in (self._result_label, self.other_label):
            label.setStyleSheet(f"color: {theme.COLOURS.ember}")
        self._whole_note, self._result_note = quiet_label(""), quiet_label("")
        for note in (self._whole_note, self._result_note):
            note.setMinimumWidth(1)
        self.hands = GateHands(self.gate_view, self._on_posing, self._on_posed, self._on_picked, self._on_levelled)
        self.whole.set_overlay(self.hands)
        self.pinned_edits = PinnedEdits(self.context, self._gate_corners)
        self.pinned_hands = PinnedHands(self.pinned_edits)
        self.guides = Guides(lambda: self.result.update())
        self.result.set_overlay(self.guides)
        self._pictures = pictures
        pictures.addWidget(titled(QLabel("all that was shot, and the gate"), self.whole, self._whole_note), 8)
        pictures.addWidget(titled(self._result_label, self.result, self._result_note), 5)
        self._other_side = titled(self.other_label, self.other, quiet_label(""))
        self._other_side.hide()
        pictures.addWidget(self._other_side, 5)
        self.transport = Transport(self.context)
        self.lanes = PoseLanes()
        column.addLayout(pictures, 5)
        column.addWidget(self.transport)
        column.addWidget(self.lanes, 4)
        return column

    def _connect(self) -> None:
        session, sheet, edits = self.context.session, self.sheet, self.edits
        session.trouble.connect(sheet.trouble.tell)
        session.opened.connect(self._on_opened)
        self.context.track_jobs.changed.connect(self._on_track_jobs_changed)
        self.lanes.frame_requested.connect(self.context.player.seek)
        self.lanes.pose_chosen.connect(self.context.player.seek)
        self.lanes.pose_changing.connect(self._on_lane_pose_changing)
        self.lanes.pose_changed.connect(self._on_posed)
        self.movers.changed.connect(lambda _: self._show_offers())
        self.mover_row.chosen.connect(edits.follow_mover)
        sheet.gesture_ended.connect(session.end_gesture)
        sheet.field_changing.connect(self._on_field_changing)
        sheet.set_button.clicked.connect(lambda: edits.put_here())
        sheet.remove_button.clicked.connect(lambda: edits.remove_here())
        sheet.before_button.clicked.connect(lambda: self.go_to_neighbour(-1))
        sheet.after_button.clicked.connect(lambda: self.go_to_neighbour(1))
        sheet.level_button.toggled.connect(lambda on: self._do("level" if on else "gate"))
        sheet.unlevel_button.clicked.connect(lambda: edits.level(0.0))
        sheet.mirror_button.clicked.connect(lambda: edits.mirror())
        sheet.round_button.clicked.connect(lambda: edits.turn_round())
        sheet.others_button.clicked.connect(lambda: edits.put_on_chosen())
        sheet.rest_button.clicked.connect(self._on_rest_clicked)
        sheet.safe.value_changing.connect(self._on_safe_changing)
        sheet.clear_button.clicked.connect(lambda: edits.remove_all())
        sheet.subject_chosen.connect(lambda id: edits.follow(id) if id else edits.stop_following())
        sheet.pick_button.toggled.connect(lambda on: self._do("subject" if on else "gate"))
        sheet.stop_button.clicked.connect(lambda: edits.stop_following())
        sheet.counter_chosen.connect(edits.counter_to)
        sheet.output_chosen.connect(self.look_at_output)
        sheet.beside_chosen.connect(self.look_beside)
        sheet.output_added.connect(self.add_output)
        sheet.output_renamed.connect(lambda name: self._change_output(name=name))
        sheet.output_sized.connect(lambda width, height: self._change_output(width=width, height=height))
        sheet.output_removed.connect(self._on_output_removed)
        sheet.bars_chosen.connect(edits.colour_bars)
        sheet.overlay_chosen.connect(self.lay_over)
        sheet.guides_changed.connect(self._on_guides_changed)

    # What is looked at

    @property
    def output(self) -> str | None:
        """The output that is looked at: its id, None for the reel's own."""
        there = {output.id for output in self.context.session.project.outputs}
        return self._output if self._output in there else None

    @property
    def beside(self) -> str | None:
        """The output that is seen beside it; "" for none, None for the reel's own."""
        there = {None, *(output.id for output in self.context.session.project.outputs)}
        return self._beside if self._beside in there and self._beside != self.output else ""

    def look_at_output(self, output_id: str | None) -> None:
        self._output = output_id
        self.refresh()
        self.reload()

    def look_beside(self, output_id: str | None) -> None:
        """Shows another output at the same time ("" for none)."""
        self._beside = output_id
        self.refresh()
        self.reload()

    def lay_over(self, key: str) -> None:
        """Lays a neighbour on the reel over the result: a key of `OVERLAYS`."""
        self._laid = key
        self.sheet.overlays.set_chosen(key)
        self.reload()

    def put_here(self) -> None:
        self.edits.put_here()

    def remove_here(self) -> None:
        self.edits.remove_here()

    def go_to_neighbour(self, way: int) -> None:
        frame = self.edits.neighbour(way)
        if frame is not None:
            self.context.player.seek(frame)

    def showing(self) -> Showing | None:
        shot = self.context.session.shot
        if shot is None:
            return None
        project = self.context.session.project
        results = [(project.through(self.output), self.result.wanted_size)]
        if self.beside != "":
            results.append((project.through(self.beside), self.other.wanted_size))
        laid = None
        if self._laid:
            how: How = "difference" if self._laid.startswith("differs") else "both"
            laid = LaidOver(before=self._laid.endswith("before"), how=how)
        programme = reframe_programme(project, shot.id, self.whole.wanted_size, results, laid)
        return Showing(programme=programme, subject=(shot.id,), frame=self.frame_of(shot))

    def show_frame(self, frame: int, pictures: tuple) -> None:
        shot = self.context.session.shot
        if shot is None or len(pictures) < 2:
            return
        moved = self._frame.get(shot.id) != frame
        whole, result, *other = pictures
        self.whole.show_pixels(whole)
        self.result.show_pixels(result)
        if other:
            self.other.show_pixels(other[0])
        self.lanes.show_playhead(frame)
        self.show_instant(shot, frame)
        if moved and not self.context.player.playing:
            self._show_here()

    def viewers(self) -> tuple[Viewer, ...]:
        return self.whole, self.result, self.other

    def pin(self, pinning: bool) -> None:
        """Has the whole picture be worked on by the hands that pin elements, or by those of the gate."""
        self._pinning = pinning
        self.whole.set_overlay(self.pinned_hands if pinning else self.hands)
        self._show_hint()
        self.whole.update()

    def _show_hint(self) -> None:
        """Says what can be dragged in the whole picture."""
        seen = self.seen
        outside = [] if seen is None else [pose for pose in seen.gate.poses if pose.frame not in seen.shot.span]
        if self._pinning:
            self._whole_note.setText("drag what is pinned, its corners, or the kite to turn it")
        elif outside:
            self._whole_note.setText(f"{len(outside)} poses lie outside of the shot's span")
        else:
            self._whole_note.setText("drag the gate, its corners, or the knob to turn it")

    def leave(self) -> None:
        self._do("gate")
        super().leave()

    def put_back(self) -> bool:
        if self.pinned_hands.put_back():
            return True
        dragging = self.hands.put_back() or self.lanes.put_back()
        if dragging:
            self.edits.cancel(_POSE)
        aiming = self.hands.doing != "gate"
        self._do("gate")
        return dragging or aiming

    def show_trouble(self, sentence: str) -> None:
        self.sheet.trouble.tell(sentence)

    def refresh(self) -> None:
        session = self.context.session
        shot = session.shot
        self.sheet.pages.setEnabled(shot is not None)
        self.sheet.show_outputs(session.project, self.output, self.beside)
        self._other_side.setVisible(self.beside != "")
        self.guides.look_at(self.output)
        self.sheet.safe.set_number(self.guides.own.safe)
        if shot is None:
            self.seen = None
            self.sheet.set_about("")
            self.whole.show_words(NO_SHOT)
            self.result.show_words("")
            self.lanes.show_words("")
            return
        through = session.project.through(self.output)
        path = self.context.measurements.last_held(through.shot(shot.id), through)
        self.seen = SeenShot(project=session.project, through=through, output=self.output, shot_id=shot.id, path=path)
        self._show_titles()
        self._show_here()
        self._show_lanes()
        short, words = sharpness(self.seen)
        self._result_note.setText(short)
        self.sheet.sharp.setText(words)
        self._show_offers()
        self.whole.update()

    # What is shown

    def _show_titles(self) -> None:
        """Says which outputs are seen, and gives each picture the width that its shape needs."""
        project = self.context.session.project
        for place, output_id in ((1, self.output), (2, self.beside)):
            width, height = project.size_of(output_id or None)
            self._pictures.setStretch(place, int(np.clip(28 * width / height, 24, 50)))
        self._pictures.setStretch(0, 80)
        for label, output_id in ((self._result_label, self.output), (self.other_label, self.beside)):
            if output_id == "":
                continue
            output = project.output(output_id)
            label.setText(
                f"{'the reel' if output is None else output.name}, {'x'.join(map(str, project.size_of(output_id)))}"
            )

    def _show_here(self) -> None:
        """The settings of the pose at the frame that is looked at."""
        seen = self.seen
        if seen is None:
            return
        frame = self.context.player.frame
        gate = seen.gate
        here = [follow for follow in gate.follows if follow.frame <= frame] or list(gate.follows[:1])
        self.sheet.show_gate(
            GateHere(
                gate=gate,
                pose=seen.pose_here(frame),
                stands=gate.pose_at(frame) is not None,
                whole=seen.whole,
                amount=self.edits.amount,
                frames=self.edits.frames,
                follow=here[-1] if here else None,
                shot=seen.shot,
                reel=seen.project.reel,
            ),
            seen.take,
            self.context.session.others,
        )
        self._show_followed(seen)
        self.sheet.set_note("counter", counter_zoom(seen))

    def _show_followed(self, seen: SeenShot) -> None:
        picking = self.hands.doing == "subject"
        words = "Click the subject in the whole picture." if picking else followed(seen, self.context.track_jobs)
        self.sheet.follow_note.setText(words)

    def _show_lanes(self) -> None:
        seen = self.seen
        assert seen is not None
        shot = seen.shot
        states = seen.states
        rate, width = float(seen.take.facts.rate), seen.take.facts.width
        steps = np.diff(states[:, :2], axis=0, prepend=states[:1, :2])
        trace = self.context.measurements.trace(seen.take)
        camera = None if trace is None else trace.widths_per_s[shot.span.first : shot.span.end]
        self.lanes.show_gate(
            GateLanes(
                first=shot.span.first,
                states=states,
                poses=tuple(pose for pose in seen.gate.poses if pose.frame in shot.span),
                gate_speed=np.hypot(*steps.T) * rate / width,
                camera_speed=camera,
            )
        )
        self._show_hint()

    def _show_offers(self) -> None:
        """What moves by itself, to be followed by a click."""
        seen = self.seen
        if seen is None or not self.entered:
            return
        found = self.movers.of(seen.shot)
        if found is None:
            measured = self.context.measurements.trace(seen.take) is not None
            words = "Looking for what moves by itself." if measured else "The motion is being measured."
        elif found.movers:
            words = "What moves by itself: click it to follow it."
        else:
            words = "Nothing moves by itself here: let the gate rest where most is to be seen."
        self.sheet.offers_note.setText(words)
        self.mover_row.show_movers(seen.take, () if found is None else found.movers)
        self.sheet.rest_button.setEnabled(found is not None)

    def _gate_corners(self) -> np.ndarray | None:
        return None if self.seen is None else self.seen.corners(self.context.player.frame)

    def gate_view(self) -> GateView | None:
        seen = self.seen
        if seen is None:
            return None
        frame = self.context.player.frame
        if frame not in seen.shot.span:
            return None
        facts = seen.take.facts
        trail = seen.trail(frame)
        first = seen.shot.span.first
        posed = [pose.frame - first for pose in seen.gate.poses if pose.frame in seen.shot.span]
        return GateView(
            size=(facts.width, facts.height),
            corners=seen.corners(frame),
            pose=seen.pose_here(frame),
            stands=seen.gate.pose_at(frame) is not None,
            trail=trail,
            posed=trail[posed],
            subject=self._subject_at(seen, frame),
        )

    def _subject_at(self, seen: SeenShot, frame: int) -> tuple[float, float] | None:
        places = []
        for follow in seen.gate.follows:
            for track in seen.take.tracks:
                found = self.context.track_jobs.of(track) if track.id in follow.tracks else None
                if found is not None and frame < found.frames and found.known[frame]:
                    places.append(found.places[frame].mean(axis=0))
        if not places:
            return None
        x, y = np.mean(places, axis=0)
        return float(x), float(y)

    # What is done

    def _do(self, doing: str) -> None:
        """What clicks in the whole picture mean from now on."""
        self.hands.doing = doing  # type: ignore[assignment]
        for button, on in ((self.sheet.level_button, "level"), (self.sheet.pick_button, "subject")):
            _quietly(partial(button.setChecked, doing == on), button)
        if self.seen is not None:
            self._show_followed(self.seen)
        self.whole.update()

    def _on_posing(self, pose: Pose) -> None:
        self.edits.put(pose, gesture=_POSE)

    def _on_lane_pose_changing(self, before: int, pose: Pose) -> None:
        seen = self.seen
        if seen is None or pose.frame not in seen.shot.span:
            return
        if pose.frame != before and seen.gate.pose_at(pose.frame) is not None:
            return  # no two poses stand on one frame
        self.edits.put(pose, instead_of=before, gesture=_POSE)
        if self.context.player.frame == before:
            self.context.player.seek(pose.frame)

    def _on_posed(self) -> None:
        self.context.session.end_gesture()

    def _on_picked(self, place: tuple[float, float]) -> None:
        self._do("gate")
        self.edits.follow_at(place)

    def _on_levelled(self, degrees: float) -> None:
        self._do("gate")
        self.edits.level(degrees)

    def _on_field_changing(self, field: object, value: object, gesture: str) -> None:
        field.edit(self.edits, value, gesture)  # type: ignore[attr-defined]

    def add_output(self, name: str, width: int, height: int) -> None:
        """Adds an output, and looks through it."""
        added = self.edits.add_output(name, width, height)
        if added is not None:
            self.look_at_output(added.id)

    def _change_output(self, **fields: object) -> None:
        if self.output is not None:
            self.edits.change_output(self.output, **fields)

    def _on_output_removed(self) -> None:
        if self.output is not None:
            self.edits.remove_output(self.output)

    def _on_rest_clicked(self) -> None:
        found = None if self.seen is None else self.movers.of(self.seen.shot)
        if found is not None:
            self.edits.rest(found.detail)

    def _on_safe_changing(self, share: float) -> None:
        self.guides.own.safe = share
        self.result.update()

    def _on_guides_changed(self, key: str) -> None:
        self.guides.on ^= {key}
        self.sheet.show_guides(self.guides.on)
        self.result.update()

    def _on_opened(self) -> None:
        self._output, self._beside = None, ""
        self._frame.clear()

    def _on_track_jobs_changed(self, take_id: str, track_id: str) -> None:
        if self.entered:
            self.measurements_changed()


def _quietly(change: Callable[[], None], widget: QWidget) -> None:
    """Changes what a widget shows without its saying so."""
    before = widget.blockSignals(True)
    change()
    widget.blockSignals(before)
