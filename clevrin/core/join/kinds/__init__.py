"""The kinds of joins, each a module of its own; a new one is a module, and a line here."""

from dataclasses import replace
from typing import Literal

from clevrin.core.document.joining import Join
from clevrin.core.join.kinds.cuts import PLAIN_CUT, WHIP_CUT
from clevrin.core.join.kinds.doorway import DOORWAY
from clevrin.core.join.kinds.fracture import FRACTURE
from clevrin.core.join.kinds.kind import AUTO, BALANCE_OF_IT, SEED, SOUND_OF_IT, Kind
from clevrin.core.join.kinds.light import DIP, FLASH
from clevrin.core.join.kinds.match_cut import MATCH_CUT
from clevrin.core.join.kinds.passing_edge import PASSING_EDGE
from clevrin.core.join.kinds.push_through import PUSH_THROUGH
from clevrin.core.join.kinds.roll_over import ROLL_OVER
from clevrin.core.join.kinds.shaking import SHAKE_OF_IT, with_shake
from clevrin.core.join.kinds.slide import SLIDE
from clevrin.core.join.kinds.soft_dissolve import SOFT_DISSOLVE
from clevrin.core.join.kinds.thrown_whip import THROWN_WHIP


def _lasting(kind: Kind) -> Kind:
    """A kind with what every kind has that takes time: its shake, and the seed of that if it has none of its own."""
    if not kind.long:
        return kind
    seeded = any(each.id == SEED.id for each in kind.settings)
    settings = (*kind.settings, *SHAKE_OF_IT, *(() if seeded else (SEED,)))
    return replace(kind, settings=settings, part=with_shake(kind.part))


KINDS: dict[str, Kind] = {
    kind.id: replace(_lasting(kind), settings=(*_lasting(kind).settings, *SOUND_OF_IT, *BALANCE_OF_IT))
    for kind in (
        PLAIN_CUT,
        WHIP_CUT,
        THROWN_WHIP,
        PUSH_THROUGH,
        ROLL_OVER,
        SLIDE,
        FLASH,
        DIP,
        FRACTURE,
        SOFT_DISSOLVE,
        DOORWAY,
        PASSING_EDGE,
        MATCH_CUT,
    )
}


def kind_of(join: Join) -> Kind:
    """The kind of a join; one that this version does not know is a plain cut."""
    return KINDS.get(join.kind, PLAIN_CUT)


def goes_by_itself(join: Join) -> bool:
    """Whether a join goes where the camera of its sides goes."""
    return kind_of(join).values(join).get("direction") == AUTO


def goes_on(join: Join) -> bool:
    """Whether a join shows what other frames of its takes saw beyond the edges of its pictures."""
    return kind_of(join).values(join).get("beyond") == "seen"


SIDES = {"way": ("in", "out"), "side": ("this", "next")}
"""By what setting it is said of which side something is, and what that is for the first shot and the next one."""


def named_by(join: Join, what: Literal["surface", "area"], *, leaving: bool) -> str:
    """The id of a surface or an area of a shot by which it leaves, or arrives; "" where there is none."""
    values = kind_of(join).values(join)
    of_this = any(values.get(side) == words[0 if leaving else 1] for side, words in SIDES.items())
    return str(values[what]) if what in values and of_this else ""


__all__ = ["KINDS", "SIDES", "Kind", "goes_by_itself", "goes_on", "kind_of", "named_by"]
