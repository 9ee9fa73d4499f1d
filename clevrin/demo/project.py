"""The demo project: the takes of kite day, and a reel on which they already read as one move."""

from pathlib import Path

from clevrin.core.document import Hold, Join, Project, Reel, Shot, Span
from clevrin.core.document.edits import AddTakes
from clevrin.core.document.files import load, save
from clevrin.core.document.keeping import data_folder
from clevrin.core.errors import DocumentError
from clevrin.core.media.taking_in import take_in
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.demo.scenes import SCENES

NAME = "Kite day on Gable Hill"


def demo_project() -> Project:
    """The takes, and a reel: the walk past the workshop whips over to the hill; then the picnic."""
    takes = {each.name: take_in(FOOTAGE / f"{each.name}.mp4") for each in SCENES}
    project = AddTakes(takes=tuple(takes.values())).apply(Project(name=NAME))
    walk, hill = (next(s for s in SCENES if s.name == name) for name in ("walk-past", "hill"))
    shots = (
        Shot(
            take_id=takes["walk-past"].id,
            span=Span(first=0, end=walk.whips[0].peak + 1),
            hold=Hold(how="float"),
            leave=Join(kind="whip cut", dissolve_frames=2),
        ),
        Shot(
            take_id=takes["hill"].id,
            span=Span(first=hill.whips[0].peak, end=hill.frames),
            hold=Hold(how="float"),
        ),
        Shot(take_id=takes["picnic"].id, span=Span(first=20, end=170), hold=Hold(how="float")),
    )
    return project.changed(reel=Reel(rate=walk.rate, width=1280, height=720, shots=shots))


def demo_file(*, fresh: bool = False) -> Path:
    """The project file of the demo in the user's data folder; made anew if it is not there, or damaged, or `fresh`."""
    folder = data_folder()
    path = folder / "kite-day.clevrin"
    if not fresh and path.exists():
        try:
            project = load(path)
            if all(Path(take.path).exists() for take in project.takes):
                return path
        except DocumentError:
            path.replace(path.with_suffix(".damaged"))
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise DocumentError(f"{folder} cannot be made for the demo: {error.strerror}.") from error
    save(demo_project(), path)
    return path
