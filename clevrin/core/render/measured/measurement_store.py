"""What is measured of takes: looked up in memory and on the shelf, or measured when it is asked for."""

from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Area, CutOut, Filmed, Take
from clevrin.core.matte.clinging_areas import ClingRequest, cling, stored_clinging
from clevrin.core.matte.cutting import CutFrames, CutRequest, cut_out, followed_middle, stored_cut_out
from clevrin.core.matte.film_areas import read_filmed
from clevrin.core.media.index import FrameIndex, index_frames
from clevrin.core.motion.geometry.models import summed_up
from clevrin.core.motion.measuring.left_out import CarriedArea, Masks, Without
from clevrin.core.motion.measuring.measure import TraceRequest, stored_trace, trace_take
from clevrin.core.motion.measuring.pieces import PIECE_FRAMES
from clevrin.core.motion.measuring.registration import (
    Registration,
    RegistrationRequest,
    register_span,
    stored_registration,
)
from clevrin.core.motion.measuring.vectors import Vectors, stored_piece
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.motion.tracks.tracks import TrackRequest, follow_track, stored_track
from clevrin.core.paths import is_there
from clevrin.core.progress import Progress
from clevrin.core.render.measured.carried import AreaKnown
from clevrin.core.render.measured.exclusion_masks import masked_as, masks_of
from clevrin.core.render.measured.lookup import area_known
from clevrin.core.render.measured.measurement_needs import (
    ClingNeed,
    CutNeed,
    Measurement,
    Need,
    RegistrationNeed,
    TraceNeed,
    TrackNeed,
)
from clevrin.core.shelf import Shelf


