"""A rush: blur that no camera made, out from a middle or along a direction, about what stays sharp. Pure."""

from dataclasses import replace
from fractions import Fraction
from math import ceil

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Rush
from clevrin.core.matte import Matte
from clevrin.core.matte.matte import Painted, Stored
from clevrin.core.motion.geometry.models import apply, longest_way
from clevrin.core.render.plan import Layer, Spared, moved_samples
from clevrin.core.render.planning.shot_map import units
from clevrin.core.render.planning.shutter_samples import Moments

Matrix = NDArray[np.float64]

FULL_WIDTHS_PER_S = 1.5
"""A camera that is as fast as this has all of a rush that goes by its speed."""
_SMEAR_PX, _MOST_SAMPLES = 2.0, 63
_HARDLY_PX = 0.75
_STEPS = 4


def rushed(layer: Layer, moments: Moments) -> Layer:
    """A layer with the rush of its shot; as it is where there is none. Beyond its edge its picture goes on mirrored."""
    rush = moments.shown.resolved.shot.pace.shutter.rush
    amount = 0.0 if rush is None else rush.amount * _share(rush, moments)
    if rush is None or amount <= 0:
        return layer
    to_unit, from_unit = units(moments.size)
    middle = _middle(layer, moments)

    def at(late: float) -> Matrix:
        """What is seen `late` (-0.5 to 0.5) in the rush: places of the output to those that the layer was laid for."""
        own = np.eye(3)
        if rush.how == "out":
            by = 1 + 2 * amount * late  # half a width from the middle it is as long as the amount
            own[:2, :2] *= by
            own[:2, 2] = middle * (1 - by)
        else:
            angle = np.radians(rush.direction_deg)
            own[:2, 2] = amount * late * np.array([np.cos(angle), -np.sin(angle)])
        return np.asarray(from_unit @ own @ to_unit)

    length = longest_way(map(at, np.linspace(-0.5, 0.5, _STEPS + 1)), at(0.0), moments.size)
    if length < _HARDLY_PX:
        return layer
    count = max(min(_MOST_SAMPLES, ceil(length / _SMEAR_PX)) | 1, len(layer.samples))
    moves = [at((2 * k + 1) / (2 * count) - 0.5) for k in range(count)]
    return replace(
        layer,
        samples=moved_samples(layer.samples, moves),
        pins=tuple(each.moved(moves) for each in layer.pins),
        edge="mirror",
        borrowed=(),
        spared=moments.sharp,
        added_blur_px=max(layer.added_blur_px, length),
    )


def _share(rush: Rush, moments: Moments) -> float:
    """How much of it there is at the frame that is shown."""
    now = moments.shown.instant()
    if rush.by == "points":
        return rush.share_at(float(now))
    if rush.by == "always":
        return 1.0
    begins, ends = (moments.shown.instant(Fraction(way, 2)) for way in (-1, 1))
    course = moments.course
    frame = min(max(round(now), 0), course.frames - 1)
    placed = moments.shown.placed
    as_fast = abs(float(ends - begins)) * float(placed.reel_rate / placed.take.facts.rate)
    return min(1.0, float(course.widths_per_s[frame]) * as_fast / FULL_WIDTHS_PER_S)


def _middle(layer: Layer, moments: Moments) -> NDArray[np.float64]:
    """From where a rush goes out, in widths from the picture's middle: the middle of what stays sharp, if known."""
    sharp = moments.sharp
    place: NDArray[np.float64] | None = None
    if isinstance(sharp, Spared):
        place = np.array([sharp.x, sharp.y])
    elif isinstance(sharp, Matte) and sharp.parts:
        of = sharp.parts[0].of
        here = None
        if isinstance(of, Stored) and of.width > 0:
            here = np.array([of.left + (of.width - 1) / 2, of.top + (of.height - 1) / 2])
        elif isinstance(of, Painted) and of.shape in ("curve", "box", "disc"):
            here = np.mean(of.places[:1] if of.shape == "disc" else of.places, axis=0)
        if here is not None:
            place = apply(np.asarray(np.linalg.inv(layer.matrix)), np.asarray(here, np.float64)[None])[0]
    if place is None:
        return np.zeros(2)
    return np.asarray(apply(units(moments.size)[0], place[None])[0])
