"""How a shot is steadied, as the user chose it: nothing measured."""

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from clevrin.core.document.span import Span
from clevrin.core.document.value import MOST_FRAMES, Id, Sparing, Value

HoldKind = Literal["none", "float", "lock-off", "anchor"]
Axis = Literal["pan", "tilt", "roll", "zoom"]
Edge = Literal["bare", "trim", "fill", "mirror", "smear", "colour", "clear", "borrow"]
Enlargement = Literal["constant", "varying"]
Kernel = Literal["bicubic", "lanczos"]

AXES: tuple[Axis, ...] = ("pan", "tilt", "roll", "zoom")
LEAST_KEEP, MOST_KEEP = 0.3, 1.0
LONGEST_SETTLE_S = 20.0

Share = Annotated[float, Field(ge=0, le=1)]


class Anchor(Value):
    """What of the subject is kept in place.

    `place`: where in the gate it stands, as shares of the gate's width and height; None: where it is on the average.
    `slowly`: it goes on a slow path of its own instead of standing still. `turn` and `size`: whether those are
    followed too, which takes a surface.
    """

    track_id: Id
    place: tuple[Share, Share] | None = None
    slowly: bool = False
    turn: bool = False
    size: bool = False


class Bounds(Value):
    """How far the gate may leave its middle: shares of the width, degrees, a share of its size; None: freely."""

    pan: float | None = Field(default=None, ge=0, le=1)
    tilt: float | None = Field(default=None, ge=0, le=1)
    roll: float | None = Field(default=None, ge=0, le=90)
    zoom: float | None = Field(default=None, ge=0, le=1)


class Hold(Sparing):
    """How a shot is steadied.

    `settle_s`: motion quicker than this is taken out; `keep`: least share of the picture's width that must stay;
    `returned`: how much of the original motion is brought back; `spared`: frames of the take from which no calm is
    demanded, because they would cost all others too much; `ease_blurred`: blurred frames may keep more of the motion
    that blurred them; `reference`: the frame of the take that a lock-off stands on (None: chosen by itself); `mesh`:
    what one map of the whole picture leaves is taken out by a grid. `colour` (#rrggbb) is that of the edge so named;
    an edge that borrows takes nothing of what the area `not_borrowed` of the take holds.
    """

    unwritten: ClassVar[tuple[str, ...]] = ("not_borrowed",)

    how: HoldKind = "none"
    settle_s: float = Field(default=1.6, ge=0, le=LONGEST_SETTLE_S)
    keep: float = Field(default=0.85, ge=LEAST_KEEP, le=MOST_KEEP)
    axes: tuple[Axis, ...] = AXES
    bounds: Bounds = Bounds()
    returned: float = Field(default=0.0, ge=0, le=1)
    spared: tuple[Span, ...] = Field(default=(), max_length=1000)
    ease_blurred: bool = False
    reference: int | None = Field(default=None, ge=0, le=MOST_FRAMES)
    anchor: Anchor | None = None
    mesh: bool = False
    edge: Edge = "fill"
    enlargement: Enlargement = "constant"
    colour: str = Field(default="#808080", pattern="^#[0-9a-fA-F]{6}$")
    kernel: Kernel = "bicubic"
    crispness: float = Field(default=0.0, ge=0.0, le=1.0)
    not_borrowed: Id | None = None

    @property
    def stays_inside(self) -> bool:
        """Whether the gate has to lie within the picture, at the price of some of it."""
        return self.edge in ("fill", "trim")

    @property
    def for_another_take(self) -> "Hold":
        """The settings without what is of one take alone: frames of it, and the subject that it is anchored to."""
        return self.changed(spared=(), reference=None, anchor=None, not_borrowed=None)

    @property
    def path_part(self) -> "Hold":
        """The settings on which the held path depends, the others as they are by default."""
        edge: Edge = self.edge if self.stays_inside else "bare"
        rest = Hold()
        shown = {"colour": rest.colour, "kernel": rest.kernel, "crispness": rest.crispness, "not_borrowed": None}
        return self.changed(edge=edge, **shown)
