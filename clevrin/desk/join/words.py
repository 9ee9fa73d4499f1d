"""How well two shots meet, in words."""

from clevrin.core.join.between import COMPARED_WIDTHS_PER_S, DISAGREES
from clevrin.core.join.match import ENOUGH_S
from clevrin.core.join.meeting import CutSide
from clevrin.core.motion import Trace
from clevrin.core.pace import Placed
from clevrin.desk.reel.knot import Knot, knot_between


def agreement_words(before: Placed, after: Placed, traces: tuple[Trace | None, Trace | None]) -> str:
    """Whether the sides of a cut agree, and where hardly anything is left of a shot."""
    if any(trace is None for trace in traces):
        return "The motion is being measured."
    knot = knot_between(before, after, *traces)
    aside = knot.leaving_deg is not None or knot.arriving_deg is not None
    said = _agreement(knot) if aside else _not_aside((before, after), traces)
    return "\n".join([said, *(words for each in (before, after) if (words := _too_little(each)))])


def _agreement(knot: Knot) -> str:
    if knot.mismatch < DISAGREES:
        return "Direction and speed agree at the cut."
    return f"The sides differ at the cut by {knot.mismatch * 100:.0f} % of the motion."


def _not_aside(row: tuple[Placed, Placed], traces: tuple[Trace | None, Trace | None]) -> str:
    """How sides meet of which neither goes aside: they may roll, or come nearer."""
    out, in_ = (
        0.0 if trace is None else CutSide.of(trace, placed.shot, leaving=leaving).widths_per_s
        for placed, trace, leaving in zip(row, traces, (True, False), strict=True)
    )
    if min(out, in_) < COMPARED_WIDTHS_PER_S:
        return "Neither side moves much at the cut."
    return f"Both sides roll or grow at the cut, the next one {in_ / out:.2f} times as fast."


def _too_little(placed: Placed) -> str:
    """A warning where hardly anything is left of a shot; else nothing."""
    seconds = float(placed.frames / placed.reel_rate)
    if seconds >= ENOUGH_S:
        return ""
    frames = f"{placed.frames} frame{'s' if placed.frames > 1 else ''}"
    return f"This leaves {frames} ({seconds:.2f} s) of {placed.take.name}: hardly enough to be seen."
