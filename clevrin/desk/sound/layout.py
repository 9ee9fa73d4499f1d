"""Where the lanes of sound lie under the reel, in pixels; without Qt widgets, so that it can be tested by itself."""

from dataclasses import dataclass
from typing import Literal

from clevrin.core.document import LANES, LaneName, Project
from clevrin.core.document.sounding import LOUDEST_DB, QUIETEST_DB
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.sound.takes import heard_shot, sound_setting
from clevrin.desk.reel.layout import LEFT, ReelLayout

LANE_HEIGHT, LOUD_HEIGHT, GAP = 34, 24, 3
HEIGHT = len(LANES) * (LANE_HEIGHT + GAP) + LOUD_HEIGHT + 2 * GAP
"""Of all lanes, and the course of loudness under them."""
_HANDLE_PX = 6
_HANDLES_HIGH = 9
_CUT_PX = 5
SWISH_PX = 14
_LOUDEST_SWISH = 1.0

Part = Literal[
    "name", "level", "comes", "goes", "passes over", "crosses", "music level", "music comes", "music goes", "swish",
    "nothing",
]  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class Touch:
    """What lies at a point of a lane: `index` is the shot, for what is about a cut the one before it."""

    part: Part
    lane: LaneName = "takes"
    index: int = -1
    way: int = 1
    """Of a crossing: its left edge (-1) or its right one."""


def lift(level_db: float) -> float:
    """How high a level stands in its lane, 0 to 1: what is usual has the most of it."""
    return float((max(0.0, level_db - QUIETEST_DB) / (LOUDEST_DB - QUIETEST_DB)) ** 2)


@dataclass(frozen=True, kw_only=True)
class LanesLayout:
    """The lanes under a reel that is laid out. Large text fits into them as well: pictures need the room more."""

    reel: ReelLayout
    project: Project

    def top(self, lane: LaneName) -> int:
        return GAP + LANES.index(lane) * (LANE_HEIGHT + GAP)

    def y_of(self, lane: LaneName, level_db: float) -> float:
        return self.top(lane) + LANE_HEIGHT * (1 - lift(level_db))

    def loud_box(self) -> tuple[float, float, float, float]:
        """x, y, width, height of the course of loudness."""
        return LEFT, GAP + len(LANES) * (LANE_HEIGHT + GAP), self.reel.room, LOUD_HEIGHT

    def x_of_sample(self, sample: float) -> float:
        return self.reel.x_of(sample / SOUND_RATE * float(self.reel.rate))

    def heard(self, index: int) -> tuple[float, float]:
        """Where a shot is heard, from x to x."""
        found = heard_shot(self.reel.row, self.project, index)
        return self.x_of_sample(found.begins), self.x_of_sample(found.ends)

    def fades(self, index: int) -> tuple[float, float]:
        """Where a shot has come out of silence, and where it begins to go."""
        left, right = self.heard(index)
        own, per = self.reel.row[index].shot.sound, self.reel.px_per_frame
        return left + own.fade_in * per, right - own.fade_out * per

    def crossing(self, index: int) -> tuple[float, float, float]:
        """Where the sound of a shot passes into the next one's: from, about, to."""
        found = heard_shot(self.reel.row, self.project, index)
        about = found.ends - found.crosses_out
        edges = (about - found.crosses_out, about, about + found.crosses_out)
        return tuple(self.x_of_sample(each) for each in edges)  # type: ignore[return-value]

    def music(self) -> tuple[float, float, float, float] | None:
        """Where music is first heard, has come, begins to go, and ends; None where there is none."""
        music = self.project.music
        if music is None or self.reel.music is None:
            return None
        begins, ends = self.reel.music
        per_s = self.reel.px_per_frame * float(self.reel.rate)
        left, right = self.reel.x_of(max(0.0, begins)), self.reel.x_of(min(float(self.reel.frames), ends))
        return left, left + music.fade_in_s * per_s, right - music.fade_out_s * per_s, right

    def swish_share(self, index: int) -> float:
        """How loud the swish of the cut behind a shot is, of the loudest."""
        return sound_setting(self.reel.row[index], "swish") / _LOUDEST_SWISH

    def touch(self, x: float, y: float) -> Touch:
        """What is there to be taken hold of."""
        for lane in LANES:
            top = self.top(lane)
            if top <= y < top + LANE_HEIGHT:
                if x < LEFT:
                    return Touch(part="name", lane=lane)
                high = y < top + LANE_HEIGHT * 0.4 or y < self._line(lane, x) + _HANDLES_HIGH
                return {"takes": self._takes, "music": self._music, "swishes": self._swishes}[lane](x, high)
        return Touch(part="nothing")

    def _line(self, lane: LaneName, x: float) -> float:
        """How far down handles are found: about the line of the level."""
        if lane == "music" and self.project.music is not None:
            return self.y_of("music", self.project.music.level_db)
        index = self._shot_at(x)
        return self.y_of(lane, self.reel.row[index].shot.sound.level_db) if lane == "takes" and index >= 0 else 0.0

    def _shot_at(self, x: float) -> int:
        return next((index for index in self.reel.seen() if self.heard(index)[0] <= x < self.heard(index)[1]), -1)

    def _takes(self, x: float, high: bool) -> Touch:
        last = len(self.reel.row) - 1
        for index in self.reel.seen():
            comes, goes = self.fades(index)
            if high:
                for part, place in (("comes", comes), ("goes", goes)):
                    if abs(place - x) <= _HANDLE_PX:
                        return Touch(part=part, index=index)  # type: ignore[arg-type]
            if index < last:
                left, about, right = self.crossing(index)
                if abs(about - x) <= _CUT_PX:
                    return Touch(part="passes over", index=index)
                for way, place in ((-1, left), (1, right)):
                    if abs(place - x) <= _HANDLE_PX:
                        return Touch(part="crosses", index=index, way=way)
        index = self._shot_at(x)
        return Touch(part="level", index=index) if index >= 0 else Touch(part="nothing")

    def _music(self, x: float, high: bool) -> Touch:
        found = self.music()
        if found is None or not found[0] - _HANDLE_PX <= x <= found[3] + _HANDLE_PX:
            return Touch(part="nothing", lane="music")
        if high and abs(found[1] - x) <= _HANDLE_PX:
            return Touch(part="music comes", lane="music")
        if high and abs(found[2] - x) <= _HANDLE_PX:
            return Touch(part="music goes", lane="music")
        return Touch(part="music level", lane="music")

    def _swishes(self, x: float, high: bool) -> Touch:
        for index in self.reel.seen():
            if index < len(self.reel.row) - 1 and abs(self.reel.x_of(self.reel.row[index].end) - x) <= SWISH_PX:
                return Touch(part="swish", lane="swishes", index=index)
        return Touch(part="nothing", lane="swishes")
