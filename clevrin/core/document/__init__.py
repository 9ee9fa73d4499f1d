"""What the user made: the project and its parts as frozen values, edits on them, their history and files."""

from clevrin.core.document.model import (
    Hold,
    Join,
    Marker,
    MediaFacts,
    NamedSpan,
    Project,
    Reel,
    Shot,
    Span,
    Take,
)
from clevrin.core.document.tracks import LeftOut, Placement, Track
from clevrin.core.document.value import new_id

__all__ = [
    "Hold",
    "Join",
    "LeftOut",
    "Marker",
    "MediaFacts",
    "NamedSpan",
    "Placement",
    "Project",
    "Reel",
    "Shot",
    "Span",
    "Take",
    "Track",
    "new_id",
]
