"""`make demo-footage`: films the takes of kite day anew, and plays its music."""

import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from clevrin.demo.film import film
from clevrin.demo.music import kite_day, write_sound
from clevrin.demo.scenes import SCENES
from clevrin.demo.studies import STUDIES

FOOTAGE = Path(__file__).parent / "footage"
MUSIC = FOOTAGE / "kite-day.ogg"
FILMED = {each.name: each for each in (*SCENES, *STUDIES)}
"""All takes of kite day by name."""


def _film(name: str) -> str:
    import cv2

    cv2.setNumThreads(1)  # one process per take keeps the cores busy
    film(FILMED[name], FOOTAGE)
    return name


def main() -> None:
    names = sys.argv[1:] or list(FILMED)
    FOOTAGE.mkdir(exist_ok=True)
    if len(sys.argv) == 1:
        write_sound(MUSIC, kite_day()[0])
    with ProcessPoolExecutor(2) as pool:
        for name in pool.map(_film, names):
            sys.stderr.write(f"filmed {name}\n")


if __name__ == "__main__":
    main()
