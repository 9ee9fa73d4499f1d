"""Decoded frames of several films, the last used ones kept within a number of bytes."""

import threading
from collections import Counter, OrderedDict
from itertools import count

import av

ALL_BYTES = 20 * 1024 * 1024
_EACH_BYTES = 24 * 1024 * 1024
_ids = count()

Key = tuple[int, int]


class FrameMemory:
    """Frames by reader and number, which several readers, also of other threads, share.

    A frame counts with the bytes of its planes as they are: deep and finely sampled ones are larger. The newest frame
    of each reader is kept, whatever its size: a reader must be able to give back what it has just decoded.

    What one reader may keep is bounded as well, for a decoder never gives back the room of frames that were once kept
    of it: as long as its film is open, it has the room of the most that it ever had to keep (FFmpeg's buffer pools).
    """

    def __init__(self, most_bytes: int = ALL_BYTES, most_each_bytes: int = _EACH_BYTES) -> None:
        self._most, self._most_each = most_bytes, min(most_bytes, most_each_bytes)
        self._each: Counter[int] = Counter()
        self._frames: OrderedDict[Key, tuple[av.VideoFrame, int]] = OrderedDict()
        self._newest: dict[int, int] = {}
        self._total = 0
        self._lock = threading.Lock()

    @property
    def kept_bytes(self) -> int:
        return self._total

    def admit(self) -> int:
        """A name for a reader's own frames."""
        return next(_ids)

    def get(self, reader: int, number: int) -> av.VideoFrame | None:
        with self._lock:
            found = self._frames.get((reader, number))
            if found is None:
                return None
            self._frames.move_to_end((reader, number))
            return found[0]

    def put(self, reader: int, number: int, frame: av.VideoFrame) -> None:
        size = sum(plane.buffer_size for plane in frame.planes)
        with self._lock:
            self._drop((reader, number))
            self._frames[reader, number] = frame, size
            self._total += size
            self._each[reader] += size
            self._newest[reader] = number
            if self._each[reader] > self._most_each:
                self._make_room(self._most_each, reader)
            if self._total > self._most:
                self._make_room(self._most)

    def forget(self, reader: int) -> None:
        """Lets all frames of a reader go: it is closed."""
        with self._lock:
            self._newest.pop(reader, None)
            for key in [key for key in self._frames if key[0] == reader]:
                self._drop(key)
            self._each.pop(reader, None)

    def _make_room(self, most: int, of: int | None = None) -> None:
        """Drops the oldest frames, of one reader or of all (None), until the rest fits; the newest of each stay."""
        for key in list(self._frames):
            if (self._total if of is None else self._each[of]) <= most:
                return
            if of in (None, key[0]) and self._newest.get(key[0]) != key[1]:
                self._drop(key)

    def _drop(self, key: Key) -> None:
        gone = self._frames.pop(key, None)
        if gone is not None:
            self._total -= gone[1]
            self._each[key[0]] -= gone[1]
