"""What was measured of a take, kept on the shelf in pieces: what is finished stays, whatever stops the rest."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.cache import Shelf
from clevrin.core.motion.models import MESH_KNOTS, MODELS
from clevrin.core.motion.tracking import Step, Vectors

PIECE_FRAMES = 60
_MOST_VECTORS = 160
_PER_PX = 32
"""Places of corners are kept to this share of a working pixel, in 16 bits."""

Blur = tuple[float, float]
State = Mapping[str, NDArray]


@dataclass(frozen=True, kw_only=True, eq=False)
class Rows:
    """What was measured per frame (n, ...), in working pixels about the picture's centre."""

    motions: NDArray[np.float64]  # (n, 3, 3, 3): in the order of MODELS
    cost: NDArray[np.float64]  # (n, 4): these and the mesh
    points: NDArray[np.int64]  # (n,)
    confidence: NDArray[np.float64]  # (n,)
    bridges: NDArray[np.int64]  # (n,): unknown frames before it that have their part in its motion
    blur: NDArray[np.float64]  # (n, 2): length, distinctness; NaN where not told
    mesh: NDArray[np.float32]  # (n, rows, columns, 2)
    vectors: NDArray[np.int16]  # (n, 160, 4): from x, y to x, y
    follows: NDArray[np.int8]  # (n, 160): 1 with the background, 0 not, -1 no vector

    @staticmethod
    def of(steps: list[tuple[Step, Blur | None]]) -> "Rows":
        packed = [_packed(step.vectors) for step, _ in steps]
        count = len(steps)
        return Rows(
            motions=np.array([step.motions for step, _ in steps]).reshape(count, len(MODELS), 3, 3),
            cost=np.array([step.cost for step, _ in steps]).reshape(count, len(MODELS) + 1),
            points=np.array([step.points for step, _ in steps], np.int64),
            confidence=np.array([step.confidence for step, _ in steps], np.float64),
            bridges=np.array([step.bridges for step, _ in steps], np.int64),
            blur=np.array([blur or (np.nan, np.nan) for _, blur in steps], np.float64).reshape(count, 2),
            mesh=np.array([step.mesh for step, _ in steps], np.float32).reshape(count, *MESH_KNOTS, 2),
            vectors=np.array([places for places, _ in packed], np.int16).reshape(count, _MOST_VECTORS, 4),
            follows=np.array([follows for _, follows in packed], np.int8).reshape(count, _MOST_VECTORS),
        )

    def __len__(self) -> int:
        return len(self.points)

    def vectors_of(self, frame: int) -> Vectors:
        """The vectors into a frame (at most 160 of those that were followed), in working pixels from the corner."""
        there = self.follows[frame] >= 0
        places = self.vectors[frame][there] / _PER_PX
        return Vectors(before=places[:, :2], after=places[:, 2:], follows=self.follows[frame][there] == 1)

    def without_vectors(self) -> "Rows":
        """The same without its vectors, which are many and asked for one frame at a time."""
        return replace(self, vectors=self.vectors[:0], follows=self.follows[:0])

    @staticmethod
    def joined(parts: "Iterable[Rows]") -> "Rows":
        """All rows in one."""
        all_parts = [vars(Rows.of([])), *map(vars, parts)]
        return Rows(**{name: np.concatenate([part[name] for part in all_parts]) for name in all_parts[0]})


def _packed(vectors: Vectors) -> tuple[NDArray[np.int16], NDArray[np.int8]]:
    places = np.zeros((_MOST_VECTORS, 4), np.int16)
    follows = np.full(_MOST_VECTORS, -1, np.int8)
    count = len(vectors.follows)
    chosen = np.unique(np.linspace(0, max(0, count - 1), min(count, _MOST_VECTORS)).round().astype(int))
    both = np.hstack([vectors.before, vectors.after])[chosen]
    places[: len(both)] = np.clip(np.round(both * _PER_PX), -32768, 32767)
    follows[: len(both)] = vectors.follows[chosen]
    return places, follows


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
        fits = all(array.shape == (len(rows), *vars(empty)[name].shape[1:]) for name, array in vars(rows).items())
        whole = fits and 0 < len(rows) <= most and stored.keys() >= {"before_number", "full_size"}
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
