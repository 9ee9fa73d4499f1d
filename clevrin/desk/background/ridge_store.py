"""Ridges by take, made once per measurement and shared by all that draw them."""

from weakref import WeakKeyDictionary

from clevrin.core.document import Take
from clevrin.core.motion import Trace
from clevrin.desk.background.measurements import Measurements
from clevrin.desk.widgets.ridge import RidgeData


class RidgeStore:
    """The ridge of a take, None while it is not measured."""

    def __init__(self, measurements: Measurements) -> None:
        self._measurements = measurements
        self._made: WeakKeyDictionary[Trace, RidgeData] = WeakKeyDictionary()

    def of(self, take: Take) -> RidgeData | None:
        trace = self._measurements.trace(take)
        if trace is None:
            return None
        if trace not in self._made:
            self._made[trace] = RidgeData.of(trace, self._measurements.whips(take))
        return self._made[trace]
