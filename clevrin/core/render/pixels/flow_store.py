"""Flows between frames, found once: the last ones in memory, all of them on the shelf.

What is kept is a rounded flow, to a 64th of a pixel of it, and a new one is rounded as well: a picture is the same
whether its flow was found just now or long ago.
"""

import logging
import threading
import zlib
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.pace.in_between import PairFlow
from clevrin.core.shelf import Shelf

log = logging.getLogger(__name__)

_VERSION = "3"
_MOST_BYTES = 24 * 1024 * 1024
"""Some five pairs of frames: what is slowed down asks for the same pair several times."""
_PER_PX, _PER_SURE = 64.0, 255.0
_FARTHEST = 511.0
_QUICKLY = 1
_MOST_BEHIND = 4
"""So many flows wait at most for being put on the shelf."""

Key = tuple[object, ...]


class FlowStore:
    """Flows by what they are of, each found by one thread while others that ask for it wait. `shelf` None: none."""

    def __init__(self, shelf: Shelf | None = None) -> None:
        self._shelf = shelf
        self._near = ByteCache(_MOST_BYTES)
        self._being_found: dict[Key, threading.Lock] = {}
        self._looking = threading.Lock()
        self._keeping: ThreadPoolExecutor | None = None
        self._behind = threading.Semaphore(_MOST_BEHIND)

    def once(self, key: Key, make: Callable[[], PairFlow]) -> PairFlow:
        """The flow for a key, made if it is not there. Reading one costs a tenth of making it."""
        found: PairFlow | None = self._near.get(key)
        if found is not None:
            return found
        with self._looking:
            alone = self._being_found.setdefault(key, threading.Lock())
        try:
            with alone:
                return self._near.once(key, lambda: self._from_afar(key, make))
        finally:
            with self._looking:
                self._being_found.pop(key, None)

    def clear(self) -> None:
        """Lets go of what is in memory, once it is on the shelf."""
        self._near.clear()
        if self._keeping is not None:
            self._keeping.shutdown()
            self._keeping = None

    def _from_afar(self, key: Key, make: Callable[[], PairFlow]) -> PairFlow:
        named = "flows", _VERSION, *(str(each) for each in key)
        kept = self._shelf.get(*named) if self._shelf is not None else None
        found = unpacked(kept) if kept is not None else None
        if found is None:
            found = rounded(make())
            self._keep(found, named)
        return found

    def _keep(self, flow: PairFlow, named: tuple[str, ...]) -> None:
        """Puts a flow on the shelf, on a thread of its own; where that is behind, it is not kept."""
        shelf = self._shelf
        if shelf is None or not self._behind.acquire(blocking=False):
            return

        def keep() -> None:
            try:
                shelf.put(packed(flow), *named, squeezed=True)
            finally:
                self._behind.release()

        with self._looking:  # two threads that find flows at once have one that keeps them
            if self._keeping is None:
                self._keeping = ThreadPoolExecutor(1, thread_name_prefix="keeping flows")
            self._keeping.submit(keep).add_done_callback(_told)


def _told(kept: Future[None]) -> None:
    error = kept.exception()
    if error is not None:
        log.error("a flow could not be kept", exc_info=error)


def rounded(flow: PairFlow) -> PairFlow:
    """A flow as it comes back from the shelf."""

    def steps(way: NDArray[Any]) -> NDArray[Any]:
        return np.round(np.clip(way, -_FARTHEST, _FARTHEST) * np.float32(_PER_PX)) / np.float32(_PER_PX)

    def shares(sure: NDArray[Any]) -> NDArray[Any]:
        return np.round(sure * np.float32(_PER_SURE)) / np.float32(_PER_SURE)

    return replace(
        flow,
        forward=steps(flow.forward),
        backward=steps(flow.backward),
        first_sure=shares(flow.first_sure),
        second_sure=shares(flow.second_sure),
    )


def packed(flow: PairFlow) -> dict[str, NDArray]:
    """A rounded flow as small arrays; half a megabyte where its pictures are 640 wide."""
    both = np.concatenate([flow.forward, flow.backward], axis=2).transpose(2, 0, 1)
    whole = np.round(both * np.float32(_PER_PX)).astype(np.int16)
    # Neighbours are alike: what differs between them is small, and its upper bytes are nearly all the same.
    steps = np.diff(whole, axis=2, prepend=np.int16(0))
    sure = np.round(np.stack([flow.first_sure, flow.second_sure]) * _PER_SURE).astype(np.uint8)
    moving = np.packbits(flow.moving)
    parts = steps.view(np.uint8).reshape(-1, 2).T.tobytes() + sure.tobytes() + moving.tobytes()
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
        sure = parts[8 * cells : 10 * cells].reshape(2, height, width).astype(np.float32) / np.float32(_PER_SURE)
        moving = np.unpackbits(parts[10 * cells :], count=cells).reshape(height, width).astype(bool)
    except (KeyError, ValueError, zlib.error):
        return None
    both = np.cumsum(steps, axis=2, dtype=np.int16).astype(np.float32) / np.float32(_PER_PX)
    forward, backward = (np.ascontiguousarray(each.transpose(1, 2, 0)) for each in (both[:2], both[2:]))
    return PairFlow(
        forward=forward, backward=backward, first_sure=sure[0], second_sure=sure[1], moving=moving, apart=bool(apart)
    )
