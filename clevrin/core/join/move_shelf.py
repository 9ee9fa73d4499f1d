"""Where takes can be cut, looked at once for good: what was seen is kept on the shelf."""

import hashlib
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Take
from clevrin.core.join.cut_candidates import MOVES, Looked, Moves
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.shelf import Shelf

_VERSION = "1"


def kept_moves(take: Take, trace: Trace, film: Callable[[Take], FilmReader], shelf: Shelf) -> Moves:
    """The moves of a take, from the shelf if they are on it; its film is opened only if they are not."""
    # What a take does is read off its trace: of another one they would be other frames.
    digest = hashlib.sha256(trace.velocity_px.tobytes() + trace.confidence.tobytes()).hexdigest()
    key = "moves", _VERSION, take.fingerprint, digest
    stored = shelf.get(*key)
    looked = None if stored is None else _unpacked(stored)
    if looked is None:
        found = Moves.of(film(take), trace)
        shelf.put(_packed(found.looked), *key)
        return found
    return Moves(trace=trace, looked=looked)


def _packed(looked: tuple[Looked, ...]) -> dict[str, NDArray]:
    return {
        "moves": np.array([MOVES.index(each.move) for each in looked], np.int32),
        "peaks": np.array([each.peak for each in looked], np.int64),
        "counts": np.array([len(each.numbers) for each in looked], np.int64),
        "numbers": np.concatenate([np.zeros(0, np.int64), *(each.numbers for each in looked)]),
        "lab": np.concatenate([np.zeros((0, 3, 3, 3)), *(each.lab for each in looked)]),
        "evenness": np.concatenate([np.zeros(0), *(each.evenness for each in looked)]),
    }


def _unpacked(stored: dict[str, NDArray]) -> tuple[Looked, ...] | None:
    """What arrays hold; None where they are damaged."""
    try:
        ends = np.cumsum(stored["counts"])
        parts = {name: np.split(stored[name], ends)[:-1] for name in ("numbers", "lab", "evenness")}
        return tuple(
            Looked(
                move=MOVES[stored["moves"][k]],
                peak=int(stored["peaks"][k]),
                numbers=parts["numbers"][k],
                lab=parts["lab"][k],
                evenness=parts["evenness"][k],
            )
            for k in range(len(ends))
        )
    except (KeyError, IndexError, ValueError):
        return None
