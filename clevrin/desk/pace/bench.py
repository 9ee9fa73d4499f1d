"""The Pace bench: the shot as the reel plays it, the curve of its speeds, and its frames as ticks."""

from collections import Counter

import numpy as np
from PySide6.QtWidgets import QVBoxLayout

from clevrin.core.document import Area, PacePoint, Project, Take
from clevrin.core.pace import Placed, placed_shot, shot_at
from clevrin.core.render.planning.shot_map import fitted_size
from clevrin.core.sound.mix import ReelSound, has_sound
from clevrin.desk.areas.stage import AreaStage
from clevrin.desk.background.plans import Size
from clevrin.desk.bench.bench import Bench, Showing, Transport, bench_column, bench_row
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.shot_bench import NO_SHOT
from clevrin.desk.pace.curve import PaceCurve
from clevrin.desk.pace.edits import PaceEdits
from clevrin.desk.pace.fields import PaceHere
from clevrin.desk.pace.paced_shot import PacedShot
from clevrin.desk.pace.sheet import PaceSheet
from clevrin.desk.pace.tick_bar import TickBar
from clevrin.desk.playback.player import Programme
from clevrin.desk.playback.programmes import shot_plans, ways_to_make
from clevrin.desk.widgets.sheet import quiet_label
from clevrin.desk.widgets.viewer import Viewer

_POINT, _TICK = "point", "tick"


