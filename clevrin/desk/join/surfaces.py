"""The surfaces that a join can go through: those that are followed in either take of the chosen cut."""

from clevrin.core.document.joining import Setting
from clevrin.desk.join.kind_settings import Named
from clevrin.desk.join.page import chosen_pair
from clevrin.desk.session import Session


def surfaces(session: Session) -> Named:
    """Their tracks' ids, and what they are called."""
    pair, project = chosen_pair(session), session.project
    takes = [] if pair is None else [project.take(shot.take_id) for shot in pair]
    return tuple(
        (track.id, f"{track.name} in {take.name}")
        for take in {take.id: take for take in takes}.values()
        for track in take.tracks
        if track.kind == "surface"
    )


def with_its_way(session: Session, name: str, value: Setting) -> dict[str, Setting]:
    """A setting, and what goes with it: the way is into a surface of the first shot, and out of one of the next."""
    pair = chosen_pair(session)
    if name != "surface" or not value or pair is None:
        return {name: value}
    first = session.project.take(pair[0].take_id)
    return {name: value, "way": "in" if any(each.id == value for each in first.tracks) else "out"}
