"""What an offer is: something that could be done, in words, with what it costs or gains."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Literal

from clevrin.core.document import Project
from clevrin.core.document.edits import Edit

OfferKind = Literal["hold", "slow", "blur", "follow", "match", "make", "balance", "reel"]
Step = Literal["steady", "reframe", "pace", "join", "log"]


@dataclass(frozen=True, kw_only=True, eq=False)
class Offer:
    """Something that could be done to a shot, or to the cut behind it.

    `words` say what, `price` what it costs or why it fits, in figures. `worth` 0 to 1: how likely it is wanted. Those
    of one `kind` can be taken together. `make` gives the edit for a project as it is then; None where it does not fit
    any more. A first reel ("reel") is made in the background (`first_reel`): it is of no shot, and has no edit before.
    """

    kind: OfferKind
    step: Step
    shot_id: str
    words: str
    price: str
    worth: float
    make: Callable[[Project], Edit | None]

    @property
    def told(self) -> str:
        return f"{self.words}: {self.price}"


def best_first(offers: Iterable[Offer], step: str) -> tuple[Offer, ...]:
    """Offers in the order in which they are told: those of the step in which somebody works, then by their worth."""
    return tuple(sorted(offers, key=lambda each: (each.step != step, -each.worth)))
