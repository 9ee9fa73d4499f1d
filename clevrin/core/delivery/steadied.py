"""All takes of a log as films of their own, each held: for who wants calm footage, and cuts elsewhere."""

from pathlib import Path

from clevrin.core.document import Hold, Project, Shot
from clevrin.core.document.edits import AddTakes
from clevrin.core.errors import ClevrinError
from clevrin.core.render.export.export import ExportRequest
from clevrin.core.render.export.output_names import free_path


def steadied_takes(project: Project, folder: Path, hold: Hold | None = None) -> tuple[ExportRequest, ...]:
    """What is rendered into a folder: every take but those that are dropped, as large and as fast as it was shot.

    `hold`: how; None: it floats. Nothing that is there is written over: names that are taken get a number. Raises
    `ClevrinError` where there is no folder, or no take.
    """
    if not folder.is_dir():
        raise ClevrinError(f"{folder} is no folder that takes could be put into.")
    takes = [take for take in project.takes if take.worth != "drop"]
    if not takes:
        raise ClevrinError("There is no take to be steadied: bring some in first.")
    taken: set[Path] = set()
    found = []
    for take in takes:
        shot = Shot(take_id=take.id, span=take.whole, hold=hold or Hold(how="float"))
        alone = AddTakes(takes=(take,)).apply(Project(name=take.name))  # its reel is as the take is
        path = free_path(folder, take.name.replace("/", "-") or "take", ".mp4", taken)
        taken.add(path)
        found.append(ExportRequest(project=alone.changed(reel=alone.reel.changed(shots=(shot,))), path=path))
    return tuple(found)
