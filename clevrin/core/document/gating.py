"""Where the gate of an output is, as the user chose it: outputs, poses, what is followed. Nothing measured."""

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field

from clevrin.core.document.value import MOST_FRAMES, Id, Name, Value, new_id, put_on_frame

Belongs = Literal["frame", "scene"]

STILL, SOFT, STRAIGHT = 0.0, 0.5, 1.0
"""How a side of a pose is eased: it comes to rest; it slows down; it hardly does. What is between is your own."""
LEAST_GATE_PX, MOST_GATE_PX = 8.0, 40_000.0
LONGEST_CALM_S = 20.0

Easing = Annotated[float, Field(ge=0, le=1)]
Share = Annotated[float, Field(ge=0, le=1)]
Pixels = Annotated[float, Field(ge=-100_000, le=100_000)]
MOST_TURN_DEG = 3600
Degrees = Annotated[float, Field(ge=-MOST_TURN_DEG, le=MOST_TURN_DEG)]


class Output(Value):
    """A shape in which the reel is rendered beside its own; joins, pace and sound are the reel's."""

    id: Id = Field(default_factory=new_id)
    name: Name = Field(min_length=1)
    width: int = Field(gt=0, le=8192, multiple_of=2)
    height: int = Field(gt=0, le=8192, multiple_of=2)


class Pose(Value):
    """Where the gate is at one frame of the take: its middle and its width in pixels of the upright source.

    The middle is a place of that frame as it was shot; width and turn are of the picture as it is held, so that a pose
    is as large and as level as it says, however the camera shook there. `turn_deg`: anticlockwise as seen.
    `belongs`: to the frame, whatever the camera does, or to the scene, so that it stays on its place in the world. The
    gate stays there for `stays` frames more. `arrive`, `leave`: how its two sides are eased, see `STILL`.
    """

    frame: int = Field(ge=0, le=MOST_FRAMES)
    x: Pixels
    y: Pixels
    width: float = Field(ge=LEAST_GATE_PX, le=MOST_GATE_PX)
    turn_deg: Degrees = 0.0
    belongs: Belongs = "frame"
    arrive: Easing = STILL
    leave: Easing = STILL
    stays: int = Field(default=0, ge=0, le=MOST_FRAMES)

    @property
    def last(self) -> int:
        """The last frame at which the gate is there."""
        return self.frame + self.stays


class Follow(Value):
    """What the gate follows from a frame of the take on: tracks of it, several as a group.

    `place`: where in the gate their middle is kept, shares of its width and height as seen; within `room` (a share of
    the gate) about it they may move freely. Motion quicker than `calm_s` is not followed. `size`: whether they stay as
    large, too. A change from what was followed before takes `handover_s`.
    """

    tracks: tuple[Id, ...] = Field(min_length=1, max_length=50)
    frame: int = Field(default=0, ge=0, le=MOST_FRAMES)
    place: tuple[Share, Share] = (0.5, 0.5)
    room: Share = 0.2
    calm_s: float = Field(default=1.0, ge=0, le=LONGEST_CALM_S)
    size: bool = False
    handover_s: float = Field(default=1.0, ge=0, le=LONGEST_CALM_S)


class CounterZoom(Value):
    """The gate's size runs against a motion: with 1 what moves stays as large, and the rest grows or shrinks.

    `track`: of what is followed, by its size; None: of the camera, by the push that was measured.
    """

    amount: float = Field(default=1.0, ge=-2, le=2)
    track: Id | None = None


class Gate(Value):
    """How the gate of one output goes over a shot; `output` None: the reel's own.

    Poses stand in the order of their frames, one a frame; without any the gate is as large as fits, in the middle.
    `level_deg` is a turn for all of the shot, which poses add to. What is followed decides where the gate is, poses how
    large it is.
    """

    output: Id | None = None
    poses: tuple[Pose, ...] = Field(default=(), max_length=10_000)
    follows: tuple[Follow, ...] = Field(default=(), max_length=1000)
    counter_zoom: CounterZoom | None = None
    level_deg: Degrees = 0.0

    def checked_together(self) -> Self:
        if any(b.frame <= a.frame for a, b in pairwise(self.poses)):
            raise ValueError("the poses of a gate stand in the order of their frames, one a frame")
        if any(b.frame <= a.frame for a, b in pairwise(self.follows)):
            raise ValueError("what a gate follows stands in the order of its frames, one a frame")
        return self

    @property
    def rests(self) -> bool:
        """Whether nothing is asked of it."""
        return not (self.poses or self.follows or self.counter_zoom or self.level_deg)

    @property
    def tracks(self) -> tuple[str, ...]:
        """The ids of all tracks that it depends on."""
        named = [each for follow in self.follows for each in follow.tracks]
        if self.counter_zoom is not None and self.counter_zoom.track is not None:
            named.append(self.counter_zoom.track)
        return tuple(dict.fromkeys(named))

    @property
    def scenic(self) -> tuple[Pose, ...]:
        """The poses that belong to the scene."""
        return tuple(each for each in self.poses if each.belongs == "scene")

    def pose_at(self, frame: int) -> Pose | None:
        """The pose that stands at a frame."""
        return next((each for each in self.poses if each.frame == frame), None)

    def put(self, pose: Pose, *, instead_of: int | None = None) -> "Gate":
        """The gate with a pose added, or put in the place of the one on its frame, or on the frame `instead_of`."""
        return self.changed(poses=put_on_frame(self.poses, pose, instead_of=instead_of))

    def without(self, frame: int) -> "Gate":
        """The gate without the pose on a frame."""
        return self.changed(poses=tuple(each for each in self.poses if each.frame != frame))
