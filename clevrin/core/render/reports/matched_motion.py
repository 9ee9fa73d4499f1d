"""Where the subjects of two shots move alike as the reel shows them: held, framed, at the speed at which they play."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Project, Shot, Take, Track
from clevrin.core.errors import ClevrinError
from clevrin.core.join.match import Side
from clevrin.core.join.movement import Alike, Course, moving_alike
from clevrin.core.join.one_move import LEAST_SHOT_S
from clevrin.core.motion.geometry.models import apply
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.pace.conform import rates_along
from clevrin.core.progress import Progress, step
from clevrin.core.render.measured.measurement_needs import TrackNeed
from clevrin.core.render.planning.layers import plan_shot
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources

_ABOUT_S = 30.0
"""Cuts are looked for no further from where the cut is."""
_LOOKED_AT, _MOST = 40, 8
"""So many pairs are weighed by what they leave, and so many given."""
_AS_GOOD = 0.05
"""Pairs whose cost is no higher than the best one's by this are as good: 0.03 of the width apart."""
LEAST_FRAMES = 6
"""A shot keeps so many on its side of the cut."""


def cuts_where_alike(
    project: Project, shot_id: str, tracks: tuple[str, str], sources: Sources, progress: Progress
) -> tuple[Alike, ...]:
    """The pairs of frames at which the cut behind a shot could lie so that two subjects go on as one, the best first.

    `tracks`: what is followed in the outgoing take and in the incoming one. Each shot is held as if it went as far as
    it could be cut: where the cut will lie, its path will hardly be another one. Of pairs that are as good, those
    that leave less than a second of either shot come last. Raises `ClevrinError` where one of
    them is not seen, `CancelledError`. Costs 1 ms a frame, and what the two paths cost.
    """
    number = project.shot_index(shot_id)
    courses: list[Course] = []
    for side, track_id in enumerate(tracks):
        shot = project.reel.shots[number + side]
        track = project.take(shot.take_id).track(track_id)
        courses.append(_course(project, shot, track, sources, progress, leaving=side == 0))
    found = moving_alike(courses[0], courses[1], most=_LOOKED_AT)
    if not found:
        raise ClevrinError("They are never seen in both shots long enough.")
    placed = {each.shot.id: each for each in placed_shots(project)}
    before, after = (placed[project.reel.shots[number + side].id] for side in (0, 1))
    left = np.minimum(
        _left_s(before, [each.outgoing for each in found], leaving=True),
        _left_s(after, [each.incoming for each in found], leaving=False),
    )
    worse = [each.cost > found[0].cost + _AS_GOOD for each in found]
    order = sorted(range(len(found)), key=lambda k: (worse[k], left[k] < LEAST_SHOT_S))
    return tuple(found[k] for k in order[:_MOST])


def _course(
    project: Project, shot: Shot, track: Track, sources: Sources, progress: Progress, *, leaving: bool
) -> Course:
    """How a subject goes over the reel's picture in all that a shot could show up to its cut, or from there."""
    take = project.take(shot.take_id)
    followed = sources.measured.follow(TrackNeed(take=take, track=track), progress)
    first, end = free_frames(shot, take, _ABOUT_S, leaving=leaving)
    placed = next(each for each in placed_shots(project) if each.shot.id == shot.id)
    longer = shot.changed(span=shot.span.changed(first=min(first, shot.span.first), end=max(end, shot.span.end)))
    resolved = complete(HoldRequest.of(project, longer, take), sources.measured, progress)
    size = project.reel.size
    places: NDArray[np.float64] = np.full((take.facts.frames, 2), np.nan)
    for frame in range(first, end):
        if followed.known[frame]:
            out_from_src = np.asarray(np.linalg.inv(plan_shot(resolved, frame, size, size).matrix))
            places[frame] = apply(out_from_src, followed.places[frame]).mean(axis=0)
        step(progress, frame + 1 - first, end - first)
    rates = rates_along(placed) * (-1 if shot.reverse else 1)
    return Course.along(places, first, end, size, rates, float(project.reel.rate))


def _left_s(placed: Placed, frames: Sequence[int], *, leaving: bool) -> NDArray[np.float64]:
    """How many seconds of the reel a shot lasts when it leaves, or arrives, at each of some frames of its take."""
    side = Side(stretches=(), kept=placed.shot.span, rates=rates_along(placed))
    return side.left_s(np.array(frames), ends=leaving != placed.shot.reverse)


def free_frames(shot: Shot, take: Take, about_s: float, *, leaving: bool) -> tuple[int, int]:
    """The frames of its take at which a shot could leave, or arrive, within so many seconds of where it does.

    The first, and the one behind the last.
    """
    at_end, frames = leaving != shot.reverse, take.facts.frames
    low, high = (shot.span.first + LEAST_FRAMES, frames) if at_end else (0, shot.span.end - LEAST_FRAMES)
    cut, about = shot.last_shown if leaving else shot.first_shown, round(about_s * float(take.facts.rate))
    return max(low, cut - about), min(high, cut + about)
