"""Offers for a cut that was surveyed: what agrees there, what could be made there, and colours that are apart."""

from clevrin.core.document import Join, Project
from clevrin.core.document.edits import Edit, JoinShots, SetLeaves
from clevrin.core.document.joining import PLAIN, WHIP
from clevrin.core.join.balancing import Balance, is_balanced
from clevrin.core.join.match import Proposal
from clevrin.core.join.survey import SurveyedCut
from clevrin.core.join.whip_cut import joined
from clevrin.core.offering.offer import Offer

_APART_DE, _BETTER_DE = 8.0, 3.0
"""Colours that are so far apart are seen to change, and a balance that brings them nearer by so much is worth it."""
_MOVES = {
    "whip": "Cut in the whip",
    "roll": "Cut in the roll",
    "push": "Cut in the push",
    "even": "Cut where it is even",
}
_WORTH_MAKING = 50.0


def edit_to(project: Project, found: SurveyedCut, kind: str) -> Edit | None:
    """The edit that joins a cut by a kind, set so that it fits; a whip cut as its pair was found, None without one."""
    at = project.shot_index(found.shot_id)
    outgoing, incoming = project.reel.shots[at], project.reel.shots[at + 1]
    if kind == WHIP:
        if found.proposal is None:
            return None
        frames = project.take(outgoing.take_id).facts.frames, project.take(incoming.take_id).facts.frames
        outgoing, incoming = joined(outgoing, incoming, found.proposal, frames)
        return JoinShots(outgoing=outgoing, incoming=incoming)
    if kind == outgoing.leave.kind:
        leave = outgoing.leave
    else:
        leave = next((each.join for each in found.fits if each.kind.id == kind), Join(kind=kind))
    return SetLeaves(leaves=((found.shot_id, leave),), label=f"Make {kind}")


def cut_offers(project: Project, found: SurveyedCut, balance: Balance | None) -> tuple[Offer, ...]:
    """What could be done at a cut; nothing where somebody has joined it otherwise. `balance`: of the frames at it."""
    offers = []
    shots = project.reel.shots
    at = project.shot_index(found.shot_id)
    if at + 1 < len(shots) and shots[at].leave.kind == PLAIN:
        joining = _match(found) if found.agrees else _make(found)
        offers += [] if joining is None else [joining]
    if balance is not None and not is_balanced(shots[at].leave):
        offers += _balance(found, balance)
    return tuple(offers)


def _match(found: SurveyedCut) -> Offer | None:
    proposal = found.proposal
    assert proposal is not None, "what agrees has a pair"
    return Offer(
        kind="match",
        step="join",
        shot_id=found.shot_id,
        words=_MOVES[proposal.move],
        price=_agreement(proposal),
        worth=0.5 + proposal.score / 200,
        make=lambda project: _of_plain(project, found, WHIP),
    )


def _agreement(p: Proposal) -> str:
    """Why two frames agree, what is turned round for it, and how well, in words."""
    words = []
    if p.move == "whip":
        words += [f"{p.direction_diff_deg:.0f}° apart", f"the next one {p.speed_ratio:.2f} times as fast"]
    elif p.move in ("roll", "push"):
        words += [f"both {p.move}", f"the next one {p.speed_ratio:.2f} times as fast"]
    else:
        words += [f"colours are ΔE {p.colour_delta_e:.0f} apart"]
    if p.mirror is not None or p.turns:
        words.append("the next one mirrored" if p.mirror is not None else f"the next one turned by {90 * p.turns}°")
    backward = [side for side, on in (("this one", p.reverse_out), ("the next one", p.reverse_in)) if on]
    if backward:
        words.append(f"{' and '.join(backward)} played backward")
    if p.short_s is not None:
        words.append(f"only {p.short_s:.1f} s of a shot is left")
    return f"{', '.join(words)} ({p.score:.0f})"


def _make(found: SurveyedCut) -> Offer | None:
    best = found.fits[0]
    if best.kind.id == PLAIN or best.fit.score < _WORTH_MAKING:
        return None
    return Offer(
        kind="make",
        step="join",
        shot_id=found.shot_id,
        words=f"Make it a {best.kind.id}",
        price=best.fit.why.rstrip("."),
        worth=0.6 * best.fit.score / 100,
        make=lambda project: _of_plain(project, found, best.kind.id),
    )


def _balance(found: SurveyedCut, balance: Balance) -> list[Offer]:
    if balance.before_de < _APART_DE or balance.before_de - balance.after_de < _BETTER_DE:
        return []

    def make(project: Project) -> Edit | None:
        shot = next((each for each in project.reel.shots if each.id == found.shot_id), None)
        if shot is None or is_balanced(shot.leave):
            return None
        return SetLeaves(leaves=((shot.id, balance.on(shot.leave)),), label="Balance colours")

    return [
        Offer(
            kind="balance",
            step="join",
            shot_id=found.shot_id,
            words="Balance the colours",
            price=f"its sides are ΔE {balance.before_de:.0f} apart, ΔE {balance.after_de:.0f} then",
            worth=0.55,
            make=make,
        )
    ]


def _of_plain(project: Project, found: SurveyedCut, kind: str) -> Edit | None:
    """The edit that joins a cut, as long as it is there and nobody has joined it."""
    shots = project.reel.shots
    at = next((number for number, shot in enumerate(shots[:-1]) if shot.id == found.shot_id), None)
    return None if at is None or shots[at].leave.kind != PLAIN else edit_to(project, found, kind)
