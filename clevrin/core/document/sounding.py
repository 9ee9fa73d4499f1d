"""How the reel sounds: three lanes with their levels, and how loud a shot is and how it comes and goes."""

from typing import Literal

from pydantic import Field

from clevrin.core.document.value import Value

QUIETEST_DB, LOUDEST_DB = -60.0, 12.0
MOST_LOWERED_DB = 30.0
LONGEST_FADE = 36_000
"""Frames of the reel."""

LaneName = Literal["takes", "music", "swishes"]
LANES: tuple[LaneName, ...] = ("takes", "music", "swishes")


def gain_of(level_db: float) -> float:
    """What samples are multiplied by; at the lowest level nothing is heard."""
    return 0.0 if level_db <= QUIETEST_DB else float(10 ** (level_db / 20))


def level_within(level_db: float) -> float:
    """A level, or the nearest one that there is."""
    return min(LOUDEST_DB, max(QUIETEST_DB, level_db))


class ShotSound(Value):
    """How loud a shot's own sound is, and over how many frames of the reel it comes and goes."""

    level_db: float = Field(default=0.0, ge=QUIETEST_DB, le=LOUDEST_DB)
    fade_in: int = Field(default=0, ge=0, le=LONGEST_FADE)
    fade_out: int = Field(default=0, ge=0, le=LONGEST_FADE)


class Lane(Value):
    """One of the three lanes: how loud all of it is; a muted one is not heard, in no render either."""

    level_db: float = Field(default=0.0, ge=QUIETEST_DB, le=LOUDEST_DB)
    muted: bool = False

    @property
    def gain(self) -> float:
        return 0.0 if self.muted else gain_of(self.level_db)


class Mix(Value):
    """The lanes of the reel; `lowered_db`: by how much the music goes down where the takes' own sound is loud."""

    takes: Lane = Lane()
    music: Lane = Lane()
    swishes: Lane = Lane()
    lowered_db: float = Field(default=0.0, ge=0.0, le=MOST_LOWERED_DB)

    def lane(self, name: LaneName) -> Lane:
        found: Lane = getattr(self, name)
        return found

    def with_lane(self, name: LaneName, lane: Lane) -> "Mix":
        return self.changed(**{name: lane})

    def alone(self, name: LaneName) -> "Mix":
        """The mix with the other lanes muted, and this one heard."""
        lanes = {each: self.lane(each).changed(muted=each != name) for each in LANES}
        return self.changed(**lanes)
