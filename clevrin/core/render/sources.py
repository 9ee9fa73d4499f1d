"""Where pictures and measurements come from: open films, the shelf, and solved paths kept for the next frame."""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from pathlib import Path
from types import TracebackType
from typing import Self, TypeVar

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Take, Track
from clevrin.core.errors import MediaError
from clevrin.core.hold import HeldPath, held_path
from clevrin.core.hold.lending import loan_maps
from clevrin.core.media.index import FrameIndex, index_frames
from clevrin.core.media.picture import Picture
from clevrin.core.media.probe import fingerprint
from clevrin.core.media.proxies import ProxyShelf
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.areas import CarriedArea
from clevrin.core.motion.cache import Shelf
from clevrin.core.motion.measure import TraceRequest, stored_piece, stored_trace, trace_take
from clevrin.core.motion.models import summed_up
from clevrin.core.motion.pieces import PIECE_FRAMES
from clevrin.core.motion.registration import (
    Registration,
    RegistrationRequest,
    best_reference,
    register_span,
    stored_registration,
)
from clevrin.core.motion.trace import Trace
from clevrin.core.motion.tracking import Vectors
from clevrin.core.motion.tracks import Followed, TrackRequest, follow_track, stored_track
from clevrin.core.progress import Progress
from clevrin.core.render.borrowing import borrowed_frames
from clevrin.core.render.plan import Borrowed
from clevrin.core.render.steadied import Steadied

_OPEN_FILMS = 4
_KEPT = 200
_BESIDE_PIXELS = 60_000_000
"""Pictures that were borrowed from are kept up to so many pixels: 30 of 1080p."""

