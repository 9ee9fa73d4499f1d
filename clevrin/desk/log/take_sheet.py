"""The sheet of the Log bench: a take's facts and motion, its mark and note, its spans, how it plays on the reel."""

from PySide6.QtCore import QEvent, QObject, Signal
from PySide6.QtWidgets import QLabel, QPlainTextEdit, QWidget

from clevrin.core.document import Take
from clevrin.core.media.specials import specials
from clevrin.core.motion import Whip
from clevrin.core.pace import speed
from clevrin.desk.bench.context import Context
from clevrin.desk.log.logging_edits import LoggingEdits
from clevrin.desk.log.spans import SpanList
from clevrin.desk.marks.marks_list import MarksList
from clevrin.desk.marks.overlay import Marks
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import ChoiceSetting, Sheet, Trouble, plain_button, quiet_label

_NOTE_PX = 46


class TakeSheet(Sheet):
    """Shows one take; what is changed here goes through the logging edits."""

    mark_requested = Signal(str)
    put_requested = Signal()
    find_requested = Signal(str)

    def __init__(self, context: Context, edits: LoggingEdits, marks: Marks, parent: QWidget | None = None) -> None:
        super().__init__("Take", parent)
        self._context, self._edits = context, edits
        self._take: Take | None = None
        self._make_facts()
        self._make_judgement()
        self._make_spans()
        self.marks = MarksList(context, marks)
        self.add(self.marks)
        self.add_stretch()

    def _make_facts(self) -> None:
        self.missing = Trouble()
        self.find_button = plain_button("Find it…", "Point at the file; the others beside it are found too")
        self.find_button.clicked.connect(self._on_find_button_clicked)
        self._facts = QLabel()
        self._facts.setWordWrap(True)
        self._facts.setFont(theme.font(12))
        self.motion_note = quiet_label("")
        self.motion_note.setWordWrap(True)
        self.resume_button = plain_button("Resume measuring", "Goes on where it was stopped, with every take that was")
        self.resume_button.clicked.connect(self._on_resume_button_clicked)
        self.add(self.missing, self.find_button, self._facts, self.motion_note, self.resume_button)

    def _make_judgement(self) -> None:
        self.worth = ChoiceSetting(
            "Worth",
            "What you think of the take; dropped ones are hidden from the cards",
            (
                ("keep", "keep", "A good one  (Y)"),
                ("maybe", "maybe", "To be looked at again  (W)"),
                ("drop", "drop", "Not to be used: hidden from the cards  (N)"),
            ),
            exclusive=False,
        )
        self.worth.chosen.connect(self._edits.judge)
        self.note = QPlainTextEdit()
        self.note.setPlaceholderText("Note on this take")
        self.note.setAccessibleName("note")
        self.note.setFixedHeight(_NOTE_PX)
        self.note.setTabChangesFocus(True)
        self.note.textChanged.connect(self._on_note_text_changed)
        self.note.installEventFilter(self)
        self.conform = ChoiceSetting(
            "On the reel",
            "How a take of another rate than the reel's plays on it",
            (
                ("as shot", "as shot", "At the speed at which it was shot"),
                ("every frame", "every frame", "Every frame of it at the reel's rate: slower, or faster"),
            ),
            columns=2,
            default="as shot",
        )
        self.conform.chosen.connect(self._edits.conform)
        self.add(self.worth, self.note, self.conform)

    def _make_spans(self) -> None:
        self._span = QLabel()
        self._span.setFont(theme.font(theme.BODY_PX, strong=True))
        self.spans = SpanList()
        self.spans.row_chosen.connect(lambda span_id, _: self._context.session.choose_span(span_id))
        self.spans.row_named.connect(self._edits.name_span)
        self.in_button = plain_button("In here", "The span begins at this frame  (I)")
        self.out_button = plain_button("Out here", "The span ends with this frame  (O)")
        self.remove_button = plain_button("Forget", "Forgets the chosen span; shots made of it stay")
        self.in_button.clicked.connect(lambda: self.mark_requested.emit("in"))
        self.out_button.clicked.connect(lambda: self.mark_requested.emit("out"))
        self.remove_button.clicked.connect(self._edits.remove_span)
        self.put_button = plain_button("Put on the reel   Enter", "Appends the span to the reel", main=True)
        self.put_button.clicked.connect(self.put_requested)
        self.add(self._span, self.spans)
        self.add_row(self.in_button, self.out_button, self.remove_button)
        self.set_foot(self.put_button)  # at the foot, it stands still whatever is measured above

    @property
    def span_words(self) -> str:
        """The chosen span, in words."""
        return self._span.text()

    def show_take(self, take: Take | None) -> None:
        """Shows a take as it is now; None: there is none."""
        before, self._take = self._take, take
        self.setEnabled(take is not None)
        self.marks.show_take(take)
        for part in (self.missing, self.find_button, self.resume_button, self.conform, self.spans):
            part.setVisible(False)
        if take is None:
            self.set_about("")
            for label in (self._facts, self.motion_note, self._span):
                label.setText("")
            self._show_note("")
            self.worth.set_chosen()
            return
        self.set_about(take.name)
        missing = self._context.measurements.missing(take)
        self.missing.tell(self._context.measurements.trouble(take) or "" if missing else "")
        self.find_button.setVisible(missing)
        self._facts.setText(_facts(take))
        self.motion_note.setText("" if missing else self._motion_words(take))
        self.resume_button.setVisible(not missing and self._context.measurements.is_stopped(take))
        self.motion_note.setVisible(bool(self.motion_note.text()))
        self.worth.set_chosen(*([take.worth] if take.worth else []))
        if before is None or before.id != take.id or not self.note.hasFocus():
            self._show_note(take.note)
        self._show_conform(take)
        chosen = self._context.session.span
        span = chosen.span if chosen is not None else take.whole
        which = f"Span {chosen.name}" if chosen is not None else "All of it"
        self._span.setText(f"{which}: {span.first} to {span.end - 1} · {float(span.frames / take.facts.rate):.2f} s")
        self.spans.show_spans(take, chosen)
        self.remove_button.setEnabled(chosen is not None)

    def _show_conform(self, take: Take) -> None:
        rate = self._context.session.project.reel.rate
        self.conform.setVisible(take.facts.rate != rate)
        self.conform.set_chosen(take.conform)
        pace = speed(take, rate)
        words = f"plays at {float(pace):.3g} of the speed" if pace != 1 else "plays at the speed at which it was shot"
        silent = ", without its sound" if pace != 1 and take.facts.sound else ""
        self.conform.set_note(f"{words}{silent}")

    def _show_note(self, note: str) -> None:
        if self.note.toPlainText() != note:
            self.note.blockSignals(True)
            self.note.setPlainText(note)
            self.note.blockSignals(False)

    def _motion_words(self, take: Take) -> str:
        measurements = self._context.measurements
        trouble = measurements.trouble(take)
        if trouble:
            return trouble
        trace = measurements.trace(take)
        if trace is None:
            if measurements.is_stopped(take):
                return "Measuring was stopped; what was measured is kept."
            return "The motion is being measured." if measurements.is_measuring(take) else "Not measured yet."
        shutter = f" · shutter {trace.shutter_deg:.0f}°" if trace.shutter_deg is not None else ""
        lines = [f"{_MODEL_WORDS[trace.model]}{shutter}"]
        verdict = measurements.verdict(take)
        if verdict is not None:
            lines.append(verdict.sentence)
        lines += [
            f"{_whip_words(whip)} at {whip.peak}, {whip.start} to {whip.end}: {whip.blur_px:.0f} px of blur"
            for whip in measurements.whips(take)[:3]
        ]
        return "\n".join(lines)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.note and event.type() == QEvent.Type.FocusOut:
            self._edits.end_note()
        return super().eventFilter(watched, event)

    def _on_note_text_changed(self) -> None:
        if self._take is not None:
            self._edits.note(self._take.id, self.note.toPlainText())

    def _on_resume_button_clicked(self) -> None:
        self._context.measurements.resume()

    def _on_find_button_clicked(self) -> None:
        if self._take is not None:
            self.find_requested.emit(self._take.id)


_MODEL_WORDS = {
    "translation": "the picture only shifts",
    "similarity": "the picture shifts, turns and grows",
    "homography": "the picture shifts, turns, grows and leans",
    "mesh": "the picture moves differently in its parts",
}
"""What the model of a trace says of the take, as it is seen."""


def _whip_words(whip: Whip) -> str:
    if whip.kind == "roll":
        return f"roll {'anticlockwise' if whip.turn_deg > 0 else 'clockwise'}"
    if whip.kind == "zoom":
        return f"zoom {'in' if whip.growth > 1 else 'out'}"
    return f"whip {theme.direction_arrow(whip.angle_deg)}"


def _facts(take: Take) -> str:
    facts = take.facts
    rate = f"{float(facts.rate):.5g} frames/s{' on average, varying' if facts.variable else ''}"
    turned = f" · turned by {facts.rotation}°" if facts.rotation else ""
    sound = "with sound" if facts.sound else "no sound"
    return (
        f"{facts.width} × {facts.height}{turned} · {rate}\n{facts.frames} frames · {facts.seconds:.2f} s\n"
        f"{facts.codec}, {facts.pixel_format} · {sound}" + "".join(f"\n{sentence}" for sentence in specials(facts))
    )
