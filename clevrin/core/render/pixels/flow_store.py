"""Flows between frames, found once: the last ones in memory, all of them on the shelf.

What is kept is a rounded flow, to a 64th of a pixel of it, and a new one is rounded as well: a picture is the same
whether its flow was found just now or long ago.
"""

import zlib
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.pace.in_between import PairFlow
from clevrin.core.shelf import Shelf

_VERSION = "1"
_MOST_BYTES = 24 * 1024 * 1024
"""Some five pairs of frames: what is slowed down asks for the same pair several times."""
_PER_PX, _PER_SURE = 64.0, 255.0
_FARTHEST = 511.0
_QUICKLY = 1

Key = tuple[object, ...]


class FlowStore:
    """Flows by what they are of. For one thread at a time; a shelf may be shared by many. `shelf` None: none."""

    def __init__(self, shelf: Shelf | None = None) -> None:
        self._shelf = shelf
        self._near = ByteCache(_MOST_BYTES)

    def once(self, key: Key, make: Callable[[], PairFlow]) -> PairFlow:
        """The flow for a key, made if it is not there. Reading one costs a tenth of making it."""
        return self._near.once(key, lambda: self._from_afar(key, make))

    def clear(self) -> None:
        """Lets go of what is in memory."""
        self._near.clear()

    def _from_afar(self, key: Key, make: Callable[[], PairFlow]) -> PairFlow:
        named = "flows", _VERSION, *(str(each) for each in key)
        kept = self._shelf.get(*named) if self._shelf is not None else None
        found = unpacked(kept) if kept is not None else None
        if found is None:
            arrays = packed(make())
            if self._shelf is not None:
                self._shelf.put(arrays, *named, squeezed=True)
            found = unpacked(arrays)
            assert found is not None, "what was packed just now is whole"
        return found


def packed(flow: PairFlow) -> dict[str, NDArray]:
    """A flow as small arrays; half a megabyte where its pictures are 640 wide."""
    both = np.concatenate([flow.forward, flow.backward], axis=2).transpose(2, 0, 1)
    rounded = np.round(np.clip(both, -_FARTHEST, _FARTHEST) * _PER_PX).astype(np.int16)
    # Neighbours are alike: what differs between them is small, and its upper bytes are nearly all the same.
    steps = np.diff(rounded, axis=2, prepend=np.int16(0))
    sure = np.round(np.stack([flow.first_sure, flow.second_sure]) * _PER_SURE).astype(np.uint8)
    parts = steps.view(np.uint8).reshape(-1, 2).T.tobytes() + sure.tobytes()
    return {
        "data": np.frombuffer(zlib.compress(parts, _QUICKLY), np.uint8),
        "size": np.array([*flow.size, flow.apart], np.int32),
    }


def unpacked(arrays: dict[str, NDArray]) -> PairFlow | None:
    """The flow that arrays hold; None where they are damaged."""
    try:
        width, height, apart = (int(each) for each in arrays["size"])
        parts = np.frombuffer(zlib.decompress(arrays["data"].tobytes()), np.uint8)
        cells = width * height
        steps = np.ascontiguousarray(parts[: 8 * cells].reshape(2, -1).T).view(np.int16).reshape(4, height, width)
        sure = parts[8 * cells :].reshape(2, height, width).astype(np.float32) / np.float32(_PER_SURE)
    except (KeyError, ValueError, zlib.error):
        return None
    both = np.cumsum(steps, axis=2, dtype=np.int16).astype(np.float32) / np.float32(_PER_PX)
    forward, backward = (np.ascontiguousarray(each.transpose(1, 2, 0)) for each in (both[:2], both[2:]))
    return PairFlow(forward=forward, backward=backward, first_sure=sure[0], second_sure=sure[1], apart=bool(apart))
