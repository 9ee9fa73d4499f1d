"""What passes before the lens at a cut of the reel: where it covers the pictures, and how fast its edge goes."""

from clevrin.core.document import Area, Project, Shot, Take
from clevrin.core.errors import ClevrinError
from clevrin.core.join.kinds import named_by
from clevrin.core.join.uncovering import CoverOf, CutUnderCover, covered_stretches, cuts_under_cover, edge_speed
from clevrin.core.progress import Progress
from clevrin.core.render.measured.carried import cover_of, mask_size
from clevrin.core.render.reports.matched_motion import free_frames
from clevrin.core.render.sources import Sources

_ABOUT_S = 10.0
"""So far to either side of the cut cover is looked for."""
_EDGE_S = 0.5


def find_cover(project: Project, shot_id: str, sources: Sources, progress: Progress) -> tuple[CutUnderCover, ...]:
    """Where the cut behind a shot could lie unseen, the best first: under what covers all of the picture.

    Looks at 10 s to either side of the cut, as far as the takes have them. Raises `MediaError`, `CancelledError`.
    Costs reading these.
    """
    number = project.shot_index(shot_id)
    outgoing, incoming = project.reel.shots[number : number + 2]
    cut = outgoing.last_shown, incoming.first_shown
    found = []
    for shot, leaving in ((outgoing, True), (incoming, False)):
        take = project.take(shot.take_id)
        film = sources.films.reader(take)
        area = _area_of(outgoing, take, leaving=leaving)
        cover = None if area is None else _covers(take, area, sources, progress)
        frames = range(*free_frames(shot, take, _ABOUT_S, leaving=leaving))
        found.append(covered_stretches(frames, film.read, cover, progress))
    return cuts_under_cover(found[0], found[1], cut)


def passing_speed(project: Project, shot_id: str, sources: Sources, progress: Progress) -> float:
    """How fast the edge by which the first shot of a cut uncovers the next goes there, in widths a second.

    Raises `ClevrinError` where it has no such area or no edge of it is seen to go, `CancelledError`.
    """
    outgoing = project.reel.shots[project.shot_index(shot_id)]
    take = project.take(outgoing.take_id)
    area = _area_of(outgoing, take, leaving=True)
    if area is None:
        raise ClevrinError("The edge of an area of the first shot is what the next one can be as fast as.")
    reach = round(_EDGE_S * float(take.facts.rate))
    frames = range(max(0, outgoing.last_shown - reach), min(take.facts.frames, outgoing.last_shown + reach + 1))
    found = edge_speed(_covers(take, area, sources, progress), frames, float(take.facts.rate))
    if found is None:
        raise ClevrinError(f"No edge of {area.name} is seen to pass about the cut.")
    return found


def _area_of(outgoing: Shot, take: Take, *, leaving: bool) -> Area | None:
    """The area of a side's take by which the join goes."""
    named = named_by(outgoing.leave, "area", leaving=leaving)
    return next((each for each in take.areas if each.id == named), None)


def _covers(take: Take, area: Area, sources: Sources, progress: Progress) -> CoverOf:
    known = sources.measured.area(take, area, progress)
    return cover_of(known, take, mask_size(take), sources.films.reader(take))
