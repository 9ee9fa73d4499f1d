"""Pictures in a row, as plans: how each is made, how long that takes, and how a plainer one is made in its place."""

import time
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from clevrin.core.digest import digest
from clevrin.core.document import Take
from clevrin.core.media.colouring import shown
from clevrin.core.media.picture import bgra_from_picture
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.picture import carried_out, trust_of
from clevrin.core.render.plan import Layer, Plan
from clevrin.core.render.planning.making_costs import MakingCosts, kind_of
from clevrin.core.render.planning.plainer import plainer
from clevrin.core.render.sources import Sources
from clevrin.desk.background.prepared import Prepared

Pixels = NDArray[np.uint8]
Size = tuple[int, int]

PLAIN_SHARE = 0.5
"""How large a plainer picture is made, as a share of the right one."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Making:
    """What is known of the pictures that a window makes: those that are there, and how long others take."""

    prepared: Prepared = field(default_factory=Prepared)
    costs: MakingCosts = field(default_factory=MakingCosts)
    kinds: set[Hashable] = field(default_factory=set)
    """The kinds of pictures of which some are prepared."""

    def keep(self, name: str, plan: Plan, pixels: Pixels, trust: float) -> None:
        """Keeps the pixels of a plan by its name, and how much of it could be followed."""
        self.prepared.put(name, pixels, trust)
        self.kinds.add(kind_of(plan))

    def forget(self) -> None:
        """Lets go of what is in memory: another project is open."""
        self.prepared.clear()
        self.kinds.clear()


@dataclass(frozen=True, kw_only=True, eq=False)
class Plans:
    """The frames `first` up to `end` of something that plays at a rate.

    `plan` gives that of a frame at a size, and `take_of` the takes that plans name; `size` is what is looked at, and
    `period_s` how long each is.
    """

    first: int
    end: int
    size: Size
    period_s: float
    plan: Callable[[MeasurementStore, int, Size], Plan]
    take_of: Callable[[str], Take]

    def at(self, store: MeasurementStore, frame: int) -> Plan:
        """The plan of a frame."""
        return self.plan(store, frame, self.size)

    def pixels(self, sources: Sources, frame: int, making: Making) -> Pixels:
        """BGRA of a frame, made unless it is prepared."""
        plan = self.at(sources.measured, frame)
        found = self._prepared(plan, making)
        return self.made(sources, plan, making) if found is None else found

    def pixels_within(self, sources: Sources, frame: int, making: Making, left_s: float) -> tuple[Pixels, bool]:
        """The same if it will take no longer than `left_s`, else a plainer one; whether it is that."""
        plan = self.at(sources.measured, frame)
        found = self._prepared(plan, making)
        if found is not None:
            return found, False
        if making.costs.of(plan) <= left_s:
            return self.made(sources, plan, making), False
        if not is_heavy(plan):  # those are slow without a doubt
            making.costs.doubt(plan)
        return self.plain_pixels(sources, frame), True

    def plain_pixels(self, sources: Sources, frame: int) -> Pixels:
        """BGRA of a plainer picture of a frame, smaller as well; proxies stand in for films that have one."""
        plan = self.plan(sources.measured, frame, smaller(self.size, PLAIN_SHARE))
        with read_quickly(sources):
            return self._carried_out(sources, plainer(plan))

    def made(self, sources: Sources, plan: Plan, making: Making) -> Pixels:
        """BGRA of a plan; how long it took is learned."""
        begun = time.perf_counter()
        pixels = self._carried_out(sources, plan)
        making.costs.learn(plan, time.perf_counter() - begun)
        return pixels

    def is_worth_preparing(self, plan: Plan, making: Making) -> bool:
        """Whether a picture takes longer to make than it is shown, or may: it is of several others."""
        return is_heavy(plan) or making.costs.of(plan) > self.period_s

    def _prepared(self, plan: Plan, making: Making) -> Pixels | None:
        # A kind that took long when it was prepared may be thought to be quicker by now.
        looked_for = self.is_worth_preparing(plan, making) or kind_of(plan) in making.kinds
        return making.prepared.get(self.name_of(plan)) if looked_for else None

    def _carried_out(self, sources: Sources, plan: Plan) -> Pixels:
        return bgra_from_picture(shown(carried_out(plan, self.take_of, sources.films, "draft")))

    def trust(self, sources: Sources, plan: Plan) -> float:
        """How much of a picture that was made just now could be followed."""
        found = [trust_of(layer, self.take_of(layer.take_id), sources.films) for layer in plan.layers]
        return min((each for each in found if each is not None), default=1.0)

    def name_of(self, plan: Plan) -> str:
        """A name for all that the pixels of a plan depend on."""
        return digest((plan, tuple(self.take_of(layer.take_id).fingerprint for layer in plan.layers)))


def smaller(size: Size, share: float) -> Size:
    """A share of a size."""
    return max(2, round(size[0] * share)), max(2, round(size[1] * share))


@contextmanager
def read_quickly(sources: Sources) -> Iterator[None]:
    """Meanwhile proxies stand in for films that have one."""
    before, sources.films.scrubbing = sources.films.scrubbing, True
    try:
        yield
    finally:
        sources.films.scrubbing = before


def is_heavy(plan: Plan) -> bool:
    """Whether a picture takes long wherever it is made: it is of several others."""
    return len(plan.layers) > 1 or any(_is_heavy(layer) for layer in plan.layers)


def _is_heavy(layer: Layer) -> bool:
    return len(layer.samples) > 1 or layer.middle.between is not None
