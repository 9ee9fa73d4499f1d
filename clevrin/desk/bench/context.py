"""What every bench needs to know of: handed to it once, so that nothing is global."""

from dataclasses import dataclass

from clevrin.desk.background.intake import Intake
from clevrin.desk.background.jobs import JobRunner
from clevrin.desk.background.known_moves import KnownMoves
from clevrin.desk.background.mask_jobs import MaskJobs
from clevrin.desk.background.measurements import Measurements
from clevrin.desk.background.preparing import Preparing
from clevrin.desk.background.track_jobs import TrackJobs
from clevrin.desk.playback.player import Player
from clevrin.desk.playback.thumbnails import Thumbnails
from clevrin.desk.state.notices import Notices
from clevrin.desk.state.session import Session


@dataclass(frozen=True, kw_only=True, eq=False)
class Context:
    session: Session
    jobs: JobRunner
    measurements: Measurements
    track_jobs: TrackJobs
    mask_jobs: MaskJobs
    thumbnails: Thumbnails
    player: Player
    preparing: Preparing
    intake: Intake
    notices: Notices
    known_moves: KnownMoves
