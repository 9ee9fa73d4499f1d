"""What has been measured of the takes in the project, for drawing: started by itself, kept for the session."""

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Shot, Take
from clevrin.core.hold import HeldPath
from clevrin.core.hold.verdict import Verdict, judge
from clevrin.core.motion import Trace, Whip, find_whips
from clevrin.core.motion.cache import Shelf
from clevrin.core.progress import Progress
from clevrin.core.render.sources import Known, Sources
from clevrin.desk.jobs import Job, JobRunner
from clevrin.desk.media_watch import MediaWatch
from clevrin.desk.session import Session


class Measurements(QObject):
    """Traces, whips and held paths by take and shot; None while they are not there yet.

    Measuring starts by itself for every take of the project, one after the other in the background.
    """

    measured = Signal(str)
    """A take's trace is there: its id."""
    held_changed = Signal(str)
    """A shot's held path is there: its id."""
    failed = Signal(str, str)
    """A take cannot be measured: its id, and a sentence."""

    def __init__(self, session: Session, jobs: JobRunner, shelf: Shelf, known: Known, watch: MediaWatch) -> None:
        super().__init__(session)
        self._session = session
        self._jobs = jobs
        self._watch = watch
        self.shelf = shelf
        self.known = known
        self._traces: dict[str, Trace] = {}
        self._whips: dict[str, tuple[Whip, ...]] = {}
        self._verdicts: dict[str, Verdict] = {}
        self._held: dict[tuple, HeldPath] = {}
        self._troubles: dict[str, str] = {}
        self._solving: dict[str, tuple] = {}
        session.takes_changed.connect(self._on_session_takes_changed)
        watch.changed.connect(self._on_watch_changed)

    def trace(self, take: Take) -> Trace | None:
        return self._traces.get(take.fingerprint)

    def whips(self, take: Take) -> tuple[Whip, ...]:
        return self._whips.get(take.fingerprint, ())

    def verdict(self, take: Take) -> Verdict | None:
        """What holding the take would cost."""
        return self._verdicts.get(take.fingerprint)

    def missing(self, take: Take) -> bool:
        """Whether the take's file is not there, or is another one now."""
        return self._watch.of(take) != "there"

    def trouble(self, take: Take) -> str | None:
        """Why a take cannot be shown or measured."""
        return self._watch.sentence(take) or self._troubles.get(take.fingerprint)

    def is_measuring(self, take: Take) -> bool:
        return self._jobs.is_running(("measure", take.fingerprint))

    def held(self, shot: Shot, take: Take) -> HeldPath | None:
        """The held path of a shot; starts solving it when it is not there."""
        if shot.hold.how == "none":
            return None
        key = _held_key(shot, take)
        if key not in self._held and self.trace(take) is not None:
            self._solve(shot, take, key)
        return self._held.get(key)

    def measure(self, take: Take) -> None:
        """Starts measuring a take, or goes on where it was stopped."""
        if take.fingerprint in self._traces:
            return
        self._troubles.pop(take.fingerprint, None)

        def work(progress: Progress) -> tuple[Trace, tuple[Whip, ...], Verdict]:
            with Sources(self.shelf, self.known) as sources:
                trace = sources.measure(take, progress)
                whips = find_whips(trace)
                return trace, whips, judge(trace, whips)

        def done(result: tuple[Trace, tuple[Whip, ...], Verdict]) -> None:
            key = take.fingerprint
            self._traces[key], self._whips[key], self._verdicts[key] = result
            self.measured.emit(take.id)

        def failed(sentence: str) -> None:
            self._troubles[take.fingerprint] = sentence
            self.failed.emit(take.id, sentence)

        self._jobs.start(
            Job(
                key=("measure", take.fingerprint),
                what=f"Measuring {take.name}",
                work=work,
                done=done,
                failed=failed,
                background=True,
            )
        )

    def _solve(self, shot: Shot, take: Take, key: tuple) -> None:
        def work(progress: Progress) -> HeldPath | None:
            with Sources(self.shelf, self.known) as sources:
                if shot.hold.how == "lock-off":
                    sources.register(take, shot.span, progress)
                return sources.held(take, shot.span, shot.hold)

        def done(path: HeldPath | None) -> None:
            if path is not None:
                self._held[key] = path
                self.held_changed.emit(shot.id)

        def failed(sentence: str) -> None:
            self._session.trouble.emit(sentence)

        # Newest wins: while a slider is dragged, answers to older settings are of no use.
        if self._solving.get(shot.id) != key or not self._jobs.is_running(("hold", shot.id)):
            self._solving[shot.id] = key
            what = f"Registering {take.name}" if shot.hold.how == "lock-off" else f"Holding {take.name}"
            self._jobs.restart(
                Job(
                    key=("hold", shot.id),
                    what=what,
                    work=work,
                    done=done,
                    failed=failed,
                    quiet=shot.hold.how == "float",
                )
            )

    def _on_session_takes_changed(self) -> None:
        self._measure_all()

    def _on_watch_changed(self) -> None:
        """Files that were missing may be there again."""
        self._troubles.clear()
        self._measure_all()
        self.failed.emit("", "")

    def _measure_all(self) -> None:
        for take in self._session.project.takes:
            known = take.fingerprint in self._traces or take.fingerprint in self._troubles
            if not known and not self.missing(take) and Path(take.path).exists():
                self.measure(take)


def _held_key(shot: Shot, take: Take) -> tuple:
    return take.fingerprint, shot.span, shot.hold.changed(crispness=0.0)
