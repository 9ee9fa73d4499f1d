"""The Log bench: take cards, a viewer with the ridge under it, and a sheet with facts, notes and spans."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QVBoxLayout

from clevrin.core.document import Shot, Span, Take
from clevrin.core.document.edits import InsertShots
from clevrin.core.pace import placed_shots, reel_frames, shot_at
from clevrin.desk.areas.stage import AreaStage
from clevrin.desk.background.ridge_store import RidgeStore
from clevrin.desk.bench.bench import Bench, Showing, Transport, bench_column, bench_row
from clevrin.desk.bench.context import Context
from clevrin.desk.log.cards import TakeCards
from clevrin.desk.log.logging_edits import LoggingEdits
from clevrin.desk.log.take_sheet import TakeSheet
from clevrin.desk.log.welcome import Welcome
from clevrin.desk.marks.overlay import Marks, Mode
from clevrin.desk.playback.programmes import reel_programme, span_of_shots, take_programme, want_prepared
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.flow import FlowLayout
from clevrin.desk.widgets.ridge_bar import RidgeBar
from clevrin.desk.widgets.sheet import plain_button
from clevrin.desk.widgets.viewer import Viewer


class LogBench(Bench):
    """Looks at the chosen take, or at the whole reel."""

    sheet: TakeSheet

    add_requested = Signal()
    find_requested = Signal(str)

    def __init__(self, context: Context, ridges: RidgeStore) -> None:
        super().__init__(context)
        self._ridges = ridges
        self._shows_reel = False
        self._loops = False
        self._take_frame: dict[str, int] = {}
        self.edits = LoggingEdits(context)
        row = bench_row(self)
        self.cards = TakeCards(context, ridges)
        row.addWidget(self.cards)
        row.addLayout(self._make_middle(), 1)
        self.sheet = TakeSheet(context, self.edits, self.marks)
        row.addWidget(self.sheet)
        self.sheet.mark_requested.connect(self.mark)
        self.sheet.put_requested.connect(self.put_on_reel)
        self.sheet.find_requested.connect(self.find_requested)
        self.sheet.marks.frame_requested.connect(self._on_marks_frame_requested)
        context.jobs.states_changed.connect(self._on_jobs_states_changed)
        self.cards.take_chosen.connect(self._on_cards_take_chosen)
        self.cards.put_requested.connect(self._on_cards_put_requested)
        self.cards.add_requested.connect(self.add_requested)
        context.intake.taken_in.connect(self._on_intake_taken_in)
        context.intake.told.connect(self.cards.trouble.tell)

    def _make_middle(self) -> QVBoxLayout:
        self.viewer = Viewer()
        self.marks = Marks(self.context, self.viewer)
        self.marks.changed.connect(self._on_marks_changed)
        self.marks.frame_requested.connect(self._on_marks_frame_requested)
        self.areas = AreaStage(self.context, self.viewer, self._offered)
        self.areas.drawing.changed.connect(self.refresh)
        self.mark_buttons = {
            "vectors": plain_button("vectors", "Draws what was followed from the frame before  (V)"),
            "point": plain_button("point", "Click in the picture what is to be followed  (P)"),
            "surface": plain_button("surface", "Draw a box around a flat thing, then drag its corners  (U)"),
            "standing": plain_button("stands still", "Click on what is to stand still, where near and far move apart"),
            "area": plain_button("leave out", "Draw a box around what does not belong to the background"),
        }
        for name, button in self.mark_buttons.items():
            button.setCheckable(True)
            button.clicked.connect(lambda on, name=name: self.mark_picture(name, on))
        column = bench_column()
        head = FlowLayout()
        self._heading = QLabel()
        self._heading.setFont(theme.font(theme.TITLE_PX, strong=True))
        self.loop_button = plain_button("loop", "Plays the span, or the chosen shots, over and over")
        self.loop_button.setIcon(theme.icon("repeat"))
        self.loop_button.setCheckable(True)
        self.loop_button.toggled.connect(self.set_loops)
        self.take_button = plain_button("take", "Look at the chosen take")
        self.reel_button = plain_button("reel", "Look at the whole reel")
        for button, shows_reel in ((self.take_button, False), (self.reel_button, True)):
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.clicked.connect(lambda _=False, reel=shows_reel: self.look_at(reel=reel))
        head.addWidget(self._heading)
        for button in self.mark_buttons.values():
            head.addWidget(button)
        for button in (self.loop_button, self.take_button, self.reel_button):
            head.addWidget(button)
        self.viewer.wanted_size_changed.connect(self.reload)
        self.ridge = RidgeBar()
        self.ridge.frame_requested.connect(self._on_ridge_frame_requested)
        self.ridge.span_changed.connect(self._on_ridge_span_changed)
        self.ridge.span_chosen.connect(self._on_ridge_span_chosen)
        self.transport = Transport(self.context)
        column.addLayout(head)
        self.welcome = Welcome()
        column.addWidget(self.welcome, 1)
        column.addWidget(self.viewer, 1)
        column.addWidget(self.transport)
        column.addWidget(self.areas.lanes)
        column.addWidget(self.ridge)
        return column

    def document_changed(self) -> None:
        self.refresh()
        if self._shows_reel or self._loops or self.context.player.programme is None:
            self.reload()

    def selection_changed(self) -> None:
        self.refresh()
        if not self._shows_reel or self._loops:
            self.reload()

    def measurements_changed(self) -> None:
        self.refresh()
        if self._shows_reel:
            self.reload()

    # What is looked at

    @property
    def shows_reel(self) -> bool:
        return self._shows_reel

    @property
    def loops(self) -> bool:
        return self._loops

    def watch_reel(self, frame: int) -> Viewer:
        """Has the viewer show the reel at a frame, at once; returns that viewer."""
        self.look_at(reel=True)
        self.load_now()
        self.context.player.seek(frame)
        return self.viewer

    def look_at(self, *, reel: bool) -> None:
        """Has the viewer show the reel, or the chosen take."""
        if reel != self._shows_reel:
            self._shows_reel = reel
            self.refresh()
            self.reload()

    def take_what_is_proposed(self) -> None:
        self.put_on_reel()

    def put_back(self) -> bool:
        return self.ridge.put_back() or self.areas.put_back() or self.marks.put_back()

    def toggle_loop(self) -> None:
        self.set_loops(not self._loops)

    def set_loops(self, loops: bool) -> None:
        """Plays the span, or the chosen shots, over and over, or not."""
        self._loops = loops
        self.loop_button.setChecked(loops)
        self.reload()

    def viewers(self) -> tuple[Viewer, ...]:
        return (self.viewer,)

    def showing(self) -> Showing | None:
        session = self.context.session
        within = self.viewer.wanted_size
        if self._shows_reel:
            making = self.context.preparing.making
            course_of = self.context.measurements.course_of(session.project)
            programme = reel_programme(
                session.project, within, loop=self._loop_of_reel(), making=making, course_of=course_of
            )
            self._prepare_about(session.playhead)
            return Showing(programme=programme, subject=("reel",), frame=session.playhead) if programme else None
        take = session.take
        self.context.preparing.stop()
        if take is None:
            return None
        span = self._span(take)
        programme = take_programme(take, within, loop=(span.first, span.end) if self._loops else None)
        return Showing(programme=programme, subject=("take", take.id), frame=self._take_frame.get(take.id, span.first))

    def _prepare_about(self, frame: int) -> None:
        want_prepared(self.context.preparing, self.context.session.project, self.viewer.wanted_size, frame)

    def leave(self) -> None:
        self.context.preparing.stop()
        super().leave()

    def _loop_of_reel(self) -> tuple[int, int] | None:
        """The frames from the first to the last chosen shot."""
        session = self.context.session
        return span_of_shots(session.project, session.shot_ids) if self._loops else None

    def _span(self, take: Take) -> Span:
        """The span that is worked on: the chosen one, all of the take where there is none."""
        chosen = self.context.session.span
        return chosen.span if chosen is not None else take.whole

    def frame_of(self, take: Take) -> int:
        """The frame of a take that is looked at, or would be."""
        if self.entered and self._subject == ("take", take.id):
            frame = self.context.player.frame
        else:
            frame = self._take_frame.get(take.id, self._span(take).first)
        return min(frame, take.facts.frames - 1)

    def show_frame(self, frame: int, pictures: tuple) -> None:
        session = self.context.session
        if not self._shows_reel and (session.take is None or self._subject != ("take", session.take.id)):
            return  # a picture of what was looked at before
        self.viewer.show_pixels(*pictures)
        if self._shows_reel:
            session.move_playhead(frame)
            self._prepare_about(frame)
            self.transport.show_frame(frame, reel_frames(session.project), float(session.project.reel.rate))
            placed = shot_at(session.project, frame)
            self._heading.setText(f"The reel · {placed.take.name}" if placed is not None else "The reel")
        elif session.take is not None:
            self._take_frame[session.take.id] = frame
            self.transport.show_frame(frame, session.take.facts.frames, float(session.take.facts.rate))
            self.ridge.show_playhead(frame)
        self._show_marks(None if self._shows_reel else session.take, frame)

    def _offered(self) -> tuple[tuple[Take, int], ...]:
        take = self.context.session.take
        return () if take is None else ((take, self.frame_of(take)),)

    def _show_marks(self, take: Take | None, frame: int) -> None:
        """What is drawn over the picture of a take: its marks, or its areas while those are worked on."""
        self.marks.show(take, frame)
        if take is not None:
            self.areas.look_at(frame)

    def show_trouble(self, sentence: str) -> None:
        self.viewer.show_words(sentence)

    def seek_reel(self, frame: int) -> None:
        self.look_at(reel=True)
        self.context.player.seek(frame, scrubbing=True)

    def refresh(self) -> None:
        session = self.context.session
        take = session.take
        self.cards.show_takes(session.project.takes, take.id if take else None)
        self.take_button.setChecked(not self._shows_reel)
        self.reel_button.setChecked(self._shows_reel)
        if not self._shows_reel:
            self._heading.setText(take.name if take else "")
        self.sheet.show_take(take)
        self._show_marks(None if self._shows_reel else take, self.frame_of(take) if take is not None else 0)
        for button in self.mark_buttons.values():
            button.setEnabled(take is not None and not self._shows_reel)
        self._show_what_there_is(bool(session.project.takes))
        if take is None:
            self.viewer.show_words("Drop footage files here, or use Add takes.")
            self.ridge.show_ridge(0, None)
            self.ridge.show_span(None)
            return
        words = self.context.measurements.trouble(take) or "motion is being measured"
        self.ridge.show_ridge(take.facts.frames, self._ridges.of(take), words)
        chosen = session.span
        others = tuple(each for each in take.spans if chosen is None or each.id != chosen.id)
        self.ridge.show_span(self._span(take), others)

    def _show_what_there_is(self, takes: bool) -> None:
        """Without takes there is what to do first, and nothing else."""
        self.welcome.setVisible(not takes)
        buttons = (*self.mark_buttons.values(), self.loop_button, self.take_button, self.reel_button)
        for part in (*buttons, self.viewer, self.transport, self.ridge):
            part.setVisible(takes)

    # What is drawn over the picture

    def mark_picture(self, what: str, on: bool) -> None:
        """Shows vectors or not, or has the next drag in the picture make a point, a surface or an area."""
        if what == "vectors":
            self.marks.set_shows_vectors(on)
            return
        modes: dict[str, Mode] = {"point": "point", "surface": "surface", "area": "area", "standing": "standing"}
        self.context.player.stop()
        if on:
            self.areas.set_active(False)  # the next drag is for this, whatever sheet is open
        self.marks.set_mode(modes[what] if on else "look")

    def toggle_mark(self, what: str) -> None:
        """The key of one of the buttons over the picture."""
        if not self._shows_reel and self.context.session.take is not None:
            self.mark_picture(what, not self.mark_buttons[what].isChecked())

    def _on_marks_changed(self) -> None:
        self.mark_buttons["vectors"].setChecked(self.marks.shows_vectors)
        for name in ("point", "surface", "area", "standing"):
            self.mark_buttons[name].setChecked(self.marks.mode == name)

    def _on_marks_frame_requested(self, frame: int) -> None:
        self.look_at(reel=False)
        self.context.player.stop()
        self.context.player.seek(frame)

    def _on_jobs_states_changed(self) -> None:
        """Measuring was begun, or stopped by hand."""
        take = self.context.session.take
        stopped = take is not None and self.context.measurements.is_stopped(take)
        if self.entered and stopped == self.sheet.resume_button.isHidden():
            self.sheet.show_take(take)
        self.sheet.marks.refresh_words()

    # What the user does

    def mark(self, which: str) -> None:
        """Moves the start ("in") or the end ("out") of the chosen span to the frame looked at."""
        take = self.context.session.take
        if take is not None and not self._shows_reel:
            self.edits.mark(which, self.frame_of(take))

    def begin_span(self) -> None:
        """Begins another span of the take at the frame looked at."""
        take = self.context.session.take
        if take is not None and not self._shows_reel:
            self.edits.begin_span(self.frame_of(take))

    def put_on_reel(self, *, everything: bool = False, at_playhead: bool = False) -> None:
        """Puts the chosen take's span on the reel, or all its spans; at the end, or at the cut next to the playhead."""
        session = self.context.session
        take = session.take
        if take is None:
            return
        spans = [each.span for each in take.spans] if everything else [self._span(take)]
        shots = tuple(Shot(take_id=take.id, span=span) for span in spans or [take.whole])
        at = self._cut_next_to_playhead() if at_playhead else None
        if session.do(InsertShots(shots=shots, at=at, label=f"Put {take.name} on the reel")):
            session.choose_shots(shot.id for shot in shots)

    def _cut_next_to_playhead(self) -> int:
        session = self.context.session
        row = placed_shots(session.project)
        cuts = [0, *(placed.end for placed in row)]
        return min(range(len(cuts)), key=lambda index: abs(cuts[index] - session.playhead))

    def jump_to_whip(self, way: int) -> None:
        """Looks at the peak of the next (1) or previous (-1) whip of the take."""
        take = self.context.session.take
        if take is None or self._shows_reel:
            return
        now = self.frame_of(take)
        peaks = [whip.peak for whip in self.context.measurements.whips(take)]
        ahead = [p for p in peaks if (p > now if way > 0 else p < now)]
        if ahead:
            self.context.player.seek(min(ahead) if way > 0 else max(ahead))

    def choose_neighbour(self, way: int) -> None:
        """Chooses the next (1) or previous (-1) card."""
        take_id = self.cards.neighbour(way)
        if take_id is not None:
            self._on_cards_take_chosen(take_id)

    def judge(self, worth: str) -> None:
        """Marks the chosen take; the same mark again takes it away. A dropped one makes place for the next card."""
        take = self.context.session.take
        if take is None:
            return
        following = self.cards.neighbour(1)
        if following == take.id:
            following = self.cards.neighbour(-1)
        self.edits.judge(worth)
        hidden = self.context.session.project.take(take.id).worth == "drop" and not self.cards.choice.dropped
        if hidden and following is not None:
            self._on_cards_take_chosen(following)

    def _on_intake_taken_in(self, take_id: str) -> None:
        self.context.session.choose_take(take_id)
        self.look_at(reel=False)

    def _on_cards_take_chosen(self, take_id: str) -> None:
        self.context.session.choose_take(take_id)
        self.look_at(reel=False)

    def _on_cards_put_requested(self, take_id: str) -> None:
        self.context.session.choose_take(take_id)
        self.put_on_reel()

    def _on_ridge_frame_requested(self, frame: int) -> None:
        self.look_at(reel=False)
        take = self.context.session.take
        if take is not None:
            self._take_frame[take.id] = frame
            self.ridge.show_playhead(frame)
            self.context.player.seek(frame, scrubbing=True)

    def _on_ridge_span_changed(self, span: Span) -> None:
        self.edits.set_span(span)

    def _on_ridge_span_chosen(self, span_id: str) -> None:
        self.context.session.choose_span(span_id)
