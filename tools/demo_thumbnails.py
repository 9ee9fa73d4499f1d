"""Keeps the small pictures that the demo shows when it is first opened, beside what is measured of it.

`make demo-measured` calls it, offscreen: the pictures of the cards and of the reel in a window of 1280x800.
"""

import os
import shutil
import sys
import tempfile
import time
from collections.abc import Callable


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        for kind in ("DATA", "CACHE", "CONFIG"):
            os.environ[f"XDG_{kind}_HOME"] = f"{folder}/{kind.lower()}"
        from PySide6.QtWidgets import QApplication

        from clevrin.core.shelf import Shelf
        from clevrin.demo.measured import MEASURED, lay_out
        from clevrin.demo.project import demo_file
        from clevrin.desk.shell.window import MainWindow
        from clevrin.desk.widgets import theme

        application = QApplication([])
        theme.apply(application)
        shutil.rmtree(MEASURED / "thumbnails", ignore_errors=True)
        shelf = Shelf()
        lay_out(shelf)
        window = MainWindow()
        window.resize(1280, 800)
        window.show()
        window.projects.open(demo_file())

        def rest(done: Callable[[], bool], quiet_s: float) -> None:
            since = time.monotonic()
            while time.monotonic() - since < quiet_s:
                application.processEvents()
                time.sleep(0.005)
                if not done():
                    since = time.monotonic()

        takes = window.session.project.takes
        rest(lambda: {take.fingerprint for take in takes} <= window.thumbnails.pictured, 10)
        shutil.copytree(shelf.folder / "thumbnails", MEASURED / "thumbnails")
        window.close()
    sys.stderr.write(f"{len(list(MEASURED.glob('thumbnails/*/*.jpg')))} small pictures\n")


if __name__ == "__main__":
    main()
