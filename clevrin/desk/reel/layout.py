"""Where shots and joins lie on the reel, in pixels; without Qt widgets, so that it can be tested by itself."""

from bisect import bisect_left, bisect_right
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from clevrin.core.document import Project, Span
from clevrin.core.pace import Placed, placed_shots

LEFT, RIGHT = 72, 16
RULER = 22
SHOT_TOP, SHOT_BOTTOM = 26, 14
GAP = 2
KNOT_RADIUS = 12
MARKER_TOP = 12
MUSIC_HEIGHT = 20
_SMALLEST_KNOT = 5
_FIT_PX_PER_S = 110.0
_MOST_PX_PER_FRAME = 28.0
_EDGE_PX = 7
_MARKER_PX = 5

Part = Literal["ruler", "marker", "shot", "left edge", "right edge", "knot", "music", "nothing"]


@dataclass(frozen=True, kw_only=True)
class Hit:
    """What lies at a point: for a knot, `index` is the shot that is left by it; for a marker, its place in the row."""

    part: Part
    index: int = -1


@dataclass(frozen=True, kw_only=True)
class Sight:
    """How much of the reel is seen: pixels per frame (None: all of it), and how far it is scrolled, in pixels.

    A `held` sight stays as it is whatever happens to the reel: what is dragged stays under the pointer.
    """

    px_per_frame: float | None = None
    scroll: float = 0.0
    held: bool = False


@dataclass(frozen=True, kw_only=True)
class ReelLayout:
    """The reel laid into a width and height."""

    row: tuple[Placed, ...]
    rate: Fraction
    width: int
    height: int
    px_per_frame: float
    scroll: float = 0.0
    marker_frames: tuple[int, ...] = ()
    music: tuple[float, float] | None = None
    """The frames of the reel at which its music begins and ends; either may be beyond the reel."""

    @staticmethod
    def of(project: Project, width: int, height: int, sight: Sight | None = None) -> "ReelLayout":
        """Lays the reel out; a sight beyond what there is to see is brought back to it."""
        sight = sight or Sight()
        row = placed_shots(project)
        rate = project.reel.rate
        room = max(1, width - LEFT - RIGHT)
        frames = row[-1].end if row else 0
        fit = min(_FIT_PX_PER_S / float(rate), room / max(1, frames))
        scale = fit if sight.px_per_frame is None else min(max(sight.px_per_frame, fit), _MOST_PX_PER_FRAME)
        scroll = min(max(sight.scroll, 0.0), max(0.0, frames * scale - room))
        if sight.held and sight.px_per_frame is not None:
            scale, scroll = sight.px_per_frame, sight.scroll
        markers = tuple(marker.frame for marker in project.reel.markers)
        return ReelLayout(
            row=row,
            rate=rate,
            width=width,
            height=height,
            px_per_frame=scale,
            scroll=scroll,
            marker_frames=markers,
            music=_music_frames(project),
        )

    @property
    def frames(self) -> int:
        return self.row[-1].end if self.row else 0

    @property
    def room(self) -> int:
        """Pixels in which shots are seen."""
        return max(1, self.width - LEFT - RIGHT)

    @property
    def content_px(self) -> float:
        """How wide the whole reel is."""
        return self.frames * self.px_per_frame

    def zoomed(self, factor: float, about_x: float) -> Sight:
        """A sight nearer or farther; what lies under `about_x` stays there."""
        frame = (about_x - LEFT + self.scroll) / self.px_per_frame
        fit = self.room / max(1, self.frames)
        scale = min(self.px_per_frame * factor, _MOST_PX_PER_FRAME)
        if scale <= min(fit, _FIT_PX_PER_S / float(self.rate)) * 1.001:
            return Sight()
        return Sight(px_per_frame=scale, scroll=frame * scale - (about_x - LEFT))

    def scrolled(self, by_px: float) -> Sight:
        return Sight(px_per_frame=self.px_per_frame, scroll=self.scroll + by_px)

    def following(self, frame: int) -> Sight | None:
        """A sight in which a frame is seen, None where it is seen already."""
        x = self.x_of(frame)
        if LEFT <= x <= self.width - RIGHT or self.content_px <= self.room:
            return None
        return Sight(px_per_frame=self.px_per_frame, scroll=frame * self.px_per_frame - self.room * 0.1)

    def x_of(self, frame: float) -> float:
        return LEFT + frame * self.px_per_frame - self.scroll

    def frame_at(self, x: float) -> int:
        return max(0, min(int((x - LEFT + self.scroll) / self.px_per_frame), max(0, self.frames - 1)))

    def seen(self) -> range:
        """The shots of which something is seen."""
        first = bisect_right(self.row, self.scroll / self.px_per_frame, key=lambda placed: placed.end)
        last = bisect_left(self.row, (self.scroll + self.room) / self.px_per_frame, key=lambda placed: placed.start)
        return range(first, last)

    def shot_box(self, index: int) -> tuple[float, float, float, float]:
        """x, y, width, height of a shot."""
        placed = self.row[index]
        width = placed.frames * self.px_per_frame
        gap = GAP if index and width > 4 * GAP else 0
        x = self.x_of(placed.start) + gap
        return x, SHOT_TOP, max(1.0, width - gap), self.shot_height

    @property
    def shot_height(self) -> float:
        """How high shots are: the music has its strip under them."""
        strip = MUSIC_HEIGHT if self.music is not None else 0
        return self.height - SHOT_TOP - SHOT_BOTTOM - strip

    def music_box(self) -> tuple[float, float, float, float]:
        """x, y, width, height of the music where it lies under the reel; of no width where there is none."""
        begins, ends = self.music or (0.0, 0.0)
        left, right = self.x_of(max(0.0, begins)), self.x_of(min(float(self.frames), ends))
        return left, self.height - SHOT_BOTTOM - MUSIC_HEIGHT + 2, max(0.0, right - left), MUSIC_HEIGHT - 2

    def knot_centre(self, index: int) -> tuple[float, float]:
        """The middle of the knot between a shot and the next one."""
        return self.x_of(self.row[index].end), SHOT_TOP + self.shot_height / 2

    def knot_radius(self, index: int) -> float:
        """How large a knot is drawn: smaller between narrow shots, 0 where there is no room for it."""
        narrow = min(self.row[index].frames, self.row[index + 1].frames) * self.px_per_frame
        radius = min(KNOT_RADIUS, narrow / 3)
        return radius if radius >= _SMALLEST_KNOT else 0.0

    def hit(self, x: float, y: float) -> Hit:
        if y < RULER:
            if y >= MARKER_TOP - 4:
                for index, frame in enumerate(self.marker_frames):
                    if abs(self.x_of(frame + 0.5) - x) <= _MARKER_PX:
                        return Hit(part="marker", index=index)
            return Hit(part="ruler")
        if not self.row or x < LEFT - GAP:
            return Hit(part="nothing")
        if self.music is not None and y >= SHOT_TOP + self.shot_height:
            left, top, width, height = self.music_box()
            over = left <= x <= left + width and top <= y <= top + height
            return Hit(part="music" if over else "nothing")
        instant = (x - LEFT + self.scroll) / self.px_per_frame
        index = min(max(0, bisect_right(self.row, instant, key=lambda placed: placed.start) - 1), len(self.row) - 1)
        for before in (index - 1, index):
            if 0 <= before < len(self.row) - 1:
                cx, cy = self.knot_centre(before)
                if (x - cx) ** 2 + (y - cy) ** 2 <= self.knot_radius(before) ** 2:
                    return Hit(part="knot", index=before)
        left, top, width, height = self.shot_box(index)
        if not (top <= y <= top + height and left - GAP <= x <= left + width):
            return Hit(part="nothing")
        edge = min(_EDGE_PX, width / 4)
        if x - left < edge:
            return Hit(part="left edge", index=index)
        if left + width - x < edge:
            return Hit(part="right edge", index=index)
        return Hit(part="shot", index=index)

    def place_for(self, x: float, moved: frozenset[int]) -> int:
        """Where shots that are dragged to x would stand among the others."""
        return sum(
            1
            for index, placed in enumerate(self.row)
            if index not in moved and x > self.x_of((placed.start + placed.end) / 2)
        )


