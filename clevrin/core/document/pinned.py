"""What is pinned to a shot: words, drawings and films that stand in its scene as if they had been there.

Places and lengths are in pixels of the take's upright picture unless they say otherwise.
"""

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field

from clevrin.core.document.places import Place
from clevrin.core.document.value import MOST_FRAMES, Id, Name, Text, Value, new_id, put_on_frame

Ground = Literal["scene", "point", "surface"]
"""With what it goes: with the camera's background, upright with a followed point, flat on a followed surface."""
MOST_LETTERS = 500

_Frame = Annotated[int, Field(ge=0, le=MOST_FRAMES)]
_Unit = Annotated[float, Field(ge=0, le=1)]
_Colour = Annotated[str, Field(pattern="^#[0-9a-fA-F]{6}$")]
Corners = tuple[Place, Place, Place, Place]


class Words(Value):
    """Words in one or several lines, as high together as the element is.

    `font`: a font file; "": the one that comes with Clevrin. `outline` and `shadow`: shares of a letter's height.
    """

    how: Literal["words"] = "words"
    text: Text = Field(min_length=1, max_length=MOST_LETTERS)
    font: Text = Field(default="", max_length=10_000)
    colour: _Colour = "#ffffff"
    outline: float = Field(default=0.0, ge=0, le=0.3)
    outline_colour: _Colour = "#000000"
    shadow: float = Field(default=0.0, ge=0, le=0.5)

    def checked_together(self) -> Self:
        if not self.text.strip():
            raise ValueError("words have letters")
        return self

    @property
    def name(self) -> str:
        return " ".join(self.text.split())[:40] or "Words"


class Drawing(Value):
    """A picture in a file: PNG, JPEG, or a drawing in SVG."""

    how: Literal["drawing"] = "drawing"
    name: Name
    path: Text = Field(max_length=10_000)
    fingerprint: Name


class Film(Value):
    """A take of the project as an element, with what its file says of how much of each pixel is there.

    It begins with the element, and plays at its own rate while the shot's take does; with `again` from its start when
    it has ended, else its last frame stays.
    """

    how: Literal["film"] = "film"
    take_id: Id
    again: bool = True


class PinPose(Value):
    """What is pinned at a frame, besides being carried: moved by shares of its own width, larger, turned, seen."""

    frame: _Frame
    x: float = Field(default=0.0, ge=-100, le=100)
    y: float = Field(default=0.0, ge=-100, le=100)
    size: float = Field(default=1.0, ge=0.01, le=100)
    turn_deg: float = Field(default=0.0, ge=-3600, le=3600)
    seen: _Unit = 1.0


class Pinned(Value):
    """An element in the scene of a shot, from where somebody placed it: its four corners on a frame of the take.

    Corners go round from its own top left. It is seen from frame `first` to before `end` (None: to the end of the
    take), comes in over `comes` frames and goes over `goes`. `behind`: the areas of the take that stand before it.
    `wrap` is how much of the light about it lies over its edge, `grain` how much of the take's grain it has; `blurs`:
    it is blurred as the shutter blurs what is about it. Poses are in the order of their frames, straight in between
    but for easing.
    """

    id: Id = Field(default_factory=new_id)
    name: Name
    of: Words | Drawing | Film = Field(discriminator="how")
    ground: Ground = "scene"
    track_id: Id | None = None
    frame: _Frame
    corners: Corners
    first: _Frame = 0
    end: _Frame | None = None
    comes: int = Field(default=0, ge=0, le=10_000)
    goes: int = Field(default=0, ge=0, le=10_000)
    behind: tuple[Id, ...] = Field(default=(), max_length=20)
    opacity: _Unit = 1.0
    wrap: _Unit = 0.15
    grain: _Unit = 1.0
    blurs: bool = True
    poses: tuple[PinPose, ...] = Field(default=(), max_length=10_000)

    def checked_together(self) -> Self:
        if any(b.frame <= a.frame for a, b in pairwise(self.poses)):
            raise ValueError("the poses of an element stand in the order of their frames, one a frame")
        if self.ground != "scene" and self.track_id is None:
            raise ValueError("an element that goes with a track names it")
        if self.end is not None and self.end <= self.first:
            raise ValueError("an element is seen for a frame at least")
        if not _turns_one_way(self.corners):
            raise ValueError("the corners of an element go round it, and none lies within the others")
        return self

    @property
    def last_frame(self) -> int:
        """The last frame on which something of it was set."""
        return max(self.frame, self.first, *(each.frame for each in self.poses))

    def put(self, pose: PinPose) -> "Pinned":
        """The element with a pose added, or put in the place of the one on its frame."""
        return self.changed(poses=put_on_frame(self.poses, pose))

    def seen_at(self, frame: float) -> float:
        """How much of it is seen at a moment, 0 to 1, without what its poses say."""
        if frame < self.first - 0.5 or (self.end is not None and frame >= self.end - 0.5):
            return 0.0
        coming = 1.0 if not self.comes else (frame - self.first + 1) / (self.comes + 1)
        going = 1.0 if not self.goes or self.end is None else (self.end - frame) / (self.goes + 1)
        return self.opacity * min(1.0, max(0.0, coming), max(0.0, going))


def _turns_one_way(corners: Corners) -> bool:
    """Whether four places are the corners of something convex that can be seen."""
    turns = []
    for k in range(4):
        (ax, ay), (bx, by), (cx, cy) = corners[k], corners[(k + 1) % 4], corners[(k + 2) % 4]
        turns.append((bx - ax) * (cy - by) - (by - ay) * (cx - bx))
    return all(turn > 1e-3 for turn in turns) or all(turn < -1e-3 for turn in turns)