class PaceBench(Bench):
    """Chooses how fast the chosen shot plays; it is looked at by the frames of the reel that it lasts."""

    sheet: PaceSheet

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self.seen: PacedShot | None = None
        self._before = False
        self._reel_frame = 0
        self.sheet = PaceSheet()
        self.edits = PaceEdits(context, lambda: self.seen, self.sheet.trouble.tell, lambda: self.at)
        row = bench_row(self)
        row.addLayout(self._make_middle(), 1)
        row.addWidget(self.sheet)
        self._connect()

    # How it is put together

    def _make_middle(self) -> QVBoxLayout:
        column = bench_column()
        self.viewer = Viewer()
        self.viewer.wanted_size_changed.connect(self.reload)
        self.transport = Transport(self.context)
        self.areas = AreaStage(self.context, self.viewer, self._offered, self._on_area_made)
        self.areas.changed.connect(self._on_areas_changed)
        self._made = quiet_label("")
        self._made.setMinimumWidth(1)
        self.curve, self.ticks = PaceCurve(), TickBar()
        column.addWidget(self.viewer, 6)
        column.addWidget(self._made)
        column.addWidget(self.transport)
        column.addWidget(self.areas.lanes)
        column.addWidget(self.curve, 4)
        column.addWidget(self.ticks)
        return column

    def _connect(self) -> None:
        session, sheet, edits = self.context.session, self.sheet, self.edits
        session.trouble.connect(sheet.trouble.tell)
        self.context.preparing.changed.connect(self._show_made)
        for lane in (self.curve, self.ticks):
            lane.place_requested.connect(self.look_at)
        self.curve.point_changing.connect(self._on_curve_point_changing)
        self.curve.point_changed.connect(self._on_dropped)
        self.ticks.tick_changing.connect(lambda frame, at: edits.move_tick(frame, at, _TICK))
        self.ticks.tick_changed.connect(self._on_dropped)
        sheet.gesture_ended.connect(session.end_gesture)
        sheet.field_changing.connect(self._on_field_changing)
        sheet.set_button.clicked.connect(lambda: edits.put_here())
        sheet.remove_button.clicked.connect(lambda: edits.remove_here())
        sheet.before_button.clicked.connect(lambda: self.go_to_neighbour(-1))
        sheet.after_button.clicked.connect(lambda: self.go_to_neighbour(1))
        sheet.freeze_button.clicked.connect(lambda: edits.freeze())
        sheet.loop_button.clicked.connect(lambda: edits.loop())
        sheet.lock_button.clicked.connect(edits.lock)
        sheet.marker_button.clicked.connect(lambda: edits.last_to_marker())
        sheet.whip_button.clicked.connect(lambda: edits.last_to_whip())
        sheet.land_button.clicked.connect(lambda: edits.land())
        sheet.clear_button.clicked.connect(lambda: edits.remove_all())
        sheet.spared_chosen.connect(edits.spare)

    # What is looked at

    @property
    def at(self) -> float:
        """The frame of the chosen shot that is looked at, counted on the reel from its first one."""
        seen = self.seen
        return 0.0 if seen is None else float(np.clip(self._frame - seen.placed.start, 0, seen.frames - 1))

    @property
    def _frame(self) -> int:
        """The frame of the reel that is looked at, or was before areas of its take were worked on."""
        return self._reel_frame if self.areas.active else self.context.player.frame

    def look_at(self, at: float) -> None:
        """Shows a place of the chosen shot on the reel."""
        seen = self.seen
        if seen is None:
            return
        row = min(max(round(at), 0), seen.frames - 1)
        self._reel_frame = seen.placed.start + row
        if self.areas.active:
            self.context.player.seek(round(float(seen.instants[row])))
            self._show_here()
        else:
            self.context.player.seek(self._reel_frame)

    def put_here(self) -> None:
        self.edits.put_here()

    def remove_here(self) -> None:
        self.edits.remove_here()

    def go_to_neighbour(self, way: int) -> None:
        at = self.edits.neighbour(way)
        if at is not None:
            self.look_at(at)

    def showing(self) -> Showing | None:
        shot, project = self.context.session.shot, self.context.session.project
        placed = None if shot is None else placed_shot(project, shot.id)
        if placed is None:
            return None
        areas = self.areas.showing()
        if areas is not None:
            self.context.preparing.stop()
            return areas
        size = fitted_size(project.reel.size, self.viewer.wanted_size)
        frame = min(max(self.context.session.playhead, placed.start), placed.end - 1)
        self._prepare(project, placed, size)
        return Showing(
            programme=self._programme(project, placed, size), subject=(placed.shot.id, placed.start), frame=frame
        )

    def _programme(self, project: Project, placed: Placed, size: Size) -> Programme:
        """The shot alone as the reel plays it; frames that are prepared are not made again."""
        if self._before:
            plain = placed.shot.pace.changed(in_between="nearest", shutter={"angle_deg": 0})
            shots = tuple(s.changed(pace=plain) if s.id == placed.shot.id else s for s in project.reel.shots)
            project = project.changed(reel=project.reel.changed(shots=shots))
            placed = placed_shot(project, placed.shot.id) or placed
        make, make_within = ways_to_make([shot_plans(project, placed, size)], self.context.preparing.making)
        course_of = self.context.measurements.course_of(project)
        return Programme(
            first=placed.start,
            end=placed.end,
            rate=project.reel.rate,
            make=make,
            make_within=make_within,
            loop=(placed.start, placed.end),
            sound=ReelSound(project, course_of=course_of).read if has_sound(project) else None,
        )

    def _prepare(self, project: Project, placed: Placed, size: Size) -> None:
        pace = placed.shot.pace
        if self.entered and (pace.made_between != "nearest" or pace.shutter.angle_deg):
            subject = project, placed.shot.id, size
            self.context.preparing.want(shot_plans(project, placed, size), subject, self._frame)
        else:
            self.context.preparing.stop()

    def show_frame(self, frame: int, pictures: tuple) -> None:
        seen = self.seen
        if seen is None or not pictures or self.areas.show_frame(frame, pictures, self.transport):
            return
        self._reel_frame = frame
        self.viewer.show_pixels(pictures[0])
        at = frame - seen.placed.start
        for lane in (self.curve, self.ticks):
            lane.show_playhead(at)
        rate = float(seen.project.reel.rate)
        self.transport.show_frame(at, seen.frames, rate, offset=seen.placed.start)
        self.context.session.move_playhead(frame)
        if not self.context.player.playing:
            self._show_here()

    def viewers(self) -> tuple[Viewer, ...]:
        return (self.viewer,)

    def leave(self) -> None:
        self.context.preparing.stop()
        super().leave()

    def put_back(self) -> bool:
        if self.areas.put_back():
            return True
        point, tick = self.curve.put_back(), self.ticks.put_back()
        for dragging, gesture in ((point, _POINT), (tick, _TICK)):
            if dragging:
                self.edits.cancel(gesture)
        return point or tick

    def show_before(self, before: bool) -> None:
        if before != self._before:
            self._before = before
            self.reload()

    def show_trouble(self, sentence: str) -> None:
        self.sheet.trouble.tell(sentence)

    def seek_reel(self, frame: int) -> None:
        shot = self.context.session.shot
        placed = shot_at(self.context.session.project, frame)
        if shot is not None and placed is not None and placed.shot.id == shot.id and not self.areas.active:
            self.context.player.seek(frame, scrubbing=True)

    def refresh(self) -> None:
        session = self.context.session
        shot = session.shot
        self.sheet.pages.setEnabled(shot is not None)
        if shot is None:
            self.seen = None
            self.sheet.set_about("")
            self.viewer.show_words(NO_SHOT)
            self._made.setText("")
            for lane in (self.curve, self.ticks):
                lane.show_shot(None)
            return
        measurements = self.context.measurements
        take = session.project.take(shot.take_id)
        stamps = measurements.store.times_s(take) if not measurements.missing(take) else None
        whips = measurements.whips(take) if measurements.trace(take) is not None else ()
        self.seen = PacedShot.of(session.project, shot.id, stamps, whips)
        held = self.curve.grabbing or self.ticks.grabbing
        for lane in (self.curve, self.ticks):
            lane.show_shot(self.seen, held=held)
        self._show_here()
        self._show_made()

    # What is shown

    def _show_here(self) -> None:
        """The settings of the point at the frame that is looked at."""
        seen = self.seen
        if seen is None:
            return
        number, edits = self.edits.here(), self.edits
        point: PacePoint = seen.point_here(self.at) if number is None else seen.pace.points[number]
        here = PaceHere(
            pace=seen.pace,
            point=point,
            stands=number is not None,
            frames=seen.frames,
            slow=edits.slow,
            fast=edits.fast,
            frame=max(0, round(float(seen.instants[round(self.at)]))),
        )
        self.sheet.show_pace(here, seen.take, self.context.session.others)
        row = round(self.at)
        instant = float(seen.instants[row])
        what = "made between two frames" if seen.invented[row] else "as it was shot"
        self._made.setText(f"frame {instant:.2f} of {seen.take.name}, {what}, at {seen.speeds[row]:.3g}×")
        self.sheet.made_note.setText(_made_words(seen))
        self.sheet.blur_note.setText(self._blur_words(seen))

    def _blur_words(self, seen: PacedShot) -> str:
        trace = self.context.measurements.trace(seen.take)
        if trace is None:
            return "The motion is being measured."
        if trace.shutter_deg is None:
            return "The take's own shutter could not be measured: all blur is added."
        return f"The take itself was shot with {trace.shutter_deg:.0f}°: that counts."

    def _show_made(self) -> None:
        """How far invented frames can be trusted, and what is prepared."""
        seen = self.seen
        if seen is None or not self.entered:
            return
        start = seen.placed.start
        trust = {frame - start: each for frame, each in tuple(self.context.preparing.trusts.items())}
        trust = {at: each for at, each in trust.items() if 0 <= at < seen.frames}
        self.ticks.show_made({at: each for at, each in trust.items() if seen.invented[at]}, frozenset(trust))

    # Areas

    def _offered(self) -> tuple[tuple[Take, int], ...]:
        """The take of the shot, at the frame that is looked at."""
        seen = self.seen
        if seen is None:
            return ()
        row = min(max(self._reel_frame - seen.placed.start, 0), seen.frames - 1)
        return ((seen.take, min(max(round(float(seen.instants[row])), 0), seen.take.facts.frames - 1)),)

    def _on_area_made(self, area: Area) -> None:
        """An area that is made here is what stays sharp, where nothing else does."""
        if self.seen is not None and self.seen.pace.shutter.sharp is None:
            self.edits.spare(area.id)

    def _on_areas_changed(self) -> None:
        self.refresh()
        self.reload()

    # What is done

    def _on_curve_point_changing(self, number: int | None, point: PacePoint) -> None:
        self.edits.put(number, point, _POINT)

    def _on_dropped(self) -> None:
        self.context.session.end_gesture()
        self.refresh()

    def _on_field_changing(self, field: object, value: object, gesture: str) -> None:
        field.edit(self.edits, value, gesture)  # type: ignore[attr-defined]


def _made_words(seen: PacedShot) -> str:
    """What the frames of a shot are made of, in small print."""
    made = int(seen.invented.sum())
    way = {"best": "by flow where it is trusted", "flow": "by flow", "mix": "by mixing"}.get(seen.pace.made_between, "")
    if made:
        return f"{made} of {seen.frames} frames are made between others, {way}."
    shown = Counter(np.round(seen.instants).astype(int).tolist())
    twice = sum(count > 1 for count in shown.values())
    return f"{twice} frames are shown more than once." if twice else "Every frame is shown as it was shot."
