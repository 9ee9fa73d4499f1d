"""What was measured of a take, kept on the shelf in pieces: what is finished stays, whatever stops the rest."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.measuring.background_plane import Stretch
from clevrin.core.motion.measuring.key_frames import Step
from clevrin.core.shelf import Shelf

PIECE_FRAMES = 60
_PER_PX = 128
"""Places of corners are kept to this share of a working pixel, in 32 bits."""
_LOST = 2**32 - 1

Blur = tuple[float, float]
State = Mapping[str, NDArray]


@dataclass(frozen=True, kw_only=True, eq=False)
class Rows:
    """What was measured per frame (n, ...), in working pixels about the picture's centre.

    Corners and their places are laid one after the other: `counts` says how many a frame has, and `key_counts` how
    many a key frame.
    """

    motions: NDArray[np.float64]  # (n, 3, 3): a first idea of the step into each frame
    confidence: NDArray[np.float64]  # (n,)
    bridges: NDArray[np.int64]  # (n,): unknown frames before it that have their part in its motion
    blur: NDArray[np.float64]  # (n, 2): length, distinctness; NaN where not told
    keys: NDArray[np.int64]  # (n,): the key frame that it was measured from, -1 none
    from_key: NDArray[np.float64]  # (n, 3, 3)
    counts: NDArray[np.int64]  # (n,)
    places: NDArray[np.uint32]  # (all, 2) from the picture's corner, see `_stored`
    follows: NDArray[np.bool_]  # (all,): which agreed with the first idea
    key_numbers: NDArray[np.int64]  # (keys,)
    key_counts: NDArray[np.int64]  # (keys,)
    corners: NDArray[np.uint32]  # (all of the keys, 2), stored like places

    @staticmethod
    def of(steps: list[tuple[Step, Blur | None]]) -> "Rows":
        count, tracks = len(steps), [step.tracks for step, _ in steps]
        known = [each for each in tracks if each is not None]
        keys = {each.key: each.corners for each in known}
        return Rows(
            motions=np.array([step.motion for step, _ in steps]).reshape(count, 3, 3),
            confidence=np.array([step.confidence for step, _ in steps], np.float64),
            bridges=np.array([step.bridges for step, _ in steps], np.int64),
            blur=np.array([blur or (np.nan, np.nan) for _, blur in steps], np.float64).reshape(count, 2),
            keys=np.array([-1 if each is None else each.key for each in tracks], np.int64),
            from_key=np.array([np.eye(3) if each is None else each.from_key for each in tracks]).reshape(count, 3, 3),
            counts=np.array([0 if each is None else len(each.places) for each in tracks], np.int64),
            places=np.concatenate([np.empty((0, 2), np.uint32), *(_stored(e.places, e.found) for e in known)]),
            follows=np.concatenate([np.empty(0, bool), *(each.follows for each in known)]),
            key_numbers=np.array(list(keys), np.int64),
            key_counts=np.array([len(corners) for corners in keys.values()], np.int64),
            corners=np.concatenate([np.empty((0, 2), np.uint32), *(_stored(c, None) for c in keys.values())]),
        )

    def __len__(self) -> int:
        return len(self.confidence)

    @property
    def is_whole(self) -> bool:
        """Whether all that is there fits together, as in what was not damaged."""
        empty, long = vars(Rows.of([])), vars(self)
        shapes = all(array.shape[1:] == empty[name].shape[1:] for name, array in long.items())
        frames = {
            len(long[name]) for name in ("motions", "confidence", "bridges", "blur", "keys", "from_key", "counts")
        }
        tracks = len(self.places) == len(self.follows) == self.counts.sum()
        keys = len(self.key_numbers) == len(self.key_counts) and len(self.corners) == self.key_counts.sum()
        named = set(self.keys[self.keys >= 0]) <= set(self.key_numbers)
        return bool(shapes and len(frames) == 1 and tracks and keys and named)

    @property
    def key_corners(self) -> dict[int, NDArray[np.float64]]:
        """The corners (n, 2) of each key frame, in working pixels from the picture's corner."""
        parts = np.split(self.corners, np.cumsum(self.key_counts)[:-1]) if len(self.key_counts) else []
        return {int(key): _read_back(part) for key, part in zip(self.key_numbers, parts, strict=True)}

    def places_of(self, row: int) -> NDArray[np.float64]:
        """Where the corners (n, 2) of its key frame are in a frame, NaN where they were not found."""
        first = int(self.counts[:row].sum())
        return _read_back(self.places[first : first + int(self.counts[row])])

    def follows_of(self, row: int) -> NDArray[np.bool_]:
        """(n,): which of a frame's corners agreed with the first idea of its motion."""
        first = int(self.counts[:row].sum())
        return self.follows[first : first + int(self.counts[row])]

    def stretches(self, shape: tuple[int, int]) -> list[Stretch]:
        """All frames that were found from corners, together with their key frames, in their order."""
        corners, height_width = self.key_corners, np.array(shape)
        centre = (height_width[::-1] - 1) / 2
        ends = np.cumsum(self.counts)
        found: list[Stretch] = []
        known = np.flatnonzero(self.keys >= 0)
        for rows in np.split(known, np.flatnonzero(np.diff(self.keys[known])) + 1) if len(known) else []:
            key = int(self.keys[rows[0]])
            places = [_read_back(self.places[ends[k] - self.counts[k] : ends[k]]) for k in rows]
            found.append(
                Stretch(
                    key=key,
                    frames=rows,
                    corners=corners[key] - centre,
                    places=np.array(places) - centre,
                    start=self.from_key[rows],
                    shape=shape,
                )
            )
        return found

    @staticmethod
    def joined(parts: "Iterable[Rows]") -> "Rows":
        """All rows in one."""
        all_parts = [vars(Rows.of([])), *map(vars, parts)]
        return Rows(**{name: np.concatenate([part[name] for part in all_parts]) for name in all_parts[0]})


