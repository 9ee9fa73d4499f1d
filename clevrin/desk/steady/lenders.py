"""Who may lend a shot its motion: a simulated hand, a motion that was read or performed, another take."""

from dataclasses import dataclass

from clevrin.core.document import Loan, Project
from clevrin.core.document.loans import RIGS


@dataclass(frozen=True, kw_only=True)
class Lender:
    """An entry of the list of those who lend motion; `loan` None: nobody does."""

    words: str
    loan: Loan | None


def lenders_of(project: Project, take_id: str, loan: Loan | None) -> list[Lender]:
    """All that may lend motion to a shot of a take, on the terms of the present loan."""
    terms = {} if loan is None else {"lent": loan.lent, "amount": loan.amount, "size": loan.size}
    seed = 1 if loan is None else loan.seed
    lenders = [Lender(words="nobody", loan=None)]
    lenders += [
        Lender(words=f"hand: {rig}", loan=Loan.model_validate({"lender": "rig", "rig": rig, "seed": seed, **terms}))
        for rig in RIGS
    ]
    for kind, among in (("motion", project.motions), ("take", project.takes)):
        for each in among:
            if each.id != take_id:
                given = Loan.model_validate({"lender": kind, "lender_id": each.id, **terms})
                lenders.append(Lender(words=each.name, loan=given))
    return lenders


def place_of(loan: Loan | None, lenders: list[Lender]) -> int:
    """Which of the lenders a loan has; the first, nobody, where it is gone."""
    return next((k for k, each in enumerate(lenders) if _alike(each.loan, loan)), 0)


def _alike(one: Loan | None, other: Loan | None) -> bool:
    """Whether two loans have one lender."""
    if one is None or other is None:
        return one is other
    if one.lender == "rig" == other.lender:
        return one.rig == other.rig
    return (one.lender, one.lender_id) == (other.lender, other.lender_id)
