"""Kinds that take no time: the next shot simply follows."""

from clevrin.core.document.joining import PLAIN, WHIP
from clevrin.core.join.kinds.kind import Kind

PLAIN_CUT = Kind(id=PLAIN, help="The next shot simply follows")
WHIP_CUT = Kind(id=WHIP, help="The cut lies where both whips are fastest and agree")
