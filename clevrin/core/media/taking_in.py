"""Bringing a footage file in as a take."""

from pathlib import Path

from clevrin.core.document import Take
from clevrin.core.media.probe import fingerprint, probe


def take_in(path: Path) -> Take:
    """A take of a film, named after its file. Raises `MediaError` for anything that is not a film."""
    path = path.absolute()
    facts = probe(path)
    return Take(name=path.stem, path=str(path), fingerprint=fingerprint(path), facts=facts)
