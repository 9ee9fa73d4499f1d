"""`make shots`: a picture of each main view, from the demo; `between`, `finish`, `others`: of some alone."""

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

_ON_SIGN = (760.0, 305.0)
"""Something of the walk's frame 104 that can be followed, in pixels of the take."""
_HALF = 0.5
_REPORT_PX_PER_PT = 1.5
_SOME_FRAMES, _IN_THE_MEADOW = 90, 200
SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        for kind in ("DATA", "CACHE", "CONFIG"):
            os.environ[f"XDG_{kind}_HOME"] = f"{folder}/{kind.lower()}"
        from PySide6.QtCore import QEvent, QPointF, Qt
        from PySide6.QtGui import QImage, QMouseEvent, QPainter
        from PySide6.QtPdf import QPdfDocument
        from PySide6.QtWidgets import QApplication, QScrollArea, QWidget

        from clevrin.core.delivery.report import write_report
        from clevrin.core.document import (
            Marker,
            NamedSpan,
            Pace,
            PacePoint,
            Span,
            edits,
        )
        from clevrin.core.document.journal import Journal
        from clevrin.core.document.keeping import journal_folder
        from clevrin.core.pace import placed_shots
        from clevrin.core.progress import Silent
        from clevrin.core.render.sources import Sources
        from clevrin.demo.footage_maker import FILMED
        from clevrin.demo.judging import true_coverage
        from clevrin.demo.project import demo_file, tricks_file
        from clevrin.desk.files.printing import print_page
        from clevrin.desk.shell.window import MainWindow
        from clevrin.desk.widgets import theme

        application = QApplication([])
        theme.apply(application)
        window = MainWindow()
        window.show()

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

        def shot(name: str, widget: QWidget | None = None) -> None:
            SHOTS.mkdir(parents=True, exist_ok=True)
            (widget or window).grab().save(str(SHOTS / f"{name}.png"))
            print(f"docs/screenshots/{name}.png")

        def in_between() -> None:
            """The second demo project: a pinned word, a doorway, a match cut, and somebody who is cut out."""
            window.projects.open(tricks_file(fresh=True))
            until(lambda: all(window.measurements.trace(t) is not None for t in session.project.takes))
            rest()
            until(lambda: not window.jobs.busy, 400.0)
            meadow, _, bunting, hill, _ = session.project.reel.shots

            def joined(shot_id: str, frame: int, name: str) -> None:
                session.choose_shot(shot_id)
                window.enter_step("join")
                rest(1.0)
                until(lambda: not window.jobs.busy)
                window.player.stop()
                window.player.seek(frame)
                rest()
                shot(name)

            session.choose_shot(meadow.id)
            window.sides.show_pinned()
            rest(2.0)
            window.player.seek(42)
            rest(2.0)
            shot("pinned")
            window.sides.close()
            joined(bunting.id, placed_shots(session.project)[2].end - 17, "doorway")
            session.choose_shot(hill.id)
            rest(1.0)
            window.join.over.buttons["both"].click()
            joined(hill.id, placed_shots(session.project)[3].end - 1, "match")
            cut_out(session.project.take(bunting.take_id).areas[0].id)

        def cut_out(area_id: str) -> None:
            """Somebody who walks before the bunting, cut out and corrected by a stroke."""
            window.enter_step("log")
            window.sides.show_areas()
            bunting = next(each for each in session.project.takes if each.name == "bunting")
            session.choose_take(bunting.id)
            rest()
            window.player.seek(60)
            rest()
            window.log.areas.edits.choose(area_id)
            y, x = np.nonzero(true_coverage(FILMED["bunting"], (9,), 60) > _HALF)
            beside = np.array([[x.max() + 22.0, y.min() + 60], [x.max() + 28, y.max() - 30]])
            window.log.areas.edits.stroke(60, beside, 12.0, belongs=False)
            rest()
            until(lambda: not window.jobs.busy, 200.0)
            rest()
            shot("cut-out")
            session.undo()
            window.sides.close()

        def finish() -> None:
            """The reel in a large viewer, what of it is not right, and two renders on the queue."""
            window.enter_step("finish")
            sheet = window.finish.sheet
            sheet.pages.show_page("look over")
            sheet.pages.buttons["look over"].click()
            until(lambda: sheet.marks.rowCount() > 0)
            for name in ("kite-day.mp4", "kite-day.mov"):
                window.rendering.render_to(Path(folder) / name)
            until(lambda: window.queue.renders[0].done > _SOME_FRAMES)
            window.player.seek(_IN_THE_MEADOW)
            rest()
            shot("finish")
            for each in window.queue.renders:
                window.queue.remove(each.id)
            until(lambda: not window.jobs.busy)
            sheet.pages.show_page("sound")
            rest(2.0)
            until(lambda: not window.jobs.busy)
            shot("finish-sound")
            sheet.pages.show_page("deliver")
            window.enter_step("log")
            report()

        def report() -> None:
            """The first sheet of the report, as it is printed."""
            page, sheets = Path(folder) / "report.html", QPdfDocument()
            with Sources.of(window.measurements.store) as sources:
                write_report(session.project, page, sources, Silent(), plain=True)
            print_page(page, page.with_suffix(".pdf"))
            sheets.load(str(page.with_suffix(".pdf")))
            size = sheets.pagePointSize(0).toSize() * _REPORT_PX_PER_PT
            printed, paper = sheets.render(0, size), QImage(size, QImage.Format.Format_RGB32)
            paper.fill(Qt.GlobalColor.white)
            with QPainter(paper) as painter:
                painter.drawImage(0, 0, printed)
            paper.save(str(SHOTS / "report.png"))
            print("docs/screenshots/report.png")

        session = window.session
        wanted = set(sys.argv[1:]) or {"between", "finish", "others"}
        if "between" in wanted:
            in_between()
        if not wanted & {"finish", "others"}:
            return
        window.projects.open(demo_file(fresh=True))
        until(lambda: all(window.measurements.trace(t) is not None for t in session.project.takes))
        until(lambda: not window.jobs.busy)
        if "finish" in wanted:
            finish()
        if "others" not in wanted:
            return
        walk, hill, picnic, *_ = session.project.takes
        for name, first, end in (("door to door", 14, 70), ("into the whip", 78, 147)):
            session.do(edits.AddSpan(take_id=walk.id, span=NamedSpan(name=name, span=Span(first=first, end=end))))
        session.do(edits.JudgeTakes(take_ids=(walk.id, hill.id), worth="keep"))
        session.do(edits.JudgeTakes(take_ids=(picnic.id,), worth="maybe"))
        session.do(edits.NoteTake(take_id=walk.id, note="Second try is calmer, and ends in the whip."))
        session.do(edits.AddMarker(marker=Marker(frame=60, kind="marker")))
        session.choose_take(walk.id)
        session.choose_span(session.take.spans[1].id)
        rest(3.0)
        window.player.seek(104)
        window.log.toggle_mark("vectors")
        rest()
        shot("log")

        def mouse(kind: QEvent.Type, x: float, y: float, down: bool, widget: QWidget | None = None) -> None:
            at, widget = QPointF(x, y), widget or window.reel
            button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else Qt.MouseButton.LeftButton
            held = Qt.MouseButton.LeftButton if down else Qt.MouseButton.NoButton
            place = QPointF(widget.mapToGlobal(at.toPoint()))
            event = QMouseEvent(kind, at, place, button, held, Qt.KeyboardModifier.NoModifier)
            application.sendEvent(widget, event)

        def in_view(x: float, y: float) -> tuple[float, float]:
            rect = window.log.viewer.picture_rect()
            return rect.left() + x / 1280 * rect.width(), rect.top() + y / 720 * rect.height()

        def track_being_corrected() -> None:
            """A point on a sign, lost where somebody walks before it."""
            window.log.toggle_mark("vectors")
            window.log.toggle_mark("point")
            viewer = window.log.viewer
            mouse(QEvent.Type.MouseButtonPress, *in_view(*_ON_SIGN), True, viewer)
            mouse(QEvent.Type.MouseButtonRelease, *in_view(*_ON_SIGN), False, viewer)
            until(lambda: not window.jobs.busy)
            rest()
            (seen,) = window.log.marks.seen_tracks
            x, y = in_view(*seen.places[0])
            mouse(QEvent.Type.MouseButtonPress, x, y, True, viewer)
            mouse(QEvent.Type.MouseMove, x - 30, y + 4, True, viewer)
            shot("track")
            window.session.undo()

        def reframed() -> None:
            """The upright output of the demo: poses, a subject that is followed."""
            bench, (walked, strolled) = window.reframe, session.project.reel.shots[:2]
            window.enter_step("reframe")
            bench.look_at_output(session.project.outputs[0].id)

            def look(shot_id: str, frame: int, page: str, name: str) -> None:
                session.choose_shot(shot_id)
                bench.sheet.pages.show_page(page)
                rest(0.5)
                until(lambda: not window.jobs.busy)
                window.player.seek(frame)
                rest()
                shot(name)

            look(walked.id, 60, "Poses", "reframe")
            look(strolled.id, 92, "Follow", "reframe-follow")
            session.choose_shot(walked.id)

        def paced() -> None:
            """A slow passage that runs into the whip, its invented frames prepared."""
            shot_id = session.project.reel.shots[0].id
            session.choose_shot(shot_id)
            window.enter_step("pace")
            speeds = ((20, 1.0), (50, 0.5), (90, 0.5), (137, 2.5))
            points = tuple(PacePoint(frame=frame, speed=speed) for frame, speed in speeds)
            session.do(edits.PaceShots(paces=((shot_id, Pace(points=points)),)))
            rest(1.0)
            until(lambda: not window.jobs.busy, 300.0)
            window.pace.look_at(window.pace.seen.places[1] or 0)
            rest(2.0)
            shot("pace")
            session.undo()

        track_being_corrected()

        x, y, w, h = window.reel.layout_now.shot_box(0)
        mouse(QEvent.Type.MouseButtonPress, x + w - 2, y + h - 6, True)
        mouse(QEvent.Type.MouseMove, x + w - 60, y + h - 6, True)
        mouse(QEvent.Type.MouseMove, x + w - 5, y + h - 6, True)
        rest(2.0)
        shot("reel-drag")
        window.put_back()
        mouse(QEvent.Type.MouseButtonRelease, x + w - 5, y + h - 6, False)
        session.choose_shot(session.project.reel.shots[0].id)
        window.enter_step("steady")
        until(lambda: not window.jobs.busy)
        rest()
        window.player.seek(66)
        rest()
        shot("steady")
        session.choose_shot(session.project.reel.shots[0].id)
        reframed()
        paced()
        window.enter_step("join")
        until(lambda: window.join.table.rowCount() > 0)
        window.join.ramps_button.click()
        rest(2.0)
        window.player.stop()
        window.player.seek(placed_shots(session.project)[0].end)
        window.join.sheet.findChild(QScrollArea).ensureWidgetVisible(window.join.sheet.agreement)
        rest()
        shot("join")
        window.join.sheet.findChild(QScrollArea).verticalScrollBar().setValue(0)
        session.choose_shot(session.project.reel.shots[1].id)
        window.join.kind.buttons["thrown whip"].click()
        rest(1.0)
        until(lambda: not window.jobs.busy)
        window.player.stop()
        window.player.seek(placed_shots(session.project)[1].end - 2)
        rest()
        shot("join-made")
        session.undo()
        ways = window.join.ways
        ways.look_at("kinds")
        until(lambda: ways.page.tiles.tiles and all(ways.page.tiles.pictures_of(t.id) for t in ways.page.tiles.tiles))
        ways.page.tiles.hold_still(5)
        rest()
        shot("join-kinds")
        ways.look_at("move")
        until(lambda: ways.page.can_take)
        rest()
        shot("join-one-move")
        ways.look_at("cut")
        session.choose_shot(session.project.reel.shots[0].id)
        window.enter_step("log")
        before = session.project
        left = Journal(journal_folder(), before, place=session.path, saved=True)
        for number in range(12):
            left.record(before.changed(name=f"Kite day, cut {number}"))
        left.abandon()  # as a process that was killed leaves it
        window.projects.offer_what_was_left(window.settings.journal_folder)
        window.log.look_at(reel=True)
        rest(2.0)
        shot("recovery")
        window.close()


if __name__ == "__main__":
    main()
