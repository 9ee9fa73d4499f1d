"""A plan: what has to be done for one frame of the reel, as data that can be printed and tested."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.colour import BT709, Colour
from clevrin.core.document.holding import Edge, Kernel
from clevrin.core.document.pinned import Drawing, Film, Words
from clevrin.core.join.balancing import EVEN, Gains
from clevrin.core.join.kinds.kind import After
from clevrin.core.matte import Matte

S = TypeVar("S")
M = TypeVar("M")
Quality = Literal["draft", "final"]
Row9 = tuple[float, float, float, float, float, float, float, float, float]
Bend = tuple[tuple[tuple[float, float], ...], ...]


@dataclass(frozen=True, kw_only=True)
class Borrowed:
    """Another frame of the same take that sees what lies beyond the edge, and where its picture is laid.

    Nothing is taken of what lies `without` it.
    """

    frame: int
    src_from_out: Row9
    without: Matte | None = None

    @property
    def matrix(self) -> NDArray[np.float64]:
        return _square(self.src_from_out)


@dataclass(frozen=True, kw_only=True)
class Wider:
    """A source that goes on beyond its edges, by so many of its pixels on each side, by what other frames saw there.

    The lenders' maps are from pixels of the wider picture.
    """

    left: int
    top: int
    right: int
    bottom: int
    lenders: tuple[Borrowed, ...]


@dataclass(frozen=True, kw_only=True)
class Spared:
    """A soft disc in output pixels in which added blur does not count: about (x, y), whole up to `radius`."""

    x: float
    y: float
    radius: float
    feather: float


@dataclass(frozen=True, kw_only=True)
class HalfPlane:
    """What lies beyond a straight edge: (x, y) with `across` x + `down` y over `at`, in output pixels.

    Over `soft` pixels about the edge it is there in part.
    """

    across: float
    down: float
    at: float
    soft: float


@dataclass(frozen=True, kw_only=True)
class Between:
    """A moment between two frames: `share` of the way from the sample's own frame to `frame`.

    `to_from_src` takes pixels of the sample's frame to those of this one, as the background moves. `made`: by mixing
    both, or by the flow of what moves beside the background as well.
    """

    frame: int
    share: float
    to_from_src: Row9
    made: Literal["mix", "flow"] = "flow"

    @property
    def matrix(self) -> NDArray[np.float64]:
        return _square(self.to_from_src)


@dataclass(frozen=True, kw_only=True)
class Sample:
    """One moment of a source picture: its frame, how it is laid, and its share of the layer.

    `src_from_out` takes pixels of the output to pixels of the upright picture of the frame (row by row): hold, gate,
    mirroring and the fit to the reel in one map, so that the picture is resampled once; of a moment between two
    frames to where what stands there is in its frame, unless it moves by itself.
    """

    frame: int
    src_from_out: Row9
    weight: float = 1.0
    between: Between | None = None

    @property
    def matrix(self) -> NDArray[np.float64]:
        return _square(self.src_from_out)

    @property
    def instant(self) -> float:
        """The moment in frames of the take."""
        other = self.between
        return self.frame if other is None else self.frame + other.share * (other.frame - self.frame)


@dataclass(frozen=True, kw_only=True)
class PinSample:
    """One moment of what is pinned: `own_from_out` takes output pixels to its own square, 0 to 1 across and down."""

    own_from_out: Row9
    weight: float = 1.0

    @property
    def matrix(self) -> NDArray[np.float64]:
        return _square(self.own_from_out)


@dataclass(frozen=True, kw_only=True)
class Pin:
    """What stands in the scene of a layer, and how: its moments are what an open shutter sees of it.

    `frame`: of a film. `seen`: how much of it. `behind`: mattes of the layer's own frame that stand before it. `wrap`
    and `grain`: how much it takes of the light about it and of the take's grain.
    """

    of: Words | Drawing | Film
    samples: tuple[PinSample, ...]
    frame: int = 0
    seen: float = 1.0
    behind: tuple[Matte, ...] = ()
    wrap: float = 0.0
    grain: float = 0.0

    def moved(self, moves: Sequence[NDArray[np.float64]]) -> "Pin":
        """The same where its layer is moved: its moments and those of the move, one after the other.

        `moves` take output pixels to those that the layer was laid for.
        """
        pairs = one_after_other(self.samples, moves)
        samples = tuple(PinSample(own_from_out=row9(each.matrix @ move), weight=1 / len(pairs)) for each, move in pairs)
        return replace(self, samples=samples)


@dataclass(frozen=True, kw_only=True)
class Front:
    """What of a layer stands before the others, and how much of that does."""

    matte: Matte
    share: float = 1.0


@dataclass(frozen=True, kw_only=True)
class Layer:
    """One source, of the size `source_size`, and how its moments are laid on the frame.

    Several `samples` are what a shutter sees while it is open; their weights add up to 1. `bend`, if there is one, are
    displacements in source pixels that come on top, at the knots of a grid over the source, row by row. `edge` says
    what stands where the source ends, `colour` that of the edge of this name, and `borrowed` which frames are borrowed
    from, best first. `window` (left, top, right, bottom in output pixels) is what is shown at all; `around` is what
    stands outside of it: a colour (#rrggbb), or "blurred": what is shown itself, enlarged and blurred. `spared` is
    where added blur does not count, `added_blur_px` how long it is at most; `made_speed_px` is how fast a join moves
    its corners, in a frame. `weight` is its share of the mix; the weights of a plan's layers add up to 1. Where an edge
    passes over the picture, it counts only `behind` it. `gains` are of its red, green and blue light. What `edge` says
    begins where what is `wider` ends, if that is known; its samples are of one frame then. Of a layer with a `matte`
    only what that covers counts, at each of its moments; one that is the `rest` shows where the others do not.
    What is in `front` of it stands before the other layers. `pins` stand in its scene, the first one behind the others.
    """

    take_id: str
    path: str
    source_size: tuple[int, int]
    samples: tuple[Sample, ...]
    bend: Bend | None = None
    edge: Edge = "fill"
    colour: str = "#000000"
    borrowed: tuple[Borrowed, ...] = ()
    window: tuple[float, float, float, float] | None = None
    around: str = "#000000"
    kernel: Kernel = "bicubic"
    crispness: float = 0.0
    spared: Spared | Matte | None = None
    added_blur_px: float = 0.0
    made_speed_px: float = 0.0
    weight: float = 1.0
    gains: Gains = EVEN
    behind: HalfPlane | None = None
    wider: Wider | None = None
    matte: Matte | None = None
    rest: bool = False
    front: Front | None = None
    pins: tuple[Pin, ...] = ()

    @staticmethod
    def of(*, frame: int, src_from_out: Row9, **rest: Any) -> "Layer":
        """A layer of one frame."""
        return Layer(samples=(Sample(frame=frame, src_from_out=src_from_out),), **rest)

    @property
    def middle(self) -> Sample:
        """The sample in the middle of the open shutter; the only one where nothing is blurred."""
        return self.samples[len(self.samples) // 2]

    @property
    def frame(self) -> int:
        return self.middle.frame

    @property
    def frames(self) -> frozenset[int]:
        """All frames that its moments are made of."""
        others = (each.between.frame for each in self.samples if each.between is not None)
        return frozenset((*(each.frame for each in self.samples), *others))

    @property
    def src_from_out(self) -> Row9:
        return self.middle.src_from_out

    @property
    def matrix(self) -> NDArray[np.float64]:
        return self.middle.matrix

    def laid(self, src_from_out: Row9, **changes: Any) -> "Layer":
        """The same source with its middle moment alone, laid otherwise."""
        one = replace(self.middle, src_from_out=src_from_out, weight=1.0)
        way = np.asarray(np.linalg.inv(self.matrix) @ _square(src_from_out))
        pins = tuple(each.moved([way]) for each in self.pins)
        return replace(self, **{"samples": (one,), "pins": pins, **changes})


@dataclass(frozen=True, kw_only=True)
class Plan:
    """A frame of `width` x `height` as the mix of its layers, in colours of a kind; none: black.

    `unmeasured`: names of takes that are shown as shot because what their hold needs is not measured yet. `effects`
    are done to the whole of it.
    """

    width: int
    height: int
    layers: tuple[Layer, ...]
    unmeasured: tuple[str, ...] = ()
    colour: Colour = BT709
    effects: tuple[After, ...] = ()


def _square(row: Row9) -> NDArray[np.float64]:
    return np.array(row).reshape(3, 3)


_Moment = TypeVar("_Moment", Sample, PinSample)


def thinned(moments: Sequence[_Moment], most: int) -> tuple[_Moment, ...]:
    """So many of moments at most (an odd number), spread evenly, each for those about it; the middle one stays."""
    count = len(moments)
    if count <= most:
        return tuple(moments)
    kept = [(2 * k + 1) * count // (2 * most) for k in range(most)]
    weights = [0.0] * most
    for at, each in enumerate(moments):
        weights[min(range(most), key=lambda k: abs(kept[k] - at))] += each.weight
    return tuple(replace(moments[at], weight=weight) for at, weight in zip(kept, weights, strict=True))


def one_after_other(moments: Sequence[S], moves: Sequence[M]) -> list[tuple[S, M]]:
    """Moments and moves that happen at once, each with what is there of the other: as many as there are of either."""
    count = max(len(moments), len(moves))
    return [(moments[k * len(moments) // count], moves[k * len(moves) // count]) for k in range(count)]


def moved_samples(samples: Sequence[Sample], moves: Sequence[NDArray[np.float64]]) -> tuple[Sample, ...]:
    """The moments of a layer that is moved, at least as many as it has. Where it blurs they are of shot frames."""
    pairs = one_after_other(samples, moves)
    return tuple(
        replace(
            each,
            src_from_out=row9(each.matrix @ move),
            weight=1 / len(pairs),
            between=each.between if len(pairs) == 1 else None,
        )
        for each, move in pairs
    )


def bend_rows(knots: NDArray[np.float64]) -> Bend:
    """Displacements (rows, columns, 2) as values."""
    return tuple(tuple((float(x), float(y)) for x, y in row) for row in knots)


def row9(matrix: NDArray[np.float64]) -> Row9:
    values = [float(v) for v in (matrix / matrix[2, 2]).reshape(-1)]
    return (*values[:8], values[8])  # type: ignore[return-value]
