"""What Clevrin proposes for a hold: the chart of keep against settle, the frames that set the price, enough hold."""

from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from clevrin.core.byte_cache import ByteCache
from clevrin.core.document import Hold, Span
from clevrin.core.document.holding import MOST_KEEP
from clevrin.core.errors import ClevrinError
from clevrin.core.hold.blurred import blurred_frames
from clevrin.core.hold.report import shake_px, shaken
from clevrin.core.hold.solve import held_path
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.whips import Whip
from clevrin.core.progress import Progress, step

Numbers = NDArray[np.float64]
Shape = tuple[int, int] | None
"""Width and height of what is shown, in any unit; None: all of the picture."""

_CHART_KEEPS = (0.99, 0.97, 0.95, 0.93, 0.91, 0.88, 0.85, 0.8, 0.75, 0.7, 0.6, 0.5)
_CHART_SETTLES_S = (0.4, 0.8, 1.6, 3.2)
_ROOM_KEEP = 0.3
_MOST_JOLTS = 3
_LEAST_SETTLE_S, _TRIALS = 0.1, 12
_NEAR_S = 0.4
_WORTH_IT = 0.01
"""Sparing frames that give back less of the width than this is not worth a word."""


@dataclass(frozen=True, kw_only=True)
class ChartPoint:
    """One solved hold: what was asked for, and what came of it; `shake_px` is what is left over 1 Hz."""

    settle_s: float
    asked_keep: float
    kept: float
    shake_px: float


@dataclass(frozen=True, kw_only=True)
class Chart:
    """What a shot's calm costs: a line of points for each settle, and the shake as shot."""

    shake_px: float
    lines: tuple[tuple[ChartPoint, ...], ...]


@dataclass(frozen=True, kw_only=True)
class Jolt:
    """Frames that set the price of a hold: without them, `gain` more of the width would stay."""

    span: Span
    gain: float


def chart(
    trace: Trace,
    span: Span,
    hold: Hold,
    whips: tuple[Whip, ...],
    progress: Progress,
    shape: Shape = None,
    known: tuple[ByteCache, Hashable] | None = None,
) -> Chart:
    """The keep-settle chart of a float, for a row of budgets and a few settles, the present one among them.

    `known`: where lines are remembered, and by what besides their settle and the hold; while a settle is dragged only
    the line of the present one is new. Costs solving some fifty times: about a second for 5 s of film. Raises
    `CancelledError`.
    """
    settles = sorted({*_CHART_SETTLES_S, round(hold.settle_s, 2)} - {0.0})
    lines = []
    for number, settle_s in enumerate(settles):
        lined = hold.changed(how="float", settle_s=settle_s, edge="fill", mesh=False, returned=0.0)

        def line(lined: Hold = lined, number: int = number) -> tuple[ChartPoint, ...]:
            done, total = number * len(_CHART_KEEPS), len(settles) * len(_CHART_KEEPS)
            return _line(trace, span, lined, whips, shape, lambda k: step(progress, done + k, total))

        if known is None:
            lines.append(line())
        else:
            cache, named = known
            lines.append(cache.once(("chart line", named, span, lined.changed(keep=MOST_KEEP), shape), line))
    return Chart(shake_px=shake_px(shaken(trace, span, whips)), lines=tuple(lines))


def _line(
    trace: Trace, span: Span, hold: Hold, whips: tuple[Whip, ...], shape: Shape, told: Callable[[int], None]
) -> tuple[ChartPoint, ...]:
    """What a settle gives for each budget."""
    points: list[ChartPoint] = []
    bound = True
    for number, keep in enumerate(_CHART_KEEPS):
        if bound:
            found = _tried(trace, span, hold.changed(keep=keep), whips, shape)
            if found is not None:
                points.append(found[0])
                bound = found[1]
        else:  # it has room to spare already: a smaller budget changes nothing
            points.append(replace(points[-1], asked_keep=keep))
        told(number + 1)
    return tuple(points)


def hold_at(chart: Chart, keep: float, left_px: float) -> float:
    """The settle that leaves a shake at a budget, between the settles of a chart's lines."""
    settles, shakes = [], []
    for line in chart.lines:
        keeps, left = zip(*sorted((p.asked_keep, p.shake_px) for p in line), strict=True)
        settles.append(line[0].settle_s)
        shakes.append(float(np.interp(keep, keeps, left)))
    # More settle leaves less shake, but where a budget is tight hardly so: of those that are alike the shortest.
    calmest = np.minimum.accumulate(shakes)
    order = np.argsort(calmest, kind="stable")
    found = np.interp(left_px, calmest[order], np.log(settles)[order])
    if left_px <= calmest[-1]:
        found = np.log(settles[int(np.argmin(shakes))])
    return round(float(np.exp(found)), 2)


