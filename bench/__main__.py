"""`make bench` prints every figure beside its aim, and writes it down; `python -m bench accuracy speed` picks some."""

import os
import sys
import tempfile
from dataclasses import dataclass
from functools import cached_property
from importlib import import_module
from pathlib import Path
from typing import Any

import clevrin  # noqa: F401  # before NumPy: it says how many threads that may have
from bench.rows import print_rows, write_figures

REAL_FILMS = Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache")) / "clevrin-real-films"
FIGURES = Path(__file__).parent.parent / "docs" / "figures.md"


@dataclass(frozen=True)
class Part:
    """What is measured together: `rows` is a function as module:name, which takes what `given` names of `Given`."""

    title: str
    rows: str
    given: tuple[str, ...] = ()


PARTS = {
    "tracing": Part("Tracing, on the demo's true camera", "tracing:tracing_rows", ("traces", "folder")),
    "accuracy": Part("Hold and match, on the demo's true camera", "accuracy:accuracy", ("traces", "shelf")),
    "speed": Part("Speed and memory", "speed:speed", ("folder",)),
    "starting": Part("How soon commands and the window are there", "starting:starting_rows"),
    "rendering": Part("What renders cost", "rendering:rendering_rows", ("folder",)),
    "watching": Part("The demo's reel, as a screen shows it", "on_screen:watching_rows", ("folder",)),
    "window": Part("The window", "window:window_rows", ("folder", "demo_shelf")),
    "first": Part("The first minute, and memory", "first_minute:first_minute_rows", ("folder",)),
    "hands": Part("500 takes and 300 shots under the hands", "hands:hands_rows", ("application", "folder")),
    "jobs": Part("Actions of the hand in whole jobs, dropped films to finished", "jobs:jobs_rows", ("folder",)),
    "kinds": Part("Films of every kind through a render", "kinds:kinds_rows"),
    "solving": Part("Held paths found within their budget", "solving:solving_rows"),
    "reframing": Part("Gates: shapes, poses, following", "reframing:reframing_rows", ("traces", "shelf", "films")),
    "pacing": Part("Pace: moments between frames, shutters, ramps", "pacing:pacing_rows", ("films",)),
    "joining": Part("Join: moves that were not shot", "joining:joining_rows", ("films",)),
    "areas": Part("Areas, and the joins that go by them", "areas:areas_rows", ("films",)),
    "matching": Part("Join: which take goes with which", "matching:matching_rows"),
    "sounding": Part("Sound along the map of time", "sounding:sounding_rows"),
    "depth": Part("Places with depth, a travelling camera", "depth.rows:depth_rows", ("films",)),
    "real": Part("Real films, beside the plain way", "real:real_rows", ("real_films",)),
    "finishing": Part("Delivering", "finishing:finishing_rows"),
    "machines": Part("On several machines", "machines:machines_rows"),
    "colour": Part("Colour bars through a render, worst difference in code values", "colour:colour_rows"),
    "seeking": Part("Seeking and scrubbing", "seeking:seeking_rows", ("application", "folder")),
}


class Given:
    """What parts share, each made when it is first asked for."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    @cached_property
    def shelf(self) -> Any:
        from clevrin.core.shelf import Shelf

        return Shelf(self.folder / "demo")

    @cached_property
    def traces(self) -> dict[str, Any]:
        """All takes of the demo, measured here and now."""
        from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
        from clevrin.core.progress import Silent
        from clevrin.demo.footage_maker import FILMED, FOOTAGE

        return {name: trace_take(TraceRequest(path=FOOTAGE / f"{name}.mp4"), self.shelf, Silent()) for name in FILMED}

    @property
    def demo_shelf(self) -> Any:
        """The same shelf, with the demo's takes measured on it."""
        assert self.traces
        return self.shelf

    @property
    def application(self) -> Any:
        from bench.window import the_application

        return the_application()

    @property
    def real_films(self) -> Path:
        """Where `tools/real_films.sh` puts what it brings."""
        return REAL_FILMS

    @property
    def films(self) -> Path:
        """Where films with depth are kept, beside other temporary files: making them takes longer than all else."""
        folder = Path(tempfile.gettempdir()) / f"clevrin-depth-{os.getuid()}"
        folder.mkdir(exist_ok=True)
        return folder


def main() -> None:
    chosen = sys.argv[1:] or list(PARTS)
    unknown = [name for name in chosen if name not in PARTS]
    if unknown:
        sys.exit(f"There is no part named {', '.join(unknown)}: {', '.join(PARTS)} are.")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for kind in ("DATA", "CACHE", "CONFIG"):
            os.environ[f"XDG_{kind}_HOME"] = str(folder / kind.lower())
        given = Given(folder)
        for part in (part for name, part in PARTS.items() if name in chosen):
            module, function = part.rows.split(":")
            rows = getattr(import_module(f"bench.{module}"), function)(*(getattr(given, each) for each in part.given))
            print_rows(part.title, rows)
            write_figures(FIGURES, part.title, rows)


if __name__ == "__main__":
    main()
