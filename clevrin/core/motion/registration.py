"""Every frame of a span registered directly to one reference frame, so that no error adds up."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.media.index import index_frames
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.areas import CarriedArea, area_words, areas_of_frames
from clevrin.core.motion.cache import Shelf
from clevrin.core.motion.models import Matrix
from clevrin.core.motion.trace import Trace
from clevrin.core.motion.tracking import follow_from
from clevrin.core.motion.working import Area, prepared
from clevrin.core.progress import Progress, step

VERSION = "2"
_LEAST_OVERLAP = 0.35


@dataclass(frozen=True, kw_only=True, eq=False)
class Registration:
    """`motions` (span.frames, 3, 3): reference to frame, full-size pixels about the picture's centre.

    `direct` (span.frames,) bool: measured directly; elsewhere the trace was followed from a frame that was.
    """

    reference: int
    span: Span
    motions: NDArray[np.float64]
    direct: NDArray[np.bool_]

    def __post_init__(self) -> None:
        self.motions.flags.writeable = self.direct.flags.writeable = False


@dataclass(frozen=True, kw_only=True)
class RegistrationRequest:
    """What to register: the frames of `span` to the frame `reference`; `leave_out` and `carried` do not count."""

    path: Path
    fingerprint: str
    span: Span
    reference: int
    leave_out: tuple[Area, ...] = ()
    carried: tuple[CarriedArea, ...] = ()


def register_span(request: RegistrationRequest, trace: Trace, shelf: Shelf, progress: Progress) -> Registration:
    """Registers the frames of a span to a reference, starting from what the trace says.

    Raises `MediaError`, `CancelledError`. Costs about as much as tracing the span.
    """
    index = index_frames(request.path)
    span = request.span
    motions = np.empty((span.frames, 3, 3))
    direct = np.zeros(span.frames, bool)
    with FilmReader(request.path, index) as reader:
        luma = reader.read_luma(request.reference)
        areas = areas_of_frames(request.leave_out, request.carried, trace)
        work = prepared(luma, areas(request.reference))
        height, width = work.gray.shape
        scale = np.diag([luma.shape[1] / width, luma.shape[0] / height, 1.0])
        at = request.reference - span.first
        motions[at], direct[at] = np.eye(3), True
        done = 1
        for way in (1, -1):
            frames = range(at + 1, span.frames) if way > 0 else range(at - 1, -1, -1)
            for k in frames:
                frame = span.first + k
                onward = trace.about_centre[frame] if way > 0 else np.linalg.inv(trace.about_centre[frame + 1])
                guess = onward @ motions[k - way]
                motions[k] = guess / guess[2, 2]
                if _overlap(motions[k], trace) > _LEAST_OVERLAP:
                    found = follow_from(
                        work, prepared(reader.read_luma(frame), areas(frame)), _scaled(motions[k], scale)
                    )
                    if found is not None:
                        motions[k] = scale @ found @ np.linalg.inv(scale)
                        motions[k] /= motions[k][2, 2]
                        direct[k] = True
                done += 1
                step(progress, done, span.frames)
    shelf.put({"motions": motions, "direct": direct}, *_key(request))
    return Registration(reference=request.reference, span=span, motions=motions, direct=direct)


def stored_registration(request: RegistrationRequest, shelf: Shelf) -> Registration | None:
    """The registration if it has been measured before."""
    stored = shelf.get(*_key(request))
    if stored is None or "motions" not in stored or "direct" not in stored:
        return None
    if stored["motions"].shape != (request.span.frames, 3, 3):
        return None
    return Registration(
        reference=request.reference, span=request.span, motions=stored["motions"], direct=stored["direct"]
    )


def _key(request: RegistrationRequest) -> tuple[str, ...]:
    span = request.span
    frames = f"{span.first}-{span.end} to {request.reference}"
    return "registration", request.fingerprint, VERSION, frames, *area_words(request.leave_out, request.carried)


def _scaled(motion: Matrix, scale: Matrix) -> Matrix:
    scaled = np.linalg.inv(scale) @ motion @ scale
    return scaled / scaled[2, 2]


def _overlap(motion: Matrix, trace: Trace) -> float:
    """How much of the picture is still seen, roughly, after a motion of its centre."""
    dx, dy = motion[:2, 2] / motion[2, 2]
    return max(0.0, 1 - abs(dx) / trace.width) * max(0.0, 1 - abs(dy) / trace.height)