def _tried(
    trace: Trace, span: Span, hold: Hold, whips: tuple[Whip, ...], shape: Shape
) -> tuple[ChartPoint, bool] | None:
    """What a hold gives, and whether its budget held it back; None where no gate fits."""
    try:
        path = held_path(trace, span, hold, shape=shape)
    except ClevrinError:
        return None
    assert path is not None
    left = shake_px(shaken(trace, span, whips, path))
    kept = path.least_kept_in(span)
    return ChartPoint(settle_s=hold.settle_s, asked_keep=hold.keep, kept=kept, shake_px=left), path.bound


def price_setters(trace: Trace, span: Span, hold: Hold, shape: Shape = None) -> tuple[Jolt, ...]:
    """The stretches of a few frames that cost a float the most of the picture, dearest first.

    The float is solved with room to spare; where its gate is smallest is what sets the price. Each stretch is spared
    in turn and the float solved anew, so that `gain` is what would really come back. Costs four solvings at most.
    """
    free = hold.changed(how="float", keep=_ROOM_KEEP, edge="fill", mesh=False, returned=0.0, enlargement="constant")
    jolts: list[Jolt] = []
    while len(jolts) < _MOST_JOLTS:
        spared = (*hold.spared, *(jolt.span for jolt in jolts))
        before = _needs(trace, span, free.changed(spared=spared), shape)
        if before is None:
            break
        at = int(before.argmin())
        stretch = _around(before, at, span, round(_NEAR_S * float(trace.rate)))
        after = _needs(trace, span, free.changed(spared=(*spared, stretch)), shape)
        gain = 0.0 if after is None else float(after.min() - before.min())
        if gain < _WORTH_IT:
            break
        jolts.append(Jolt(span=stretch, gain=gain))
    return tuple(jolts)


def _needs(trace: Trace, span: Span, hold: Hold, shape: Shape) -> Numbers | None:
    """(span.frames,): how large a gate each frame would let the path have.

    None where no gate fits, and where the path touches nothing: then nothing has a price.
    """
    try:
        path = held_path(trace, span, hold, shape=shape)
    except ClevrinError:
        return None
    if path is None or path.rooms is None:
        return None
    return path.rooms[path.rows(span)]


def _around(needs: Numbers, at: int, span: Span, most: int) -> Span:
    """The frames around the dearest one that are nearly as dear, and a few more: a jolt has a beginning."""
    limit = needs[at] + 0.3 * (float(np.median(needs)) - needs[at])
    first, end = at, at + 1
    while first > 0 and at - first < most and needs[first - 1] < limit:
        first -= 1
    while end < len(needs) and end - at < most and needs[end] < limit:
        end += 1
    margin = max(1, most // 5)
    return Span(first=span.first + max(0, first - margin), end=span.first + min(len(needs), end + margin))


@dataclass(frozen=True, kw_only=True)
class Enough:
    """The least hold that is enough: a settle, and how many frames show their blur with it and with the present one."""

    settle_s: float
    blurred: int
    blurred_now: int


def least_hold(trace: Trace, span: Span, hold: Hold, whips: tuple[Whip, ...], shape: Shape = None) -> Enough:
    """The longest settle with which hardly a frame is held harder than its blur.

    With a shorter settle more of the motion that blurred a frame stays, and its blur looks like what it is. Costs
    twelve solvings at most.
    """
    few = max(1, span.frames // 50)
    now = _blurred(trace, span, hold, whips, shape)
    best = Enough(settle_s=hold.settle_s, blurred=now, blurred_now=now)
    if now <= few:
        return best
    for settle_s in np.geomspace(max(hold.settle_s, _LEAST_SETTLE_S), _LEAST_SETTLE_S, _TRIALS)[1:]:
        rounded = round(float(settle_s), 2)  # as people would set it
        count = _blurred(trace, span, hold.changed(settle_s=rounded), whips, shape)
        if count < best.blurred:
            best = replace(best, settle_s=rounded, blurred=count)
        if count <= few:
            break
    return best


def _blurred(trace: Trace, span: Span, hold: Hold, whips: tuple[Whip, ...], shape: Shape) -> int:
    """How many frames show their blur when a shot floats with a hold."""
    path = held_path(trace, span, hold.changed(how="float", ease_blurred=False), shape=shape)
    assert path is not None
    return len(blurred_frames(trace, span, path, whips))
