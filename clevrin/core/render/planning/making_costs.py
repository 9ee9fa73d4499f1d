"""How long pictures take to be made on this machine, foretold from their plans by what others like them took."""

import threading
from collections.abc import Hashable

from clevrin.core.render.plan import Layer, Plan

_DECODED_S, _LAID_S, _LIGHT_S, _MOMENT_S, _FOUND_S, _BORROWED_S = 0.006, 0.012, 0.08, 0.014, 0.25, 0.01
"""For a million pixels: one of the source, a moment laid, made light and back, another moment, its flow, a loan."""
_FORGETS, _DOUBTS = 0.15, 0.04
_MOST_KINDS = 512


class MakingCosts:
    """Seconds by the kind of a picture: threads share it.

    A kind that took longer once is thought to take that long again, and is found to be quicker little by little: a
    picture that comes too early harms nobody.
    """

    def __init__(self) -> None:
        self._known: dict[Hashable, float] = {}
        self._machine = 1.0  # how much longer things take here than on the machine of the figures above
        self._lock = threading.Lock()

    def of(self, plan: Plan) -> float:
        """How many seconds the picture of a plan will take. Costs some microseconds a layer."""
        with self._lock:
            known = self._known.get(kind_of(plan))
            return self._machine * effort(plan) if known is None else known

    def learn(self, plan: Plan, took_s: float) -> None:
        """What the picture of a plan took just now."""
        kind, foreseen = kind_of(plan), effort(plan)
        with self._lock:
            known = self._known.pop(kind, took_s)
            self._known[kind] = learned(known, took_s)  # the last ones learned stay
            if len(self._known) > _MOST_KINDS:
                del self._known[next(iter(self._known))]
            if foreseen > 0:
                self._machine += _FORGETS * (min(max(took_s / foreseen, 0.1), 10.0) - self._machine)

    def doubt(self, plan: Plan) -> None:
        """A picture was not made because it would take too long: what is thought of its kind is believed a little less.

        So that one stall, of which the picture was innocent, is not held against its kind for ever.
        """
        kind = kind_of(plan)
        with self._lock:
            if kind in self._known:
                self._known[kind] *= 1 - _DOUBTS


def learned(known_s: float, took_s: float) -> float:
    """What something is thought to take that was thought to take so long, and took so long just now."""
    return max(took_s, known_s + _FORGETS * (took_s - known_s))


def kind_of(plan: Plan) -> Hashable:
    """What a picture's cost depends on, roughly: pictures of one kind take about as long."""
    return plan.width, plan.height, len(plan.effects), tuple(map(_kind_of, plan.layers))


def _kind_of(layer: Layer) -> Hashable:
    extras = layer.bend is not None, layer.matte is not None, layer.spared is not None, layer.wider is not None
    made = layer.middle.between.made if layer.middle.between is not None else None
    # Twice as many moments are of another kind.
    moments = len(layer.samples).bit_length(), sum(len(pin.samples) for pin in layer.pins).bit_length()
    return layer.source_size, layer.edge, made, *moments, len(layer.borrowed), len(layer.frames) > 2, *extras


def effort(plan: Plan) -> float:
    """About how many seconds a picture takes where nothing of its kind was ever made, on two cores of 2.5 GHz."""
    out = plan.width * plan.height / 1e6
    found = out * _LIGHT_S * (len(plan.layers) > 1) * len(plan.layers) + out * _LAID_S * len(plan.effects)
    for layer in plan.layers:
        source = layer.source_size[0] * layer.source_size[1] / 1e6
        invented = sum(each.between is not None and each.between.made == "flow" for each in layer.samples)
        found += source * _DECODED_S * len(layer.frames) + out * (_LAID_S + _BORROWED_S * len(layer.borrowed))
        found += out * _LAID_S * sum(len(pin.samples) for pin in layer.pins)
        if len(layer.samples) > 1:
            found += out * (_LIGHT_S + _MOMENT_S * len(layer.samples))
        if invented:
            found += min(1.0, source) * _FOUND_S + out * 4 * _LAID_S * invented
    return found
