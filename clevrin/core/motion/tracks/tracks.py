"""Following a point or a flat surface of the subject, forward and backward from where the user placed it."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from clevrin.core.document.tracks import Placement, Track
from clevrin.core.media.index import index_frames
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.geometry.models import Matrix, Points, apply
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed, Key, Stretch, ends, follow_all, together
from clevrin.core.motion.tracks.pattern import Pattern, Sighting
from clevrin.core.progress import Progress, step
from clevrin.core.shelf import Shelf

VERSION = "1"
_LEAST_SEARCH_PX = 8.0
_SEARCH_PER_SPEED = 0.6
_WIDER = 2.5


@dataclass(frozen=True, kw_only=True)
class TrackRequest:
    """What to follow, in which film."""

    path: Path
    fingerprint: str
    track: Track


def follow_track(request: TrackRequest, trace: Trace | None, shelf: Shelf, progress: Progress) -> Followed:
    """Follows a track to both sides of each of its placements, as far as it is surely seen.

    Between two placements it is followed from both, and what both say is mixed by nearness, so that placements stay
    where they are and nothing jumps. `trace`, if there is one, tells where the picture goes. Stretches followed
    before are taken from the shelf: a correction costs only what lies beside it. Raises `MediaError`,
    `CancelledError`. Costs 2 to 10 ms a frame beside the decoding.
    """
    stretches = _stretches(request, index_frames(request.path).frames, shelf, trace)
    return follow_all(request.path, _placed(request.track), stretches, progress)


def stored_track(request: TrackRequest, frames: int, shelf: Shelf) -> Followed | None:
    """What was followed before, if all of it was."""
    stretches = _stretches(request, frames, shelf, None)
    if any(stretch.stored() is None for stretch in stretches):
        return None
    return together(_placed(request.track), frames, stretches)


def _placed(track: Track) -> dict[int, Points]:
    return {each.frame: np.array(each.places, np.float64) for each in track.placed}


def _stretches(request: TrackRequest, frames: int, shelf: Shelf, trace: Trace | None) -> list["_Stretch"]:
    placed = request.track.placed
    return [
        _Stretch(request, shelf, placed[number], end, trace)
        for number, end in ends([each.frame for each in placed], frames)
    ]


class _Stretch(Stretch):
    """`trace`, if there is one, tells where the picture goes."""

    def __init__(
        self, request: TrackRequest, shelf: Shelf, placement: Placement, end: int, trace: Trace | None
    ) -> None:
        super().__init__(shelf, placement.frame, end, request.track.corners)
        self._request, self._placement, self._trace = request, placement, trace

    def follow(self, reader: FilmReader, progress: Progress, done: int, total: int) -> None:
        track = self._request.track
        luma = reader.read_luma(self.start)
        pattern = Pattern(luma, np.array(self._placement.places, np.float64), track.reach_px)
        seen = Sighting(frame_from_patch=pattern.home, agreement=1.0)
        places: list[Points] = []
        confidence: list[float] = []
        own = np.zeros(2)  # the subject's own motion, beside the picture's
        for count, frame in enumerate(self.frames if pattern.textured else ()):
            step(progress, done + count + 1, total)
            luma = reader.read_luma(frame)
            carried = _carried(seen.frame_from_patch, self._trace, frame, self.way)
            moved = _middle(pattern, carried) - _middle(pattern, seen.frame_from_patch)
            expected = _shifted(carried, own)
            search = _LEAST_SEARCH_PX + _SEARCH_PER_SPEED * float(np.hypot(*(own + moved)))
            found = pattern.looked_for(luma, expected, search)
            if found is None or found.agreement < max(track.limit, 0.8):
                wide = pattern.looked_for(luma, expected, _WIDER * search)
                if wide is not None and (found is None or wide.agreement > found.agreement + 0.05):
                    found = wide
            if found is None or found.agreement < track.limit:
                break
            own = _middle(pattern, found.frame_from_patch) - _middle(pattern, carried)
            pattern.learn(luma, found)
            seen = found
            places.append(pattern.places(found.frame_from_patch))
            confidence.append(found.agreement)
        self.keep(places, confidence)

    @property
    def key(self) -> Key:
        track = self._request.track
        places = ";".join(f"{x:.4f},{y:.4f}" for x, y in self._placement.places)
        what = f"{track.kind} {track.reach_px:.3f} {track.limit:.4f} {self.start}-{self.end} {places}"
        return "track", self._request.fingerprint, VERSION, what


def _middle(pattern: Pattern, at: Matrix) -> Points:
    middle: Points = pattern.places(at).mean(axis=0)
    return middle


def _carried(at: Matrix, trace: Trace | None, frame: int, way: int) -> Matrix:
    """A place of the patch carried along with the picture's motion."""
    if trace is None or not 0 < (frame if way > 0 else frame + 1) < trace.frames:
        return at
    motion = trace.motions[frame] if way > 0 else np.linalg.inv(trace.motions[frame + 1])
    middle = at[:2, 2] / at[2, 2]
    # The shift alone: how the subject itself turns is not known from the picture behind it.
    return _shifted(at, (apply(motion, middle[None]) - middle[None])[0])


def _shifted(at: Matrix, by: Points) -> Matrix:
    move = np.eye(3)
    move[:2, 2] = by
    return move @ at
