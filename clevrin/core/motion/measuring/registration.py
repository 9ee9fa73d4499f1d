"""Every frame of a span registered directly to one reference frame, so that no error adds up."""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.importing import importing
from clevrin.core.media.index import index_frames
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.geometry.models import Matrix, apply_each, gate_corners, similarity_of, summed_up
from clevrin.core.motion.matching.matching import FEWEST
from clevrin.core.motion.matching.working_picture import Prepared, prepared
from clevrin.core.motion.measuring.background_plane import believed
from clevrin.core.motion.measuring.key_frames import follow_from
from clevrin.core.motion.measuring.measure import TraceRequest
from clevrin.core.motion.measuring.vectors import stored_piece
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.progress import Progress, step
from clevrin.core.shelf import Shelf

VERSION = "6"
_STANDS = 0.4
_ENOUGH_OVERLAP, _LEAST_OVERLAP = 0.6, 0.35
_FEWEST_TO_SETTLE = 8
_QUICK_PX = 20.0
_SURE = 1e6
_BLUR_COUNTS = 10.0
"""A pixel of blur in the reference is as bad as ten of being away from the middle."""


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
    """What to register: the frames of `span` to the frame `reference`, of a film as it is `measured`."""

    measured: TraceRequest
    span: Span
    reference: int


def best_reference(trace: Trace, span: Span) -> int:
    """The frame of a span that sees most of what the others see, and is not blurred: the one to stand on."""
    frames = slice(span.first, span.end)
    place = np.cumsum(trace.displacement_px[frames], axis=0)
    away = np.hypot(*(place - np.median(place, axis=0)).T)
    return span.first + int(np.argmin(away + _BLUR_COUNTS * trace.blur_px[frames]))


def register_span(request: RegistrationRequest, trace: Trace, shelf: Shelf, progress: Progress) -> Registration:
    """Registers the frames of a span to a reference, starting from what the trace says.

    Frames that see too little of the reference are registered to a further one, which was itself registered: few
    errors add up, and only over stretches in which nothing else can be seen. Raises `MediaError`, `CancelledError`.
    Costs about as much as tracing the span.
    """
    measured, span = request.measured, request.span
    index = index_frames(measured.path)
    motions = np.empty((span.frames, 3, 3))
    direct = np.zeros(span.frames, bool)
    standing = _Standing(measured, shelf, index.frames)
    with FilmReader(measured.path, index) as reader:
        areas = measured.without.of_frames(trace)

        def seen(frame: int, motion: Matrix) -> _Seen:
            return _Seen(frame=frame, work=prepared(reader.read_luma(frame), areas(frame)), motion=motion)

        first = seen(request.reference, np.eye(3))
        height, width = first.work.gray.shape
        scale = np.diag([trace.width / width, trace.height / height, 1.0])
        at = request.reference - span.first
        motions[at], direct[at] = np.eye(3), True
        done = 1
        references = [first]
        for way in (1, -1):
            last = first
            frames = range(at + 1, span.frames) if way > 0 else range(at - 1, -1, -1)
            for k in frames:
                frame = span.first + k
                onward = trace.about_centre[frame] if way > 0 else np.linalg.inv(trace.about_centre[frame + 1])
                guess = onward @ motions[k - way]
                motions[k] = guess / guess[2, 2]
                here = seen(frame, motions[k])
                best = max(references, key=lambda each: _overlap(here.motion @ np.linalg.inv(each.motion), trace))
                if _overlap(here.motion @ np.linalg.inv(best.motion), trace) < _ENOUGH_OVERLAP and last is not best:
                    references.append(last)
                    best = last
                between = here.motion @ np.linalg.inv(best.motion)
                if _overlap(between, trace) > _LEAST_OVERLAP:
                    found = follow_from(best.work, here.work, _scaled(between, scale), standing.of(best))
                    if found is not None:
                        total = scale @ found @ np.linalg.inv(scale) @ best.motion
                        motions[k] = total / total[2, 2]
                        direct[k] = True
                        last = replace(here, motion=motions[k])
                done += 1
                step(progress, done, span.frames)
    motions = settled(motions, direct, trace, request)
    shelf.put({"motions": motions, "direct": direct}, *_key(request))
    return Registration(reference=request.reference, span=span, motions=motions, direct=direct)


