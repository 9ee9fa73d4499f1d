"""A reel made of several takes by itself: in their given or their best order, joined at their best matches."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import pairwise, permutations, product

from clevrin.core.document import Reel, Shot, Take
from clevrin.core.join.match import Proposal, Side, rank_pairs, side_of_shot
from clevrin.core.join.whip_cut import joined
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.trace import Trace

_MOST_TRIED = 7


@dataclass(frozen=True, kw_only=True, eq=False)
class Measured:
    """A take with what matching reads of it."""

    take: Take
    trace: Trace
    film: Callable[[Take], FilmReader]
    """Gives an open film of a take. It is asked for whenever one is read: only so many are open at once."""

    @property
    def reader(self) -> FilmReader:
        return self.film(self.take)


def assemble(
    reel: Reel, takes: list[Measured], *, best_order: bool = False
) -> tuple[Reel, tuple[Proposal | None, ...]]:
    """Appends a shot per take to a reel, each joined to the one before it; None where no whips agree.

    With `best_order` the order of the takes with the highest sum of scores is taken: all orders are tried up
    to seven takes, beyond that the best next take is chosen one by one.
    """
    if best_order:
        takes = _best_order(takes)
    shots: list[Shot] = []
    taken: list[Proposal | None] = []
    for number, measured in enumerate(takes):
        shot = Shot(take_id=measured.take.id, span=measured.take.span)
        if shots:
            before = takes[number - 1]
            leaving = side_of_shot(before.reader, before.trace, shots[-1], leaving=True, alone=len(shots) == 1)
            arriving = side_of_shot(measured.reader, measured.trace, shot, leaving=False, alone=True)
            proposals = rank_pairs(leaving, arriving)
            best = proposals[0] if proposals else None
            if best is not None:
                frames = before.take.facts.frames, measured.take.facts.frames
                shots[-1], shot = joined(shots[-1], shot, best, frames)
            taken.append(best)
        shots.append(shot)
    return reel.changed(shots=(*reel.shots, *shots)), tuple(taken)


def _best_order(takes: list[Measured]) -> list[Measured]:
    sides = [Side.of(m.reader, m.trace) for m in takes]
    scores: Mapping[tuple[int, int], float] = {
        (i, j): (proposals[0].score if (proposals := rank_pairs(sides[i], sides[j], most=1)) else 0.0)
        for i, j in product(range(len(takes)), repeat=2)
        if i != j
    }

    def total(order: tuple[int, ...]) -> float:
        return sum(scores[pair] for pair in pairwise(order))

    if len(takes) <= _MOST_TRIED:
        best = max(permutations(range(len(takes))), key=total)
    else:
        best = (max(scores, key=lambda pair: scores[pair])[0],)
        while len(best) < len(takes):
            rest = set(range(len(takes))) - set(best)
            best = (*best, max(rest, key=lambda j: scores[best[-1], j]))
    return [takes[i] for i in best]
