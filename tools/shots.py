"""`make shots`: a picture of each main view, made from the demo, for docs/screenshots."""

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_DATA_HOME"], os.environ["XDG_CACHE_HOME"] = f"{folder}/data", f"{folder}/cache"
        from PySide6.QtWidgets import QApplication

        from clevrin.demo.project import demo_file
        from clevrin.desk import theme
        from clevrin.desk.window import MainWindow

        application = QApplication([])
        theme.apply(application)
        window = MainWindow()
        window.show()
        window.open_project(demo_file(fresh=True))

        def until(done: Callable[[], bool], at_most_s: float = 120.0) -> None:
            end = time.monotonic() + at_most_s
            while not done():
                if time.monotonic() > end:
                    sys.exit("the window did not come to rest")
                application.processEvents()
                time.sleep(0.002)

        def rest(seconds: float = 1.2) -> None:
            end = time.monotonic() + seconds
            until(lambda: time.monotonic() > end)

        def shot(name: str) -> None:
            SHOTS.mkdir(parents=True, exist_ok=True)
            window.grab().save(str(SHOTS / f"{name}.png"))
            print(f"docs/screenshots/{name}.png")

        session = window.session
        until(lambda: all(window.measurements.trace(t) is not None for t in session.project.takes))
        until(lambda: not window.jobs.busy)
        session.choose_take(session.project.takes[0].id)
        rest()
        window.player.seek(64)
        rest()
        shot("log")
        session.choose_shot(session.project.reel.shots[0].id)
        window.enter_step("steady")
        until(lambda: not window.jobs.busy)
        rest()
        window.player.seek(66)
        rest()
        shot("steady")
        window.enter_step("join")
        until(lambda: window.join.table.rowCount() > 0)
        rest(2.0)
        cut = session.project.reel.shots[0].span.frames
        window.player.stop()
        window.player.seek(cut)
        rest()
        shot("join")
        window.close()


if __name__ == "__main__":
    main()
