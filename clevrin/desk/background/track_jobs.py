"""What has been followed of the tracks in the project: begun by itself, newest placement first."""

from clevrin.core.document import Take, Track
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.progress import Progress
from clevrin.core.render.measured.measurement_needs import CutNeed, TrackNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.desk.background.jobs import JobRunner
from clevrin.desk.background.keyed_jobs import KeyedJobs
from clevrin.desk.background.measurements import Measurements, following_key
from clevrin.desk.state.session import Session


class TrackJobs(KeyedJobs[str, Followed]):
    """Tracks as far as they are followed, by their ids; `changed` tells the ids of the take and of the track."""

    def __init__(self, session: Session, jobs: JobRunner, store: MeasurementStore, measurements: Measurements) -> None:
        super().__init__(jobs, following_key, session)
        self._session, self._store, self._measurements = session, store, measurements
        session.takes_changed.connect(self._on_session_takes_changed)

    def of(self, track: Track) -> Followed | None:
        """How far a track is followed; None: it is not yet."""
        return self.found(track.id)

    def is_following(self, track: Track) -> bool:
        return self.runs(track.id)

    def trouble(self, track: Track) -> str | None:
        """Why a track cannot be followed."""
        return self.why_not(track.id)

    def look_again(self) -> None:
        """Something was cut out: tracks of its middle are known now."""
        self._on_session_takes_changed()

    def _follow(self, take: Take, track: Track, asked: tuple) -> None:
        def work(progress: Progress) -> Followed:
            return self._store.follow(TrackNeed(take=take, track=track), progress)

        self._begin(track.id, asked, f"Following {track.name} in {take.name}", work, (take.id, track.id))

    def _cut_out(self, take: Take, track: Track) -> bool:
        """Whether a track's subject is cut out, if it is the middle of one: cutting out is begun elsewhere."""
        return track.cut is None or self._store.cut_out(CutNeed(take=take, cut=track.cut)) is not None

    def _on_session_takes_changed(self) -> None:
        there = {track.id: (take, track) for take in self._session.project.takes for track in take.tracks}
        self._keep_only(there)
        for take, track in there.values():
            asked = take.fingerprint, track.kind, track.placed, track.reach_px, track.limit, track.cut
            if self._is_begun(track.id, asked) or self._measurements.missing(take):
                continue
            if self._cut_out(take, track):
                self._follow(take, track, asked)
