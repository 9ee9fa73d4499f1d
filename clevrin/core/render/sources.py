"""Where pictures and measurements come from: open films, the shelf, and solved paths kept for the next frame."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from pathlib import Path
from types import TracebackType
from typing import Self, TypeVar

from clevrin.core.document import Hold, Span, Take, Track
from clevrin.core.errors import MediaError
from clevrin.core.hold import HeldPath, held_path, solving_span
from clevrin.core.media.index import FrameIndex, index_frames
from clevrin.core.media.picture import Picture
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.proxies import ProxyShelf
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.areas import CarriedArea
from clevrin.core.motion.cache import Shelf
from clevrin.core.motion.measure import TraceRequest, stored_piece, stored_trace, trace_take
from clevrin.core.motion.pieces import PIECE_FRAMES
from clevrin.core.motion.registration import (
    Registration,
    RegistrationRequest,
    register_span,
    stored_registration,
)
from clevrin.core.motion.trace import Trace
from clevrin.core.motion.tracking import Vectors
from clevrin.core.motion.tracks import Followed, TrackRequest, follow_track
from clevrin.core.progress import Progress

_OPEN_FILMS = 4
_KEPT = 200

T = TypeVar("T")


class Known:
    """Values that take long to make, the last ones kept; several threads may share one.

    None is not kept: what is not measured yet may be measured the next time.
    """

    def __init__(self) -> None:
        self._values: OrderedDict[Hashable, object] = OrderedDict()
        self._lock = threading.Lock()

    def once(self, key: Hashable, make: Callable[[], T]) -> T:
        """The value for a key, made if it is not there; two threads may make the same one at once."""
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key]  # type: ignore[return-value]
        value = make()
        if value is not None:
            self.put(key, value)
        return value

    def put(self, key: Hashable, value: object) -> None:
        with self._lock:
            self._values[key] = value
            while len(self._values) > _KEPT:
                self._values.popitem(last=False)


class Sources:
    """Reads films and measurements for one thread, and remembers the last ones.

    Nothing here is part of the document, and nothing in it changes a picture: it only makes the next one
    quicker. Every thread that makes pictures has one of its own, because films cannot be shared; `known` can.
    Close it, or use it in a `with`.

    With `scrubbing` set, takes that have a proxy are read from it; `used_proxy` says whether that happened since
    it was cleared. Nothing but scrubbing sets it.
    """

    def __init__(
        self, shelf: Shelf | None = None, known: Known | None = None, proxies: ProxyShelf | None = None
    ) -> None:
        self.shelf = shelf or Shelf()
        self.known = known or Known()
        self.scrubbing = False
        self.used_proxy = False
        self._proxies = proxies or ProxyShelf()
        self._readers: OrderedDict[str, FilmReader] = OrderedDict()
        self._proxy_readers: OrderedDict[str, FilmReader] = OrderedDict()

    def index(self, take: Take) -> FrameIndex:
        return self.known.once(("index", take.path, take.fingerprint), lambda: index_frames(Path(take.path)))

    def reader(self, take: Take) -> FilmReader:
        """An open film; raises `MediaError` if it is missing or another one than was brought in."""
        found = self._readers.pop(take.path, None)
        if found is None:
            path = Path(take.path)
            if path.exists() and fingerprint(path) != take.fingerprint:
                raise MediaError(f"{path.name} is no longer the film that was brought in; add it again.")
            found = FilmReader(path, self.index(take))
        self._readers[take.path] = found
        while len(self._readers) > _OPEN_FILMS:
            self._readers.popitem(last=False)[1].close()
        return found

    def read(self, take: Take, frame: int) -> Picture:
        """A frame of a take; while scrubbing that of its proxy, which is smaller, where there is one."""
        proxy = self._proxy_reader(take) if self.scrubbing else None
        if proxy is not None:
            self.used_proxy = True
            return proxy.read(frame)
        return self.reader(take).read(frame)

    def _proxy_reader(self, take: Take) -> FilmReader | None:
        found = self._proxy_readers.pop(take.fingerprint, None)
        if found is None:
            found = self._proxies.open(take.fingerprint, take.facts.frames)
            if found is None:
                return None
        self._proxy_readers[take.fingerprint] = found
        while len(self._proxy_readers) > _OPEN_FILMS:
            self._proxy_readers.popitem(last=False)[1].close()
        return found

    def times_s(self, take: Take) -> tuple[float, ...] | None:
        """The time stamps of a take of variable rate; None for the others."""
        if not take.facts.variable:
            return None
        return self.known.once(
            ("times", take.path, take.fingerprint), lambda: tuple(float(t) for t in self.index(take).times_s)
        )

    def trace(self, take: Take) -> Trace | None:
        """The trace, if the take has been measured and its file is there."""
        if not Path(take.path).exists():
            return None
        return self.known.once(("trace", take.measured_as), lambda: stored_trace(trace_request(take), self.shelf))

    def vectors(self, take: Take, frame: int) -> Vectors | None:
        """What was followed into a frame of a take, as shares of the picture's size; None: not measured yet."""
        request, frames = trace_request(take), take.facts.frames
        piece = self.known.once(
            ("vectors", request.key, frame // PIECE_FRAMES), lambda: stored_piece(request, self.shelf, frame, frames)
        )
        return None if piece is None else piece.vectors(frame)

    def held(self, take: Take, span: Span, hold: Hold) -> HeldPath | None:
        """The held path of a shot, if all it needs has been measured; None as well for a shot not held."""
        if hold.how == "none":
            return None
        trace = self.trace(take)
        if trace is None:
            return None
        registration = None
        if hold.how == "lock-off":
            registration = self._registration(take, span, trace)
            if registration is None:
                return None
        drawn = hold.changed(crispness=0.0)  # what does not change the path does not solve it anew
        return self.known.once(
            ("held", take.measured_as, span, drawn), lambda: held_path(trace, span, drawn, registration)
        )

    def missing(self, take: Take, span: Span, hold: Hold) -> bool:
        """Whether a shot's hold needs something that is not measured yet."""
        return hold.how != "none" and self.held(take, span, hold) is None

    def measure(self, take: Take, progress: Progress) -> Trace:
        """Measures a take, or takes its trace from the shelf."""
        trace = self.trace(take) or trace_take(trace_request(take), self.shelf, progress)
        self.known.put(("trace", take.measured_as), trace)
        return trace

    def register(self, take: Take, span: Span, progress: Progress) -> Registration:
        """Registers a shot for lock-off, or takes its registration from the shelf."""
        trace = self.measure(take, progress)
        found = self._registration(take, span, trace)
        return found or register_span(_registering(take, span, trace), trace, self.shelf, progress)

    def follow(self, take: Take, track: Track, progress: Progress) -> Followed:
        """Follows a track of a take, or takes what was followed before from the shelf."""
        request = TrackRequest(path=Path(take.path), fingerprint=take.fingerprint, track=track)
        return follow_track(request, self.trace(take), self.shelf, progress)

    def close(self) -> None:
        for readers in (self._readers, self._proxy_readers):
            while readers:
                readers.popitem()[1].close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _registration(self, take: Take, span: Span, trace: Trace) -> Registration | None:
        request = _registering(take, span, trace)
        return self.known.once(
            ("registration", take.measured_as, span), lambda: stored_registration(request, self.shelf)
        )


def trace_request(take: Take) -> TraceRequest:
    """How a take is measured: without what the user left out."""
    return TraceRequest(
        path=Path(take.path),
        fingerprint=take.fingerprint,
        leave_out=tuple(each.area for each in take.left_out if not each.carried),
        carried=tuple(CarriedArea(frame=each.frame, area=each.area) for each in take.left_out if each.carried),
    )


def _registering(take: Take, span: Span, trace: Trace) -> RegistrationRequest:
    wide = solving_span(span, trace.frames, float(trace.rate))
    reference = (span.first + span.end) // 2
    measured = trace_request(take)
    return RegistrationRequest(
        path=measured.path,
        fingerprint=take.fingerprint,
        span=wide,
        reference=reference,
        leave_out=measured.leave_out,
        carried=measured.carried,
    )
