"""What it would cost to hold a take: a first estimate for the lamp on its card."""

from dataclasses import dataclass
from typing import Literal

from clevrin.core.document import Hold, Span
from clevrin.core.hold.report import calm_frames, course, shake
from clevrin.core.hold.solve import held_path
from clevrin.core.motion.trace import Trace
from clevrin.core.motion.whips import Whip

Cost = Literal["easy", "costly", "hopeless"]

EASY_KEEP, COSTLY_KEEP = 0.85, 0.70
"""Least shares of the width that must stay for a hold to count as easy, or as worth its price."""


@dataclass(frozen=True, kw_only=True)
class Verdict:
    """`keep_needed`: the share of the width that stays when all shake slower than the default settle may go.

    `shake_px`: root mean square of the motion over 1 Hz in the calm stretches, along pan and tilt together.
    """

    cost: Cost
    keep_needed: float
    shake_px: float


def judge(trace: Trace, whips: tuple[Whip, ...]) -> Verdict:
    """Solves a float of the whole take with room to spare, and sees how much of the picture it used.

    Costs what solving costs: about 0.1 s for a minute of film.
    """
    span = Span(first=0, end=trace.frames)
    path = held_path(trace, span, Hold(how="float", keep=0.5))
    keep = path.least_kept if path is not None else 1.0
    rest = shake(course(trace, span), float(trace.rate), calm_frames(trace, span, whips))
    cost: Cost = "easy" if keep >= EASY_KEEP else "costly" if keep >= COSTLY_KEEP else "hopeless"
    return Verdict(cost=cost, keep_needed=keep, shake_px=(rest["pan"] ** 2 + rest["tilt"] ** 2) ** 0.5)
