"""The open films of one thread that makes pictures."""

from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from clevrin.core.document import Take
from clevrin.core.errors import MediaError
from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.media.index import FrameIndex
from clevrin.core.media.picture import Picture
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.proxies import ProxyShelf
from clevrin.core.media.reading import FilmReader
from clevrin.core.paths import is_there
from clevrin.core.render.remembered import Remembered

_OPEN_FILMS, _FEW_OPEN_FILMS = 4, 2
_BORROWED_BYTES = 48 * 1024 * 1024

R = TypeVar("R", bound=FilmReader | None)
_Key = tuple[str, str]


class Films:
    """Reads frames of takes, and keeps the last used films open. Films cannot be shared between threads. Close it.

    With `scrubbing` set, takes that have a proxy are read from it; `used_proxy` says whether that happened since
    it was cleared. Nothing but scrubbing and small pictures set it.
    """

    def __init__(
        self,
        index_of: Callable[[Take], FrameIndex],
        proxies: ProxyShelf | None = None,
        memory: FrameMemory | None = None,
        *,
        light: bool = False,
    ) -> None:
        """`memory`: where decoded frames are kept, which films of other threads may share.

        `light`: for single pictures here and there, with as little memory as can be.
        """
        self._light, self._open_films = light, _FEW_OPEN_FILMS if light else _OPEN_FILMS
        self.scrubbing = False
        self.used_proxy = False
        self._index_of = index_of
        self._proxies = proxies or ProxyShelf()
        self._memory = memory or (FrameMemory(0) if light else FrameMemory())
        self._readers: OrderedDict[_Key, FilmReader] = OrderedDict()
        self._proxy_readers: OrderedDict[_Key, FilmReader] = OrderedDict()
        self._borrowing_readers: OrderedDict[_Key, FilmReader] = OrderedDict()
        self._borrowed = Remembered(_BORROWED_BYTES)

    def reader(self, take: Take) -> FilmReader:
        """An open film; raises `MediaError` if it is missing or another one than was brought in."""
        return self._kept_open(self._readers, _key(take), lambda: self._open(take))

    def read(self, take: Take, frame: int) -> Picture:
        """A frame of a take; while scrubbing that of its proxy, which is smaller, where there is one."""
        proxy = self._proxy_reader(take) if self.scrubbing else None
        if proxy is not None:
            self.used_proxy = True
            return proxy.read(frame)
        return self.reader(take).read(frame)

    def read_borrowed(self, take: Take, frame: int) -> Picture:
        """A frame out of the order in which a take is played; the last ones are kept, for they are borrowed again."""
        return self._borrowed.once(
            (take.path, take.fingerprint, frame),
            lambda: self._kept_open(self._borrowing_readers, _key(take), lambda: self._open(take)).read(frame),
        )

    def close(self) -> None:
        self._borrowed.clear()
        for readers in (self._readers, self._proxy_readers, self._borrowing_readers):
            while readers:
                readers.popitem()[1].close()

    def _open(self, take: Take) -> FilmReader:
        path = Path(take.path)
        if is_there(path) and fingerprint(path) != take.fingerprint:
            raise MediaError(f"{path.name} is no longer the film that was brought in; add it again.")
        return FilmReader(path, self._index_of(take), self._memory, one_thread=self._light)

    def _proxy_reader(self, take: Take) -> FilmReader | None:
        frames = take.facts.frames
        return self._kept_open(
            self._proxy_readers,
            _key(take),
            lambda: self._proxies.open(take.fingerprint, frames, self._memory),
        )

    def _kept_open(self, readers: OrderedDict[_Key, FilmReader], key: _Key, make: Callable[[], R]) -> FilmReader | R:
        """The reader of a key, opened if it is not there; of those that are open the last used ones stay."""
        found: FilmReader | R = readers.pop(key, None) or make()
        if isinstance(found, FilmReader):
            readers[key] = found
            while len(readers) > self._open_films:
                readers.popitem(last=False)[1].close()
        return found


def _key(take: Take) -> _Key:
    """By what an open film is known: another file may lie where the take's was."""
    return take.path, take.fingerprint
