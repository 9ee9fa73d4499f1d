"""Kinds that take no time: the next shot simply follows."""

from math import hypot

from clevrin.core.document.joining import PLAIN, WHIP
from clevrin.core.join.kinds.kind import Fit, Kind, Seen
from clevrin.core.motion.whips import LEAST_WIDTHS_PER_S


def _plain_fits(seen: Seen) -> Fit:
    if seen.before.still and seen.after.still:
        return Fit(score=40, why="Both shots stand still: a cut is only a cut.")
    return Fit(score=20 + 40 * (1 - seen.apart), why=_agreement(seen))


def _whip_fits(seen: Seen) -> Fit:
    if seen.before.even and seen.after.even:
        return Fit(score=60, why="There is nothing in either picture: the cut is not seen.")
    slower = min(hypot(*seen.before.rush), hypot(*seen.after.rush))
    if slower < LEAST_WIDTHS_PER_S:
        return Fit(score=4, why="Not both shots whip at the cut.")
    return Fit(score=100 * (1 - seen.apart), why=_agreement(seen))


def _agreement(seen: Seen) -> str:
    return f"The motion of both sides agrees to {100 * (1 - seen.apart):.0f} %."


PLAIN_CUT = Kind(id=PLAIN, help="The next shot simply follows", fits=_plain_fits)
WHIP_CUT = Kind(id=WHIP, help="The cut lies where both whips are fastest and agree", fits=_whip_fits)