T = TypeVar("T")
R = TypeVar("R", bound=FilmReader | None)


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
        self._beside_readers: OrderedDict[str, FilmReader] = OrderedDict()
        self._beside: OrderedDict[tuple[str, str, int], Picture] = OrderedDict()

    def index(self, take: Take) -> FrameIndex:
        return self.known.once(("index", take.path, take.fingerprint), lambda: index_frames(Path(take.path)))

    def reader(self, take: Take) -> FilmReader:
        """An open film; raises `MediaError` if it is missing or another one than was brought in."""
        return _kept_open(self._readers, take.path, lambda: self._open(take))

    def _open(self, take: Take) -> FilmReader:
        path = Path(take.path)
        if path.exists() and fingerprint(path) != take.fingerprint:
            raise MediaError(f"{path.name} is no longer the film that was brought in; add it again.")
        return FilmReader(path, self.index(take))

    def read(self, take: Take, frame: int) -> Picture:
        """A frame of a take; while scrubbing that of its proxy, which is smaller, where there is one."""
        proxy = self._proxy_reader(take) if self.scrubbing else None
        if proxy is not None:
            self.used_proxy = True
            return proxy.read(frame)
        return self.reader(take).read(frame)

    def _proxy_reader(self, take: Take) -> FilmReader | None:
        frames = take.facts.frames
        return _kept_open(self._proxy_readers, take.fingerprint, lambda: self._proxies.open(take.fingerprint, frames))

    def times_s(self, take: Take) -> tuple[float, ...] | None:
        """The time stamps of a take of variable rate; None for the others."""
        if not take.facts.variable:
            return None
        return self.known.once(
            ("times", take.path, take.fingerprint), lambda: tuple(float(t) for t in self.index(take).times_s)
        )

    def trace(self, take: Take, *, mesh: bool = False) -> Trace | None:
        """The trace, with the local motion of a mesh if it is wanted; None for what has not been measured."""
        if not Path(take.path).exists():
            return None
        if take.facts.frames < 2:
            return _single(take)
        return self.known.once(
            ("trace", take.measured_as, mesh), lambda: stored_trace(trace_request(take, mesh=mesh), self.shelf)
        )

    def vectors(self, take: Take, frame: int) -> Vectors | None:
        """What was followed into a frame of a take, as shares of the picture's size; None: not measured yet."""
        request, frames = trace_request(take), take.facts.frames
        piece = self.known.once(
            ("vectors", request.key, frame // PIECE_FRAMES), lambda: stored_piece(request, self.shelf, frame, frames)
        )
        return None if piece is None else piece.vectors(frame)

    def held(self, steadied: Steadied) -> HeldPath | None:
        """The held path of a shot, if all it needs has been measured; None as well for a shot as it was shot."""
        if not steadied.moved:
            return None
        return self.known.once(("held", steadied.key), lambda: self._solved(steadied))

    def borrowed(
        self, take: Take, frame: int, src_from_out: NDArray[np.float64], size: tuple[int, int]
    ) -> tuple[Borrowed, ...]:
        """Other frames of a take that see what an output shows beyond the edge of one."""
        trace = self.trace(take)
        if trace is None:
            return ()
        chain = self.known.once(("chain", take.measured_as), lambda: summed_up(trace.motions))
        return borrowed_frames(trace, chain, frame, src_from_out, size)

    def read_beside(self, take: Take, frame: int) -> Picture:
        """A frame out of the order in which a take is played; the last ones are kept, for they are borrowed again."""
        key = take.path, take.fingerprint, frame
        found = self._beside.pop(key, None)
        if found is None:
            found = _kept_open(self._beside_readers, take.path, lambda: self._open(take)).read(frame)
        self._beside[key] = found
        pixels = take.facts.width * take.facts.height
        while len(self._beside) > max(4, _BESIDE_PIXELS // pixels):
            self._beside.popitem(last=False)
        return found

    def missing(self, steadied: Steadied) -> bool:
        """Whether a shot's hold needs something that is not measured yet."""
        return steadied.moved and self.held(steadied) is None

    def measure(self, take: Take, progress: Progress) -> Trace:
        """Measures a take, or takes its trace from the shelf."""
        trace = self.trace(take) or trace_take(trace_request(take), self.shelf, progress)
        self.known.put(("trace", take.measured_as, False), trace)
        return trace

    def measure_for(self, steadied: Steadied, progress: Progress) -> None:
        """Measures all that a shot's held path needs and that is not on the shelf yet."""
        if not steadied.moved:
            return
        take, shot = steadied.take, steadied.shot
        trace = self.measure(take, progress)
        if isinstance(steadied.lender, Take):
            self.measure(steadied.lender, progress)
        if shot.hold.how == "lock-off" and self._registration(steadied, trace) is None:
            register_span(_registering(steadied, trace), trace, self.shelf, progress)
        if shot.hold.how == "anchor" and steadied.track is not None:
            self.follow(take, steadied.track, progress)

    def follow(self, take: Take, track: Track, progress: Progress) -> Followed:
        """Follows a track of a take, or takes what was followed before from the shelf."""
        return follow_track(_following(take, track), self.trace(take), self.shelf, progress)

    def close(self) -> None:
        for readers in (self._readers, self._proxy_readers, self._beside_readers):
            while readers:
                readers.popitem()[1].close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _solved(self, steadied: Steadied) -> HeldPath | None:
        take, shot = steadied.take, steadied.shot
        hold = shot.hold.path_part
        if hold.how == "anchor" and steadied.track is None:
            hold = hold.changed(how="none")  # what it was anchored to is gone
        trace = self.trace(take, mesh=hold.mesh)
        if trace is None:
            return None
        registration, followed = None, None
        if hold.how == "lock-off":
            registration = self._registration(steadied, trace)
            if registration is None:
                return None
        if hold.how == "anchor":
            followed = self._followed(steadied)
            if followed is None:
                return None
        lender = steadied.lender
        lent_by = self.trace(lender) if isinstance(lender, Take) else lender
        if isinstance(lender, Take) and lent_by is None:
            return None
        loan = None
        if shot.loan is not None:
            size = take.facts.width, take.facts.height
            loan = loan_maps(shot.loan, lent_by, shot.span.frames, float(trace.rate), size, hold.settle_s)
        return held_path(trace, shot.span, hold, registration=registration, followed=followed, loan=loan)

    def _registration(self, steadied: Steadied, trace: Trace) -> Registration | None:
        request = _registering(steadied, trace)
        key = "registration", steadied.take.measured_as, request.span, request.reference
        return self.known.once(key, lambda: stored_registration(request, self.shelf))

    def _followed(self, steadied: Steadied) -> Followed | None:
        take, track = steadied.take, steadied.track
        if track is None:
            return None
        return self.known.once(
            ("followed", take.fingerprint, track),
            lambda: stored_track(_following(take, track), take.facts.frames, self.shelf),
        )


def trace_request(take: Take, *, mesh: bool = False) -> TraceRequest:
    """How a take is measured: without what the user left out."""
    return TraceRequest(
        path=Path(take.path),
        fingerprint=take.fingerprint,
        model="mesh" if mesh else "auto",
        leave_out=tuple(each.area for each in take.left_out if not each.carried),
        carried=tuple(CarriedArea(frame=each.frame, area=each.area) for each in take.left_out if each.carried),
    )


def _following(take: Take, track: Track) -> TrackRequest:
    return TrackRequest(path=Path(take.path), fingerprint=take.fingerprint, track=track)


def _kept_open(readers: OrderedDict[str, FilmReader], key: str, make: Callable[[], R]) -> FilmReader | R:
    """The reader of a key, opened if it is not there; of those that are open the last used ones stay."""
    found: FilmReader | R = readers.pop(key, None) or make()
    if isinstance(found, FilmReader):
        readers[key] = found
        while len(readers) > _OPEN_FILMS:
            readers.popitem(last=False)[1].close()
    return found


def _registering(steadied: Steadied, trace: Trace) -> RegistrationRequest:
    span, hold = steadied.shot.span, steadied.shot.hold
    chosen = hold.reference
    reference = best_reference(trace, span) if chosen is None or chosen not in span else chosen
    measured = trace_request(steadied.take)
    return RegistrationRequest(
        path=measured.path,
        fingerprint=steadied.take.fingerprint,
        span=span,
        reference=reference,
        leave_out=measured.leave_out,
        carried=measured.carried,
    )


def _single(take: Take) -> Trace:
    """The trace of a take of one frame: there is no motion in it."""
    return Trace(
        width=take.facts.width,
        height=take.facts.height,
        rate=take.facts.rate,
        times_s=np.zeros(1),
        model="translation",
        motions=np.eye(3)[None],
        confidence=np.zeros(1),
        shutter_deg=None,
    )
