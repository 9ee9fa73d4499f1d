"""What has been cut out of the takes in the project: begun by itself, once it is known how the camera moved."""

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import CutOut, Take
from clevrin.core.matte.areas import Cuts
from clevrin.core.matte.cutting import CutFrames
from clevrin.core.progress import Progress
from clevrin.core.render.measurement_store import CutNeed
from clevrin.desk.jobs import Job, JobRunner
from clevrin.desk.measurements import Measurements
from clevrin.desk.session import Session

_Key = tuple[str, str, int]


class Cuttings(QObject):
    """Cut-outs by area; while one is made anew, what was known of it stays."""

    changed = Signal(str, str)
    """Something was cut out, or could not be: the ids of its take and of its area."""

    def __init__(self, session: Session, jobs: JobRunner, measurements: Measurements) -> None:
        super().__init__(session)
        self._session, self._jobs, self._measurements = session, jobs, measurements
        self._found: dict[_Key, CutFrames] = {}
        self._as: dict[_Key, tuple[tuple, CutOut]] = {}  # what was asked for when that was found
        self._begun: dict[_Key, tuple[tuple, CutOut]] = {}
        self._troubles: dict[_Key, str] = {}
        session.takes_changed.connect(self._on_session_takes_changed)
        measurements.measured.connect(self._on_session_takes_changed)

    def of(self, take: Take, area_id: str, cut: CutOut) -> CutFrames | None:
        """What was cut out of a take, as it was known last; None: nothing yet."""
        return self._found.get(self._key(take, area_id, cut))

    def cuts(self, take: Take) -> Cuts:
        """All that is cut out of a take, by its parts of areas."""
        found = {cut: self._found.get(key) for key, cut in _parts(take).items()}
        return {cut: each.covers for cut, each in found.items() if each is not None}

    def is_cutting(self, take: Take, area_id: str, cut: CutOut) -> bool:
        return self._jobs.is_running(("cut-out", *self._key(take, area_id, cut)))

    def trouble(self, take: Take, area_id: str, cut: CutOut) -> str | None:
        """Why something cannot be cut out."""
        return self._troubles.get(self._key(take, area_id, cut))

    def go_on(self, take: Take) -> None:
        """Begins what of a take somebody stopped."""
        for key in _parts(take):
            if self._is_stopped(key):
                self._begun.pop(key)
        self._on_session_takes_changed()

    def is_stopped(self, take: Take, area_id: str, cut: CutOut) -> bool:
        """Whether it was begun, and somebody stopped it; what was found is kept."""
        return self._is_stopped(self._key(take, area_id, cut))

    def _is_stopped(self, key: _Key) -> bool:
        waits = key in self._begun and self._as.get(key) != self._begun[key] and key not in self._troubles
        return waits and not self._jobs.is_running(("cut-out", *key))

    @staticmethod
    def _key(take: Take, area_id: str, cut: CutOut) -> _Key:
        return next(key for key, each in _parts(take).items() if key[1] == area_id and each == cut)

    def _cut(self, take: Take, key: _Key, cut: CutOut) -> None:
        def work(progress: Progress) -> CutFrames:
            return self._measurements.store.cut(CutNeed(take=take, cut=cut), progress)

        asked = take.measured_as, cut

        def done(found: CutFrames) -> None:
            self._found[key], self._as[key] = found, asked
            self.changed.emit(*key[:2])

        def failed(sentence: str) -> None:
            self._troubles[key] = sentence
            self.changed.emit(*key[:2])

        self._troubles.pop(key, None)
        what = f"Cutting {take.area(key[1]).name} out of {take.name}"
        self._jobs.restart(Job(key=("cut-out", *key), what=what, work=work, done=done, failed=failed))

    def _on_session_takes_changed(self, _: str = "") -> None:
        there = {key: (take, cut) for take in self._session.project.takes for key, cut in _parts(take).items()}
        for key in self._begun.keys() - there.keys():
            self._jobs.stop(("cut-out", *key))
            for kept in (self._begun, self._found, self._as, self._troubles):
                kept.pop(key, None)
        for key, (take, cut) in there.items():
            ready = self._measurements.trace(take) is not None and not self._measurements.missing(take)
            if ready and self._begun.get(key) != (take.measured_as, cut):
                self._begun[key] = take.measured_as, cut
                self._cut(take, key, cut)


def _parts(take: Take) -> dict[_Key, CutOut]:
    """The cut-outs of a take by take, area and their number in it."""
    return {
        (take.id, area.id, number): part.of
        for area in take.areas
        for number, part in enumerate(area.parts)
        if isinstance(part.of, CutOut)
    }
