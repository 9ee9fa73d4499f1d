"""What is done to takes in the Log bench: spans, marks, notes, conforming."""

from clevrin.core.document import NamedSpan, Span
from clevrin.core.document.edits import (
    AddSpan,
    ChangeSpan,
    ConformTake,
    JudgeTakes,
    NoteTake,
    RemoveSpan,
    RenameTake,
)
from clevrin.core.document.model import Conform, Worth
from clevrin.desk.bench.context import Context


class LoggingEdits:
    """Edits of the chosen take; without one they do nothing."""

    def __init__(self, context: Context) -> None:
        self._session = context.session

    def mark(self, which: str, frame: int) -> None:
        """Moves the start ("in") or the end ("out") of the chosen span; the first mark makes a span."""
        take, chosen = self._session.take, self._session.span
        if take is None:
            return
        span = chosen.span if chosen is not None else take.whole
        if which == "in":
            span = Span(first=frame, end=span.end if span.end > frame else take.facts.frames)
        else:
            span = Span(first=span.first if span.first <= frame else 0, end=frame + 1)
        self.set_span(span)

    def set_span(self, span: Span) -> None:
        """Gives the chosen span other ends; makes one where there is none."""
        take, chosen = self._session.take, self._session.span
        if take is None:
            return
        if chosen is None:
            self._add(take.id, NamedSpan(name="1", span=span))
        else:
            self._session.do(ChangeSpan(take_id=take.id, span=chosen.changed(span=span)))

    def begin_span(self, frame: int) -> None:
        """Makes another span from a frame to where the next one begins, or to the end, and chooses it."""
        take = self._session.take
        if take is None:
            return
        end = min((each.span.first for each in take.spans if each.span.first > frame), default=take.facts.frames)
        names = {each.name for each in take.spans}
        number = next(n for n in range(1, len(names) + 2) if str(n) not in names)
        self._add(take.id, NamedSpan(name=str(number), span=Span(first=frame, end=end)))

    def _add(self, take_id: str, span: NamedSpan) -> None:
        if self._session.do(AddSpan(take_id=take_id, span=span)):
            self._session.choose_span(span.id)

    def remove_span(self) -> None:
        take, chosen = self._session.take, self._session.span
        if take is not None and chosen is not None:
            self._session.do(RemoveSpan(take_id=take.id, span_id=chosen.id))

    def name_span(self, span_id: str, name: str) -> None:
        take = self._session.take
        chosen = next((each for each in take.spans if each.id == span_id), None) if take is not None else None
        if take is not None and chosen is not None and name:
            self._session.do(ChangeSpan(take_id=take.id, span=chosen.changed(name=name), label="Name span"))

    def judge(self, worth: str) -> None:
        """Marks the take; the same mark again takes it away."""
        take = self._session.take
        if take is not None:
            marks: dict[str, Worth] = {"keep": "keep", "maybe": "maybe", "drop": "drop"}
            wanted = marks[worth]
            self._session.do(JudgeTakes(take_ids=(take.id,), worth=None if take.worth == wanted else wanted))

    def note(self, take_id: str, note: str) -> None:
        """Writes a note; while somebody writes on, it is one step."""
        self._session.do(NoteTake(take_id=take_id, note=note), gesture=f"note {take_id}")

    def end_note(self) -> None:
        self._session.end_gesture()

    def rename(self, name: str) -> None:
        take = self._session.take
        if take is not None and name:
            self._session.do(RenameTake(take_id=take.id, name=name))

    def conform(self, conform: Conform) -> None:
        take = self._session.take
        if take is not None:
            self._session.do(ConformTake(take_id=take.id, conform=conform))