class MeasurementStore:
    """Measurements of takes; threads may share one.

    The look-ups give None for what has not been measured, and measure nothing; `measure`, `register`, `follow`, `cut`
    and `cling` do, and what they find is remembered even where the shelf cannot be written.
    """

    def __init__(self, shelf: Shelf | None = None, remembered: ByteCache | None = None) -> None:
        self.shelf = shelf or Shelf()
        self.remembered = remembered or ByteCache()

    def index(self, take: Take) -> FrameIndex:
        """The frames of a take's film and when they stand; raises `MediaError` where it cannot be read."""
        return self.remembered.once(("index", take.path, take.fingerprint), lambda: index_frames(Path(take.path)))

    def times_s(self, take: Take) -> tuple[float, ...] | None:
        """The time stamps of a take of variable rate; None for the others, whose time is even."""
        if not take.facts.variable:
            return None
        return self.remembered.once(
            ("times", take.path, take.fingerprint), lambda: tuple(float(t) for t in self.index(take).times_s)
        )

    def trace(self, take: Take, *, mesh: bool = False) -> Trace | None:
        """The trace of a take, with the local motion of a mesh if it is wanted."""
        if not is_there(Path(take.path)):
            return None
        if take.facts.frames < 2:
            return still_trace(take)
        need = TraceNeed(take=take, mesh=mesh)
        return self.remembered.once(need.key, lambda: stored_trace(trace_request(take, mesh=mesh), self.shelf))

    def vectors(self, take: Take, frame: int) -> Vectors | None:
        """What was followed into a frame of a take, as shares of the picture's size; None for one that it has not."""
        request, frames = trace_request(take), take.facts.frames
        if not 0 <= frame < frames:
            return None
        told = self.trace(take) is not None  # until then what moves with what is only a first idea
        piece = self.remembered.once(
            ("vectors", request.course_key, told, frame // PIECE_FRAMES),
            lambda: stored_piece(request, self.shelf, frame, frames),
        )
        return None if piece is None else piece.vectors(frame)

    def chain(self, take: Take, trace: Trace) -> NDArray[np.float64]:
        """(frames, 3, 3): from a take's first frame to each, its motions summed up."""
        return self.remembered.once(("chain", take.measured_as), lambda: summed_up(trace.motions))

    def registration(self, need: RegistrationNeed) -> Registration | None:
        return self.remembered.once(need.key, lambda: stored_registration(_registering(need), self.shelf))

    def track(self, need: TrackNeed) -> Followed | None:
        frames, cut = need.take.facts.frames, need.track.cut
        if cut is not None:
            of = CutNeed(take=need.take, cut=cut)
            found = self.cut_out(of)
            return None if found is None else self._middle(of, found)
        return self.remembered.once(need.key, lambda: stored_track(_following(need), frames, self.shelf))

    def cut_out(self, need: CutNeed) -> CutFrames | None:
        frames, cut = need.take.facts.frames, need.cut

        def kept() -> CutFrames | None:
            return stored_cut_out(_cutting(need.take, cut), frames, self.shelf) if isinstance(cut, CutOut) else None

        return self.remembered.once(need.key, kept)

    def clung(self, need: ClingNeed) -> Followed | None:
        frames = need.take.facts.frames
        return self.remembered.once(need.key, lambda: stored_clinging(_clinging(need), frames, self.shelf))

    def measure(self, take: Take, progress: Progress, *, mesh: bool = False) -> Trace:
        """The trace of a take, measured if it is not there. Raises `MediaError`, `CancelledError`."""
        found = self.trace(take, mesh=mesh)
        if found is None:
            request = self.with_masks(trace_request(take, mesh=mesh), take, progress)
            found = trace_take(request, self.shelf, progress)
            self.remembered.put(TraceNeed(take=take, mesh=mesh).key, found)
        return found

    def register(self, need: RegistrationNeed, progress: Progress) -> Registration:
        """The frames of a span registered to one of them. Raises `MediaError`, `CancelledError`."""
        found = self.registration(need)
        if found is None:
            trace = self.measure(need.take, progress)
            request = _registering(need)
            request = replace(request, measured=self.with_masks(request.measured, need.take, progress))
            found = register_span(request, trace, self.shelf, progress)
            self.remembered.put(need.key, found)
        return found

    def follow(self, need: TrackNeed, progress: Progress) -> Followed:
        """Where a track goes, followed if it was not before. Raises `MediaError`, `CancelledError`."""
        if need.track.cut is not None:
            of = CutNeed(take=need.take, cut=need.track.cut)
            return self._middle(of, self.cut(of, progress))
        found = follow_track(_following(need), self.trace(need.take), self.shelf, progress)
        self.remembered.put(need.key, found)
        return found

    def cut(self, need: CutNeed, progress: Progress) -> CutFrames:
        """How a subject covers its take, cut out if it was not before. Raises `MediaError`, `CancelledError`."""
        found, take, cut = self.cut_out(need), need.take, need.cut
        if found is not None:
            return found
        if isinstance(cut, Filmed):
            found = read_filmed(cut, take.facts.frames, (take.facts.width, take.facts.height), progress)
        else:
            counted = take.all_counted
            chain = self.chain(counted, self.measure(counted, progress))
            found = cut_out(_cutting(take, cut), chain, self.shelf, progress)
        self.remembered.put(need.key, found)
        return found

    def cling(self, need: ClingNeed, progress: Progress) -> Followed:
        """Where a curve is that clings to an edge, followed if it was not. Raises `MediaError`, `CancelledError`."""
        found = cling(_clinging(need), self.shelf, progress)
        self.remembered.put(need.key, found)
        return found

    def find(self, need: Need) -> Measurement | None:
        """A measurement, if it was made before."""
        if isinstance(need, TraceNeed):
            return self.trace(need.take, mesh=need.mesh)
        if isinstance(need, CutNeed):
            return self.cut_out(need)
        if isinstance(need, ClingNeed):
            return self.clung(need)
        return self.registration(need) if isinstance(need, RegistrationNeed) else self.track(need)

    def make(self, need: Need, progress: Progress) -> Measurement:
        """A measurement, made if it was not. Raises `MediaError`, `CancelledError`."""
        if isinstance(need, TraceNeed):
            return self.measure(need.take, progress, mesh=need.mesh)
        if isinstance(need, RegistrationNeed):
            return self.register(need, progress)
        if isinstance(need, CutNeed):
            return self.cut(need, progress)
        return self.cling(need, progress) if isinstance(need, ClingNeed) else self.follow(need, progress)

    def area(self, take: Take, area: Area, progress: Progress) -> AreaKnown:
        """An area of a take with all that carries it, measured if it was not. Raises `MediaError`, `CancelledError`."""
        return area_known(take, area, self.chain, lambda need: self.make(need, progress))

    def with_masks(self, request: TraceRequest, take: Take, progress: Progress) -> TraceRequest:
        """How a take is measured, with the masks of its areas that are left out, where they go by how it moves."""
        counted = take.all_counted
        if counted is take:
            return request

        def made() -> Masks:
            known = (self.area(counted, each, progress) for each in take.areas_left_out)
            return masks_of(take, tuple(known), progress)

        masks = self.remembered.once(("left out", take.measured_as), made)
        return replace(request, without=replace(request.without, masks=masks))

    def _middle(self, need: CutNeed, found: CutFrames) -> Followed:
        """It is asked for on every frame that is planned, and takes all of them to be unpacked."""
        assert isinstance(need.cut, CutOut)
        said = need.cut.frames
        return self.remembered.once(("middle", *need.key), lambda: followed_middle(found, said))


def trace_request(take: Take, *, mesh: bool = False) -> TraceRequest:
    """How a take is measured: without what the user left out."""
    return TraceRequest(
        path=Path(take.path),
        fingerprint=take.fingerprint,
        model="mesh" if mesh else "auto",
        without=Without(
            fixed=tuple(each.area for each in take.left_out if not each.carried),
            carried=tuple(CarriedArea(frame=each.frame, area=each.area) for each in take.left_out if each.carried),
            masks=Masks(known_by=masked_as(take)) if take.areas_left_out else None,
        ),
        pointed=None if take.pointed is None else (take.pointed.frame, *take.pointed.place),
    )


def _registering(need: RegistrationNeed) -> RegistrationRequest:
    return RegistrationRequest(measured=trace_request(need.take), span=need.span, reference=need.reference)


def _following(need: TrackNeed) -> TrackRequest:
    return TrackRequest(path=Path(need.take.path), fingerprint=need.take.fingerprint, track=need.track)


def _cutting(take: Take, cut: CutOut) -> CutRequest:
    return CutRequest(
        path=Path(take.path), fingerprint=take.fingerprint, cut=cut, measured=str(take.all_counted.measured_as)
    )


def _clinging(need: ClingNeed) -> ClingRequest:
    take, facts = need.take, need.take.facts
    size = facts.width, facts.height
    return ClingRequest(path=Path(take.path), fingerprint=take.fingerprint, drawn=need.drawn, size=size)


def still_trace(take: Take) -> Trace:
    """The trace of a take in which nothing moves: of a single frame, or where nobody asks how the camera moved."""
    frames = take.facts.frames
    return Trace(
        width=take.facts.width,
        height=take.facts.height,
        rate=take.facts.rate,
        times_s=np.arange(frames) / float(take.facts.rate),
        model="translation",
        motions=np.broadcast_to(np.eye(3), (frames, 3, 3)),
        confidence=np.zeros(frames),
        shutter_deg=None,
    )
