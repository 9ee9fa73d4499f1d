"""Edits on the areas of a take."""

from dataclasses import dataclass

from clevrin.core.document.areas import Area
from clevrin.core.document.edits.edit import with_one, with_take
from clevrin.core.document.model import Project


@dataclass(frozen=True, kw_only=True)
class PutArea:
    """Adds an area to a take, or puts it in the place of the one with its id; tracks of its middle go with it."""

    take_id: str
    area: Area
    label: str = "Change area"

    def apply(self, project: Project) -> Project:
        take = project.take(self.take_id)
        cuts = self.area.cut_outs
        tracks = tuple(
            each.changed(cut=cuts[0]) if each.area_id == self.area.id and cuts else each for each in take.tracks
        )
        return with_take(project, take.changed(areas=with_one(take.areas, self.area), tracks=tracks))


@dataclass(frozen=True, kw_only=True)
class RemoveArea:
    """Takes an area away; what named it shows the picture without it."""

    take_id: str
    area_id: str
    label: str = "Remove area"

    def apply(self, project: Project) -> Project:
        take = project.take(self.take_id)
        take.area(self.area_id)
        return with_take(project, take.changed(areas=tuple(a for a in take.areas if a.id != self.area_id)))
