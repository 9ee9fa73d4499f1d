"""A plan that is carried out quickly, for a picture that is due now: of the same scene, laid the same, less fine."""

from collections.abc import Sequence
from dataclasses import replace
from typing import TypeVar

from clevrin.core.render.plan import Layer, Pin, PinSample, Plan, Sample, row9

M = TypeVar("M", Sample, PinSample)

MOST_MOMENTS = 9
"""What is seen through an open shutter is made of so many moments at most."""


def plainer(plan: Plan) -> Plan:
    """The same picture with fewer moments, none of them between two frames, and nothing that is borrowed.

    A moment between two frames is the nearer of both, laid where the camera stood at that moment: what moves by itself
    moves in the steps in which it was shot.
    """
    return replace(plan, layers=tuple(map(_plainer, plan.layers)))


def _plainer(layer: Layer) -> Layer:
    samples = tuple(_nearer(each) for each in thinned(layer.samples))
    pins = tuple(_with_fewer(each) for each in layer.pins)
    return replace(layer, samples=samples, borrowed=(), wider=None, crispness=0.0, pins=pins)


def _with_fewer(pin: Pin) -> Pin:
    return replace(pin, samples=thinned(pin.samples))


def _nearer(sample: Sample) -> Sample:
    other = sample.between
    if other is None or other.share <= 0.5:
        return replace(sample, between=None)
    return replace(sample, frame=other.frame, src_from_out=row9(other.matrix @ sample.matrix), between=None)


def thinned(moments: Sequence[M]) -> tuple[M, ...]:
    """`MOST_MOMENTS` of moments at most, spread as they are, each for its neighbours as well; the middle one stays."""
    count = len(moments)
    if count <= MOST_MOMENTS:
        return tuple(moments)
    kept = [round(k * (count - 1) / (MOST_MOMENTS - 1)) for k in range(MOST_MOMENTS)]
    kept[MOST_MOMENTS // 2] = count // 2
    weights = [0.0] * MOST_MOMENTS
    for at, each in enumerate(moments):
        weights[min(range(MOST_MOMENTS), key=lambda k: abs(kept[k] - at))] += each.weight
    return tuple(replace(moments[at], weight=weight) for at, weight in zip(kept, weights, strict=True))
