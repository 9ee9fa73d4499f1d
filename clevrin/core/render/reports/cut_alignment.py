"""The two pictures at a cut laid on each other: as they lie on the reel by themselves, without what the join does."""

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Join, Project
from clevrin.core.errors import ClevrinError
from clevrin.core.join.laying import Laid, laid_by_pictures, laid_by_places
from clevrin.core.motion.geometry.models import apply
from clevrin.core.pace import placed_shots
from clevrin.core.render.measured.measurement_needs import TrackNeed
from clevrin.core.render.picture import plan_at, planes
from clevrin.core.render.planning.join_motion import units
from clevrin.core.render.planning.shot_map import fitted_size
from clevrin.core.render.sources import Sources

_SEEN_AT = (960, 960)


def lay_by_pictures(project: Project, shot_id: str, sources: Sources) -> Laid:
    """Both pictures at the cut behind a shot, as wholes. Raises `ClevrinError` where they have too little in common."""
    plain, cut = _cut_plainly(project, shot_id)
    size = fitted_size(project.reel.size, _SEEN_AT)
    before, after = (_luma(plain, frame, size, sources) for frame in (cut - 1, cut))
    found = laid_by_pictures(before, after)
    if found is None:
        raise ClevrinError("The two pictures have too little in common to be laid on each other.")
    return found


def lay_by_tracks(project: Project, shot_id: str, tracks: tuple[str, str], sources: Sources) -> Laid:
    """Something that is followed in the outgoing take laid on something in the incoming one, by the ids of its tracks.

    Two points give a place, two surfaces turn and size besides. Raises `ClevrinError` for what is not seen at the cut.
    """
    plain, cut = _cut_plainly(project, shot_id)
    size = project.reel.size
    row = placed_shots(plain)
    number = plain.shot_index(shot_id)
    places = []
    for placed, frame, track_id in zip(row[number : number + 2], (cut - 1, cut), tracks, strict=True):
        (layer,) = plan_at(plain, frame, size, sources.measured).layers
        track = placed.take.track(track_id)
        followed = sources.measured.track(TrackNeed(take=placed.take, track=track))
        if followed is None or not followed.known[layer.frame]:
            raise ClevrinError(f"{track.name} is not seen in {placed.take.name} at the cut.")
        pixels = apply(np.asarray(np.linalg.inv(layer.matrix)), followed.places[layer.frame])
        places.append(apply(units(size)[0], pixels))
    if len(places[0]) != len(places[1]):
        places = [each.mean(axis=0, keepdims=True) for each in places]
    return laid_by_places(places[0], places[1])


def _cut_plainly(project: Project, shot_id: str) -> tuple[Project, int]:
    """The project with a cut behind a shot, and the frame of the reel at which it lies."""
    number = project.shot_index(shot_id)
    shots = list(project.reel.shots)
    for at in range(max(0, number - 1), min(len(shots), number + 2)):
        shots[at] = shots[at].changed(leave=Join())
    plain = project.changed(reel=project.reel.changed(shots=tuple(shots), over=()))
    return plain, placed_shots(plain)[number].end


def _luma(project: Project, frame: int, size: tuple[int, int], sources: Sources) -> NDArray[np.uint8]:
    y = planes(project, frame, size, sources).y
    return (y >> 8).astype(np.uint8) if y.dtype == np.uint16 else y
