"""How fast a shot plays, as the user chose it: speeds at frames of its take, and what is made of what lies between."""

from bisect import bisect_right
from itertools import pairwise
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from clevrin.core.document.value import MOST_FRAMES, Id, Sparing, Value, put_on_frame

InBetween = Literal["nearest", "mix", "flow", "best"]
Blurs = Literal["camera", "everything"]
Pitch = Literal["along", "kept", "silent"]

SLOWEST, FASTEST = 1 / 16, 32.0
LONGEST_FREEZE_S = 3600.0
MOST_SHUTTER_DEG = 720.0

Easing = Annotated[float, Field(ge=0, le=1)]


def bounded_speed(speed: float) -> float:
    """The speed that there is next to one, with as many digits as can be told apart; none stays none."""
    if not speed:
        return 0.0
    size = min(max(abs(speed), SLOWEST), FASTEST)
    return round(size if speed > 0 else -size, 6)


class PacePoint(Value):
    """How fast a shot plays at the middle of one frame of its take.

    `speed`: 1 as it was shot, along the direction in which the shot plays; below 0 against it; 0 stands still, for
    `stays_s` seconds of the reel. `ease` is of the ramp to the next point: 0 straight, 1 soft, between them your own.
    """

    frame: int = Field(ge=0, le=MOST_FRAMES)
    speed: float = Field(ge=-FASTEST, le=FASTEST)
    ease: Easing = 1.0
    stays_s: float = Field(default=0.0, ge=0, le=LONGEST_FREEZE_S)

    def checked_together(self) -> Self:
        if 0 < abs(self.speed) < SLOWEST:
            raise ValueError("a speed is 0, or at least a sixteenth")
        if self.stays_s and self.speed:
            raise ValueError("only a picture that stands still can stay")
        return self


class Sharp(Value):
    """What added blur spares: an area, or a soft disc about what a track follows.

    The disc's sizes are shares of the picture's width.
    """

    track: Id | None = None
    area: Id | None = None
    radius: float = Field(default=0.12, gt=0, le=2)
    feather: float = Field(default=0.06, ge=0, le=2)

    def checked_together(self) -> Self:
        if (self.track is None) == (self.area is None):
            raise ValueError("what stays sharp is an area, or about a track")
        return self


class RushPoint(Value):
    """How much of a rush there is at a frame of the take."""

    frame: int = Field(ge=0, le=MOST_FRAMES)
    share: float = Field(ge=0, le=1)


class Rush(Value):
    """Blur that no camera made: out from a middle, or along a direction, about what stays sharp.

    `amount`: how long it is, in picture widths; out, at half a width from the middle. `direction_deg`: anticlockwise
    from the right. `by`: it is always there, as much as the camera is fast, or as its points say, straight in between.
    """

    how: Literal["out", "along"] = "out"
    amount: float = Field(default=0.1, ge=0, le=1)
    direction_deg: float = Field(default=0.0, ge=-360, le=360)
    by: Literal["always", "speed", "points"] = "always"
    points: tuple[RushPoint, ...] = Field(default=(), max_length=1000)

    def checked_together(self) -> Self:
        if any(b.frame <= a.frame for a, b in pairwise(self.points)):
            raise ValueError("the points of a rush stand in the order of their frames")
        return self

    def put(self, point: RushPoint) -> "Rush":
        """The rush with a point added, or put in the place of the one on its frame."""
        return self.changed(points=put_on_frame(self.points, point))

    def share_at(self, frame: float) -> float:
        """How much of it there is at a moment by its points; all of it where there are none."""
        if not self.points:
            return 1.0
        frames = [each.frame for each in self.points]
        at = bisect_right(frames, frame)
        before, after = self.points[max(0, at - 1)], self.points[min(at, len(frames) - 1)]
        if before is after or frame <= before.frame:
            return before.share
        gone = (frame - before.frame) / (after.frame - before.frame)
        return before.share + gone * (after.share - before.share)


class Shutter(Sparing):
    """Blur that is added, as a shutter angle on the reel; what the take has of it counts.

    `blurs`: by how the camera moves alone, or by how each thing moves. `sharp` is spared by that and by the `rush`.
    `full_at`: how many times as fast as it was shot a shot plays where all of the angle counts; where it plays as it
    was shot, or more slowly, none does (None: it counts at any speed).
    """

    unwritten: ClassVar[tuple[str, ...]] = ("rush", "full_at")

    angle_deg: float = Field(default=0.0, ge=0, le=MOST_SHUTTER_DEG)
    blurs: Blurs = "everything"
    sharp: Sharp | None = None
    rush: Rush | None = None
    full_at: float | None = Field(default=None, gt=1, le=FASTEST)

    def angle_at(self, speed: float) -> float:
        """The angle that counts where a shot plays so many times as fast as it was shot, either way."""
        if self.full_at is None:
            return self.angle_deg
        return self.angle_deg * min(max((abs(speed) - 1) / (self.full_at - 1), 0.0), 1.0)


class Pace(Value):
    """The speeds of a shot in the order in which it plays through them; none: as its take plays.

    Before the first point and behind the last one their speeds go on. Two points on one frame are a step. `in_between`
    None: the nearest frame where no speed is set, else the best. `length_frames`: as long as the shot is to stay,
    whatever is done to its speeds.
    """

    points: tuple[PacePoint, ...] = Field(default=(), max_length=1000, fail_fast=True)
    in_between: InBetween | None = None
    shutter: Shutter = Shutter()
    pitch: Pitch = "along"
    length_frames: int | None = Field(default=None, gt=0, le=MOST_FRAMES)

    @property
    def made_between(self) -> InBetween:
        """How frames between those of the take are made."""
        return self.in_between or ("best" if self.points else "nearest")

    def backward(self) -> "Pace":
        """The same speeds for a shot that plays the other way."""
        points = self.points[::-1]
        eases = [*(each.ease for each in points[1:]), 1.0]
        turned = tuple(each.changed(ease=ease) for each, ease in zip(points, eases, strict=True)) if points else ()
        return self.changed(points=turned)
