"""Areas of a take's picture, as somebody drew or chose them: what is in front, what is a screen, what is sky.

An area is made of parts, each drawn or of a colour. How it covers a picture is worked out in `core/matte`. Places and
lengths are in pixels of the take's upright picture.
"""

from collections.abc import Iterable
from itertools import pairwise
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field

from clevrin.core.document.cut_outs import CutOut, Filmed
from clevrin.core.document.places import Place
from clevrin.core.document.value import MOST_FRAMES, Id, Name, Sparing, Value, new_id, put_on_frame

Shape = Literal["curve", "box", "disc", "half-plane", "band"]
Along = Literal["nothing", "picture", "track", "edges"]
"""With what a drawn area goes; with edges: each frame's curve clings to the edge that it had."""
Mode = Literal["add", "common", "without"]

FEWEST_PLACES: dict[Shape, int] = {"curve": 3, "box": 4, "disc": 3, "half-plane": 2, "band": 3}
MOST_PLACES: dict[Shape, int] = {**FEWEST_PLACES, "curve": 200}
_Frame = Annotated[int, Field(ge=0, le=MOST_FRAMES)]
_Px = Annotated[float, Field(ge=0, le=1000)]
_Unit = Annotated[float, Field(ge=0, le=1)]


class Outline(Value):
    """Where a drawn area lies on a frame.

    Of a curve its points in order; of a box its corners, round; of a disc its middle and the ends of two half axes; of
    a half-plane two points of its edge, which has the area on its right as one goes from the first to the second; of a
    band two points of its middle line and one of its edge.
    """

    frame: _Frame
    places: tuple[Place, ...] = Field(min_length=2, max_length=200)


class Drawn(Value):
    """An area that was drawn, on one frame or several; between them it is carried `along` with something.

    `sharp`: which points of a curve are corners, by their number; the others are passed smoothly. `track_id`: with
    what it goes, where that is a track.
    """

    how: Literal["drawn"] = "drawn"
    shape: Shape
    outlines: tuple[Outline, ...] = Field(min_length=1, max_length=10_000)
    sharp: tuple[int, ...] = Field(default=(), max_length=200)
    along: Along = "picture"
    track_id: Id | None = None

    def checked_together(self) -> Self:
        counts = {len(each.places) for each in self.outlines}
        if len(counts) != 1 or not FEWEST_PLACES[self.shape] <= max(counts) <= MOST_PLACES[self.shape]:
            raise ValueError(f"a {self.shape} has as many points on every frame, and not so few or many")
        if any(b.frame <= a.frame for a, b in pairwise(self.outlines)):
            raise ValueError("the outlines of an area stand in the order of their frames")
        if self.along == "track" and self.track_id is None:
            raise ValueError("an area that goes with a track names it")
        return self

    @property
    def clings(self) -> bool:
        """Whether its curve clings to an edge; a straight edge and a band have none to cling by."""
        return self.along == "edges" and self.shape in ("curve", "box", "disc")

    @property
    def last_frame(self) -> int:
        return self.outlines[-1].frame

    def put(self, outline: Outline) -> "Drawn":
        """The area with an outline added, or put in the place of the one on its frame."""
        return self.changed(outlines=put_on_frame(self.outlines, outline))


class Pick(Value):
    """A place that was clicked on a frame, and the colour that was there: CIELAB (D65)."""

    frame: _Frame
    place: Place
    lab: tuple[
        Annotated[float, Field(ge=0, le=100)],
        Annotated[float, Field(ge=-200, le=200)],
        Annotated[float, Field(ge=-200, le=200)],
    ]


class Coloured(Value):
    """What is of the colours of some places, whatever of it is lit better or worse.

    `tolerance`: how far a colour may be from the nearest one that was clicked and belong in full, in CIELAB with
    lightness counting less; over `softness` more it belongs in part. Holes of fewer than `holes_px` pixels across are
    filled, specks as small are left out. `spill`: how much of the colour is taken from what stays, 0 to 1.
    """

    how: Literal["coloured"] = "coloured"
    picks: tuple[Pick, ...] = Field(min_length=1, max_length=100)
    tolerance: float = Field(default=14.0, ge=0.5, le=150)
    softness: float = Field(default=10.0, ge=0, le=150)
    holes_px: _Px = 0.0
    specks_px: _Px = 4.0
    spill: _Unit = 0.0

    @property
    def last_frame(self) -> int:
        return max(each.frame for each in self.picks)


