"""A plan that is carried out quickly, for a picture that is due now: of the same scene, laid the same, less fine."""

from dataclasses import replace

from clevrin.core.render.plan import Layer, Pin, Plan, Sample, row9, thinned

MOST_MOMENTS = 9
"""What is seen through an open shutter is made of so many moments at most."""


def plainer(plan: Plan) -> Plan:
    """The same picture with fewer moments, none of them between two frames, and nothing that is borrowed.

    A moment between two frames is the nearer of both, laid where the camera stood at that moment: what moves by itself
    moves in the steps in which it was shot.
    """
    return replace(plan, layers=tuple(map(_plainer, plan.layers)))


def _plainer(layer: Layer) -> Layer:
    samples = tuple(_nearer(each) for each in thinned(layer.samples, MOST_MOMENTS))
    pins = tuple(_with_fewer(each) for each in layer.pins)
    return replace(layer, samples=samples, borrowed=(), wider=None, crispness=0.0, pins=pins)


def _with_fewer(pin: Pin) -> Pin:
    return replace(pin, samples=thinned(pin.samples, MOST_MOMENTS))


def _nearer(sample: Sample) -> Sample:
    other = sample.between
    if other is None or other.share <= 0.5:
        return replace(sample, between=None)
    return replace(sample, frame=other.frame, src_from_out=row9(other.matrix @ sample.matrix), between=None)
