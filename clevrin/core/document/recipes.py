"""Recipes: what is set on a shot, or on the cut behind it, under a name, so that it can be put on others.

Places in time are shares of the shot, places in the picture shares of its size: lengths adapt to the shot.
"""

from itertools import pairwise
from typing import ClassVar, Self

from pydantic import Field

from clevrin.core.document.gating import MOST_TURN_DEG, STILL, Easing, Share
from clevrin.core.document.holding import Hold
from clevrin.core.document.joining import Join
from clevrin.core.document.pacing import FASTEST, LONGEST_FREEZE_S, InBetween, Pitch, Shutter
from clevrin.core.document.value import Name, Sparing, Text, Value

MOST_POINTS = 200


class RecipeSpeed(Value):
    """How fast a shot plays at a share of its way, in the order in which it plays; see `PacePoint`."""

    at: Share
    speed: float = Field(ge=-FASTEST, le=FASTEST)
    ease: Easing = 1.0
    stays_s: float = Field(default=0.0, ge=0, le=LONGEST_FREEZE_S)


class RecipePose(Value):
    """Where the gate is at a share of the shot's way: its middle as shares of the picture's size.

    `width`: as a share of the widest gate of the reel's shape that the picture holds.
    """

    at: Share
    x: float = Field(ge=-2, le=3)
    y: float = Field(ge=-2, le=3)
    width: float = Field(gt=0, le=8)
    turn_deg: float = Field(default=0.0, ge=-MOST_TURN_DEG, le=MOST_TURN_DEG)
    arrive: Easing = STILL
    leave: Easing = STILL


class Recipe(Sparing):
    """What is put on a shot; None: that stays as it is there. `leave`: how it passes into the next one."""

    unwritten: ClassVar[tuple[str, ...]] = (
        *("about", "hold", "speeds", "in_between", "shutter", "pitch", "poses", "leave"),
    )

    name: Name = Field(min_length=1, max_length=80)
    about: Text = Field(default="", max_length=500)
    hold: Hold | None = None
    speeds: tuple[RecipeSpeed, ...] | None = Field(default=None, max_length=MOST_POINTS)
    in_between: InBetween | None = None
    shutter: Shutter | None = None
    pitch: Pitch | None = None
    poses: tuple[RecipePose, ...] | None = Field(default=None, max_length=MOST_POINTS)
    leave: Join | None = None

    def checked_together(self) -> Self:
        for row in ([each.at for each in self.speeds or ()], [each.at for each in self.poses or ()]):
            if any(b < a for a, b in pairwise(row)):
                raise ValueError("what a recipe sets stands in the order of the shot")
        return self

    @property
    def told(self) -> str:
        """What it sets, in words."""
        named = {
            "hold": self.hold,
            "speeds": self.speeds,
            "blur": self.shutter,
            "gate": self.poses,
            "join": self.leave,
        }
        return ", ".join(name for name, each in named.items() if each is not None)
