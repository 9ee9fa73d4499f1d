"""Edits of what is followed in a take, and of what is left out of measuring it."""

from collections.abc import Callable
from dataclasses import dataclass

from clevrin.core.document.edits.edit import with_one, with_shot, with_take
from clevrin.core.document.holding import Hold
from clevrin.core.document.model import Project
from clevrin.core.document.tracks import LeftOut, Placement, Pointed, Track


def _with_track(project: Project, take_id: str, track_id: str, change: Callable[[Track], Track]) -> Project:
    take = project.take(take_id)
    take.track(track_id)
    tracks = tuple(change(track) if track.id == track_id else track for track in take.tracks)
    return with_take(project, take.changed(tracks=tracks))


@dataclass(frozen=True, kw_only=True)
class AddTrack:
    """Begins to follow something in a take."""

    take_id: str
    track: Track

    @property
    def label(self) -> str:
        return f"Follow a {self.track.kind}"

    def apply(self, project: Project) -> Project:
        take = project.take(self.take_id)
        return with_take(project, take.changed(tracks=(*take.tracks, self.track)))


@dataclass(frozen=True, kw_only=True)
class AnchorShot:
    """Holds a shot to a track of its take, a new one or another one in the place of that with its id."""

    shot_id: str
    track: Track
    hold: Hold
    label: str = "Anchor shot"

    def apply(self, project: Project) -> Project:
        shot = project.shot(self.shot_id)
        take = project.take(shot.take_id)
        followed = with_take(project, take.changed(tracks=with_one(take.tracks, self.track)))
        return with_shot(followed, shot.changed(hold=self.hold))


@dataclass(frozen=True, kw_only=True)
class PlaceTrack:
    """Puts a track where it is on a frame."""

    take_id: str
    track_id: str
    placement: Placement
    label: str = "Correct track"

    def apply(self, project: Project) -> Project:
        return _with_track(project, self.take_id, self.track_id, lambda track: track.put(self.placement))


@dataclass(frozen=True, kw_only=True)
class ChangeTrack:
    """Gives a track another name, reach or limit."""

    take_id: str
    track_id: str
    name: str | None = None
    reach_px: float | None = None
    limit: float | None = None
    label: str = "Change track"

    def apply(self, project: Project) -> Project:
        given = {"name": self.name, "reach_px": self.reach_px, "limit": self.limit}
        fields = {name: value for name, value in given.items() if value is not None}
        return _with_track(project, self.take_id, self.track_id, lambda track: track.changed(**fields))


@dataclass(frozen=True, kw_only=True)
class RemoveTrack:
    """Follows something no longer."""

    take_id: str
    track_id: str
    label: str = "Remove track"

    def apply(self, project: Project) -> Project:
        take = project.take(self.take_id)
        take.track(self.track_id)
        return with_take(project, take.changed(tracks=tuple(t for t in take.tracks if t.id != self.track_id)))


@dataclass(frozen=True, kw_only=True)
class PointAt:
    """Says on what a take's trace is to follow; None: what covers the most of the picture."""

    take_id: str
    pointed: Pointed | None
    label: str = "Choose what is to stand still"

    def apply(self, project: Project) -> Project:
        return with_take(project, project.take(self.take_id).changed(pointed=self.pointed))


@dataclass(frozen=True, kw_only=True)
class SetLeftOut:
    """Says which areas of a take do not count when its motion is measured."""

    take_id: str
    left_out: tuple[LeftOut, ...]
    label: str = "Leave out an area"

    def apply(self, project: Project) -> Project:
        return with_take(project, project.take(self.take_id).changed(left_out=self.left_out))