def _music_frames(project: Project) -> tuple[float, float] | None:
    music = project.music
    if music is None:
        return None
    rate = float(project.reel.rate)
    return music.start_s * rate, (music.start_s + music.seconds) * rate


def trimmed(placed: Placed, edge: Part, by_reel_frames: float, reel_rate: Fraction) -> Span:
    """The span of a shot whose left or right edge on the reel moves by some reel frames (right is positive).

    It stays within the take and keeps at least one frame; a shot played backward has its edges the other way.
    """
    span, frames = placed.shot.span, placed.take.facts.frames
    at = placed.start if edge == "left edge" else placed.end - 1
    delta = _source_frames(by_reel_frames, abs(placed.rate_at(at)) / reel_rate)
    if placed.shot.reverse:
        delta = -delta
    if (edge == "left edge") != placed.shot.reverse:
        return Span(first=max(0, min(span.first + delta, span.end - 1)), end=span.end)
    return Span(first=span.first, end=min(frames, max(span.end + delta, span.first + 1)))


def slipped(placed: Placed, by_reel_frames: float) -> Span:
    """The span of a shot whose take is moved under it by some reel frames (right is positive); it stays as long."""
    span, frames = placed.shot.span, placed.take.facts.frames
    delta = _source_frames(by_reel_frames, Fraction(span.frames, placed.frames))
    if not placed.shot.reverse:
        delta = -delta
    first = max(0, min(span.first + delta, frames - span.frames))
    return Span(first=first, end=first + span.frames)


def _source_frames(reel_frames: float, per_frame: Fraction) -> int:
    return round(reel_frames * float(per_frame))
