"""Edits of what is pinned to a shot."""

from dataclasses import dataclass

from clevrin.core.document.edits.edit import with_one, with_shot
from clevrin.core.document.model import Project
from clevrin.core.document.pinned import Pinned


@dataclass(frozen=True, kw_only=True)
class PutPinned:
    """Pins an element to a shot, or puts it in the place of the one with its id."""

    shot_id: str
    pinned: Pinned
    label: str = "Change what is pinned"

    def apply(self, project: Project) -> Project:
        shot = project.shot(self.shot_id)
        return with_shot(project, shot.changed(pinned=with_one(shot.pinned, self.pinned)))


@dataclass(frozen=True, kw_only=True)
class RemovePinned:
    """Takes an element off a shot."""

    shot_id: str
    pinned_id: str
    label: str = "Take off what is pinned"

    def apply(self, project: Project) -> Project:
        shot = project.shot(self.shot_id)
        shot.element(self.pinned_id)
        return with_shot(project, shot.changed(pinned=tuple(p for p in shot.pinned if p.id != self.pinned_id)))
