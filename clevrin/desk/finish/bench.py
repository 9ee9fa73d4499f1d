"""The Finish bench: the reel in a large viewer, what of it is not right, and the renders that wait."""

from collections.abc import Sequence

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QVBoxLayout

from clevrin.core.document import Project
from clevrin.core.document.edits import SetMeant
from clevrin.core.document.model import Meant
from clevrin.core.errors import ClevrinError
from clevrin.core.pace import reel_frames, shot_at
from clevrin.core.progress import Progress
from clevrin.core.render.export.export import ExportRequest
from clevrin.core.render.reports.quality_checks import LookedOver, look_over
from clevrin.core.render.sources import Sources
from clevrin.core.sound.loudness import LoudnessCourse
from clevrin.core.sound.mix import has_sound, reel_loudness
from clevrin.desk.background.jobs import CHARTING, Job
from clevrin.desk.bench.bench import Bench, Showing, Transport, bench_column, bench_row
from clevrin.desk.bench.context import Context
from clevrin.desk.finish.queue import RenderQueue
from clevrin.desk.finish.queue_view import QueueView
from clevrin.desk.finish.rendering import Rendering, RenderWay
from clevrin.desk.finish.sheet import LOOK, SOUND, FinishSheet
from clevrin.desk.finish.stage import Stage
from clevrin.desk.playback.programmes import beside_programme, reel_programme, span_of_shots, want_prepared
from clevrin.desk.sound.edits import SoundEdits
from clevrin.desk.sound.fields import SoundHere
from clevrin.desk.widgets.viewer import Viewer

_NO_REEL = "There is nothing on the reel yet. In Log, choose a span of a take and press Enter."


