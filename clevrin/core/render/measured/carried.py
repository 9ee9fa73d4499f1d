"""What is known of an area and of an element of a take, with what carries them from frame to frame."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Area, CutOut, Drawn, Filmed, Pinned, Take
from clevrin.core.gate.easing import Stops, eased
from clevrin.core.matte import Matte, coverage, matte_at
from clevrin.core.matte.areas import quad_to_quad
from clevrin.core.matte.coverage import Weights
from clevrin.core.matte.matte import Stored
from clevrin.core.media.picture import shrunk
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.geometry.models import translation
from clevrin.core.motion.tracks.both_ways import Followed

Matrix = NDArray[np.float64]

OWN_SQUARE = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
"""The corners of an element in its own coordinates."""
_EASED = 0.5
_MASK_WIDE = 320


@dataclass(frozen=True, kw_only=True, eq=False)
class AreaKnown:
    """An area of a take with what carries it: the way from the first frame to each, tracks by their ids, cut-outs.

    `others`: the areas that it is made of, by their ids; `clung`: where curves that cling to edges are.
    """

    area: Area
    chain: NDArray[np.float64] | None
    followed: Mapping[str, Followed]
    cuts: Mapping[CutOut | Filmed, tuple[Stored, ...]]
    others: Mapping[str, Area] = field(default_factory=dict)
    clung: Mapping[Drawn, Followed] = field(default_factory=dict)

    def at(self, frame: int) -> Matte:
        """The area on a frame."""
        return matte_at(self.area, frame, self.chain, self.followed, self.cuts, self.others, self.clung)


def mask_size(take: Take) -> tuple[int, int]:
    """A size of a take's pictures that is large enough to tell where an area is: 320 across."""
    return _MASK_WIDE, max(2, round(_MASK_WIDE * take.facts.height / take.facts.width / 2) * 2)


def cover_of(known: AreaKnown, take: Take, size: tuple[int, int], film: FilmReader) -> Callable[[int], Weights]:
    """(h, w) 0 to 1 of a `size`: how an area of a take covers its frames; reads the film where colours count.

    Costs 1 to 3 ms a frame at 320x180, with colours the reading of the frame as well. Raises `MediaError` then.
    """
    source = take.facts.width, take.facts.height

    def cover(frame: int) -> Weights:
        matte = known.at(frame)
        return coverage(matte, source, size, shrunk(film.read(frame), size) if matte.of_picture else None)

    return cover


@dataclass(frozen=True, kw_only=True)
class PosedAt:
    """An element's pose at a moment: place in its own widths, size, turn in degrees, and how much of it is seen."""

    x: float = 0.0
    y: float = 0.0
    size: float = 1.0
    turn_deg: float = 0.0
    seen: float = 1.0


@dataclass(frozen=True, kw_only=True, eq=False)
class PinKnown:
    """An element of a shot of `take`, with what carries it.

    `chain` (frames, 3, 3): from the take's first frame to each; `followed`: the track that it goes with, carried on
    where it is not seen. `behind`: the areas that stand before it; `film`: the take that it shows, if it is one.
    """

    pinned: Pinned
    take: Take
    chain: NDArray[np.float64]
    followed: Followed | None = None
    behind: tuple[AreaKnown, ...] = ()
    film: Take | None = None

    def src_from_own(self, frame: int) -> Matrix:
        """From the element's own square to pixels of the take's picture, on a frame."""
        return np.asarray(self.carried(frame) @ self.placed @ self._posed(frame))

    def pose(self, at: float) -> PosedAt:
        """What its poses say at a moment."""
        poses = self.pinned.poses
        if not poses:
            return PosedAt()
        frames = np.array([each.frame for each in poses], np.float64)
        values = np.array([[each.x, each.y, np.log(each.size), each.turn_deg, each.seen] for each in poses])
        ease = np.full(len(poses), _EASED)
        stops = Stops(values=values, first=frames, last=frames, arrive=ease, leave=ease)
        x, y, size, turn, seen = (float(each) for each in eased(stops, np.array([at]))[0])
        return PosedAt(x=x, y=y, size=float(np.exp(size)), turn_deg=turn, seen=min(1.0, max(0.0, seen)))

    def seen(self, at: float) -> float:
        """How much of it is seen at a moment, 0 to 1."""
        return self.pinned.seen_at(at) * self.pose(at).seen

    def film_frame(self, at: float) -> int:
        """The frame of the film that it shows at a moment of the take."""
        if self.film is None:
            return 0
        facts = self.film.facts
        gone = int(np.floor((at - self.pinned.first) / float(self.take.facts.rate) * float(facts.rate) + 1e-6))
        again = getattr(self.pinned.of, "again", False)
        return gone % facts.frames if again else min(max(gone, 0), facts.frames - 1)

    @cached_property
    def placed(self) -> Matrix:
        """From its own square to the picture on the frame on which it was placed."""
        return quad_to_quad(OWN_SQUARE, np.array(self.pinned.corners, np.float64))

    def _posed(self, at: float) -> Matrix:
        """From its own square to itself as its pose has it."""
        if not self.pinned.poses:
            return np.eye(3)
        pose, to_widths = self.pose(at), widths_from_own(self.pinned)
        turn = np.radians(pose.turn_deg)
        cos, sin = pose.size * np.cos(turn), pose.size * np.sin(turn)
        way = np.array([[cos, -sin, pose.x], [sin, cos, pose.y], [0, 0, 1.0]])
        return np.asarray(np.linalg.inv(to_widths) @ way @ to_widths)

    def carried(self, frame: int) -> Matrix:
        """From the picture on the frame on which it was placed to another one's."""
        placed = self.pinned.frame
        if self.pinned.ground == "scene" or self.followed is None:
            return np.asarray(self.chain[frame] @ np.linalg.inv(self.chain[placed]))
        here, there = self.followed.places[placed], self.followed.places[frame]
        if len(here) == 4:
            return quad_to_quad(here, there)
        return translation(*(there[0] - here[0]))


def widths_from_own(pinned: Pinned) -> Matrix:
    """From an element's own square to its own widths from its middle; as high as its sides are, on average."""
    corners = np.array(pinned.corners)
    sides = np.hypot(*(np.roll(corners, -1, axis=0) - corners).T)
    aspect = float((sides[1] + sides[3]) / (sides[0] + sides[2]))
    return np.array([[1, 0, -0.5], [0, aspect, -aspect / 2], [0, 0, 1]])
