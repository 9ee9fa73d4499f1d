"""What the user made: the project and its parts as frozen values, edits on them, their history and files."""

from clevrin.core.document.areas import Area, AreaPart, Coloured, Drawn, Other, Outline, Pick
from clevrin.core.document.cut_outs import Around, CutOut, Filmed, Stroke
from clevrin.core.document.gating import CounterZoom, Follow, Gate, Output, Pose
from clevrin.core.document.holding import Anchor, Bounds, Hold
from clevrin.core.document.joining import Join
from clevrin.core.document.loans import Loan, Motion, Over
from clevrin.core.document.model import (
    Marker,
    MediaFacts,
    NamedSpan,
    Project,
    Reel,
    Shot,
    Take,
)
from clevrin.core.document.music import Music
from clevrin.core.document.pacing import Pace, PacePoint, Rush, RushPoint, Sharp, Shutter
from clevrin.core.document.pinned import Drawing, Film, Pinned, PinPose, Words
from clevrin.core.document.sounding import LANES, Lane, LaneName, Mix, ShotSound
from clevrin.core.document.span import Span
from clevrin.core.document.tracks import LeftOut, Placement, Pointed, Track
from clevrin.core.document.value import new_id

__all__ = [
    "LANES",
    "Anchor",
    "Area",
    "AreaPart",
    "Around",
    "Bounds",
    "Coloured",
    "CounterZoom",
    "CutOut",
    "Drawing",
    "Drawn",
    "Film",
    "Filmed",
    "Follow",
    "Gate",
    "Hold",
    "Join",
    "Lane",
    "LaneName",
    "LeftOut",
    "Loan",
    "Marker",
    "MediaFacts",
    "Mix",
    "Motion",
    "Music",
    "NamedSpan",
    "Other",
    "Outline",
    "Output",
    "Over",
    "Pace",
    "PacePoint",
    "Pick",
    "PinPose",
    "Pinned",
    "Placement",
    "Pointed",
    "Pose",
    "Project",
    "Reel",
    "Rush",
    "RushPoint",
    "Sharp",
    "Shot",
    "ShotSound",
    "Shutter",
    "Span",
    "Stroke",
    "Take",
    "Track",
    "Words",
    "new_id",
]
