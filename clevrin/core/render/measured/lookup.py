"""Measurements asked for one by one, and areas put together from them."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Area, CutOut, Filmed, Take
from clevrin.core.document.areas import made_of
from clevrin.core.matte.cutting import CutFrames
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.render.measured.carried import AreaKnown
from clevrin.core.render.measured.measurement_needs import ClingNeed, CutNeed, Measurement, Need, TraceNeed, TrackNeed

Ask = Callable[[Need], Measurement | None]
"""Gives a measurement; None: it is not there."""
Chain = Callable[[Take, Trace], NDArray[np.float64]]
"""(frames, 3, 3): the way from a take's first frame to each, from its trace."""


class NotMeasuredError(Exception):
    """Something was asked for that is not there."""

    def __init__(self, need: Need) -> None:
        super().__init__(need)
        self.need = need


def answer_of(need: Need, ask: Ask) -> Measurement:
    """What is asked for; raises `NotMeasuredError`."""
    found = ask(need)
    if found is None:
        raise NotMeasuredError(need)
    return found


def trace_of(take: Take, ask: Ask, *, mesh: bool = False) -> Trace:
    """The trace of a take; raises `NotMeasuredError`."""
    trace = answer_of(TraceNeed(take=take, mesh=mesh), ask)
    assert isinstance(trace, Trace)
    return trace


def area_known(take: Take, area: Area, chain: Chain, ask: Ask) -> AreaKnown:
    """An area of a take with all that carries it; raises `NotMeasuredError`."""
    all_of_it = made_of(area, take.areas)
    goes_with = frozenset[str]().union(*(each.track_ids for each in all_of_it))
    answers = {
        each.id: answer_of(TrackNeed(take=take, track=each), ask) for each in take.tracks if each.id in goes_with
    }
    moves = any(each.goes_with_picture for each in all_of_it)
    curves = [drawn for each in all_of_it for drawn in each.clinging]
    clung = {each: answer_of(ClingNeed(take=take, drawn=each), ask) for each in curves}
    wanted: list[CutOut | Filmed] = []
    for each in all_of_it:
        wanted += [*each.cut_outs, *each.filmed]
    cuts = {each: answer_of(CutNeed(take=take, cut=each), ask) for each in wanted}
    return AreaKnown(
        area=area,
        chain=chain(take, trace_of(take, ask)) if moves else None,
        followed={id: each for id, each in answers.items() if isinstance(each, Followed)},
        cuts={cut: each.covers for cut, each in cuts.items() if isinstance(each, CutFrames)},
        others={each.id: each for each in all_of_it},
        clung={drawn: each for drawn, each in clung.items() if isinstance(each, Followed)},
    )
