"""Values that take long to make, the last used ones kept within a number of bytes."""

import sys
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import is_dataclass
from typing import Any, TypeVar

import numpy as np

T = TypeVar("T")

_MOST_BYTES = 20 * 1024 * 1024


class ByteCache:
    """Values by key; those that have not been asked for the longest make place. Several threads may share one.

    None is not kept: what is not measured yet may be measured the next time. The newest value is kept however large
    it is.
    """

    def __init__(self, most_bytes: int = _MOST_BYTES, size_of: Callable[[Any], int] | None = None) -> None:
        """`size_of`: how many bytes a value holds; None: those of its arrays."""
        self._most = most_bytes
        self._size_of = size_of or bytes_of
        self._values: OrderedDict[Hashable, tuple[object, int]] = OrderedDict()
        self._total = 0
        self._lock = threading.Lock()

    @property
    def kept_bytes(self) -> int:
        """How large what is kept was when it was put here."""
        return self._total

    @property
    def kept_keys(self) -> tuple[Hashable, ...]:
        """What is kept, the last used at the end."""
        with self._lock:
            return tuple(self._values)

    def get(self, key: Hashable) -> Any:
        """The value for a key, None where there is none."""
        with self._lock:
            found = self._values.get(key)
            if found is None:
                return None
            self._values.move_to_end(key)
            return found[0]

    def once(self, key: Hashable, make: Callable[[], T]) -> T:
        """The value for a key, made if it is not there; two threads may make the same one at once."""
        found = self.get(key)
        if found is not None:
            return found
        value = make()
        if value is not None:
            self.put(key, value)
        return value

    def put(self, key: Hashable, value: object) -> None:
        size = self._size_of(value)
        with self._lock:
            self._forget(key)
            self._values[key] = value, size
            self._total += size
            while self._total > self._most and len(self._values) > 1:
                self._forget(next(iter(self._values)))

    def clear(self) -> None:
        """Lets everything go."""
        with self._lock:
            self._values.clear()
            self._total = 0

    def _forget(self, key: Hashable) -> None:
        gone = self._values.pop(key, None)
        if gone is not None:
            self._total -= gone[1]


def bytes_of(value: object) -> int:
    """About how much memory a value holds: its arrays, and a little for all else.

    Arrays that a value makes of itself later (`cached_property`) are not foreseen.
    """
    if isinstance(value, np.ndarray):
        return value.nbytes + 128
    if isinstance(value, bytes):
        return sys.getsizeof(value)
    if isinstance(value, tuple | list):
        # What is long is alike: a few of it tell for all, or a film of an hour would be counted stamp by stamp.
        some = value[:: max(1, len(value) // 8)]
        each = sum(map(bytes_of, some)) / len(some) if some else 0
        return sys.getsizeof(value) + int(each * len(value))
    if is_dataclass(value) and not isinstance(value, type):
        return 256 + sum(map(bytes_of, vars(value).values()))
    return 64
