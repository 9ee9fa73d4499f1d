"""What of areas has to be measured: subjects that are cut out, curves that cling to edges. It begins by itself."""

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import CutOut, Drawn, Filmed, Take
from clevrin.core.matte.areas import Clung, Cuts
from clevrin.core.matte.cutting import CutFrames
from clevrin.core.motion.both_ways import Followed
from clevrin.core.progress import Progress
from clevrin.core.render.needs import ClingNeed, CutNeed
from clevrin.desk.jobs import Job, JobRunner
from clevrin.desk.measurements import Measurements
from clevrin.desk.session import Session

_Key = tuple[str, str, int]
Part = CutOut | Drawn | Filmed
Found = CutFrames | Followed
_WHAT = {
    "cut-out": "Cutting {name} out of {take}",
    "drawn": "Following the edge of {name} in {take}",
    "filmed": "Reading {name} for {take}",
}


class Cuttings(QObject):
    """Measured parts by area; while one is measured anew, what was known of it stays."""

    changed = Signal(str, str)
    """Something was cut out or followed, or could not be: the ids of its take and of its area."""

    def __init__(self, session: Session, jobs: JobRunner, measurements: Measurements) -> None:
        super().__init__(session)
        self._session, self._jobs, self._measurements = session, jobs, measurements
        self._found: dict[_Key, Found] = {}
        self._as: dict[_Key, tuple[tuple, Part]] = {}  # what was asked for when that was found
        self._begun: dict[_Key, tuple[tuple, Part]] = {}
        self._troubles: dict[_Key, str] = {}
        session.takes_changed.connect(self._on_session_takes_changed)
        measurements.measured.connect(self._on_session_takes_changed)

    def of(self, take: Take, area_id: str, part: Part) -> Found | None:
        """What was found for a part of an area, as it was known last; None: nothing yet."""
        return self._found.get(self._key(take, area_id, part))

    def cuts(self, take: Take) -> Cuts:
        """All that is cut out of a take, by its parts of areas."""
        found = {part: self._found.get(key) for key, part in _parts(take).items() if not isinstance(part, Drawn)}
        return {cut: each.covers for cut, each in found.items() if isinstance(each, CutFrames)}

    def clung(self, take: Take) -> Clung:
        """All curves of a take that cling to edges, by their parts of areas."""
        found = {part: self._found.get(key) for key, part in _parts(take).items() if isinstance(part, Drawn)}
        return {drawn: each for drawn, each in found.items() if isinstance(each, Followed)}

    def is_cutting(self, take: Take, area_id: str, part: Part) -> bool:
        return self._jobs.is_running(("cut-out", *self._key(take, area_id, part)))

    def trouble(self, take: Take, area_id: str, part: Part) -> str | None:
        """Why something cannot be cut out or followed."""
        return self._troubles.get(self._key(take, area_id, part))

    def go_on(self, take: Take) -> None:
        """Begins what of a take somebody stopped."""
        for key in _parts(take):
            if self._is_stopped(key):
                self._begun.pop(key)
        self._on_session_takes_changed()

    def is_stopped(self, take: Take, area_id: str, part: Part) -> bool:
        """Whether it was begun, and somebody stopped it; what was found is kept."""
        return self._is_stopped(self._key(take, area_id, part))

    def _is_stopped(self, key: _Key) -> bool:
        waits = key in self._begun and self._as.get(key) != self._begun[key] and key not in self._troubles
        return waits and not self._jobs.is_running(("cut-out", *key))

    @staticmethod
    def _key(take: Take, area_id: str, part: Part) -> _Key:
        return next(key for key, each in _parts(take).items() if key[1] == area_id and each == part)

    def _measure(self, take: Take, key: _Key, part: Part) -> None:
        store = self._measurements.store

        def work(progress: Progress) -> Found:
            if isinstance(part, Drawn):
                return store.cling(ClingNeed(take=take, drawn=part), progress)
            return store.cut(CutNeed(take=take, cut=part), progress)

        asked = take.measured_as, part

        def done(found: Found) -> None:
            self._found[key], self._as[key] = found, asked
            self.changed.emit(*key[:2])

        def failed(sentence: str) -> None:
            self._troubles[key] = sentence
            self.changed.emit(*key[:2])

        self._troubles.pop(key, None)
        name = take.area(key[1]).name
        what = _WHAT[part.how].format(name=name, take=take.name)
        self._jobs.restart(Job(key=("cut-out", *key), what=what, work=work, done=done, failed=failed))

    def _on_session_takes_changed(self, _: str = "") -> None:
        there = {key: (take, part) for take in self._session.project.takes for key, part in _parts(take).items()}
        for key in self._begun.keys() - there.keys():
            self._jobs.stop(("cut-out", *key))
            for kept in (self._begun, self._found, self._as, self._troubles):
                kept.pop(key, None)
        for key, (take, part) in there.items():
            ready = self._measurements.trace(take) is not None and not self._measurements.missing(take)
            if ready and self._begun.get(key) != (take.measured_as, part):
                self._begun[key] = take.measured_as, part
                self._measure(take, key, part)


def _parts(take: Take) -> dict[_Key, Part]:
    """What of a take's areas is measured, by take, area and its number in that."""
    return {
        (take.id, area.id, number): part.of
        for area in take.areas
        for number, part in enumerate(area.parts)
        if isinstance(part.of, CutOut | Filmed) or (isinstance(part.of, Drawn) and part.of.clings)
    }
