"""A reel made of several takes by itself: in their given or their best order, joined at their best matches.

The joins of a chain are chosen together (dynamic programming over the proposals of each pair): what is best for one
join may leave nothing of the take between it and the next. A take is mirrored or played backward only where nothing
else fits nearly as well.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from itertools import pairwise, permutations, product
from math import log

import numpy as np

from clevrin.core.document import Reel, Shot, Take
from clevrin.core.join.cut_candidates import Moves
from clevrin.core.join.match import Proposal, Side, best_unseen, rank_pairs, room
from clevrin.core.join.meeting import with_ramps
from clevrin.core.join.whip_cut import joined
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.pace import played_rate

_MOST_TRIED = 7
_PROPOSALS = 48
_PLAIN_SCORE = 1.0
"""What a plain cut counts: less than any join that is worth the name."""
_KEPT_SHARE = 0.5
"""From this share of its span on, a take between two joins counts as kept."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Measured:
    """A take with what matching reads of it."""

    take: Take
    trace: Trace
    film: Callable[[Take], FilmReader]
    """Gives an open film of a take. It is asked for whenever one is read: only so many are open at once."""
    known: Moves | None = None
    """Where it can be cut, as far as that is known."""

    @property
    def reader(self) -> FilmReader:
        return self.film(self.take)

    @cached_property
    def moves(self) -> Moves:
        """Where it can be cut; its pictures are looked at once."""
        return self.known or Moves.of(self.reader, self.trace)

    def side(self, reel_rate: Fraction) -> Side:
        """The take for matching, as it is chosen and as fast as it plays on a reel."""
        return Side.having(self.moves, kept=self.take.span, rates=played_rate(self.take, reel_rate))


@dataclass(frozen=True, kw_only=True)
class Assembled:
    """A reel made of takes: the shots that were added, and how each but the last is joined (None: a plain cut)."""

    reel: Reel
    shots: tuple[Shot, ...]
    joins: tuple[Proposal | None, ...]


def assemble(reel: Reel, takes: list[Measured], *, best_order: bool = False, ramps: bool = False) -> Assembled:
    """Appends a shot per take to a reel, each joined to the one before it as far as whips agree.

    With `best_order` the order of the takes with the highest sum of scores is taken: all orders are tried up
    to seven takes, beyond that the best next take is chosen one by one. With `ramps` both sides of each join play so
    fast that the picture goes on as fast as it went.
    """
    if best_order:
        takes = in_best_order(takes, reel.rate)
    shots, chosen = chain(takes, reel.rate)
    if ramps:
        put_ramps(shots, takes, [number for number, each in enumerate(chosen) if each is not None], reel.rate)
    return Assembled(reel=reel.changed(shots=(*reel.shots, *shots)), shots=tuple(shots), joins=tuple(chosen))


def put_ramps(shots: list[Shot], takes: Sequence[Measured], cuts: Iterable[int], reel_rate: Fraction) -> int:
    """Gives the shots on both sides of cuts, by their numbers, ramps that meet; returns at how many there are any."""
    count = 0
    for number in cuts:
        a, b = takes[number], takes[number + 1]
        pair, found = with_ramps((shots[number], shots[number + 1]), (a.take, b.take), (a.trace, b.trace), reel_rate)
        shots[number : number + 2] = pair
        count += found is not None
    return count


def chain(
    takes: list[Measured], reel_rate: Fraction, plain_score: float = _PLAIN_SCORE
) -> tuple[list[Shot], list[Proposal | None]]:
    """A shot of each take, and by what they are cut to each other: the choice that is best for all of them together.

    `plain_score`: what it counts to be joined otherwise, as a score; None stands for that.
    """
    sides = [measured.side(reel_rate) for measured in takes]
    choices: list[tuple[_Choice, ...]] = [(None, *rank_pairs(a, b, most=_PROPOSALS)) for a, b in pairwise(sides)]
    chosen = _chain(choices, sides, plain_score)
    shots = [Shot(take_id=measured.take.id, span=measured.take.span) for measured in takes]
    for number, proposal in enumerate(chosen):
        if proposal is not None:
            frames = sides[number].frames, sides[number + 1].frames
            shots[number], shots[number + 1] = joined(shots[number], shots[number + 1], proposal, frames)
    return shots, chosen


_Choice = Proposal | None


def _chain(choices: list[tuple[_Choice, ...]], sides: list[Side], plain_score: float) -> list[_Choice]:
    """Of the proposals of each join the ones whose scores are best together with what they leave of the takes."""
    if not choices:
        return []

    def worth(choice: _Choice) -> float:
        return log(plain_score if choice is None else max(choice.worth_unseen, 1e-6))

    total = [[worth(choice) for choice in choices[0]]]
    came_from: list[list[int]] = []
    for number, (before, after) in enumerate(pairwise(choices), start=1):
        reached: list[float] = []
        best_before: list[int] = []
        for choice in after:
            sums = [t + _worth_between(b, choice, sides[number]) for t, b in zip(total[-1], before, strict=True)]
            best = int(np.argmax(sums))
            reached.append(sums[best] + worth(choice))
            best_before.append(best)
        total.append(reached)
        came_from.append(best_before)
    at = int(np.argmax(total[-1]))
    way = [at]
    for best_before in reversed(came_from):
        at = best_before[at]
        way.append(at)
    return [choice[at] for choice, at in zip(choices, reversed(way), strict=True)]


def _worth_between(arriving: _Choice, leaving: _Choice, side: Side) -> float:
    """What is left of a take between two joins, as a logarithm of 0 to 1; minus infinity where that is nothing."""
    ways = {choice for choice in (_way(arriving, of_in=True), _way(leaving, of_in=False)) if choice is not None}
    if len(ways) > 1:
        return -np.inf
    backward = ways == {True}
    kept = side.kept
    enters = arriving.in_frame if arriving is not None else (kept.end - 1 if backward else kept.first)
    leaves = leaving.out_frame if leaving is not None else (kept.first if backward else kept.end - 1)
    frames = (enters - leaves if backward else leaves - enters) + 1
    if frames < 1:
        return -np.inf
    first = min(enters, leaves)
    share = min(1.0, frames / (_KEPT_SHARE * kept.frames)) * float(room(np.array(side.seconds(first, first + frames))))
    return log(max(share, 1e-9))


def _way(choice: _Choice, *, of_in: bool) -> bool | None:
    """Whether a join has its side play backward; None for a plain cut."""
    if choice is None:
        return None
    return choice.reverse_in if of_in else choice.reverse_out


def in_best_order(
    takes: list[Measured], reel_rate: Fraction, enough: Callable[[], None] = lambda: None
) -> list[Measured]:
    """Takes in the order in which the scores of their best pairs add up to most; `enough` may raise to stop it."""
    sides = [measured.side(reel_rate) for measured in takes]
    scores = {pair: 0.0 if best is None else best.worth_unseen for pair, best in best_pairs(sides, enough).items()}

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


def best_pairs(sides: list[Side], enough: Callable[[], None]) -> dict[tuple[int, int], Proposal | None]:
    """The best pair of frames of every two sides, by their numbers: the outgoing one, and the incoming one."""
    found = {}
    for i, j in product(range(len(sides)), repeat=2):
        if i != j:
            found[i, j] = best_unseen(sides[i], sides[j])
            enough()
    return found
