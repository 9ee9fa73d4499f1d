"""What was tracked into a frame, to be shown: where each corner was and is, and with what it moves."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.motion.geometry.models import Points
from clevrin.core.motion.matching.working_picture import work_size
from clevrin.core.motion.measuring.background_plane import FOLLOWED
from clevrin.core.motion.measuring.course import GROUPS, groups_of
from clevrin.core.motion.measuring.measure import TraceRequest
from clevrin.core.motion.measuring.pieces import PIECE_FRAMES, PieceShelf, Rows
from clevrin.core.shelf import Shelf


@dataclass(frozen=True, kw_only=True, eq=False)
class Vectors:
    """Where corners were in the frame before and are now, (n, 2) shares of the picture's size each.

    `groups` (n,): with what each moves: 1 what is followed, 2 and more other planes, 0 nothing of these.
    """

    before: Points
    after: Points
    groups: NDArray[np.int8]

    @property
    def follows(self) -> NDArray[np.bool_]:
        """(n,): which move with what is followed."""
        return self.groups == FOLLOWED

    @staticmethod
    def none() -> "Vectors":
        return Vectors(before=np.empty((0, 2)), after=np.empty((0, 2)), groups=np.empty(0, np.int8))


@dataclass(frozen=True, kw_only=True, eq=False)
class StoredPiece:
    """A piece of a measurement, the one before it if its first frame needs that, and the groups if they are known."""

    number: int
    rows: Rows
    earlier: Rows | None
    groups: Mapping[str, NDArray] | None
    work_size: tuple[int, int]

    def vectors(self, frame: int) -> Vectors:
        """What was tracked into a frame of the film."""
        row = frame - self.number * PIECE_FRAMES
        key = int(self.rows.keys[row])
        if key < 0:
            return Vectors.none()
        before = self._before(row, key, frame)
        after = self.rows.places_of(row)
        groups = None if self.groups is None else groups_of(self.groups, key)
        if groups is None or len(groups) != len(after):
            groups = self.rows.follows_of(row).astype(np.int8)
        both = np.isfinite(before[:, 0]) & np.isfinite(after[:, 0])
        shares = ((places[both] + 0.5) / self.work_size for places in (before, after))
        return Vectors(before=next(shares), after=next(shares), groups=groups[both])

    def _before(self, row: int, key: int, frame: int) -> Points:
        """Where the corners of a key frame were in the frame before."""
        rows, at = (self.rows, row - 1) if row else (self.earlier, -1)
        if key < frame - 1 and rows is not None and int(rows.keys[at]) == key:
            return rows.places_of(at)
        return self.rows.key_corners[key]


def stored_piece(request: TraceRequest, shelf: Shelf, frame: int, frames: int) -> StoredPiece | None:
    """The piece with a frame of a film of `frames`, once all of it is measured; costs some milliseconds."""
    number = frame // PIECE_FRAMES
    pieces = PieceShelf(shelf, request.key)
    found = pieces.read(number, frames)
    if found is None or len(found[0]) < min(PIECE_FRAMES, frames - number * PIECE_FRAMES):
        return None  # what is kept of an unfinished one would stay what it was while the rest is measured
    rows, state = found
    begins_earlier = number > 0 and 0 <= int(rows.keys[0]) < number * PIECE_FRAMES - 1
    earlier = pieces.read(number - 1, frames) if begins_earlier else None
    width, height = (int(side) for side in state["full_size"])
    return StoredPiece(
        number=number,
        rows=rows,
        earlier=None if earlier is None else earlier[0],
        groups=shelf.get(*request.course_key, only=GROUPS),
        work_size=work_size(width, height),
    )
