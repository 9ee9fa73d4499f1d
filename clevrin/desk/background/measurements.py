"""What has been measured of the takes in the project, for drawing: started by itself, kept for the session."""

from collections.abc import Hashable
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Project, Shot, Take
from clevrin.core.errors import MediaError
from clevrin.core.hold import HeldPath
from clevrin.core.hold.verdict import Verdict, kept_verdict
from clevrin.core.join.between import CourseOf
from clevrin.core.motion import Trace, Whip, find_whips
from clevrin.core.motion.measuring.vectors import Vectors
from clevrin.core.paths import is_there
from clevrin.core.progress import Progress, step
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import Held, complete
from clevrin.desk.background.jobs import MEASURING, Job, JobRunner, JobState
from clevrin.desk.background.media_watch import MediaWatch
from clevrin.desk.state.session import Session

_OTHERS_KEPT = 100
_HELD_BYTES = 6 * 1024 * 1024
"""Held paths of the settings that were looked at last; dragging a slider makes dozens."""


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

    def __init__(self, session: Session, jobs: JobRunner, store: MeasurementStore, watch: MediaWatch) -> None:
        super().__init__(session)
        self._session = session
        self._jobs = jobs
        self._watch = watch
        self.store = store
        self._traces: dict[tuple, Trace] = {}
        self._whips: dict[tuple, tuple[Whip, ...]] = {}
        self._verdicts: dict[tuple, Verdict] = {}
        self._held = ByteCache(_HELD_BYTES)
        self._troubles: dict[tuple, str] = {}
        self._begun: set[tuple] = set()
        self._recalling: set[tuple] = set()
        self._solving: dict[Hashable, Hashable] = {}
        self._shown: dict[Hashable, Hashable] = {}
        session.takes_changed.connect(self._on_session_takes_changed)
        session.selection_changed.connect(self._put_first_what_is_looked_at)
        watch.changed.connect(self._on_watch_changed)

    def course_of(self, project: Project) -> CourseOf:
        """How the cameras of a project's shots move, as far as that is measured."""
        return lambda shot: self.trace(project.take(shot.take_id))

    def trace(self, take: Take) -> Trace | None:
        return self._traces.get(take.measured_as)

    def whips(self, take: Take) -> tuple[Whip, ...]:
        return self._whips.get(take.measured_as, ())

    def verdict(self, take: Take) -> Verdict | None:
        """What holding the take would cost."""
        return self._verdicts.get(take.measured_as)

    def missing(self, take: Take) -> bool:
        """Whether the take's file is not there, or is another one now."""
        return self._watch.of(take) != "there"

    def trouble(self, take: Take) -> str | None:
        """Why a take cannot be shown or measured."""
        return self._watch.sentence(take) or self._troubles.get(take.measured_as)

    def is_measuring(self, take: Take) -> bool:
        return take.measured_as in self._recalling or self._jobs.is_running(_job_key(take.measured_as))

    def measuring(self, take: Take) -> JobState | None:
        """How far measuring a take is; None while it is not measured, and not to be."""
        return self._jobs.state_of(_job_key(take.measured_as))

    def is_stopped(self, take: Take) -> bool:
        """Whether somebody stopped measuring the take; what was measured is kept."""
        key = take.measured_as
        done = key in self._traces or key in self._troubles
        return key in self._begun and not done and not self.is_measuring(take)

    def resume(self) -> None:
        """Goes on with every take whose measuring somebody stopped: what was stopped at once goes on at once."""
        for take in self._session.project.takes:
            if self.is_stopped(take):
                self.measure(take)

    def vectors(self, take: Take, frame: int) -> Vectors | None:
        """What was followed into a frame, as shares of the picture's size; None where it is not measured yet."""
        return self.store.vectors(take, frame)

    def held(self, shot: Shot, through: Project | None = None) -> HeldPath | None:
        """The held path of a shot of the project, or of one like it; starts solving it when it is not there.

        `through`: the project as an output shows it, where it is another one than the session's.
        """
        request = HoldRequest.of(through or self._session.project, shot)
        if not request.moved:
            return None
        found = self._held.get(request.key)
        # What is being followed is not followed a second time: the path is asked for again when that is done.
        tracks = [*request.subjects, *([] if request.track is None else [request.track])]
        followed = not any(self._jobs.is_running(following_key(track.id)) for track in tracks)
        known = not request.needs_trace or self.trace(request.take) is not None
        if found is None and followed and known:
            self._solve(request)
        return found if isinstance(found, HeldPath) else None

    def last_held(self, shot: Shot, through: Project | None = None) -> HeldPath | None:
        """The held path of a shot, or while it is solved anew the one before; None for a shot as it was shot."""
        if not HoldRequest.of(through or self._session.project, shot).moved:
            return None
        return self.held(shot, through) or self.held_before(shot, through)

    def held_before(self, shot: Shot, through: Project | None = None) -> HeldPath | None:
        """The last held path of a shot, as far as there was one; starts nothing."""
        found = self._held.get(self._shown.get(_slot(HoldRequest.of(through or self._session.project, shot))))
        return found if isinstance(found, HeldPath) else None

    def measure(self, take: Take) -> None:
        """Starts measuring a take, or goes on where it was stopped."""
        key = take.measured_as
        if key in self._verdicts:
            return
        self._begun.add(key)
        self._troubles.pop(key, None)

        def work(progress: Progress) -> tuple[Trace, tuple[Whip, ...], Verdict]:
            trace = self.store.measure(take, progress)
            whips = self._whips_in(take, trace)
            return trace, whips, self._verdict_on(key, trace, whips)

        def done(result: tuple[Trace, tuple[Whip, ...], Verdict]) -> None:
            self._traces[key], self._whips[key], self._verdicts[key] = result
            self.measured.emit(take.id)

        def failed(sentence: str) -> None:
            self._troubles[key] = sentence
            self.failed.emit(take.id, sentence)

        self._jobs.start(
            Job(
                key=_job_key(key),
                what=f"Measuring {take.name}",
                work=work,
                done=done,
                failed=failed,
                background=True,
                turn=MEASURING,
                steps=take.facts.frames,
                quiet=key in self._traces,  # only the verdict is missing: nobody waits for that
            )
        )
        self._put_first_what_is_looked_at()

    def _verdict_on(self, key: tuple, trace: Trace, whips: tuple[Whip, ...]) -> Verdict:
        store = self.store
        return store.remembered.once(("verdict", key), lambda: kept_verdict(trace, whips, store.shelf))

    def _solve(self, request: HoldRequest) -> None:
        shot, take, key, slot = request.shot, request.take, request.key, _slot(request)

        def work(progress: Progress) -> HeldPath | None:
            state = complete(request, self.store, progress).state
            return state.path if isinstance(state, Held) else None

        def done(path: HeldPath | None) -> None:
            if path is not None:
                self._held.put(key, path)
                self._shown[slot] = key
                self.held_changed.emit(shot.id)

        def failed(sentence: str) -> None:
            self._session.trouble.emit(sentence)

        # Newest wins: while a slider is dragged, answers to older settings are of no use.
        if self._solving.get(slot) != key or not self._jobs.is_running(("hold", *slot)):
            self._solving[slot] = key
            words = {"lock-off": "Registering", "anchor": "Following in"}.get(shot.hold.how, "Holding")
            self._jobs.restart(
                Job(
                    key=("hold", *slot),
                    what=f"{words} {take.name}",
                    work=work,
                    done=done,
                    failed=failed,
                    quiet=shot.hold.how in ("none", "float"),
                )
            )

    def _put_first_what_is_looked_at(self) -> None:
        """It is measured before all others that wait."""
        take = self._session.take
        if take is not None and take.measured_as not in self._traces:
            self._jobs.put_first(_job_key(take.measured_as))

    def _on_session_takes_changed(self) -> None:
        self._measure_all()

    def _on_watch_changed(self) -> None:
        """Files that were missing may be there again."""
        self._troubles.clear()
        self._begun &= self._traces.keys()
        self._measure_all()
        self.failed.emit("", "")

    def _measure_all(self) -> None:
        """Begins what nobody has begun; what somebody stopped waits until it is asked for."""
        takes = self._session.project.takes
        self._forget_others({take.measured_as for take in takes})
        for key in self._begun - {take.measured_as for take in takes} - self._traces.keys():
            self._jobs.stop(_job_key(key))
            self._begun.discard(key)
        there = [take for take in takes if not self.missing(take) and is_there(Path(take.path))]
        fresh = tuple(take for take in there if take.measured_as not in self._begun)
        if fresh:
            self._begun.update(take.measured_as for take in fresh)
            self._recall(fresh)

    def _recall(self, takes: tuple[Take, ...]) -> None:
        """Has what was measured before at once, whatever is played meanwhile; then begins the rest."""

        def work(progress: Progress) -> list[tuple[Take, Trace, tuple[Whip, ...]]]:
            found = []
            for number, take in enumerate(takes):
                step(progress, number, len(takes))
                with suppress(MediaError):  # measuring it says why
                    trace = self.store.trace(take)
                    if trace is not None:
                        found.append((take, trace, self._whips_in(take, trace)))
            return found

        def done(found: list[tuple[Take, Trace, tuple[Whip, ...]]]) -> None:
            for take, trace, whips in found:
                self._traces[take.measured_as], self._whips[take.measured_as] = trace, whips
                self.measured.emit(take.id)
            go_on()

        def go_on(_: str = "") -> None:
            self._recalling.difference_update(take.measured_as for take in takes)
            present = {take.measured_as for take in self._session.project.takes}
            for take in takes:
                if take.measured_as in present:
                    self.measure(take)

        self._recalling.update(take.measured_as for take in takes)
        key = "recall", tuple(take.measured_as for take in takes)
        self._jobs.start(
            Job(key=key, what="Looking up what was measured", work=work, done=done, failed=go_on, quiet=True)
        )

    def _whips_in(self, take: Take, trace: Trace) -> tuple[Whip, ...]:
        """The whips of a take, looked for once."""
        return self.store.remembered.once(("whips", take.measured_as), lambda: find_whips(trace))

    def _forget_others(self, present: set[tuple]) -> None:
        """Lets go what was measured of takes of other projects; what was just removed may come back by undo."""
        others = self._traces.keys() - present
        if len(others) > _OTHERS_KEPT:
            for key in others:
                for kept in (self._traces, self._whips, self._verdicts, self._troubles):
                    kept.pop(key, None)
                self._begun.discard(key)


def _slot(request: HoldRequest) -> tuple[Hashable, ...]:
    """A shot in a shape: its last path stays there until there is a new one."""
    return request.shot.id, request.shape


def following_key(track_id: str) -> tuple:
    """By what the job that follows a track is known."""
    return "follow", track_id


def _job_key(measured_as: tuple) -> tuple:
    return "measure", measured_as
