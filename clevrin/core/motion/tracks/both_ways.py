"""What is followed from where it was placed, to both sides of each placement, and put together again.

Between two placements it is followed from both, and what both say is mixed by nearness, so that placements stay where
they are and nothing jumps. A stretch that was followed before is taken from the shelf: a correction costs only what
lies beside it.
"""

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.media.index import index_frames
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.geometry.models import Points, apply
from clevrin.core.progress import Progress
from clevrin.core.shelf import Shelf

Key = tuple[str, ...]


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


class Stretch(ABC):
    """One way from one placement: from frame `start` to frame `end`, of something of so many `corners`."""

    def __init__(self, shelf: Shelf, start: int, end: int, corners: int) -> None:
        self._shelf = shelf
        self.start, self.end, self.corners = start, end, corners
        self._known: dict[str, NDArray] | None = None

    @property
    def length(self) -> int:
        return abs(self.end - self.start)

    @property
    def way(self) -> int:
        return 1 if self.end > self.start else -1

    @property
    def frames(self) -> range:
        """Behind the placement, in the order in which they are followed."""
        return range(self.start + self.way, self.end + self.way, self.way)

    def stored(self) -> dict[str, NDArray] | None:
        """`places` (n, corners, 2) and `confidence` (n,) of the frames up to where it was lost."""
        if self._known is None:
            found = self._shelf.get(*self.key)
            if found is not None and found.keys() >= {"places", "confidence"}:
                count = len(found["confidence"])
                if found["places"].shape == (count, self.corners, 2) and count <= self.length:
                    self._known = found
        return self._known

    def keep(self, places: Sequence[Points], confidence: Sequence[float]) -> None:
        """Keeps what was followed."""
        self._known = {
            "places": np.array(places, np.float64).reshape(len(places), self.corners, 2),
            "confidence": np.array(confidence, np.float64),
        }
        self._shelf.put(self._known, *self.key)

    @property
    @abstractmethod
    def key(self) -> Key:
        """By what it is kept: all that it depends on."""

    @abstractmethod
    def follow(self, reader: FilmReader, progress: Progress, done: int, total: int) -> None:
        """Follows it, and keeps what was found; `done` of `total` frames were before it. Raises `CancelledError`."""


def follow_all(path: Path, placed: Mapping[int, Points], stretches: Sequence[Stretch], progress: Progress) -> Followed:
    """Follows what is not kept of all stretches. Raises `MediaError`, `CancelledError`."""
    index = index_frames(path)
    total = sum(stretch.length for stretch in stretches)
    done = 0
    with FilmReader(path, index) as reader:
        for stretch in stretches:
            if stretch.stored() is None:
                stretch.follow(reader, progress, done, total)
            done += stretch.length
    progress.report(total, total)
    return together(placed, index.frames, stretches)


def ends(placed: Sequence[int], frames: int) -> Iterator[tuple[int, int]]:
    """From which placement, by its number, to follow up to which frame: to its neighbours, or the ends of the film."""
    for number, frame in enumerate(placed):
        after = placed[number + 1] if number + 1 < len(placed) else frames - 1
        before = placed[number - 1] if number else 0
        if after > frame:
            yield number, after
        if before < frame:
            yield number, before


def together(placed: Mapping[int, Points], frames: int, stretches: Sequence[Stretch]) -> Followed:
    """What was followed, from its stretches; `placed`: where it was put, by frame."""
    corners = len(next(iter(placed.values())))
    total = np.zeros((frames, corners, 2))
    weights = np.zeros(frames)
    confidence = np.zeros(frames)
    lost = set()
    for stretch in stretches:
        found = stretch.stored()
        assert found is not None
        count = len(found["confidence"])
        if count < stretch.length:
            lost.add(stretch.frames[count])
        for k, frame in enumerate(stretch.frames[:count]):
            weight = 1 - (k + 1) / stretch.length if stretch.end in placed else 1.0
            total[frame] += weight * found["places"][k]
            weights[frame] += weight
            confidence[frame] = max(confidence[frame], found["confidence"][k])
    there = np.zeros(frames, bool)
    for frame, places in placed.items():
        total[frame], weights[frame] = places, 1.0
        confidence[frame], there[frame] = 1.0, True
    places = np.full_like(total, np.nan)
    places[weights > 0] = total[weights > 0] / weights[weights > 0][:, None, None]
    # Where the other way goes on, nothing is lost.
    gone = sorted(frame for frame in lost if weights[frame] == 0)
    return Followed(places=places, confidence=np.where(weights > 0, confidence, 0.0), placed=there, lost=tuple(gone))
