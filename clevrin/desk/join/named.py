"""What a join can go by: the surfaces that are followed, and the areas that are made, in either take of the cut."""

from clevrin.core.document import Take
from clevrin.core.document.joining import Setting
from clevrin.core.join.kinds import SIDES, kind_of
from clevrin.desk.join.kind_settings import Named
from clevrin.desk.join.page import chosen_pair
from clevrin.desk.state.session import Session


def named_in(session: Session, what: str) -> Named:
    """Their ids, and what they are called."""
    pair, project = chosen_pair(session), session.project
    takes = [] if pair is None else [project.take(shot.take_id) for shot in pair]
    return tuple(
        (id, f"{name} in {take.name}")
        for take in {take.id: take for take in takes}.values()
        for id, name in _of(take, what)
    )


def _of(take: Take, what: str) -> list[tuple[str, str]]:
    if what == "area":
        return [(area.id, area.name) for area in take.areas]
    return [(track.id, track.name) for track in take.tracks if track.kind == "surface"]


def with_its_side(session: Session, name: str, value: Setting) -> dict[str, Setting]:
    """A setting, and what goes with it: of which side's take it is."""
    pair = chosen_pair(session)
    if pair is None or not value:
        return {name: value}
    known = {each.id: each for each in kind_of(pair[0].leave).settings}
    other = next((side for side in SIDES if side in known), "")
    if name not in known or not known[name].names or known[name].optional or not other:
        return {name: value}
    words = SIDES[other]
    first = session.project.take(pair[0].take_id)
    return {name: value, other: words[0] if any(id == value for id, _ in _of(first, name)) else words[1]}
