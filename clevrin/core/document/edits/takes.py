"""Edits of takes: bringing in, removing, spans, and what is thought of them."""

from collections import Counter
from dataclasses import dataclass
from fractions import Fraction
from math import ceil

from clevrin.core.document.edits.edit import counted, with_take
from clevrin.core.document.model import Conform, NamedSpan, Project, Shot, Take, Worth
from clevrin.core.document.pinned import Film

_AS_GOOD = Fraction(1, 1000)
"""Rates so near each other, as 60 and 60000/1001, are one."""


@dataclass(frozen=True, kw_only=True)
class AddTakes:
    """Brings takes into the project; an empty reel gets the size of the first one, and the rate of most.

    `most_rate`: a reel of quicker takes has a half of their rate, or less, so that they can be slowed down.
    """

    takes: tuple[Take, ...]
    most_rate: Fraction | None = None

    @property
    def label(self) -> str:
        return f"Add {self.takes[0].name}" if len(self.takes) == 1 else f"Add {len(self.takes)} takes"

    def apply(self, project: Project) -> Project:
        reel = project.reel
        if not project.takes and not reel.shots and self.takes:
            facts = self.takes[0].facts
            width, height = (min(8192, max(2, side // 2 * 2)) for side in (facts.width, facts.height))
            reel = reel.changed(rate=self._rate(), width=width, height=height)
        return project.changed(takes=(*project.takes, *self.takes), reel=reel)

    def _rate(self) -> Fraction:
        rate, _ = Counter(take.facts.reel_rate for take in self.takes).most_common(1)[0]  # of two the one before
        if self.most_rate is None or rate <= self.most_rate:
            return rate
        return rate / ceil(rate / (self.most_rate * (1 + _AS_GOOD)))


@dataclass(frozen=True, kw_only=True)
class RemoveTake:
    """Takes a take out of the project, with its shots, and where it is pinned to others."""

    take_id: str
    label: str = "Remove take"

    def apply(self, project: Project) -> Project:
        project.take(self.take_id)
        shots = tuple(_without(shot, self.take_id) for shot in project.reel.shots if shot.take_id != self.take_id)
        takes = tuple(take for take in project.takes if take.id != self.take_id)
        return project.changed(takes=takes, reel=project.reel.changed(shots=shots))


def _without(shot: Shot, take_id: str) -> Shot:
    """A shot without what is pinned to it of a take."""
    kept = tuple(each for each in shot.pinned if not (isinstance(each.of, Film) and each.of.take_id == take_id))
    return shot if len(kept) == len(shot.pinned) else shot.changed(pinned=kept)


@dataclass(frozen=True, kw_only=True)
class PlaceTakes:
    """Says where the files of takes lie now: pairs of a take's id and a path."""

    places: tuple[tuple[str, str], ...]

    @property
    def label(self) -> str:
        return counted("Find", len(self.places), "take")

    def apply(self, project: Project) -> Project:
        places = dict(self.places)
        for take_id in places:
            project.take(take_id)
        takes = tuple(take.changed(path=places[take.id]) if take.id in places else take for take in project.takes)
        return project.changed(takes=takes)


@dataclass(frozen=True, kw_only=True)
class SetTakes:
    """Gives the takes other values at once; all of them are still there."""

    takes: tuple[Take, ...]
    label: str

    def apply(self, project: Project) -> Project:
        return project.changed(takes=self.takes)


@dataclass(frozen=True, kw_only=True)
class AddSpan:
    """Chooses another span of a take; the spans stand in the order of their first frames."""

    take_id: str
    span: NamedSpan
    label: str = "Choose span"

    def apply(self, project: Project) -> Project:
        take = project.take(self.take_id)
        return with_take(project, take.changed(spans=_in_order((*take.spans, self.span))))


@dataclass(frozen=True, kw_only=True)
class ChangeSpan:
    """Moves the ends of a chosen span, or names it."""

    take_id: str
    span: NamedSpan
    label: str = "Change span"

    def apply(self, project: Project) -> Project:
        take = project.take(self.take_id)
        _known_span(take, self.span.id)
        spans = _in_order(tuple(self.span if s.id == self.span.id else s for s in take.spans))
        return with_take(project, take.changed(spans=spans))


@dataclass(frozen=True, kw_only=True)
class RemoveSpan:
    """Forgets a chosen span; shots made of it stay."""

    take_id: str
    span_id: str
    label: str = "Remove span"

    def apply(self, project: Project) -> Project:
        take = project.take(self.take_id)
        _known_span(take, self.span_id)
        return with_take(project, take.changed(spans=tuple(s for s in take.spans if s.id != self.span_id)))


@dataclass(frozen=True, kw_only=True)
class JudgeTakes:
    """Says of takes whether they are worth keeping."""

    take_ids: tuple[str, ...]
    worth: Worth

    @property
    def label(self) -> str:
        return f"Mark as {self.worth}" if self.worth else "Take the mark away"

    def apply(self, project: Project) -> Project:
        for take_id in self.take_ids:
            project = with_take(project, project.take(take_id).changed(worth=self.worth))
        return project


@dataclass(frozen=True, kw_only=True)
class NoteTake:
    """Writes a note on a take."""

    take_id: str
    note: str
    label: str = "Write note"

    def apply(self, project: Project) -> Project:
        return with_take(project, project.take(self.take_id).changed(note=self.note))


@dataclass(frozen=True, kw_only=True)
class RenameTake:
    """Names a take; its file keeps its own name."""

    take_id: str
    name: str
    label: str = "Rename take"

    def apply(self, project: Project) -> Project:
        return with_take(project, project.take(self.take_id).changed(name=self.name))


@dataclass(frozen=True, kw_only=True)
class ConformTake:
    """Says how a take of another rate than the reel's plays on it."""

    take_id: str
    conform: Conform
    label: str = "Conform take"

    def apply(self, project: Project) -> Project:
        return with_take(project, project.take(self.take_id).changed(conform=self.conform))


def _in_order(spans: tuple[NamedSpan, ...]) -> tuple[NamedSpan, ...]:
    return tuple(sorted(spans, key=lambda each: (each.span.first, each.span.end)))


def _known_span(take: Take, span_id: str) -> None:
    if all(each.id != span_id for each in take.spans):
        raise KeyError(span_id)
