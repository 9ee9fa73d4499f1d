"""`make demo-footage`: films the takes of kite day anew."""

import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from clevrin.demo.film import film
from clevrin.demo.scenes import SCENES, scene

FOOTAGE = Path(__file__).parent / "footage"


def _film(name: str) -> str:
    import cv2

    cv2.setNumThreads(1)  # one process per take keeps the cores busy
    film(scene(name), FOOTAGE)
    return name


def main() -> None:
    names = sys.argv[1:] or [each.name for each in SCENES]
    FOOTAGE.mkdir(exist_ok=True)
    with ProcessPoolExecutor(2) as pool:
        for name in pool.map(_film, names):
            sys.stderr.write(f"filmed {name}\n")


if __name__ == "__main__":
    main()
