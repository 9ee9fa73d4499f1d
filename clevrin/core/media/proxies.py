"""Proxies: small films in which every frame can be read by itself, for scrubbing through takes that are hard to decode.

A proxy has the frames of its film, number by number. It lies in the cache, and may be deleted at any time.
"""

import contextlib
import os
import time
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
import platformdirs

from clevrin.core.document import MediaFacts
from clevrin.core.errors import MediaError
from clevrin.core.media.cache_room import claim
from clevrin.core.media.colouring import shown
from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.media.index import FrameIndex, index_frames
from clevrin.core.media.picture import Picture, shrunk
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.writing import FilmWriter
from clevrin.core.outputs import BusyError
from clevrin.core.paths import is_file
from clevrin.core.progress import Progress, step

PROXY_WIDTH = 960
DEFAULT_THRESHOLD = 1920
"""Wider takes get a proxy."""
_HARD_CODECS = frozenset({"hevc", "vp9", "av1", "prores", "dnxhd", "vvc"})
_SCRUB_MS = 60.0
_LOOK_AGAIN_S = 0.2
_VERSION = "2"
_NOMINAL_RATE = Fraction(30)  # frames are found by their numbers; their time does not matter


@dataclass(frozen=True, kw_only=True)
class ProxyRequest:
    """Of which film a proxy is to be made."""

    path: Path
    fingerprint: str
    frames: int


def wants_proxy(facts: MediaFacts, threshold_px: int = DEFAULT_THRESHOLD) -> bool:
    """Whether scrubbing a take needs help: it is wider (or higher) than the threshold, deep, or hard to decode."""
    if max(facts.width, facts.height) <= PROXY_WIDTH:
        return False
    return max(facts.width, facts.height) > threshold_px or facts.deep or facts.codec in _HARD_CODECS


def slow_to_seek(facts: MediaFacts, index: FrameIndex) -> bool:
    """Whether looking for a frame takes longer than scrubbing allows, because entries lie too far apart.

    On the average half of the frames from one entry to the next are decoded; a frame of 1280x720 in H.264 takes
    some 2.5 ms on one of two cores.
    """
    entries = np.flatnonzero(index.entries)
    gap = int(np.diff(entries, append=index.frames).max()) if len(entries) else index.frames
    frame_ms = 2.5 * facts.width * facts.height / (1280 * 720)
    return max(facts.width, facts.height) > PROXY_WIDTH and gap / 2 * frame_ms > _SCRUB_MS


class ProxyShelf:
    """Where proxies lie; several threads and processes may share one."""

    def __init__(self, folder: Path | None = None) -> None:
        """`folder` None: in the user's cache folder."""
        self.folder = folder or Path(platformdirs.user_cache_dir("clevrin")) / "proxies"

    def find(self, fingerprint: str) -> Path | None:
        """The proxy of a film, if there is one."""
        path = self._path(fingerprint)
        return path if is_file(path) else None

    def drop(self, fingerprint: str) -> None:
        with contextlib.suppress(OSError):
            self._path(fingerprint).unlink(missing_ok=True)

    def make(self, request: ProxyRequest, progress: Progress) -> Path:
        """Makes a proxy; one that is there already is returned at once.

        Raises `MediaError` where the film cannot be read or the proxy not be written, and `CancelledError` when
        stopped: nothing half-made stays. A frame that cannot be read is shown as the one before it.
        """
        path = self._path(request.fingerprint)
        while not is_file(path):
            try:
                self._make(path, request, progress)
            except BusyError:  # another process makes the same one
                step(progress, 0, request.frames)
                time.sleep(_LOOK_AGAIN_S)
        return path

    def _make(self, path: Path, request: ProxyRequest, progress: Progress) -> None:
        try:
            claim(self.folder.parent)
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise MediaError(f"{self.folder} cannot be made for proxies: {error.strerror}.") from error
        with FilmReader(request.path) as reader:
            if reader.frames != request.frames:
                raise MediaError(f"{request.path.name} is no longer the film that was brought in.")
            picture = _small(reader.read(0))
            with FilmWriter(
                path,
                rate=_NOMINAL_RATE,
                size=picture.size,
                quality=21,
                preset="ultrafast",
                threads=1,
                entries_every=1,
            ) as writer:
                for frame in range(reader.frames):
                    with contextlib.suppress(MediaError):
                        picture = _small(reader.read(frame))
                    writer.write(picture)
                    step(progress, frame + 1, reader.frames)

    def open(self, fingerprint: str, frames: int, memory: FrameMemory | None = None) -> FilmReader | None:
        """A reader of a proxy; one that is damaged is thrown away. None when there is none."""
        path = self.find(fingerprint)
        if path is None:
            return None
        try:
            index = index_frames(path)
            if index.frames == frames:
                with contextlib.suppress(OSError):
                    os.utime(path)  # the last ones used are the last ones that are cleared away
                return FilmReader(path, index, memory)
        except MediaError:
            pass
        self.drop(fingerprint)
        return None

    def _path(self, fingerprint: str) -> Path:
        return self.folder / f"{fingerprint}-{_VERSION}.mp4"


def _small(picture: Picture) -> Picture:
    """The picture at a proxy's size: its longer side 960 px, both sides even; 8 bit, as a screen shows it."""
    width, height = picture.size
    scale = PROXY_WIDTH / max(width, height)
    across, down = (max(2, round(side * scale / 2) * 2) for side in (width, height))
    return shown(shrunk(picture, (across, down)))
