"""Ridges by take, made once per measurement and shared by all that draw them."""

from clevrin.core.document import Take
from clevrin.desk.measurements import Measurements
from clevrin.desk.ridge import RidgeData


class RidgeStore:
    """The ridge of a take, None while it is not measured."""

    def __init__(self, measurements: Measurements) -> None:
        self._measurements = measurements
        self._made: dict[int, RidgeData] = {}

    def of(self, take: Take) -> RidgeData | None:
        trace = self._measurements.trace(take)
        if trace is None:
            return None
        if id(trace) not in self._made:
            self._made[id(trace)] = RidgeData.of(trace, self._measurements.whips(take))
        return self._made[id(trace)]
