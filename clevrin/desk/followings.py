"""What has been followed of the tracks in the project: begun by itself, newest placement first."""

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Take, Track
from clevrin.core.motion.both_ways import Followed
from clevrin.core.progress import Progress
from clevrin.core.render.measurement_store import MeasurementStore
from clevrin.core.render.needs import CutNeed, TrackNeed
from clevrin.desk.jobs import Job, JobRunner
from clevrin.desk.measurements import Measurements, following_key
from clevrin.desk.session import Session


class Followings(QObject):
    """Tracks by take, as far as they are followed; while one is followed anew, what was known of it stays."""

    changed = Signal(str, str)
    """A track was followed, or could not be: the ids of its take and its own."""

    def __init__(self, session: Session, jobs: JobRunner, store: MeasurementStore, measurements: Measurements) -> None:
        super().__init__(session)
        self._session = session
        self._jobs = jobs
        self._store = store
        self._measurements = measurements
        self._followed: dict[str, Followed] = {}
        self._begun: dict[str, tuple] = {}
        self._troubles: dict[str, str] = {}
        session.takes_changed.connect(self._on_session_takes_changed)

    def of(self, track: Track) -> Followed | None:
        """How far a track is followed; None: it is not yet."""
        return self._followed.get(track.id)

    def is_following(self, track: Track) -> bool:
        return self._jobs.is_running(following_key(track.id))

    def trouble(self, track: Track) -> str | None:
        """Why a track cannot be followed."""
        return self._troubles.get(track.id)

    def _follow(self, take: Take, track: Track) -> None:
        def work(progress: Progress) -> Followed:
            return self._store.follow(TrackNeed(take=take, track=track), progress)

        def done(followed: Followed) -> None:
            self._followed[track.id] = followed
            self.changed.emit(take.id, track.id)

        def failed(sentence: str) -> None:
            self._troubles[track.id] = sentence
            self.changed.emit(take.id, track.id)

        self._troubles.pop(track.id, None)
        what = f"Following {track.name} in {take.name}"
        self._jobs.restart(Job(key=following_key(track.id), what=what, work=work, done=done, failed=failed))

    def look_again(self) -> None:
        """Something was cut out: tracks of its middle are known now."""
        self._on_session_takes_changed()

    def _cut_out(self, take: Take, track: Track) -> bool:
        """Whether a track's subject is cut out, if it is the middle of one: cutting out is begun elsewhere."""
        return track.cut is None or self._store.cut_out(CutNeed(take=take, cut=track.cut)) is not None

    def _on_session_takes_changed(self) -> None:
        there = {track.id: (take, track) for take in self._session.project.takes for track in take.tracks}
        for track_id in self._begun.keys() - there.keys():
            self._jobs.stop(following_key(track_id))
            self._begun.pop(track_id)
            self._followed.pop(track_id, None)
        for track_id, (take, track) in there.items():
            key = take.fingerprint, track.kind, track.placed, track.reach_px, track.limit, track.cut
            if self._begun.get(track_id) == key or self._measurements.missing(take):
                continue
            if self._cut_out(take, track):
                self._begun[track_id] = key
                self._follow(take, track)
