"""`make bench`: prints every figure beside its target; `python -m bench accuracy speed` picks some."""

import os
import sys
import tempfile
from pathlib import Path

import clevrin  # noqa: F401  # before NumPy: it says how many threads that may have
from bench.rows import print_rows

PARTS = [
    "tracing",
    "accuracy",
    "speed",
    "window",
    "first",
    "hands",
    "seeking",
    "colour",
    "kinds",
    "solving",
    "depth",
    "reframing",
    "pacing",
    "sounding",
    "joining",
    "matching",
    "areas",
    "finishing",
    "machines",
]


def main() -> None:
    chosen = sys.argv[1:] or PARTS
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for kind in ("DATA", "CACHE", "CONFIG"):
            os.environ[f"XDG_{kind}_HOME"] = str(folder / kind.lower())
        from bench.accuracy import accuracy
        from bench.areas import areas_rows
        from bench.colour import colour_rows
        from bench.depth.rows import depth_rows
        from bench.finishing import finishing_rows
        from bench.first_minute import first_minute_rows
        from bench.hands import hands_rows
        from bench.joining import joining_rows
        from bench.kinds import kinds_rows
        from bench.machines import machines_rows
        from bench.matching import matching_rows
        from bench.pacing import pacing_rows
        from bench.reframing import reframing_rows
        from bench.seeking import seeking_rows
        from bench.solving import solving_rows
        from bench.sounding import sounding_rows
        from bench.speed import speed
        from bench.tracing import tracing_rows
        from bench.window import the_application, window_rows
        from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
        from clevrin.core.progress import Silent
        from clevrin.core.shelf import Shelf
        from clevrin.demo.footage_maker import FILMED, FOOTAGE

        shelf = Shelf(folder / "demo")
        traces = {}
        if {"tracing", "accuracy", "window", "reframing"} & set(chosen):
            traces = {name: trace_take(TraceRequest(path=FOOTAGE / f"{name}.mp4"), shelf, Silent()) for name in FILMED}
        if "tracing" in chosen:
            print_rows("Tracing, on the demo's true camera", tracing_rows(traces, folder))
        if "accuracy" in chosen:
            print_rows("Hold and match, on the demo's true camera", accuracy(traces, shelf))
        if "speed" in chosen:
            print_rows("Speed and memory", speed(folder))
        if "window" in chosen:
            print_rows("The window", window_rows(folder, shelf))
        if "first" in chosen:
            print_rows("The first minute, and memory", first_minute_rows(folder))
        if "hands" in chosen:
            print_rows("500 takes and 300 shots under the hands", hands_rows(the_application(), folder))
        if "kinds" in chosen:
            print_rows("Films of every kind through a render", kinds_rows())
        if "solving" in chosen:
            print_rows("Held paths found within their budget", solving_rows())
        # Kept beside other temporary files: making them takes longer than all else.
        films = Path(tempfile.gettempdir()) / f"clevrin-depth-{os.getuid()}"
        films.mkdir(exist_ok=True)
        if "reframing" in chosen:
            print_rows("Gates: shapes, poses, following", reframing_rows(traces, shelf, films))
        if "pacing" in chosen:
            print_rows("Pace: moments between frames, shutters, ramps", pacing_rows(films))
        if "joining" in chosen:
            print_rows("Join: moves that were not shot", joining_rows(films))
        if "areas" in chosen:
            print_rows("Areas, and the joins that go by them", areas_rows(films))
        if "matching" in chosen:
            print_rows("Join: which take goes with which", matching_rows())
        if "sounding" in chosen:
            print_rows("Sound along the map of time", sounding_rows())
        if "depth" in chosen:
            print_rows("Places with depth, a travelling camera", depth_rows(films))
        if "finishing" in chosen:
            print_rows("Delivering", finishing_rows())
        if "machines" in chosen:
            print_rows("On several machines", machines_rows())
        if "colour" in chosen:
            print_rows("Colour bars through a render, worst difference in code values", colour_rows())
        if "seeking" in chosen:
            print_rows("Seeking and scrubbing", seeking_rows(the_application(), folder))


if __name__ == "__main__":
    main()
