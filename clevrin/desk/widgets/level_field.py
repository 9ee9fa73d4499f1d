"""Levels of sound as a setting: what they are called, and from where to where they go."""

from typing import Any

from clevrin.core.document.sounding import LOUDEST_DB, QUIETEST_DB
from clevrin.desk.widgets.fields import Number


def level_words(level_db: float) -> str:
    return "silent" if level_db <= QUIETEST_DB else f"{level_db:+.1f} dB"


def level_field(**fields: Any) -> Number:
    """How loud something is, in dB: as it is, unless another default is given."""
    usual = {"page": "", "low": QUIETEST_DB, "high": LOUDEST_DB, "step": 0.5, "default": 0.0, "words": level_words}
    return Number(**{**usual, **fields})
