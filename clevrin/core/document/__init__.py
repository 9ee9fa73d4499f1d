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
    new_id,
)

__all__ = ["Hold", "Join", "Marker", "MediaFacts", "NamedSpan", "Project", "Reel", "Shot", "Span", "Take", "new_id"]
