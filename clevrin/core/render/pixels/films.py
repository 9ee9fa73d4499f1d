"""The open films of a row of pictures."""

import threading
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path
from typing import Literal, TypeVar

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Drawing, Take
from clevrin.core.document.colour import Colour
from clevrin.core.elements import Raster, raster_of
from clevrin.core.errors import MediaError
from clevrin.core.media.colouring import Light, light_of
from clevrin.core.media.frame_memory import ALL_BYTES, FrameMemory
from clevrin.core.media.index import FrameIndex
from clevrin.core.media.picture import Picture
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.proxies import ProxyShelf
from clevrin.core.media.reading import FilmReader
from clevrin.core.paths import is_there
from clevrin.core.render.pixels.executor import drawn
from clevrin.core.render.pixels.flow_store import FlowStore
from clevrin.core.render.plan import Pin
from clevrin.core.shelf import Shelf

_OPEN_FILMS = 2
"""As many as a dissolve shows at once; beside them one that is borrowed from."""
_ONWARD_BYTES = 12 * 1024 * 1024
"""Enough for a film that is played backwards."""
_BORROWED_BYTES = 10 * 1024 * 1024
_DRAWN_BYTES = 128 * 1024 * 1024
_TRUST_BYTES = 4 * 1024 * 1024
_LIT_BYTES = 72 * 1024 * 1024
"""The light of six frames of 1280x720: an open shutter looks at three, and as many are made side by side."""

R = TypeVar("R", bound=FilmReader | None)
_Purpose = Literal["shown", "proxy", "borrowed", "pinned"]
_APART: dict[str, str] = {"borrowed": "borrowed", "pinned": "pinned"}
"""One film of each of these is open beside those that are shown."""
_Key = tuple[_Purpose, str, str]


class Films:
    """Reads frames of takes, and keeps the last used films open. Close it.

    Threads that make one row of pictures may share it: they read one at a time.

    With `scrubbing` set, takes that have a proxy are read from it; `used_proxy` says whether that happened since
    it was cleared. Nothing but scrubbing and small pictures set it.
    """

    def __init__(
        self,
        index_of: Callable[[Take], FrameIndex],
        proxies: ProxyShelf | None = None,
        memory: FrameMemory | None = None,
        shelf: Shelf | None = None,
        *,
        light: bool = False,
        onward: bool = False,
    ) -> None:
        """`memory`: where decoded frames are kept, which films of other threads may share; `shelf`: where flows are.

        `light`: for single pictures here and there, with as little memory as can be. `onward`: for a reel from its
        start to its end, at full speed, where what was left behind is not looked at again.
        """
        self._light = light
        self.scrubbing = False
        self.used_proxy = False
        self._index_of = index_of
        self._proxies = proxies or ProxyShelf()
        self._memory = memory or FrameMemory(0 if light else _ONWARD_BYTES if onward else ALL_BYTES)
        # Each has the room of its decoder, some 20 MB at 720p.
        self._readers: OrderedDict[_Key, FilmReader] = OrderedDict()
        self._borrowed = ByteCache(_BORROWED_BYTES)
        self._drawn = ByteCache(_DRAWN_BYTES // 4 if light else _DRAWN_BYTES)
        self._reading = threading.RLock()
        self.flows = FlowStore(shelf)
        self.trusts = ByteCache(_TRUST_BYTES)
        self._lights = ByteCache(0 if light else _LIT_BYTES)

    def reader(self, take: Take) -> FilmReader:
        """An open film; raises `MediaError` if it is missing or another one than was brought in."""
        return self._kept_open("shown", take, lambda: self._open(take))

    def read(self, take: Take, frame: int) -> Picture:
        """A frame of a take; while scrubbing that of its proxy, which is smaller, where there is one."""
        with self._reading:
            proxy = self._proxy_reader(take) if self.scrubbing else None
            if proxy is not None:
                self.used_proxy = True
                return proxy.read(frame)
            return self.reader(take).read(frame)

    def read_borrowed(self, take: Take, frame: int) -> Picture:
        """A frame out of the order in which a take is played; the last ones are kept, for they are borrowed again."""
        with self._reading:
            return self._borrowed.once(
                (take.path, take.fingerprint, frame),
                lambda: self._kept_open("borrowed", take, lambda: self._open(take)).read(frame),
            )

    def drawn(self, pin: Pin, film: Take | None, colour: Colour) -> Raster:
        """What is pinned, as light for pictures of some colours; `film`: the take that it shows, if it is one.

        Raises `MediaError` where its file is missing or another one than was pinned.
        """
        key = pin.of, film and (film.path, film.fingerprint), pin.frame, colour
        with self._reading:
            return self._drawn.once(key, lambda: self._draw(pin, film, colour))

    def _draw(self, pin: Pin, film: Take | None, colour: Colour) -> Raster:
        if film is not None:
            reader = self._kept_open("pinned", film, lambda: self._open(film))
            return raster_of(reader.read_rgba(pin.frame), colour)
        if isinstance(pin.of, Drawing) and fingerprint(Path(pin.of.path)) != pin.of.fingerprint:
            raise MediaError(f"{Path(pin.of.path).name} is no longer the picture that was pinned; pin it again.")
        return drawn(pin, colour)

    def lit(self, take: Take, frame: int, picture: Picture) -> Light:
        """The light of a frame whose picture is this; that of the last ones is kept."""
        key = take.path, take.fingerprint, frame, picture.size, self.scrubbing
        return self._lights.once(key, lambda: light_of(picture))

    def close(self) -> None:
        self._drawn.clear()
        self._lights.clear()
        self._borrowed.clear()
        self.flows.clear()
        while self._readers:
            self._readers.popitem()[1].close()

    def _open(self, take: Take) -> FilmReader:
        path = Path(take.path)
        if is_there(path) and fingerprint(path) != take.fingerprint:
            raise MediaError(f"{path.name} is no longer the film that was brought in; add it again.")
        return FilmReader(path, self._index_of(take), self._memory, one_thread=self._light)

    def _proxy_reader(self, take: Take) -> FilmReader | None:
        frames = take.facts.frames
        return self._kept_open("proxy", take, lambda: self._proxies.open(take.fingerprint, frames, self._memory))

    def _kept_open(self, purpose: _Purpose, take: Take, make: Callable[[], R]) -> FilmReader | R:
        """A take's reader for a purpose, opened if it is not there; of those that are open the last used ones stay."""
        key = purpose, take.path, take.fingerprint  # another file may lie where the take's was
        found: FilmReader | R = self._readers.pop(key, None) or make()
        if isinstance(found, FilmReader):
            self._readers[key] = found
            group = _APART.get(purpose, "shown")
            alike = [each for each in self._readers if _APART.get(each[0], "shown") == group]
            for oldest in alike[: -_OPEN_FILMS if group == "shown" else -1]:
                self._readers.pop(oldest).close()
        return found