def _stored(places: NDArray[np.float32], found: NDArray[np.bool_] | None) -> NDArray[np.uint32]:
    """Places as whole numbers, each rounded against its own part of a step: what is lost is alike for no two."""
    whole = np.round(np.maximum(places, 1) * _PER_PX + _parts(len(places))[:, None])
    return (whole if found is None else np.where(found[:, None], whole, _LOST)).astype(np.uint32)


def _read_back(stored: NDArray[np.uint32]) -> NDArray[np.float64]:
    places = (stored - _parts(len(stored))[:, None]) / _PER_PX
    return np.where(stored == _LOST, np.nan, places)


def _parts(count: int) -> NDArray[np.float64]:
    return np.asarray((np.arange(count) * 0.618034) % 1.0 - 0.5)


class PieceShelf:
    """The pieces of one measurement, each with the tracker's state behind its last frame."""

    def __init__(self, shelf: Shelf, key: tuple[str, ...]) -> None:
        self._shelf = shelf
        self._key = key

    def read(self, number: int, frames: int) -> tuple[Rows, State] | None:
        """The piece with this number of a film of `frames`, and the state behind it; None if absent or damaged."""
        stored = self._shelf.get(*self._key, str(number))
        if stored is None:
            return None
        empty = Rows.of([])
        try:
            rows = Rows(**{name: stored.pop(name) for name in vars(empty)})
        except KeyError:
            return None
        most = min(PIECE_FRAMES, frames - number * PIECE_FRAMES)
        whole = 0 < len(rows) <= most and rows.is_whole and stored.keys() >= {"before_number", "full_size"}
        return (rows, stored) if whole else None

    def read_all(self, frames: int) -> tuple[list[Rows], State | None]:
        """All pieces up to the first that is missing or unfinished, and the state behind the last of them."""
        parts: list[Rows] = []
        state: State | None = None
        while len(parts) * PIECE_FRAMES < frames:
            piece = self.read(len(parts), frames)
            if piece is None:
                break
            parts.append(piece[0])
            state = piece[1]
            if len(piece[0]) < PIECE_FRAMES:
                break
        return parts, state

    def write(self, number: int, rows: Rows, state: State) -> None:
        self._shelf.put({**vars(rows), **state}, *self._key, str(number))
