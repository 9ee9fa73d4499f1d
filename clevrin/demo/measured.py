"""What is measured of the demo's takes, shipped with them: the demo is whole when it is first opened.

The files are those of a shelf, known by the film and the version of the method that measured it, and not by the code's
wording: a test measures takes anew and holds these files against that. `make demo-measured` makes them again, which
is needed when a film of the demo or a method's version changes. Small pictures of the takes lie beside them: those that
a window of the usual size shows first.
"""

import shutil
import sys
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from tempfile import TemporaryDirectory

from clevrin.core.document import Project, Take
from clevrin.core.hold.verdict import kept_verdict
from clevrin.core.join.move_shelf import kept_moves
from clevrin.core.media.cache_room import keep
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.whips import find_whips
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_needs import TrackNeed
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FILMED, FOOTAGE

MEASURED = FOOTAGE / "measured"
"""A folder for each kind of measurement."""


def lay_out(shelf: Shelf) -> None:
    """Puts on a shelf what ships with the demo and is not there yet; where the shelf cannot be written, nothing."""
    for shipped in (*MEASURED.glob("*/*.npz"), *MEASURED.glob("thumbnails/*/*.jpg")):
        place = shelf.folder / shipped.relative_to(MEASURED)
        with suppress(OSError):
            if not place.exists():
                _copy(shelf, shipped, place)


def _copy(shelf: Shelf, shipped: Path, place: Path) -> None:
    content = shipped.read_bytes()
    keep(shelf.folder, place, lambda file: file.write(content))


def measure_demo(shelf: Shelf) -> None:
    """Measures all that the demo's takes and its projects need."""
    from clevrin.demo.project import demo_project, tricks_project

    projects = demo_project(), tricks_project()
    with Sources.of(shelf) as sources:
        for take in _takes(*projects):
            trace = sources.measured.measure(take, Silent())
            kept_moves(take, trace, sources.films.reader, shelf)
            kept_verdict(trace, find_whips(trace), shelf)
            for track in take.tracks:
                sources.measured.follow(TrackNeed(take=take, track=track), Silent())
            for area in take.areas:
                sources.measured.area(take, area, Silent())
            sys.stderr.write(f"measured {take.name}\n")
        for project in projects:
            for shot in project.reel.shots:
                complete(HoldRequest.of(project, shot), sources.measured, Silent())


def _takes(*projects: Project) -> Iterator[Take]:
    """Every take of the projects, and the studies that stand in none."""
    named = set()
    for take in (take for project in projects for take in project.takes):
        named.add(Path(take.path).stem)
        yield take
    yield from (take_in(FOOTAGE / f"{name}.mp4") for name in FILMED if name not in named)


def main() -> None:
    with TemporaryDirectory() as folder:
        shelf = Shelf(Path(folder) / "clevrin")
        measure_demo(shelf)
        shutil.rmtree(MEASURED, ignore_errors=True)
        for made in shelf.folder.glob("*/*.npz"):
            place = MEASURED / made.relative_to(shelf.folder)
            place.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(made, place)


if __name__ == "__main__":
    main()
