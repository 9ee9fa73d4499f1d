"""Which takes the Log bench lists, and in which order; without Qt, so that it can be tested by itself."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from clevrin.core.document import Take

SORTS = ("as brought in", "name", "rate", "length", "shake", "whips")


@dataclass(frozen=True, kw_only=True)
class Measured:
    """What sorting and searching need to know of a take's measurement; None while it is not measured."""

    shake_px: float | None
    whips: int | None
    cost: str | None


@dataclass(frozen=True, kw_only=True)
class Choice:
    """What the user wants to see."""

    words: str = ""
    sort: str = SORTS[0]
    dropped: bool = False

    def listed(self, takes: Iterable[Take], measured: Callable[[Take], Measured]) -> list[Take]:
        """The takes that are listed: all words are in the name, the note, a span's name, or say what it is."""
        wanted = self.words.lower().split()
        found = []
        for take in takes:
            if take.worth == "drop" and not self.dropped:
                continue
            if not wanted or all(word in _said(take, measured(take)) for word in wanted):
                found.append(take)
        if self.sort != SORTS[0]:
            found.sort(key=lambda take: _place(take, self.sort, measured(take)))
        return found


def _said(take: Take, measured: Measured) -> str:
    """All that can be searched for in a take."""
    facts = take.facts
    words = [take.name, take.note, take.worth or "", *(span.name for span in take.spans), measured.cost or ""]
    words += [f"{float(facts.rate):g}/s", f"{facts.width}x{facts.height}", facts.codec, "sound" if facts.sound else ""]
    words.append("whip" if measured.whips else "")
    return " ".join(words).lower()


def _place(take: Take, sort: str, measured: Measured) -> tuple[object, ...]:
    """Where a take stands: most whips and least shake first; what is not measured yet comes last."""
    if sort == "rate":
        return -take.facts.rate, take.name.lower()
    if sort == "length":
        return -take.facts.seconds, take.name.lower()
    if sort == "shake":
        return measured.shake_px is None, measured.shake_px or 0.0, take.name.lower()
    if sort == "whips":
        return measured.whips is None, -(measured.whips or 0), take.name.lower()
    return (take.name.lower(),)
