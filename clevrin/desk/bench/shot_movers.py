"""What moves by itself in shots, looked for once, in the background."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Shot, Span, Take
from clevrin.core.gate.resting import detail_of
from clevrin.core.motion.measuring.vectors import Vectors
from clevrin.core.motion.movers import Mover, find_movers
from clevrin.core.progress import Progress
from clevrin.desk.background.jobs import CHARTING, Job
from clevrin.desk.bench.context import Context


@dataclass(frozen=True, kw_only=True, eq=False)
class Found:
    """The movers of a shot, and where there is most to see (`detail_of`)."""

    movers: tuple[Mover, ...]
    detail: NDArray[np.float64]


class ShotMovers(QObject):
    """Movers by shot, worked out in the background; None while they are not there yet."""

    changed = Signal(str)
    """The movers of a shot are there: its id."""

    def __init__(self, context: Context, parent: QObject) -> None:
        super().__init__(parent)
        self._context = context

    def known(self, take: Take, span: Span) -> Found | None:
        """The same of a span of a take, where somebody has looked for it already."""
        found = self._context.measurements.store.remembered.get(("movers", take.measured_as, span))
        return found if isinstance(found, Found) else None

    def of(self, shot: Shot) -> Found | None:
        """What there is to see in a shot, and what of it moves by itself; asking starts looking for it."""
        take = self._context.session.project.take(shot.take_id)
        measurements = self._context.measurements
        trace, store = measurements.trace(take), measurements.store
        if trace is None:
            return None
        key = "movers", take.measured_as, shot.span
        known = self.known(take, shot.span)
        if known is not None:
            return known

        def vectors(frame: int) -> Vectors | None:
            return store.vectors(take, frame)

        def work(progress: Progress) -> Found:
            return Found(movers=find_movers(trace, shot.span, vectors), detail=detail_of(shot.span, vectors))

        def done(found: Found) -> None:
            store.remembered.put(key, found)
            self.changed.emit(shot.id)

        if not self._context.jobs.is_running(("movers", shot.id)):
            self._context.jobs.start(
                Job(
                    key=("movers", shot.id),
                    what=f"Looking for what moves in {take.name}",
                    work=work,
                    done=done,
                    quiet=True,
                    turn=CHARTING,
                )
            )
        return None
