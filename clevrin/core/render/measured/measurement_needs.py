"""Measurements that something depends on: found in the store of measurements, or measured."""

from dataclasses import dataclass

from clevrin.core.document import CutOut, Drawn, Filmed, Span, Take, Track
from clevrin.core.matte.cutting import CutFrames
from clevrin.core.motion.measuring.registration import Registration
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed

Measurement = Trace | Registration | Followed | CutFrames
Key = tuple[object, ...]
"""By what a measurement is remembered: what it depends on, and nothing else of its take."""


@dataclass(frozen=True, kw_only=True)
class TraceNeed:
    """The trace of a take; `mesh`: with the local motion of a mesh."""

    take: Take
    mesh: bool = False

    @property
    def key(self) -> Key:
        return "trace", self.take.measured_as, self.mesh


@dataclass(frozen=True, kw_only=True)
class RegistrationNeed:
    """The frames of a span of a take, each registered to one frame of it."""

    take: Take
    span: Span
    reference: int

    @property
    def key(self) -> Key:
        return "registration", self.take.measured_as, self.span, self.reference


@dataclass(frozen=True, kw_only=True)
class TrackNeed:
    """Where a track of a take goes."""

    take: Take
    track: Track

    @property
    def key(self) -> Key:
        return "track", self.take.fingerprint, self.track


@dataclass(frozen=True, kw_only=True)
class CutNeed:
    """How a subject that is cut out, or what another film shows, covers the frames of a take.

    It is cut out by how the camera moves where no area is left out: so, what is cut out can itself be left out.
    """

    take: Take
    cut: CutOut | Filmed

    @property
    def key(self) -> Key:
        return "cut-out", self.take.all_counted.measured_as, self.cut


@dataclass(frozen=True, kw_only=True)
class ClingNeed:
    """Where the curve of a drawn area is that clings to an edge of a take."""

    take: Take
    drawn: Drawn

    @property
    def key(self) -> Key:
        return "clinging", self.take.fingerprint, self.drawn


Need = TraceNeed | RegistrationNeed | TrackNeed | CutNeed | ClingNeed
