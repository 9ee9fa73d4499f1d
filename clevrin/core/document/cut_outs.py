"""What was said of a subject that is cut out of a take: boxes about it, and strokes that correct it."""

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field

from clevrin.core.document.places import Place
from clevrin.core.document.value import MOST_FRAMES, Name, Text, Value, put_on_frame

_Frame = Annotated[int, Field(ge=0, le=MOST_FRAMES)]


class Around(Value):
    """A box about a subject on a frame: left, top, right, bottom."""

    frame: _Frame
    box: tuple[float, float, float, float]

    def checked_together(self) -> Self:
        left, top, right, bottom = self.box
        if right - left < 1 or bottom - top < 1:
            raise ValueError("a box about a subject has a width and a height")
        return self


class Stroke(Value):
    """What was painted over on a frame: all of it belongs to the subject, or none of it."""

    frame: _Frame
    places: tuple[Place, ...] = Field(min_length=1, max_length=2000)
    width_px: float = Field(default=8.0, ge=1, le=1000)
    belongs: bool = True


class CutOut(Value):
    """A subject that is cut out over the take, from a box about it on a frame or several, and strokes that correct it.

    How it covers the picture is measured (`core/matte/cutting`).
    """

    how: Literal["cut-out"] = "cut-out"
    around: tuple[Around, ...] = Field(min_length=1, max_length=100)
    strokes: tuple[Stroke, ...] = Field(default=(), max_length=1000)

    def checked_together(self) -> Self:
        if any(b.frame <= a.frame for a, b in pairwise(self.around)):
            raise ValueError("the boxes about a subject stand in the order of their frames")
        return self

    @property
    def last_frame(self) -> int:
        return self.frames[-1]

    @property
    def frames(self) -> tuple[int, ...]:
        """The frames on which something was said of the subject, in order."""
        return tuple(sorted({each.frame for each in self.around} | {each.frame for each in self.strokes}))

    def put(self, around: Around) -> "CutOut":
        """The cut-out with another box about it, or with one in the place of that on its frame."""
        return self.changed(around=put_on_frame(self.around, around))


class Filmed(Value):
    """What another film shows in white, frame by frame: an area that was made elsewhere, or handed on before.

    Grey counts in part; of a film that says how much of each pixel is there, that counts instead.
    """

    how: Literal["filmed"] = "filmed"
    name: Name
    path: Text = Field(max_length=10_000)
    fingerprint: Name

    @property
    def last_frame(self) -> int:
        return 0