class FinishBench(Bench):
    """Watches the reel, or an output of it, listens to it, and has it rendered."""

    sheet: FinishSheet

    lanes_wanted = Signal(bool)
    """Whether the lanes of sound are to be seen under the reel."""
    loudness_changed = Signal(object)
    """How loud the reel is as it goes on (`LoudnessCourse`); None: that is being found out."""

    def __init__(self, context: Context, rendering: Rendering, queue: RenderQueue, sound: SoundEdits) -> None:
        super().__init__(context)
        self._rendering, self._queue = rendering, queue
        self._awaited = queue.awaited
        self._output: str | None = None
        self._seen_through: dict[str | None, tuple[Project, Project]] = {}
        self._looked_at: Project | None = None
        self._found: LookedOver | None = None
        self._heard: Project | None = None
        self.sound = sound
        self.sound.alone_changed.connect(self._on_sound_alone_changed)
        row = bench_row(self)
        row.addLayout(self._make_middle(queue), 1)
        self.sheet = FinishSheet()
        row.addWidget(self.sheet)
        self.sheet.output_chosen.connect(self._on_sheet_output_chosen)
        self.sheet.frame_requested.connect(self._on_sheet_frame_requested)
        self.sheet.render_button.clicked.connect(self.render_now)
        self.sheet.place_button.clicked.connect(self.ask_to_render)
        self.sheet.meant.connect(lambda what: self._mean(*context.session.project.meant, what))
        self.sheet.meant_forgotten.connect(self._mean)
        self.sheet.name_given.connect(self._on_sheet_name_given)
        self.sheet.asked_changed.connect(self._show_place)
        queue.changed.connect(self._on_queue_changed)
        self.sheet.watched_changed.connect(self._on_sheet_watched_changed)
        self.sheet.screen_button.clicked.connect(self.fill_screen)
        for button in self.sheet.pages.buttons.values():
            button.clicked.connect(self._show_lanes)
        self.sheet.field_changing.connect(lambda field, value, gesture: field.edit(self.sound, value, gesture))
        self.sheet.gesture_ended.connect(context.session.end_gesture)
        self.sheet.refused.connect(self.sheet.trouble.tell)
        self._look_soon = QTimer(self, singleShot=True, interval=400)
        self._look_soon.timeout.connect(self._look_over)
        self.sheet.pages.buttons[LOOK].clicked.connect(lambda: self._look_soon.start())
        self._listen_soon = QTimer(self, singleShot=True, interval=400)
        self._listen_soon.timeout.connect(self._listen)
        context.session.opened.connect(self._on_opened)

    def _on_opened(self) -> None:
        """Another project is looked at as its reel is, and has not been listened to."""
        self._output, self._heard, self._looked_at = None, None, None
        self._seen_through.clear()
        self._show_loudness(None)

    def _make_middle(self, queue: RenderQueue) -> QVBoxLayout:
        column = bench_column()
        self.stage = Stage()
        self.stage.sizes_changed.connect(self.reload)
        self.viewer = self.stage.viewer
        self.transport = Transport(self.context)
        self.queue_view = QueueView(queue)
        column.addWidget(self.stage, 1)
        column.addWidget(self.transport)
        column.addWidget(self.queue_view)
        return column

    # What is looked at

    @property
    def project(self) -> Project:
        """The project as the chosen output shows it."""
        return self._through(self._chosen)

    @property
    def _chosen(self) -> str | None:
        """The output that is looked at, while there is one."""
        known = {each.id for each in self.context.session.project.outputs}
        return self._output if self._output in known else None

    def _through(self, output_id: str | None) -> Project:
        """The project as an output shows it: the same one as long as the project is."""
        project = self.context.session.project
        kept = self._seen_through.get(output_id)
        if kept is None or kept[0] is not project:
            kept = self._seen_through[output_id] = project, project.through(output_id)
        return kept[1]

    def showing(self) -> Showing | None:
        project, session = self.sound.as_heard(self.project), self.context.session
        making, course_of = self.context.preparing.making, self.context.measurements.course_of(project)
        programme = reel_programme(project, self.stage.wanted_size, making=making, course_of=course_of)
        if programme is None:
            return None
        others = self.stage.show_outputs(session.project, self._chosen, beside=self.sheet.shows_all)
        sized = zip(others, self.stage.others, strict=False)
        beside = [(self._through(each), place.viewer.wanted_size) for each, place in sized]
        self._prepare_about(session.playhead)
        if beside:
            programme = beside_programme(programme, project, self.stage.wanted_size, beside, making)
        return Showing(programme=programme, subject=("reel", self._output), frame=session.playhead)

    def _prepare_about(self, frame: int) -> None:
        want_prepared(self.context.preparing, self.project, self.stage.wanted_size, frame)

    def viewers(self) -> tuple[Viewer, ...]:
        return self.stage.viewers

    def show_frame(self, frame: int, pictures: tuple) -> None:
        self.stage.show_pixels(pictures)
        project = self.project
        self.transport.show_frame(frame, reel_frames(project), float(project.reel.rate))
        self.context.session.move_playhead(frame)
        self.sheet.meters.show_instant(frame / float(project.reel.rate))
        self._prepare_about(frame)

    def seek_reel(self, frame: int) -> None:
        self.context.player.seek(frame, scrubbing=True)

    def enter(self) -> None:
        super().enter()
        self._show_lanes()

    def leave(self) -> None:
        self.context.preparing.stop()
        self.stage.close_screen()
        super().leave()
        self._show_lanes()

    @property
    def _listens(self) -> bool:
        return self.entered and self.sheet.pages.buttons[SOUND].isChecked()

    def _show_lanes(self) -> None:
        self.lanes_wanted.emit(self._listens)
        if self._listens:
            self._listen_soon.start()

    def show_trouble(self, sentence: str) -> None:
        self.sheet.trouble.tell(sentence)

    def refresh(self) -> None:
        project = self.context.session.project
        there = bool(project.reel.shots)
        self.sheet.show_outputs(project, self._output)
        self.sheet.show_fields(SoundHere(project=project, shot=self.context.session.shot, alone=self.sound.alone))
        self.sheet.render_button.setEnabled(there)
        self.sheet.place_button.setEnabled(there)
        self._show_place()
        if not there:
            self.viewer.show_words(_NO_REEL)
            self.sheet.show_marks(None, _NO_REEL)
        elif _looked_at_as(self.project) != self._looked_at:
            self.sheet.show_marks(None)
            self._look_soon.start()
        else:
            self.sheet.show_marks(self._found, project=project)
        if self._listens and project != self._heard:
            self._listen_soon.start()

    # What is done

    def take_what_is_proposed(self) -> None:
        self.render_now()

    def put_back(self) -> bool:
        return self.stage.close_screen()

    def fill_screen(self) -> None:
        """Fills a screen with the picture, or no longer."""
        self.stage.fill_screen(self.sheet.screen_combo.currentData() or "")

    def render_now(self) -> None:
        """Puts what is chosen on the queue, to the place of last time."""
        self._render(self._rendering.render_again, self._asked_for())

    def render_all(self) -> None:
        """The same of the reel and all its outputs, whatever is chosen."""
        self._render(self._rendering.render_again, self._all())

    def ask_to_render(self) -> None:
        """Asks where to, and puts what is chosen on the queue."""
        self._render(self._rendering.ask, self._asked_for())

    def _render(self, way: RenderWay, wanted: Sequence[str | None]) -> None:
        """Renders the first of what is wanted in a way, and what is left beside it once it is known where that is."""
        if not self.context.session.project.reel.shots:
            return
        first, *others = wanted

        def go_on() -> None:
            for output_id in others:
                self._rendering.render_again(self._request(output_id), output_id)

        way(self._request(first), first, go_on)

    def _asked_for(self) -> list[str | None]:
        """What is rendered: outputs by their ids, None: the reel."""
        return self._all() if self.sheet.renders_all else [self._output]

    def _all(self) -> list[str | None]:
        return [None, *(each.id for each in self.context.session.project.outputs)]

    def _request(self, output_id: str | None) -> ExportRequest:
        sheet, project = self.sheet, self._through(output_id)
        kind, loudness = sheet.kind, sheet.loudness.key
        return ExportRequest(
            project=project,
            path=self._rendering.suggested(output_id),
            kind=kind.id,
            purpose=sheet.chosen_purpose if kind.kind in ("film", "pictures") else None,
            span=span_of_shots(project, self.context.session.shot_ids) if sheet.part.key != "all" else None,
            size=sheet.size_of(project.reel.size) if kind.kind != "sound" else None,
            lufs=float(loudness) if loudness and kind.sound else None,
        )

    def _show_place(self) -> None:
        if self.entered and self.context.session.project.reel.shots:
            try:
                request = self._request(self._output)
                place = self._rendering.place_of(request, self._output)
            except ClevrinError as error:
                self.sheet.trouble.tell(str(error))
                return
            self.sheet.show_place(place, self._rendering.name, request.size or request.project.reel.size)

    def _on_queue_changed(self) -> None:
        """How far a render is changes nothing of where the next one goes, and finding that out asks the disk."""
        if self._queue.awaited != self._awaited:
            self._awaited = self._queue.awaited
            self._show_place()

    def _on_sheet_name_given(self, name: str) -> None:
        try:
            self._rendering.call_them(name)
        except ClevrinError as error:
            self.sheet.trouble.tell(str(error))
            return
        self._show_place()

    def _mean(self, *meant: Meant) -> None:
        self.context.session.do(SetMeant(meant=meant))

    def _on_sheet_output_chosen(self, output_id: str | None) -> None:
        self._output = output_id
        self.refresh()
        self.reload()

    def _on_sheet_watched_changed(self) -> None:
        self.stage.scopes.show_kinds(self.sheet.scopes_shown)
        self.stage.show_safe_areas(self.sheet.shows_safe_areas)
        self.reload()

    def _on_sheet_frame_requested(self, frame: int) -> None:
        """Looks at what is not right, and chooses the shot it is of: what can be done about it is offered."""
        placed = shot_at(self.context.session.project, frame)
        if placed is not None:
            self.context.session.choose_shot(placed.shot.id)
        self.context.player.stop()
        self.context.player.seek(frame, scrubbing=False)

    def _look_over(self) -> None:
        """Looks in the background for what is not right, while that is looked at."""
        project, store = self.project, self.context.measurements.store
        session_project = self.context.session.project  # its outputs sound alike
        if not self.entered or not project.reel.shots or _looked_at_as(project) == self._looked_at:
            return
        if not self.sheet.pages.buttons[LOOK].isChecked():
            return

        def work(progress: Progress) -> LookedOver:
            with Sources.of(store, light=True) as sources:
                return look_over(project, sources, progress)

        def done(found: LookedOver) -> None:
            self._looked_at, self._found = _looked_at_as(project), found
            self._show_heard(session_project, found.heard)
            self.sheet.show_marks(found, project=self.context.session.project)

        def failed(sentence: str) -> None:
            self.sheet.show_marks(None, sentence)

        what = "Looking the reel over"
        self.context.jobs.restart(
            Job(key=("marks",), what=what, work=work, done=done, failed=failed, background=True, turn=CHARTING)
        )

    def _listen(self) -> None:
        """Finds out in the background how loud the reel is, while its sound is worked on."""
        project = self.context.session.project
        if not self._listens or project == self._heard:
            return
        if not has_sound(project):
            self._show_heard(project, None)
            return
        course_of = self.context.measurements.course_of(project)

        def work(progress: Progress) -> LoudnessCourse:
            return reel_loudness(project, progress, course_of)

        self.context.jobs.restart(
            Job(
                key=("loudness",),
                what="Listening to the reel",
                work=work,
                done=lambda course: self._show_heard(project, course),
                failed=lambda sentence: self._show_loudness(None, sentence),
                background=True,
                turn=CHARTING,
            )
        )

    def _show_heard(self, project: Project, course: LoudnessCourse | None) -> None:
        """Shows how loud a project is; it is not listened to again until it is another one."""
        self._heard = project
        self._show_loudness(course, "" if course is not None else "nothing is heard")

    def _show_loudness(self, course: LoudnessCourse | None, why: str = "") -> None:
        self.sheet.meters.show_course(course, why)
        self.loudness_changed.emit(course)

    def _on_sound_alone_changed(self) -> None:
        self.refresh()
        self.reload()


def _looked_at_as(project: Project) -> Project:
    """A project as it is looked over: what was said of that changes nothing."""
    return project.changed(meant=()) if project.meant else project
