"""Following a point or a flat surface of the subject, forward and backward from where the user placed it."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document.tracks import Placement, Track
from clevrin.core.media.index import index_frames
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.cache import Shelf
from clevrin.core.motion.models import Matrix, Points, apply
from clevrin.core.motion.pattern import Pattern, Sighting
from clevrin.core.motion.trace import Trace
from clevrin.core.progress import Progress, step

VERSION = "1"
_LEAST_SEARCH_PX = 8.0
_SEARCH_PER_SPEED = 0.6
_WIDER = 2.5


@dataclass(frozen=True, kw_only=True, eq=False)
class Followed:
    """What was followed: `places` (frames, corners, 2) in pixels of the upright picture, NaN where nothing was found.

    `confidence` (frames,) 0 to 1, `placed` (frames,) where the user said where it is. `lost`: the frames at which
    following stopped, each the first that could not be told, in the order of time.
    """

    places: NDArray[np.float64]
    confidence: NDArray[np.float64]
    placed: NDArray[np.bool_]
    lost: tuple[int, ...]

    def __post_init__(self) -> None:
        for array in (self.places, self.confidence, self.placed):
            array.flags.writeable = False

    @property
    def frames(self) -> int:
        return len(self.confidence)

    @cached_property
    def known(self) -> NDArray[np.bool_]:
        """(frames,): where it is known."""
        return np.asarray(np.isfinite(self.places).all(axis=(1, 2)))


def carried(followed: Followed, chain: NDArray[np.float64]) -> Followed:
    """What was followed, and where it was not seen carried with the picture from where it was seen nearest.

    `chain` (frames, 3, 3): from the take's first frame to each. Nothing is known of what was never seen.
    """
    known = np.nonzero(followed.known)[0]
    if len(known) in (0, followed.frames):
        return followed
    places = followed.places.copy()
    for frame in np.nonzero(~followed.known)[0]:
        nearest = known[np.argmin(np.abs(known - frame))]
        places[frame] = apply(chain[frame] @ np.linalg.inv(chain[nearest]), followed.places[nearest])
    return Followed(places=places, confidence=followed.confidence, placed=followed.placed, lost=followed.lost)


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
    index = index_frames(request.path)
    stretches = [_Stretch(request, shelf, *ends) for ends in _ends(request.track, index.frames)]
    total = sum(stretch.length for stretch in stretches)
    done = 0
    with FilmReader(request.path, index) as reader:
        for stretch in stretches:
            if stretch.stored() is None:
                stretch.follow(reader, trace, progress, done, total)
            done += stretch.length
    progress.report(total, total)
    return _together(request.track, index.frames, stretches)


def stored_track(request: TrackRequest, frames: int, shelf: Shelf) -> Followed | None:
    """What was followed before, if all of it was."""
    stretches = [_Stretch(request, shelf, *ends) for ends in _ends(request.track, frames)]
    if any(stretch.stored() is None for stretch in stretches):
        return None
    return _together(request.track, frames, stretches)


def _ends(track: Track, frames: int) -> Iterator[tuple[Placement, int]]:
    """From which placement to follow up to which frame: to its neighbours, or the ends of the film."""
    for number, placement in enumerate(track.placed):
        after = track.placed[number + 1].frame if number + 1 < len(track.placed) else frames - 1
        before = track.placed[number - 1].frame if number else 0
        if after > placement.frame:
            yield placement, after
        if before < placement.frame:
            yield placement, before


class _Stretch:
    """One way from one placement."""

    def __init__(self, request: TrackRequest, shelf: Shelf, start: Placement, end: int) -> None:
        self._request = request
        self._shelf = shelf
        self.start = start
        self.end = end
        self._known: dict[str, NDArray] | None = None

    @property
    def length(self) -> int:
        return abs(self.end - self.start.frame)

    @property
    def way(self) -> int:
        return 1 if self.end > self.start.frame else -1

    @property
    def frames(self) -> range:
        """Behind the placement, in the order in which they are followed."""
        return range(self.start.frame + self.way, self.end + self.way, self.way)

    def stored(self) -> dict[str, NDArray] | None:
        """`places` (n, corners, 2) and `confidence` (n,) of the frames up to where it was lost."""
        if self._known is None:
            found = self._shelf.get(*self._key())
            corners = self._request.track.corners
            if found is not None and found.keys() >= {"places", "confidence"}:
                count = len(found["confidence"])
                if found["places"].shape == (count, corners, 2) and count <= self.length:
                    self._known = found
        return self._known

    def follow(self, reader: FilmReader, trace: Trace | None, progress: Progress, done: int, total: int) -> None:
        track = self._request.track
        luma = reader.read_luma(self.start.frame)
        pattern = Pattern(luma, np.array(self.start.places, np.float64), track.reach_px)
        seen = Sighting(frame_from_patch=pattern.home, agreement=1.0)
        places: list[Points] = []
        confidence: list[float] = []
        own = np.zeros(2)  # the subject's own motion, beside the picture's
        for count, frame in enumerate(self.frames if pattern.textured else ()):
            step(progress, done + count + 1, total)
            luma = reader.read_luma(frame)
            carried = _carried(seen.frame_from_patch, trace, frame, self.way)
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
        self._known = {
            "places": np.array(places, np.float64).reshape(len(places), track.corners, 2),
            "confidence": np.array(confidence, np.float64),
        }
        self._shelf.put(self._known, *self._key())

    def _key(self) -> tuple[str, ...]:
        track = self._request.track
        places = ";".join(f"{x:.4f},{y:.4f}" for x, y in self.start.places)
        what = f"{track.kind} {track.reach_px:.3f} {track.limit:.4f} {self.start.frame}-{self.end} {places}"
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


def _together(track: Track, frames: int, stretches: list[_Stretch]) -> Followed:
    """The track from its stretches: between placements what both ways say, mixed by nearness."""
    total = np.zeros((frames, track.corners, 2))
    weights = np.zeros(frames)
    confidence = np.zeros(frames)
    lost = set()
    for stretch in stretches:
        found = stretch.stored()
        assert found is not None
        count = len(found["confidence"])
        if count < stretch.length:
            lost.add(stretch.frames[count])
        between = any(each.frame == stretch.end for each in track.placed)
        for k, frame in enumerate(stretch.frames[:count]):
            weight = 1 - (k + 1) / stretch.length if between else 1.0
            total[frame] += weight * found["places"][k]
            weights[frame] += weight
            confidence[frame] = max(confidence[frame], found["confidence"][k])
    placed = np.zeros(frames, bool)
    for each in track.placed:
        total[each.frame], weights[each.frame] = each.places, 1.0
        confidence[each.frame], placed[each.frame] = 1.0, True
    places = np.full_like(total, np.nan)
    places[weights > 0] = total[weights > 0] / weights[weights > 0][:, None, None]
    # Where the other way goes on, nothing is lost.
    gone = sorted(frame for frame in lost if weights[frame] == 0)
    return Followed(places=places, confidence=np.where(weights > 0, confidence, 0.0), placed=placed, lost=tuple(gone))
