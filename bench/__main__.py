"""`make bench`: prints every figure beside its target; `python -m bench accuracy speed window` picks some."""

import os
import sys
import tempfile
from pathlib import Path

from bench.rows import print_rows


def main() -> None:
    chosen = sys.argv[1:] or ["accuracy", "speed", "window"]
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        os.environ["XDG_DATA_HOME"], os.environ["XDG_CACHE_HOME"] = str(folder / "data"), str(folder / "cache")
        from bench.accuracy import accuracy
        from bench.speed import speed
        from bench.window import window_rows
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


if __name__ == "__main__":
    main()
