"""Drawn areas whose curve clings to an edge: followed from each frame on which it was drawn, to both sides of it."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.areas import Drawn, Outline
from clevrin.core.matte.clinging import POINTS, Clinging
from clevrin.core.matte.curves import evenly
from clevrin.core.matte.painting import outline_of
from clevrin.core.media.index import index_frames
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.tracks.both_ways import Followed, Key, Stretch, ends, follow_all, together
from clevrin.core.progress import Progress, step
from clevrin.core.shelf import Shelf

Points = NDArray[np.float64]

VERSION = "1"
_MOST_LOST = 4
LOST = 0.55
"""Under so much of its edge the curve is lost: on drawn subjects whose outline is known it is off by then."""


@dataclass(frozen=True, kw_only=True)
class ClingRequest:
    """Which area clings, in which film, of pictures of a `size` as they are shown."""

    path: Path
    fingerprint: str
    drawn: Drawn
    size: tuple[int, int]


def cling(request: ClingRequest, shelf: Shelf, progress: Progress) -> Followed:
    """Where the points of the curve are on each frame, `POINTS` of them, and how sure its edge is.

    Where the edge is lost it stops, until the frame on which it was drawn next. Raises `MediaError`, `CancelledError`.
    Costs 30 to 100 ms a frame beside the decoding.
    """
    ways = _ways(request, index_frames(request.path).frames, shelf)
    return follow_all(request.path, _placed(request.drawn), ways, progress)


def stored_clinging(request: ClingRequest, frames: int, shelf: Shelf) -> Followed | None:
    """What was followed before, if all of it was."""
    ways = _ways(request, frames, shelf)
    if any(each.stored() is None for each in ways):
        return None
    return together(_placed(request.drawn), frames, ways)


def clinging_curve(drawn: Drawn, outline: Outline) -> Points:
    """(`POINTS`, 2): an outline as a curve of points that are as far from each other."""
    return evenly(outline_of(drawn.shape, np.array(outline.places, np.float64), drawn.sharp), POINTS)


def where_lost(curve: Followed) -> str:
    """Where the edge was lost, in a sentence; empty where it was not."""
    if not curve.lost:
        return ""
    frames = ", ".join(str(each) for each in curve.lost[:_MOST_LOST])
    more = " and more" if len(curve.lost) > _MOST_LOST else ""
    return f"Its edge is lost at frame{'s' if len(curve.lost) > 1 else ''} {frames}{more}: put its points there."


def points_at(drawn: Drawn, curve: Followed, frame: int) -> Points | None:
    """Where the points are by which an area is dragged (see `Outline`), on a frame to which its curve clung.

    They are those of the curve that are next to them on the frame on which it was drawn last; None where it is lost.
    """
    if frame >= curve.frames or not curve.known[frame]:
        return None
    here = curve.places[frame]
    outline = min(drawn.outlines, key=lambda each: abs(each.frame - frame))
    drawn_there = clinging_curve(drawn, outline)
    places = np.array(outline.places, np.float64)
    nearest = np.argmin(np.hypot(*np.moveaxis(places[:, None] - drawn_there[None], -1, 0)), axis=1)
    found = here[nearest]
    if drawn.shape == "disc":
        found[0] = here.mean(axis=0)
    return found


def _placed(drawn: Drawn) -> dict[int, Points]:
    return {each.frame: clinging_curve(drawn, each) for each in drawn.outlines}


def _ways(request: ClingRequest, frames: int, shelf: Shelf) -> list["_Way"]:
    outlines = request.drawn.outlines
    return [_Way(request, shelf, outlines[number], end) for number, end in ends([o.frame for o in outlines], frames)]


class _Way(Stretch):
    def __init__(self, request: ClingRequest, shelf: Shelf, outline: Outline, end: int) -> None:
        super().__init__(shelf, outline.frame, end, POINTS)
        self._request, self._outline = request, outline

    def follow(self, reader: FilmReader, progress: Progress, done: int, total: int) -> None:
        picture = reader.read(self.start)
        scale = np.array(picture.size) / self._request.size  # the pixels of some films are not square
        drawn = clinging_curve(self._request.drawn, self._outline)
        clinging = Clinging(picture, (drawn + 0.5) * scale - 0.5)
        places: list[Points] = []
        confidence: list[float] = []
        for count, frame in enumerate(self.frames):
            step(progress, done + count + 1, total)
            sure = clinging.go_to(reader.read(frame))
            if sure < LOST:
                break
            places.append((clinging.curve + 0.5) / scale - 0.5)
            confidence.append(sure)
        self.keep(places, confidence)

    @property
    def key(self) -> Key:
        drawn = self._request.drawn
        places = ";".join(f"{x:.3f},{y:.3f}" for x, y in self._outline.places)
        what = f"{drawn.shape} {drawn.sharp} {self.start}-{self.end} {places}"
        return "clinging", self._request.fingerprint, VERSION, what
