"""Pictures that are made already, by what they depend on: the last ones in memory, many more on the shelf.

They are small files (JPEG): a second of them takes some 3 MB, and unpacking one takes 4 ms.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.shelf import Shelf

Pixels = NDArray[np.uint8]

_VERSION = "1"
"""Another one than before where the same plan gives other pixels."""
_MOST_BYTES = 32 * 1024 * 1024
_QUALITY = 93


class Prepared:
    """Pictures by the names of their plans; threads share it, and the last used ones stay. `shelf` None: in memory."""

    def __init__(self, shelf: Shelf | None = None) -> None:
        self._shelf = shelf
        self._kept = ByteCache(_MOST_BYTES, lambda value: len(value[0]))

    def get(self, name: str) -> Pixels | None:
        """BGRA of a picture; None for one that is not there."""
        found = self._found(name)
        return None if found is None else _unpacked(found[0])

    def trust(self, name: str) -> float | None:
        """How much of a picture could be followed; None for one that is not there."""
        found = self._found(name)
        return None if found is None else found[1]

    def put(self, name: str, pixels: Pixels, trust: float) -> None:
        packed = _packed(pixels)
        self._kept.put(name, (packed, trust))
        if self._shelf is not None:
            arrays = {"jpeg": np.frombuffer(packed, np.uint8), "trust": np.array(trust)}
            self._shelf.put(arrays, "prepared", _VERSION, name, squeezed=True)

    def clear(self) -> None:
        """Lets go of what is in memory."""
        self._kept.clear()

    def _found(self, name: str) -> tuple[bytes, float] | None:
        found: tuple[bytes, float] | None = self._kept.get(name)
        if found is None and self._shelf is not None:
            arrays = self._shelf.get("prepared", _VERSION, name)
            if arrays is not None and {"jpeg", "trust"} <= arrays.keys():
                found = arrays["jpeg"].tobytes(), float(arrays["trust"])
                self._kept.put(name, found)
        return found


def _packed(pixels: Pixels) -> bytes:
    _, packed = cv2.imencode(".jpg", pixels[..., :3], [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])
    return packed.tobytes()


def _unpacked(packed: bytes) -> Pixels | None:
    found = cv2.imdecode(np.frombuffer(packed, np.uint8), cv2.IMREAD_COLOR)
    return None if found is None else np.asarray(cv2.cvtColor(found, cv2.COLOR_BGR2BGRA), np.uint8)