def settled(motions: Matrix, direct: NDArray[np.bool_], trace: Trace, request: RegistrationRequest) -> Matrix:
    """Registrations (n, 3, 3) made quieter by what the trace says of the steps between them.

    A registration is a little wrong in each frame by itself, the sum of steps wanders: where the picture's corners
    lie is the mean of both that their errors ask for, a random walk seen through noise (Rauch, Tung & Striebel 1965,
    as one least-squares problem). How large both errors are is read off their differences.
    """
    with importing:
        from scipy.linalg import solveh_banded

    n = len(motions)
    if n < _FEWEST_TO_SETTLE or direct.sum() < _FEWEST_TO_SETTLE:
        return motions
    corners = gate_corners(trace.width, trace.height)
    at = request.reference - request.span.first
    summed = summed_up(trace.about_centre[request.span.first : request.span.end], at)
    lies = apply_each(motions, corners).reshape(n, 8)
    goes = apply_each(summed, corners).reshape(n, 8)
    off = lies - goes
    steps = np.diff(off, axis=0)[direct[1:] & direct[:-1]]
    noise = max(float(-(steps[1:] * steps[:-1]).mean()), 1e-6)
    walk = max(float((steps**2).mean()) - 2 * noise, noise * 1e-3)
    quicker = 1 + trace.speed_px[request.span.first + 1 : request.span.end] / _QUICK_PX
    stiff = noise / (walk * quicker**2)
    # (A + B) x = A off, with A for what was measured and B for the steps: three diagonals.
    seen = direct.astype(float)
    seen[at] = _SURE
    band = np.zeros((2, n))
    band[1] = seen
    band[1, 1:] += stiff
    band[1, :-1] += stiff
    band[0, 1:] = -stiff
    found = goes + solveh_banded(band, seen[:, None] * off)
    quiet = [cv2.getPerspectiveTransform(*_as_points(corners, row)) for row in found]
    return np.array(quiet)


def _as_points(before: Matrix, after: Matrix) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    return before.astype(np.float32), after.reshape(4, 2).astype(np.float32)


@dataclass(frozen=True, kw_only=True, eq=False)
class _Seen:
    """A frame that others may be registered to, and the motion from the reference to it."""

    frame: int
    work: Prepared
    motion: Matrix


class _Standing:
    """Which corners of the frames that others are registered to belong to what the trace follows."""

    def __init__(self, measured: TraceRequest, shelf: Shelf, frames: int) -> None:
        self._measured, self._shelf, self._frames = measured, shelf, frames
        self._found: dict[int, NDArray[np.bool_]] = {}

    def of(self, seen: _Seen) -> NDArray[np.bool_]:
        """(n,): which of the frame's corners; all where the trace says too little."""
        if seen.frame not in self._found:
            self._found[seen.frame] = self._stands(seen)
        return self._found[seen.frame]

    def _stands(self, seen: _Seen) -> NDArray[np.bool_]:
        corners = seen.work.features
        piece = stored_piece(self._measured, self._shelf, seen.frame, self._frames)
        vectors = None if piece is None else piece.vectors(seen.frame)
        if vectors is None or len(vectors.after) < FEWEST:
            return np.ones(len(corners), bool)
        height, width = seen.work.gray.shape
        tracked = vectors.after * (width, height) - 0.5
        stands: NDArray[np.bool_] = (
            believed(corners.astype(np.float64), tracked, vectors.follows.astype(np.float64)) > _STANDS
        )
        return stands if stands.sum() > 2 * FEWEST else np.ones(len(corners), bool)


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
    return "registration", VERSION, frames, *request.measured.course_key[1:]


def _scaled(motion: Matrix, scale: Matrix) -> Matrix:
    scaled = np.linalg.inv(scale) @ motion @ scale
    return scaled / scaled[2, 2]


def _overlap(motion: Matrix, trace: Trace) -> float:
    """How much of one picture is seen in another, roughly, after a motion; less where it grew or shrank.

    What is much smaller or larger than in the reference is found no better than what is half out of sight.
    """
    a, b, dx, dy = similarity_of(motion)
    growth = max(float(np.hypot(a, b)), 1e-6)
    seen = max(0.0, 1 - abs(dx) / trace.width) * max(0.0, 1 - abs(dy) / trace.height)
    return seen * min(growth, 1 / growth)
