"""Where shots and joins lie on the reel, in pixels; without Qt widgets, so that it can be tested by itself."""

from dataclasses import dataclass
from typing import Literal

from clevrin.core.document import Project, Span
from clevrin.core.pace import Placed, placed_shots

LEFT, RIGHT = 72, 16
RULER = 22
SHOT_TOP, SHOT_BOTTOM = 26, 12
GAP = 2
KNOT_RADIUS = 12
_MOST_PX_PER_S = 110.0
_EDGE_PX = 7

Part = Literal["ruler", "shot", "left edge", "right edge", "knot", "nothing"]


@dataclass(frozen=True, kw_only=True)
class Hit:
    """What lies at a point: for a knot, `index` is the shot that is left by it."""

    part: Part
    index: int = -1


@dataclass(frozen=True, kw_only=True)
class ReelLayout:
    """The reel laid into a width and height: all of it is seen, at most 110 px a second."""

    row: tuple[Placed, ...]
    rate: float
    width: int
    height: int

    @staticmethod
    def of(project: Project, width: int, height: int) -> "ReelLayout":
        return ReelLayout(row=placed_shots(project), rate=float(project.reel.rate), width=width, height=height)

    @property
    def frames(self) -> int:
        return self.row[-1].end if self.row else 0

    @property
    def px_per_frame(self) -> float:
        room = self.width - LEFT - RIGHT
        return min(_MOST_PX_PER_S / self.rate, room / max(1, self.frames))

    def x_of(self, frame: float) -> float:
        return LEFT + frame * self.px_per_frame

    def frame_at(self, x: float) -> int:
        return max(0, min(int((x - LEFT) / self.px_per_frame), max(0, self.frames - 1)))

    def shot_box(self, index: int) -> tuple[float, float, float, float]:
        """x, y, width, height of a shot."""
        placed = self.row[index]
        x = self.x_of(placed.start) + (GAP if index else 0)
        return x, SHOT_TOP, max(2.0, self.x_of(placed.end) - x), self.height - SHOT_TOP - SHOT_BOTTOM

    def knot_centre(self, index: int) -> tuple[float, float]:
        """The middle of the knot between a shot and the next one."""
        return self.x_of(self.row[index].end), SHOT_TOP + (self.height - SHOT_TOP - SHOT_BOTTOM) / 2

    def hit(self, x: float, y: float) -> Hit:
        if y < RULER:
            return Hit(part="ruler")
        for index in range(len(self.row) - 1):
            cx, cy = self.knot_centre(index)
            if (x - cx) ** 2 + (y - cy) ** 2 <= KNOT_RADIUS**2:
                return Hit(part="knot", index=index)
        for index in range(len(self.row)):
            left, top, width, height = self.shot_box(index)
            if not (top <= y <= top + height and left - GAP <= x <= left + width):
                continue
            edge = min(_EDGE_PX, width / 4)
            if x - left < edge:
                return Hit(part="left edge", index=index)
            if left + width - x < edge:
                return Hit(part="right edge", index=index)
            return Hit(part="shot", index=index)
        return Hit(part="nothing")

    def place_for(self, x: float, moved: int) -> int:
        """Where a shot that is dragged to x would stand among the others."""
        others = [self.shot_box(i) for i in range(len(self.row)) if i != moved]
        return sum(1 for left, _, width, _ in others if x > left + width / 2)


def trimmed(placed: Placed, edge: Part, by_reel_frames: float, reel_rate: float) -> Span:
    """The span of a shot whose left or right edge on the reel moves by some reel frames (right is positive).

    It stays within the take and keeps at least one frame; a shot played backward has its edges the other way.
    """
    span, frames = placed.shot.span, placed.take.facts.frames
    delta = round(by_reel_frames * float(placed.take.facts.rate) / reel_rate)
    moves_first = (edge == "left edge") != placed.shot.reverse
    if placed.shot.reverse:
        delta = -delta
    if moves_first:
        return Span(first=max(0, min(span.first + delta, span.end - 1)), end=span.end)
    return Span(first=span.first, end=min(frames, max(span.end + delta, span.first + 1)))
