"""Frames that take too long to be made while they are played: made in the background from the playhead on, and kept."""

from PySide6.QtCore import QObject, QTimer, Signal

from clevrin.core.document import Project
from clevrin.core.progress import Progress, step
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.sources import Sources
from clevrin.desk.background.jobs import Job, JobRunner
from clevrin.desk.background.plans import Making, Plans
from clevrin.desk.background.prepared import Prepared

_TELL_EVERY_MS = 120


class Preparing(QObject):
    """Prepares one row of pictures at a time, from the playhead on and round again."""

    changed = Signal()

    def __init__(self, jobs: JobRunner, store: MeasurementStore, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._jobs, self._store = jobs, store
        self.making = Making(prepared=Prepared(store.shelf))
        self.trusts: dict[int, float] = {}
        """The frames of the wanted row that are prepared, and how much of each could be followed."""
        self._wanted: tuple[object, ...] | None = None
        self._around = 0
        self._tell = QTimer(self, interval=_TELL_EVERY_MS)
        self._tell.timeout.connect(self.changed)

    def want(self, plans: Plans, subject: tuple[object, ...], around: int) -> None:
        """Prepares a row; frames behind `around` come first. While the `subject` is the same, it goes on as it is."""
        self._around = around
        if self._wanted is not None and _same(self._wanted, subject):
            return
        self._wanted = subject
        trusts: dict[int, float] = {}
        self.trusts = trusts

        def work(progress: Progress) -> bool:
            return self._prepare(plans, trusts, progress)

        def ended(all_measured: bool) -> None:
            if not all_measured:
                self._wanted = None  # asked for again once it is
            self._tell.stop()
            self.changed.emit()

        self._tell.start()
        self._jobs.restart(
            Job(
                key=("prepare",),
                what="Preparing pictures",
                work=work,
                done=ended,
                failed=lambda _: self._tell.stop(),
                quiet=True,
                gives_way=True,
            )
        )

    def _prepare(self, plans: Plans, trusts: dict[int, float], progress: Progress) -> bool:
        """Makes what takes long, on a worker; whether all that takes is measured."""
        count = plans.end - plans.first
        with Sources.of(self._store, light=True) as sources:
            for number in range(count):
                frame = plans.first + (self._around - plans.first + number) % count
                step(progress, number, count)
                plan = plans.at(self._store, frame)
                if plan.unmeasured:
                    return False
                if not plans.is_worth_preparing(plan, self.making):
                    continue
                name = plans.name_of(plan)
                trust = self.making.prepared.trust(name)
                if trust is None:
                    pixels = plans.made(sources, plan, self.making)
                    trust = plans.trust(sources, plan)
                    self.making.keep(name, plan, pixels, trust)
                trusts[frame] = trust
        return True

    def stop(self) -> None:
        """Leaves off; what is prepared is kept."""
        self._wanted = None
        self._tell.stop()
        self._jobs.stop(("prepare",))


def _same(one: tuple[object, ...], other: tuple[object, ...]) -> bool:
    """Whether two subjects are the same; projects are, when they are one: comparing large ones takes long."""
    if len(one) != len(other):
        return False
    return all(a is b or (not isinstance(a, Project) and a == b) for a, b in zip(one, other, strict=True))
