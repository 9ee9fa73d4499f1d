"""What of areas has to be measured: subjects that are cut out, curves that cling to edges. It begins by itself."""

from clevrin.core.document import CutOut, Drawn, Filmed, Take
from clevrin.core.matte.areas import Clung, Cuts
from clevrin.core.matte.cutting import CutFrames
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.progress import Progress
from clevrin.core.render.measured.measurement_needs import ClingNeed, CutNeed
from clevrin.desk.background.jobs import JobRunner
from clevrin.desk.background.keyed_jobs import KeyedJobs
from clevrin.desk.background.measurements import Measurements
from clevrin.desk.state.session import Session

_Key = tuple[str, str, int]
Part = CutOut | Drawn | Filmed
Found = CutFrames | Followed
_WHAT = {
    "cut-out": "Cutting {name} out of {take}",
    "drawn": "Following the edge of {name} in {take}",
    "filmed": "Reading {name} for {take}",
}


class MaskJobs(KeyedJobs[_Key, Found]):
    """Measured parts of areas; `changed` tells the ids of the take and of the area."""

    def __init__(self, session: Session, jobs: JobRunner, measurements: Measurements) -> None:
        super().__init__(jobs, lambda key: ("cut-out", *key), session)
        self._session, self._measurements = session, measurements
        session.takes_changed.connect(self._on_session_takes_changed)
        measurements.measured.connect(self._on_session_takes_changed)

    def of(self, take: Take, area_id: str, part: Part) -> Found | None:
        """What was found for a part of an area, as it was known last; None: nothing yet."""
        return self.found(self._key(take, area_id, part))

    def cuts(self, take: Take) -> Cuts:
        """All that is cut out of a take, by its parts of areas."""
        found = {part: self.found(key) for key, part in _parts(take).items() if not isinstance(part, Drawn)}
        return {cut: each.covers for cut, each in found.items() if isinstance(each, CutFrames)}

    def clung(self, take: Take) -> Clung:
        """All curves of a take that cling to edges, by their parts of areas."""
        found = {part: self.found(key) for key, part in _parts(take).items() if isinstance(part, Drawn)}
        return {drawn: each for drawn, each in found.items() if isinstance(each, Followed)}

    def is_cutting(self, take: Take, area_id: str, part: Part) -> bool:
        return self.runs(self._key(take, area_id, part))

    def trouble(self, take: Take, area_id: str, part: Part) -> str | None:
        """Why something cannot be cut out or followed."""
        return self.why_not(self._key(take, area_id, part))

    def resume(self, take: Take) -> None:
        """Begins what of a take somebody stopped."""
        for key in _parts(take):
            if self.was_stopped(key):
                self._begin_again(key)
        self._on_session_takes_changed()

    def is_stopped(self, take: Take, area_id: str, part: Part) -> bool:
        """Whether it was begun, and somebody stopped it; what was found is kept."""
        return self.was_stopped(self._key(take, area_id, part))

    @staticmethod
    def _key(take: Take, area_id: str, part: Part) -> _Key:
        return next(key for key, each in _parts(take).items() if key[1] == area_id and each == part)

    def _measure(self, take: Take, key: _Key, part: Part, asked: tuple) -> None:
        store = self._measurements.store

        def work(progress: Progress) -> Found:
            if isinstance(part, Drawn):
                return store.cling(ClingNeed(take=take, drawn=part), progress)
            return store.cut(CutNeed(take=take, cut=part), progress)

        what = _WHAT[part.how].format(name=take.area(key[1]).name, take=take.name)
        self._begin(key, asked, what, work, key[:2])

    def _on_session_takes_changed(self, _: str = "") -> None:
        there = {key: (take, part) for take in self._session.project.takes for key, part in _parts(take).items()}
        self._keep_only(there)
        for key, (take, part) in there.items():
            ready = self._measurements.trace(take) is not None and not self._measurements.missing(take)
            asked = take.measured_as, part
            if ready and not self._is_begun(key, asked):
                self._measure(take, key, part, asked)


def _parts(take: Take) -> dict[_Key, Part]:
    """What of a take's areas is measured, by take, area and its number in that."""
    return {
        (take.id, area.id, number): part.of
        for area in take.areas
        for number, part in enumerate(area.parts)
        if isinstance(part.of, CutOut | Filmed) or (isinstance(part.of, Drawn) and part.of.clings)
    }
