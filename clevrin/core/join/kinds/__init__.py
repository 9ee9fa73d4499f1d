"""The kinds of joins, each a module of its own; a new one is a module, and a line here."""

from dataclasses import replace

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


def surface_of(join: Join, *, leaving: bool) -> str:
    """The surface of a shot that a join goes through, by which the shot leaves, or arrives; "" where there is none."""
    values = kind_of(join).values(join)
    way = "in" if leaving else "out"
    return str(values["surface"]) if values.get("way") == way and "surface" in values else ""


def area_of(join: Join, *, leaving: bool) -> str:
    """The area of a shot by which a join shows the other one, as it leaves, or arrives; "" where there is none."""
    values = kind_of(join).values(join)
    side = "this" if leaving else "next"
    return str(values["area"]) if values.get("side") == side and "area" in values else ""


__all__ = ["KINDS", "Kind", "area_of", "goes_by_itself", "goes_on", "kind_of", "surface_of"]
