"""What is proposed for the holds of shots, worked out in the background and kept for the session."""

from dataclasses import dataclass

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Hold, Shot
from clevrin.core.hold.proposals import Chart, Enough, Jolt, chart, least_hold, price_setters
from clevrin.core.progress import Progress
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.desk.background.jobs import CHARTING, Job, JobRunner
from clevrin.desk.background.measurements import Measurements
from clevrin.desk.state.session import Session


@dataclass(frozen=True, kw_only=True)
class Proposals:
    """The keep-settle chart of a shot, the frames that set its price, and the least hold that is enough."""

    chart: Chart
    jolts: tuple[Jolt, ...]
    enough: Enough


class ShotProposals(QObject):
    """Proposals by shot; None while they are not there yet. Asking for them starts working them out.

    While they are worked out anew, as when a dot is dragged over the chart, those before stay.
    """

    changed = Signal(str)
    """The proposals for a shot are there: its id."""

    def __init__(self, session: Session, jobs: JobRunner, measurements: Measurements) -> None:
        super().__init__(session)
        self._session, self._jobs, self._measurements = session, jobs, measurements
        self._wanted: dict[str, tuple] = {}
        self._last: dict[str, Proposals] = {}

    def of(self, shot: Shot) -> Proposals | None:
        """The proposals for a floating shot; the budget, which the chart is about, does not change them."""
        take = self._session.project.take(shot.take_id)
        trace = self._measurements.trace(take)
        if trace is None:
            return None
        hold = _asked(shot.hold)
        shape = HoldRequest.of(self._session.project, shot).shape
        key = "proposals", take.measured_as, shot.span, hold, shape
        remembered = self._measurements.store.remembered
        known = remembered.get(key)
        if isinstance(known, Proposals):
            self._last[shot.id] = known
            return known
        if self._wanted.get(shot.id) == key and self._jobs.is_running(("proposals", shot.id)):
            return self._last.get(shot.id)
        self._wanted[shot.id] = key
        whips = self._measurements.whips(take)

        def work(progress: Progress) -> Proposals:
            return Proposals(
                chart=chart(trace, shot.span, hold, whips, progress, shape, (remembered, take.measured_as)),
                jolts=price_setters(trace, shot.span, hold, shape),
                enough=least_hold(trace, shot.span, hold, whips, shape),
            )

        def done(found: Proposals) -> None:
            remembered.put(key, found)
            self._last[shot.id] = found
            self.changed.emit(shot.id)

        # Newest wins; in the background, so that the hold itself is solved first.
        words = f"Charting {take.name}"
        self._jobs.restart(
            Job(
                key=("proposals", shot.id),
                what=words,
                work=work,
                done=done,
                quiet=True,
                background=True,
                turn=CHARTING,
            )
        )
        return self._last.get(shot.id)


def _asked(hold: Hold) -> Hold:
    """The settings on which proposals depend."""
    return Hold(how="float", settle_s=hold.settle_s, axes=hold.axes, bounds=hold.bounds, spared=hold.spared)
