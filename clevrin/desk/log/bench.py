"""The Log bench: take cards, a viewer with the ridge under it, and a sheet with the facts."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout

from clevrin.core.document import Shot, Span
from clevrin.core.document.edits import ChooseSpan, InsertShot
from clevrin.core.pace import reel_frames
from clevrin.desk import theme
from clevrin.desk.bench import Bench, Showing, Transport
from clevrin.desk.context import Context
from clevrin.desk.log.cards import TakeCards
from clevrin.desk.programmes import reel_programme, take_programme
from clevrin.desk.ridge_bar import RidgeBar
from clevrin.desk.ridge_store import RidgeStore
from clevrin.desk.sheet import Sheet, plain_button, quiet_label
from clevrin.desk.viewer import Viewer


class LogBench(Bench):
    """Looks at the chosen take, or at the whole reel."""

    add_requested = Signal()

    def __init__(self, context: Context, ridges: RidgeStore) -> None:
        super().__init__(context)
        self._ridges = ridges
        self._shows_reel = False
        self._take_frame: dict[str, int] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.cards = TakeCards(context, ridges)
        row.addWidget(self.cards)
        row.addLayout(self._make_middle(), 1)
        row.addWidget(self._make_sheet())
        self.cards.take_chosen.connect(self._on_cards_take_chosen)
        self.cards.put_requested.connect(self._on_cards_put_requested)
        self.cards.add_requested.connect(self.add_requested)

    def _make_middle(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(12, 8, 12, 8)
        column.setSpacing(6)
        head = QHBoxLayout()
        head.setSpacing(4)
        self._heading = QLabel()
        self._heading.setFont(theme.font(theme.TITLE_PX, strong=True))
        self.take_button = plain_button("take", "Look at the chosen take")
        self.reel_button = plain_button("reel", "Look at the whole reel")
        for button, shows_reel in ((self.take_button, False), (self.reel_button, True)):
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.clicked.connect(lambda _=False, reel=shows_reel: self.look_at(reel=reel))
        head.addWidget(self._heading)
        head.addStretch(1)
        head.addWidget(self.take_button)
        head.addWidget(self.reel_button)
        self.viewer = Viewer()
        self.viewer.wanted_size_changed.connect(self.reload)
        self.ridge = RidgeBar()
        self.ridge.frame_requested.connect(self._on_ridge_frame_requested)
        self.ridge.span_changed.connect(self._on_ridge_span_changed)
        self.transport = Transport(self.context)
        column.addLayout(head)
        column.addWidget(self.viewer, 1)
        column.addWidget(self.transport)
        column.addWidget(self.ridge)
        return column

    def _make_sheet(self) -> Sheet:
        self._sheet = Sheet("Take")
        self._facts = QLabel()
        self._facts.setWordWrap(True)
        self._facts.setFont(theme.font(12))
        self._motion = quiet_label("")
        self._motion.setWordWrap(True)
        self._span = QLabel()
        self._span.setFont(theme.font(theme.BODY_PX, strong=True))
        self.in_button = plain_button("In here", "The span begins at this frame  (I)")
        self.out_button = plain_button("Out here", "The span ends with this frame  (O)")
        self.in_button.clicked.connect(lambda: self.mark("in"))
        self.out_button.clicked.connect(lambda: self.mark("out"))
        self.put_button = plain_button("Put on the reel   Enter", "Appends the span to the reel", main=True)
        self.put_button.clicked.connect(self.put_on_reel)
        self._sheet.add(self._facts, self._motion)
        self._sheet.add_gap()
        self._sheet.add(self._span)
        self._sheet.add_row(self.in_button, self.out_button)
        self._sheet.add(self.put_button)
        self._sheet.add_stretch()
        return self._sheet

    def document_changed(self) -> None:
        self.refresh()
        if self._shows_reel or self.context.player.programme is None:
            self.reload()

    def selection_changed(self) -> None:
        self.refresh()
        if not self._shows_reel:
            self.reload()

    def measurements_changed(self) -> None:
        self.refresh()
        if self._shows_reel:
            self.reload()

    # What is looked at

    @property
    def shows_reel(self) -> bool:
        return self._shows_reel

    def look_at(self, *, reel: bool) -> None:
        """Has the viewer show the reel, or the chosen take."""
        if reel != self._shows_reel:
            self._shows_reel = reel
            self.refresh()
            self.reload()

    def showing(self) -> Showing | None:
        session = self.context.session
        if self._shows_reel:
            programme = reel_programme(session.project, self.viewer.wanted_size)
            return Showing(programme=programme, subject=("reel",), frame=session.playhead) if programme else None
        take = session.take
        if take is None:
            return None
        frame = self._take_frame.get(take.id, take.span.first)
        return Showing(programme=take_programme(take, self.viewer.wanted_size), subject=("take", take.id), frame=frame)

    def show_frame(self, frame: int, pictures: tuple) -> None:
        session = self.context.session
        self.viewer.show_pixels(*pictures)
        if self._shows_reel:
            session.move_playhead(frame)
            self.transport.show_frame(frame, reel_frames(session.project), float(session.project.reel.rate))
        elif session.take is not None:
            self._take_frame[session.take.id] = frame
            self.transport.show_frame(frame, session.take.facts.frames, float(session.take.facts.rate))
            self.ridge.show_playhead(frame)

    def show_trouble(self, sentence: str) -> None:
        self.viewer.show_words(sentence)

    def refresh(self) -> None:
        session = self.context.session
        take = session.take
        self.cards.show_takes(session.project.takes, take.id if take else None)
        self.take_button.setChecked(not self._shows_reel)
        self.reel_button.setChecked(self._shows_reel)
        self._heading.setText("The reel" if self._shows_reel else (take.name if take else ""))
        self._sheet.setEnabled(take is not None)
        if take is None:
            self.viewer.show_words("Drop footage files here, or use Add takes.")
            self.ridge.show_ridge(0, None)
            self.ridge.show_span(None)
            self._sheet.set_about("")
            for label in (self._facts, self._motion, self._span):
                label.setText("")
            return
        self._sheet.set_about(take.name)
        facts = take.facts
        sound = "with sound" if facts.sound else "no sound"
        rate = f"{float(facts.rate):.5g} frames/s{' on average, varying' if facts.variable else ''}"
        turned = f" · turned by {facts.rotation}°" if facts.rotation else ""
        self._facts.setText(
            f"{facts.width} × {facts.height}{turned}\n{rate}\n{facts.frames} frames · {facts.seconds:.2f} s\n"
            f"{facts.codec}, {facts.pixel_format} · {sound}"
        )
        self._motion.setText(self._motion_words())
        span = take.span
        self._span.setText(f"Span {span.first} to {span.end - 1} · {float(span.frames / facts.rate):.2f} s")
        words = self.context.measurements.trouble(take) or "motion is being measured"
        self.ridge.show_ridge(facts.frames, self._ridges.of(take), words)
        self.ridge.show_span(span)

    def _motion_words(self) -> str:
        take = self.context.session.take
        assert take is not None
        trouble = self.context.measurements.trouble(take)
        if trouble:
            return trouble
        trace = self.context.measurements.trace(take)
        if trace is None:
            return "The motion is being measured."
        whips = self.context.measurements.whips(take)
        lines = [f"measured as {trace.model}"]
        if trace.shutter_deg is not None:
            lines.append(f"shutter {trace.shutter_deg:.0f}°")
        for whip in whips:
            arrow = theme.direction_arrow(whip.angle_deg)
            lines.append(
                f"whip {arrow} frames {whip.start} to {whip.end}, fastest at {whip.peak}: {whip.blur_px:.0f} px of blur"
            )
        return "\n".join(lines)

    # What the user does

    def mark(self, which: str) -> None:
        """Moves the start or the end of the chosen take's span to the frame looked at."""
        take = self.context.session.take
        if take is None or self._shows_reel:
            return
        frame = self._take_frame.get(take.id, take.span.first)
        span = take.span
        if which == "in":
            span = Span(first=frame, end=span.end if span.end > frame else take.facts.frames)
        else:
            span = Span(first=span.first if span.first <= frame else 0, end=frame + 1)
        self.context.session.do(ChooseSpan(take_id=take.id, span=span))

    def put_on_reel(self) -> None:
        """Appends the chosen take's span to the reel."""
        take = self.context.session.take
        if take is not None:
            shot = Shot(take_id=take.id, span=take.span)
            self.context.session.do(InsertShot(shot=shot, label=f"Put {take.name} on the reel"))
            self.context.session.choose_shot(shot.id)

    def jump_to_whip(self, way: int) -> None:
        """Looks at the peak of the next (1) or previous (-1) whip of the take."""
        take = self.context.session.take
        if take is None or self._shows_reel:
            return
        now = self._take_frame.get(take.id, 0)
        peaks = [whip.peak for whip in self.context.measurements.whips(take)]
        ahead = [p for p in peaks if (p > now if way > 0 else p < now)]
        if ahead:
            self.context.player.seek(min(ahead) if way > 0 else max(ahead))

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
            self.context.player.seek(frame)

    def _on_ridge_span_changed(self, span: Span) -> None:
        take = self.context.session.take
        if take is not None:
            self.context.session.do(ChooseSpan(take_id=take.id, span=span))
