"""All cuts of a reel at once: how each is joined, what would agree better, and which kind fits; and what could follow.

Comparing two takes that have been looked at costs about 2 ms.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from clevrin.core.document import Project, Shot, Take
from clevrin.core.join.assemble import Measured
from clevrin.core.join.cut_candidates import Moves
from clevrin.core.join.kinds.kind import Seen
from clevrin.core.join.match import WORTH_MATCHING, Proposal, Side, best_pair, side_of_shot
from clevrin.core.join.suggesting import Suggestion, seen_at_cut, suggestions
from clevrin.core.join.whip_cut import joined
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.progress import Progress, step


@dataclass(frozen=True, kw_only=True, eq=False)
class Library:
    """What takes are compared by: their open films, and where they can be cut (either may measure and decode)."""

    film: Callable[[Take], FilmReader]
    moves: Callable[[Take], Moves]

    def measured(self, take: Take) -> Measured:
        """A take for assembling."""
        moves = self.moves(take)
        return Measured(take=take, trace=moves.trace, film=self.film, known=moves)


@dataclass(frozen=True, kw_only=True)
class SurveyedCut:
    """The cut at which a shot leaves: by what it agrees best (None: by nothing), and the kinds, best fit first."""

    shot_id: str
    seen: Seen
    proposal: Proposal | None
    fits: tuple[Suggestion, ...]

    @property
    def agrees(self) -> bool:
        """Whether the moves that were shot agree so well that none has to be made."""
        return self.proposal is not None and self.proposal.score >= WORTH_MATCHING


@dataclass(frozen=True, kw_only=True)
class Follower:
    """A take that could follow a shot: cut by a proposal, or where nothing agrees joined by a kind.

    `outgoing` and `incoming` are both shots as they would be.
    """

    take: Take
    outgoing: Shot
    incoming: Shot
    proposal: Proposal | None
    suggestion: Suggestion

    @property
    def score(self) -> float:
        return self.proposal.score if self.proposal is not None else self.suggestion.fit.score


def survey_cut(project: Project, number: int, library: Library) -> SurveyedCut:
    """The cut behind one shot of a reel, by its number. Raises `MediaError`, `CancelledError`."""
    row = placed_shots(project)
    before, after = row[number], row[number + 1]
    moves = library.moves(before.take), library.moves(after.take)
    sides = (
        side_of_shot(moves[0], before, leaving=True, alone=number == 0),
        side_of_shot(moves[1], after, leaving=False, alone=number + 2 == len(row)),
    )
    on_beat = any(marker.kind == "beat" and marker.frame == before.end for marker in project.reel.markers)
    seen = seen_at_cut(before, after, (moves[0].trace, moves[1].trace), library.film, on_beat=on_beat)
    best = best_pair(*sides)
    kind_before = row[number - 1].shot.leave.kind if number else ""
    return SurveyedCut(shot_id=before.shot.id, seen=seen, proposal=best, fits=suggestions(seen, kind_before))


def survey_reel(project: Project, library: Library, progress: Progress) -> tuple[SurveyedCut, ...]:
    """Every cut of a reel, in its order. Raises `MediaError`, `CancelledError`."""
    found = []
    cuts = len(project.reel.shots) - 1
    for number in range(cuts):
        found.append(survey_cut(project, number, library))
        step(progress, number + 1, cuts)
    return tuple(found)


def could_follow(
    project: Project, shot_id: str, takes: Iterable[Take], library: Library, progress: Progress
) -> tuple[Follower, ...]:
    """Takes behind a shot of the reel, those first that agree with it, best first. Raises `MediaError` and so on."""
    row = placed_shots(project)
    at = next(number for number, placed in enumerate(row) if placed.shot.id == shot_id)
    outgoing = row[at]
    moves = library.moves(outgoing.take)
    side = side_of_shot(moves, outgoing, leaving=True, alone=at == 0)
    found = []
    takes = list(takes)
    for number, take in enumerate(takes):
        found.append(_follower(project, outgoing, side, moves.trace, take, library))
        step(progress, number + 1, len(takes))
    return tuple(sorted(found, key=lambda each: (each.proposal is None, -each.score)))


def _follower(project: Project, outgoing: Placed, side: Side, trace: Trace, take: Take, library: Library) -> Follower:
    incoming, measured = Shot(take_id=take.id, span=take.span), library.measured(take)
    best = best_pair(side, measured.side(project.reel.rate))
    if best is not None and best.score < WORTH_MATCHING:
        best = None
    pair = outgoing.shot, incoming
    if best is not None:
        pair = joined(*pair, best, (outgoing.take.facts.frames, take.facts.frames))
    takes = {each.id: each for each in (outgoing.take, take)}
    trial = Project(takes=tuple(takes.values()), reel=project.reel.changed(shots=pair, markers=()))
    row = placed_shots(trial)
    seen = seen_at_cut(row[0], row[1], (trace, measured.trace), library.film)
    suggestion = suggestions(seen)[0]
    if best is None:
        pair = pair[0].changed(leave=suggestion.join), pair[1]
    return Follower(take=take, outgoing=pair[0], incoming=pair[1], proposal=best, suggestion=suggestion)
