"""What every bench needs to know of: handed to it once, so that nothing is global."""

from dataclasses import dataclass

from clevrin.desk.areas.cuttings import Cuttings
from clevrin.desk.followings import Followings
from clevrin.desk.intake import Intake
from clevrin.desk.jobs import JobRunner
from clevrin.desk.measurements import Measurements
from clevrin.desk.notices import Notices
from clevrin.desk.playback import Player
from clevrin.desk.preparing import Preparing
from clevrin.desk.session import Session
from clevrin.desk.thumbnails import Thumbnails


@dataclass(frozen=True, kw_only=True, eq=False)
class Context:
    session: Session
    jobs: JobRunner
    measurements: Measurements
    followings: Followings
    cuttings: Cuttings
    thumbnails: Thumbnails
    player: Player
    preparing: Preparing
    intake: Intake
    notices: Notices
