"""Motion that is lent to a shot, as the user chose it."""

from typing import Annotated, Literal, Self

from pydantic import Field

from clevrin.core.document.value import MOST_FRAMES, Id, Name, Rate, Value, new_id

Lender = Literal["take", "motion", "rig"]
Lent = Literal["shake", "course", "difference"]
Rig = Literal["resting hands", "walking", "running", "car", "long lens"]

RIGS: tuple[Rig, ...] = ("resting hands", "walking", "running", "car", "long lens")

Coordinate = Annotated[float, Field(ge=-1000, le=1000)]
Row = tuple[Coordinate, Coordinate, Coordinate, Coordinate]


class Motion(Value):
    """A course of a camera that was performed by hand or brought in, a row a frame.

    Rows are pan (right positive) and tilt (up positive) in picture widths, roll in degrees anticlockwise, and zoom as
    a natural logarithm (in positive), from the first frame on.
    """

    id: Id = Field(default_factory=new_id)
    name: Name
    rate: Rate
    course: tuple[Row, ...] = Field(min_length=1, max_length=1_000_000)


class Loan(Value):
    """What motion is put on a shot.

    `lender` says whose: a take's (`lender_id`, from its frame `first` on), a kept motion's (`lender_id`), or that of
    the simulated hand `rig` with a seed. `lent`: its shake alone, its whole course, or how it differs from its own
    held path with this shot's settle. `amount` scales pan, tilt and roll, `size` the zoom; 1 is as it was.
    """

    lender: Lender
    lender_id: Id | None = None
    first: int = Field(default=0, ge=0, le=MOST_FRAMES)
    rig: Rig = "resting hands"
    seed: int = Field(default=1, ge=0, le=1_000_000)
    lent: Lent = "course"
    amount: float = Field(default=1.0, ge=-5, le=5)
    size: float = Field(default=1.0, ge=-5, le=5)

    def checked_together(self) -> Self:
        if self.lender != "rig" and self.lender_id is None:
            raise ValueError("a loan of a take or a motion names it")
        return self


class Over(Value):
    """Motion over a stretch of the reel, across its joins: `frames` of it from `first` on.

    It begins and ends at rest, over `ease` frames each. It is a rig's or a kept motion's: what a take did is kept as
    a motion for it.
    """

    id: Id = Field(default_factory=new_id)
    first: int = Field(ge=0, le=MOST_FRAMES)
    frames: int = Field(gt=0, le=MOST_FRAMES)
    ease: int = Field(default=12, ge=0, le=1000)
    loan: Loan

    @property
    def end(self) -> int:
        """The frame of the reel behind its last one."""
        return self.first + self.frames

    def checked_together(self) -> Self:
        if self.loan.lender == "take":
            raise ValueError("what a take lends to the reel is kept as a motion")
        return self
