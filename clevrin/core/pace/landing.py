"""Landing on the beat: shots are made a little longer or shorter, so that each cut falls on the nearest beat."""

from bisect import bisect_left
from contextlib import suppress

from clevrin.core.document import Pace, Project
from clevrin.core.errors import ClevrinError
from clevrin.core.pace.conform import placed_shots
from clevrin.core.pace.shaping import Clock, as_long_as

_SHORTEST_FRAMES = 6
_MOST_SHARE = 0.5
"""A shot becomes no more than half as long again, or half as short, to land."""


def landed(project: Project) -> tuple[tuple[str, Pace], ...]:
    """New paces by the ids of the shots that get one, in the order of the reel.

    Cuts land one after the other, each on the beat next to where it falls once those before it have landed. The speeds
    at the ends of a shot stay where it has others that can give way: what was matched at a cut stays matched. Cuts
    that no beat is near stay where they fall. Raises `ClevrinError` where the reel has no beats.
    """
    beats = sorted(marker.frame for marker in project.reel.markers if marker.kind == "beat")
    if not beats:
        raise ClevrinError("There are no beats on the reel to land on: mark those of a sound, or set some.")
    found: list[tuple[str, Pace]] = []
    start = 0
    for placed in placed_shots(project)[:-1]:
        cut = start + placed.frames
        at = bisect_left(beats, cut)
        near = [beat for beat in beats[max(0, at - 1) : at + 1] if beat - start >= _SHORTEST_FRAMES]
        beat = min(near, key=lambda each: abs(each - cut), default=cut)
        frames = placed.frames
        if beat != cut and abs(beat - cut) <= _MOST_SHARE * frames:
            points = placed.shot.pace.points
            kept = frozenset({0, len(points) - 1}) if len(points) > 2 else frozenset()
            with suppress(ClevrinError):  # no speeds can: it stays where it falls
                pace = as_long_as(placed.shot, beat - start, Clock.of(placed), kept)
                frames = beat - start
                found.append((placed.shot.id, pace.changed(length_frames=frames)))
        start += frames
    return tuple(found)
