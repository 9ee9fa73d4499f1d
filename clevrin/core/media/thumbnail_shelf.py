"""Small pictures of takes, kept in the cache folder: a project that is opened again shows them at once."""

import contextlib
import hashlib
from pathlib import Path

import cv2
import numpy as np
import platformdirs
from numpy.typing import NDArray

from clevrin.core.media.cache_room import keep

_QUALITY = 92

Pixels = NDArray[np.uint8]


class ThumbnailShelf:
    """BGRA pictures by film, frame and look, as JPEG files; threads and processes may share one.

    Safe to delete at any time. What cannot be kept or read is made again.
    """

    def __init__(self, folder: Path | None = None) -> None:
        """`folder` None: in the user's cache folder."""
        self.folder = folder or Path(platformdirs.user_cache_dir("clevrin")) / "thumbnails"

    def get(self, fingerprint: str, frame: int, look: str) -> Pixels | None:
        """A picture (h, w, 4), opaque; None where there is none. `look`: what else makes a difference, as its size."""
        path = self._path(fingerprint, frame, look)
        try:
            data = np.frombuffer(path.read_bytes(), np.uint8)
        except OSError:
            return None
        picture = cv2.imdecode(data, cv2.IMREAD_COLOR) if len(data) else None
        if picture is None:
            with contextlib.suppress(OSError):
                path.unlink()
            return None
        return np.ascontiguousarray(cv2.cvtColor(picture, cv2.COLOR_BGR2BGRA))

    def put(self, fingerprint: str, frame: int, look: str, picture: Pixels) -> None:
        path = self._path(fingerprint, frame, look)
        quality = [cv2.IMWRITE_JPEG_QUALITY, _QUALITY, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, 0x111111]
        made, data = cv2.imencode(".jpg", np.ascontiguousarray(picture[..., :3]), quality)
        if made:
            keep(self.folder.parent, path, lambda file: file.write(data.tobytes()))

    def _path(self, fingerprint: str, frame: int, look: str) -> Path:
        film = hashlib.sha256(fingerprint.encode()).hexdigest()[:24]
        return self.folder / film / f"{frame}-{hashlib.sha256(look.encode()).hexdigest()[:12]}.jpg"
