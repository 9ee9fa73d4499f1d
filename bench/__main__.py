"""`make bench`: prints every figure beside its target; `python -m bench accuracy speed` picks some."""

import os
import sys
import tempfile
from pathlib import Path

from bench.rows import print_rows


def main() -> None:
    chosen = sys.argv[1:] or ["accuracy", "speed", "window", "hands", "seeking"]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for kind in ("DATA", "CACHE", "CONFIG"):
            os.environ[f"XDG_{kind}_HOME"] = str(folder / kind.lower())
        from bench.accuracy import accuracy
        from bench.hands import hands_rows
        from bench.seeking import seeking_rows
        from bench.speed import speed
        from bench.window import the_application, window_rows
        from clevrin.core.motion.cache import Shelf

        shelf = Shelf(folder / "demo")
        if "accuracy" in chosen or "window" in chosen:
            rows = accuracy(shelf)
            if "accuracy" in chosen:
                print_rows("Accuracy, on the demo's true camera", rows)
        if "speed" in chosen:
            print_rows("Speed and memory", speed(folder))
        if "window" in chosen:
            print_rows("The window", window_rows(folder, shelf))
        if "hands" in chosen:
            print_rows("500 takes and 300 shots under the hands", hands_rows(the_application(), folder))
        if "seeking" in chosen:
            print_rows("Seeking and scrubbing", seeking_rows(the_application(), folder))


if __name__ == "__main__":
    main()