class Other(Value):
    """What another area of the take holds, however that changes; one that is gone holds nothing."""

    how: Literal["other"] = "other"
    area_id: Id

    @property
    def last_frame(self) -> int:
        return 0


class AreaPart(Value):
    """One part of an area, and what it does to the parts before it; `inverted`: all but that."""

    of: Drawn | Coloured | CutOut | Filmed | Other = Field(discriminator="how")
    mode: Mode = "add"
    inverted: bool = False


class Seen(Value):
    """How much of an area counts at a frame."""

    frame: _Frame
    share: _Unit


class Area(Sparing):
    """An area of a take. It grows by `grow_px` (below 0 it shrinks), and passes softly over its edge.

    `inside_px` and `outside_px`: over how much to either side of the edge. `seen`: how much of it counts, at frames in
    order, straight between them; none: all of it. `left_out`: what it holds does not count when the take's motion is
    measured.
    """

    unwritten: ClassVar[tuple[str, ...]] = ("seen", "left_out")

    id: Id = Field(default_factory=new_id)
    name: Name
    parts: tuple[AreaPart, ...] = Field(min_length=1, max_length=50)
    grow_px: float = Field(default=0.0, ge=-500, le=500)
    inside_px: _Px = 0.0
    outside_px: _Px = 0.0
    seen: tuple[Seen, ...] = Field(default=(), max_length=10_000)
    left_out: bool = False

    def checked_together(self) -> Self:
        if any(b.frame <= a.frame for a, b in pairwise(self.seen)):
            raise ValueError("how much an area counts stands in the order of frames")
        return self

    @property
    def last_frame(self) -> int:
        """The last frame on which something of it was set."""
        return max([each.of.last_frame for each in self.parts] + [each.frame for each in self.seen])

    @property
    def track_ids(self) -> frozenset[str]:
        """The tracks that it goes with."""
        found = (each.of.track_id for each in self.parts if isinstance(each.of, Drawn) and each.of.along == "track")
        return frozenset(each for each in found if each is not None)

    @property
    def cut_outs(self) -> tuple[CutOut, ...]:
        """What of it is cut out of the take, and has to be measured."""
        return tuple(each.of for each in self.parts if isinstance(each.of, CutOut))

    @property
    def filmed(self) -> tuple[Filmed, ...]:
        """What of it other films show."""
        return tuple(each.of for each in self.parts if isinstance(each.of, Filmed))

    @property
    def clinging(self) -> tuple[Drawn, ...]:
        """What of it clings to edges, and has to be followed."""
        return tuple(each.of for each in self.parts if isinstance(each.of, Drawn) and each.of.clings)

    @property
    def covers_as(self) -> tuple[object, ...]:
        """What of it decides how it covers the picture."""
        return self.parts, self.grow_px, self.inside_px, self.outside_px, self.seen

    @property
    def others(self) -> tuple[str, ...]:
        """The ids of the areas that it is made of as well."""
        return tuple(each.of.area_id for each in self.parts if isinstance(each.of, Other))

    @property
    def goes_with_picture(self) -> bool:
        """Whether it has to be known how the camera moved."""
        return any(isinstance(each.of, Drawn) and each.of.along in ("picture", "edges") for each in self.parts)


def made_of(area: Area, areas: Iterable[Area]) -> tuple[Area, ...]:
    """An area and all those of a take that it is made of, each once; what comes back to itself ends there."""
    by_id = {each.id: each for each in areas}
    found: dict[str, Area] = {}
    ahead = [area]
    while ahead:
        each = ahead.pop()
        if each.id not in found:
            found[each.id] = each
            ahead += [by_id[id] for id in each.others if id in by_id]
    return tuple(found.values())
