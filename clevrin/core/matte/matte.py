"""A matte: an area as it is on one frame, as data that a plan can carry, print and compare.

Places and lengths are in pixels of the take's upright picture, in which the middle of the first pixel is (0, 0).
"""

from dataclasses import dataclass, field
from typing import Literal

from clevrin.core.document.areas import Mode, Shape

Places = tuple[tuple[float, float], ...]
Lab = tuple[float, float, float]


@dataclass(frozen=True, kw_only=True)
class Painted:
    """A drawn shape where it lies on the frame (see `Outline`)."""

    shape: Shape
    places: Places
    sharp: tuple[int, ...] = ()


@dataclass(frozen=True, kw_only=True)
class OfColour:
    """What is of some colours (see `Coloured`)."""

    labs: tuple[Lab, ...]
    tolerance: float
    softness: float
    holes_px: float = 0.0
    specks_px: float = 0.0
    spill: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Stored:
    """Coverage of a part of the picture that was measured: its rows of bytes, 0 to 255, `packed` by zlib."""

    left: int
    top: int
    width: int
    height: int
    packed: bytes = field(default=b"", repr=False)


NOTHING = Stored(left=0, top=0, width=0, height=0)


@dataclass(frozen=True, kw_only=True)
class MattePart:
    """One part, and what it does to those before it."""

    of: "Painted | OfColour | Stored | Matte"
    mode: Mode = "add"
    inverted: bool = False


@dataclass(frozen=True, kw_only=True)
class Matte:
    """An area on one frame. `share` of it counts, or if it is `inverted` all but that.

    `beyond`: what lies outside the picture, as its edge or not of it.
    """

    parts: tuple[MattePart, ...]
    grow_px: float = 0.0
    inside_px: float = 0.0
    outside_px: float = 0.0
    share: float = 1.0
    inverted: bool = False
    beyond: Literal["as its edge", "nothing"] = "as its edge"

    @property
    def spills(self) -> "tuple[OfColour, ...]":
        """The colours of it whose cast is to be taken from what stays."""
        found: list[OfColour] = []
        for each in self.parts:
            if isinstance(each.of, Matte):
                found += each.of.spills
            elif isinstance(each.of, OfColour) and each.of.spill > 0:
                found.append(each.of)
        return tuple(found)

    @property
    def of_picture(self) -> bool:
        """Whether the picture has to be looked at to know it."""
        return any(
            isinstance(each.of, OfColour) or (isinstance(each.of, Matte) and each.of.of_picture) for each in self.parts
        )
