"""What is followed in a take, and what is left out of measuring it, as the user placed it: nothing measured."""

from itertools import pairwise
from typing import ClassVar, Literal, Self

from pydantic import Field

from clevrin.core.document.cut_outs import CutOut
from clevrin.core.document.places import Place, Share
from clevrin.core.document.value import MOST_FRAMES, Id, Name, Sparing, Value, new_id, put_on_frame

TrackKind = Literal["point", "surface"]

DEFAULT_LIMIT = 0.7
LEAST_REACH_PX, DEFAULT_REACH_PX, MOST_REACH_PX = 6.0, 20.0, 200.0


class Placement(Value):
    """Where somebody put a track on a frame: one place, or a surface's four corners, in pixels of the upright picture.

    Corners go round: top left, top right, bottom right, bottom left, as they were on the thing itself.
    """

    frame: int = Field(ge=0, le=MOST_FRAMES)
    places: tuple[Place, ...] = Field(min_length=1, max_length=4)


class Track(Sparing):
    """A point or a flat surface of the subject that is followed from where it was placed.

    `reach_px` is how far around a point its pattern goes; `limit` the confidence under which following stops.
    Placements are in the order of their frames, one a frame, and stay as they are whatever is measured around them.
    With a `cut` it is the middle of what is cut out instead, as the area `area_id` of its take has it: where that is
    placed does not count.
    """

    unwritten: ClassVar[tuple[str, ...]] = ("cut", "area_id")

    id: Id = Field(default_factory=new_id)
    name: Name
    kind: TrackKind
    placed: tuple[Placement, ...] = Field(min_length=1, max_length=200_000)
    reach_px: float = Field(default=DEFAULT_REACH_PX, ge=LEAST_REACH_PX, le=MOST_REACH_PX)
    limit: float = Field(default=DEFAULT_LIMIT, ge=0.0, le=1.0)
    cut: CutOut | None = None
    area_id: Id | None = None

    def checked_together(self) -> Self:
        frames = [each.frame for each in self.placed]
        if any(b <= a for a, b in pairwise(frames)):
            raise ValueError("the placements of a track stand in the order of their frames")
        if any(len(each.places) != self.corners for each in self.placed):
            raise ValueError("a point has one place, and a surface four corners")
        if self.cut is not None and self.kind != "point":
            raise ValueError("the middle of what is cut out is a point")
        return self

    @property
    def corners(self) -> int:
        return 4 if self.kind == "surface" else 1

    @property
    def last_frame(self) -> int:
        return self.placed[-1].frame

    def put(self, placement: Placement) -> "Track":
        """The track with a placement added, or put in the place of the one on its frame."""
        return self.changed(placed=put_on_frame(self.placed, placement))


class Pointed(Value):
    """A place in a frame whose plane a take's trace is to follow: x, y as shares of the picture's size."""

    frame: int = Field(ge=0, le=MOST_FRAMES)
    place: tuple[Share, Share]


class LeftOut(Value):
    """An area that does not count when a take's motion is measured: x, y, w, h as shares of the picture's size.

    With `carried` it goes along with the picture's motion from the frame on which it was drawn.
    """

    id: Id = Field(default_factory=new_id)
    frame: int = Field(ge=0, le=MOST_FRAMES)
    area: tuple[Share, Share, Share, Share]
    carried: bool = False

    def checked_together(self) -> Self:
        x, y, w, h = self.area
        if w <= 0 or h <= 0 or x + w > 1 + 1e-9 or y + h > 1 + 1e-9:
            raise ValueError("an area lies within the picture")
        return self

    @property
    def last_frame(self) -> int:
        return self.frame
