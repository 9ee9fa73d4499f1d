"""Where takes can be cut, looked at once for all that the Join bench compares."""

from collections.abc import Iterable

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Take
from clevrin.core.join.cut_candidates import Moves
from clevrin.core.join.move_shelf import kept_moves
from clevrin.core.join.survey import Library
from clevrin.core.progress import Progress
from clevrin.core.render.sources import Sources
from clevrin.desk.background.measurements import Measurements

_KEPT_BYTES = 24 * 1024 * 1024


class KnownMoves:
    """Those of the takes that were asked for last. Threads may share it."""

    def __init__(self) -> None:
        self._kept = ByteCache(_KEPT_BYTES)

    def library(self, sources: Sources, progress: Progress) -> Library:
        """What takes are compared by, for the thread that has these sources."""
        return Library(film=sources.films.reader, moves=lambda take: self._of(take, sources, progress))

    def _of(self, take: Take, sources: Sources, progress: Progress) -> Moves:
        trace = sources.measured.measure(take, progress)
        found = self._kept.get(take.fingerprint)
        if isinstance(found, Moves) and found.trace is trace:
            return found
        moves = kept_moves(take, trace, sources.films.reader, sources.measured.shelf)
        self._kept.put(take.fingerprint, moves)
        return moves


def why_not_yet(measurements: Measurements, takes: Iterable[Take]) -> str:
    """Why takes cannot be compared yet, in words; "" where they can."""
    waiting = [take for take in takes if measurements.trace(take) is None]
    troubles = [trouble for take in waiting if (trouble := measurements.trouble(take))]
    if troubles:
        return troubles[0]
    return "The motion of the takes is being measured." if waiting else ""
