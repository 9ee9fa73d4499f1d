"""What a gate did, frame by frame: where it lay on the source, where its subject was in it, how fine its picture is."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Span
from clevrin.core.motion.geometry.models import apply_each, pixel_corners
from clevrin.core.render.measured.measurement_needs import TrackNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore, still_trace
from clevrin.core.render.planning.layers import plan_shot
from clevrin.core.render.resolving.resolving import ResolvedShot, gate_course
from clevrin.core.runs import runs_of

Numbers = NDArray[np.float64]

_SEEN_BY = 1e-9


@dataclass(frozen=True, kw_only=True, eq=False)
class GateFigures:
    """Of each frame of a shot, in an output of a size in pixels.

    `src_from_out` (n, 3, 3): output pixels to pixels of the upright source. `corners` (n, 4, 2): the output's outer
    corners on the source, in pixels, round from the top left as seen. `place` (n, 2): where the subject is in the
    gate, shares of its width and height as seen, NaN where it is not known. `source_px` (n,): pixels of the source for
    each pixel of the output, along its width; under 1 it is enlarged.
    """

    src_from_out: Numbers
    corners: Numbers
    place: Numbers
    source_px: Numbers

    @property
    def known(self) -> NDArray[np.bool_]:
        """(n,): where it is known where the subject is."""
        return np.asarray(np.isfinite(self.place).all(axis=1))

    @property
    def softest(self) -> float:
        """The least number of pixels of the source for each of the output."""
        return float(self.source_px.min())

    def lost(self, span: Span) -> tuple[Span, ...]:
        """The stretches of a span in which the subject is known and outside of the gate."""
        with np.errstate(invalid="ignore"):
            outside = self.known & ((self.place < -_SEEN_BY) | (self.place > 1 + _SEEN_BY)).any(axis=1)
        return tuple(Span(first=span.first + a, end=span.first + b) for a, b in runs_of(outside))


def gate_figures(resolved: ResolvedShot, store: MeasurementStore, size: tuple[int, int]) -> GateFigures:
    """The figures of a shot that is resolved, for an output of a size; as far as its tracks were followed."""
    span = resolved.shot.span
    maps = np.array(
        [np.reshape(plan_shot(resolved, k, size, size).src_from_out, (3, 3)) for k in range(span.first, span.end)]
    )
    on_source = apply_each(maps, pixel_corners(*size))
    along = np.hypot(*(on_source[:, 1] - on_source[:, 0]).T)
    below = np.hypot(*(on_source[:, 2] - on_source[:, 3]).T)
    return GateFigures(
        src_from_out=maps,
        corners=on_source,
        place=_place(resolved, store, maps, size),
        source_px=(along + below) / 2 / size[0],
    )


def _place(resolved: ResolvedShot, store: MeasurementStore, maps: Numbers, size: tuple[int, int]) -> Numbers:
    shot, take = resolved.shot, resolved.take
    named = [track for track in take.tracks if track.id in shot.gate().tracks]
    found = {track.id: store.track(TrackNeed(take=take, track=track)) for track in named}
    followed = {id: each for id, each in found.items() if each is not None}
    if not shot.gate().follows or not followed:
        return np.full((shot.span.frames, 2), np.nan)
    trace = still_trace(take)
    subject = gate_course(shot, trace, followed, None).subject(shot.span) + trace.centre
    places = apply_each(np.linalg.inv(maps), subject[:, None])[:, 0]
    return (places + 0.5) / size
