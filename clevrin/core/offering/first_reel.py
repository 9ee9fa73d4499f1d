"""A first reel of takes that lie there: ordered, cut where they agree, joined by what fits, each held as it is worth.

All of it is one edit, to be tuned then. It is *one move* (`join.one_move`) with what is offered for each of its shots.
"""

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from math import log

from clevrin.core.document import Project, Shot, Take
from clevrin.core.document.edits import InsertShots
from clevrin.core.hold.verdict import Verdict
from clevrin.core.join.assemble import put_ramps
from clevrin.core.join.one_move import OneMove, Wish, one_move
from clevrin.core.join.survey import Library
from clevrin.core.offering.shots import Known, shot_offers
from clevrin.core.pace import placed_shots, reel_frames

_ORDERED_FROM = 3
"""Two takes stay as they were shot: what came first is likely meant to."""
_AS_FAST = 1.15
"""Sides that are so nearly as fast go on as one move without ramps."""


@dataclass(frozen=True, kw_only=True)
class FirstReel:
    """The edit, and what it does in words."""

    edit: InsertShots
    words: str


def wanted_takes(project: Project) -> tuple[Take, ...]:
    """The takes of which a first reel would be: all that move, but those that were dropped."""
    return tuple(take for take in project.takes if take.worth != "drop" and take.facts.frames > 1)


def first_reel(
    project: Project,
    library: Library,
    verdict_of: Callable[[Take], Verdict | None],
    enough: Callable[[], None] = lambda: None,
) -> FirstReel:
    """The first reel of a project; costs what one move does.

    Raises `MediaError`, and what `enough` raises to stop it.
    """
    takes = wanted_takes(project)
    shots: tuple[Shot, ...] = tuple(Shot(take_id=take.id, span=take.span) for take in takes)
    ramps = 0
    if len(takes) > 1:
        measured = [library.measured(take) for take in takes]
        move = one_move(measured, project.reel, Wish(best_order=len(takes) >= _ORDERED_FROM), enough)
        shots, ramps = _with_ramps(move, project.reel.rate)
    laid = InsertShots(shots=shots).apply(project)
    held, holds = [], Counter[str]()
    for placed in placed_shots(laid):
        offers = shot_offers(laid, placed, Known(verdict=verdict_of(placed.take)))
        shot = placed.shot
        for edit in (each.make(laid) for each in offers if each.kind == "hold"):
            assert edit is not None, "nobody has changed the shot"
            shot = edit.apply(laid).shot(shot.id)
        holds[shot.hold.how] += 1
        held.append(shot)
    made = InsertShots(shots=tuple(held), label="Make a first reel")
    seconds = reel_frames(made.apply(project)) / float(project.reel.rate)
    return FirstReel(edit=made, words=_words(seconds, held, ramps, holds))


def _with_ramps(move: OneMove, rate: Fraction) -> tuple[tuple[Shot, ...], int]:
    """The shots of one move with ramps that meet where both cameras move, but not as fast; and at how many cuts."""
    shots = list(move.shots)
    matched = ((number, each.proposal) for number, each in enumerate(move.passages) if each.proposal is not None)
    unlike = [k for k, p in matched if p.move != "even" and abs(log(p.speed_ratio)) >= log(_AS_FAST)]
    count = put_ramps(shots, move.takes, unlike, rate)
    return tuple(shots), count


def _words(seconds: float, shots: list[Shot], ramps: int, holds: Counter[str]) -> str:
    joins = Counter(shot.leave.kind for shot in shots[:-1])
    told = [f"{len(shots)} shot{'s' if len(shots) > 1 else ''}, {seconds:.1f} s"]
    told += [f"{count} {kind}{'s' if count > 1 else ''}" for kind, count in joins.most_common()]
    told += [f"{ramps} with ramps that meet"] if ramps else []
    names = {"float": "floated", "lock-off": "standing still", "none": "as shot"}
    told += [f"{count} {names[how]}" for how, count in holds.most_common() if how in names]
    return ", ".join(told)
