"""Music under the reel: a sound file, where on the reel it begins, and how loud it is."""

from pydantic import Field

from clevrin.core.document.sounding import LOUDEST_DB, QUIETEST_DB, gain_of
from clevrin.core.document.value import Name, Text, Value

LONGEST_S = 2 * 3600.0
LONGEST_FADE_S = 600.0
USUAL_DB = -6.0
"""Under full scale, so that the takes' own sound has room beside it."""


class Music(Value):
    """One sound under the whole reel; it ends with itself or with the reel.

    `start_s`: the instant of the reel at which its first sample stands; before 0 its beginning is not heard. It comes
    and goes over `fade_in_s` and `fade_out_s`, from where it is first heard and to where it is last.
    """

    name: Name
    path: Text = Field(max_length=10_000)
    fingerprint: Name
    seconds: float = Field(gt=0, le=LONGEST_S)
    start_s: float = Field(default=0.0, ge=-LONGEST_S, le=10 * LONGEST_S)
    level_db: float = Field(default=USUAL_DB, ge=QUIETEST_DB, le=LOUDEST_DB)
    fade_in_s: float = Field(default=0.0, ge=0.0, le=LONGEST_FADE_S)
    fade_out_s: float = Field(default=0.0, ge=0.0, le=LONGEST_FADE_S)

    @property
    def gain(self) -> float:
        """What its samples are multiplied by."""
        return gain_of(self.level_db)
