"""Playback rate in a 960-wide view, and the longest stalls of the interface thread while work goes on."""

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from bench.rows import Row
from bench.speed import make_full_hd
from clevrin.core.document import Hold, Join, Pace, Project, Reel, Shot, Shutter, Span
from clevrin.core.join.kinds import KINDS
from clevrin.core.media.taking_in import take_in
from clevrin.core.pace import Placed, placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.resolving.resolving import complete
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE
from clevrin.demo.project import demo_file
from clevrin.demo.scenes import SCENES
from clevrin.demo.tricks import tricks_project
from clevrin.desk.background.plans import Making
from clevrin.desk.playback.player import Player
from clevrin.desk.playback.programmes import join_programme, reel_plans, reel_programme
from clevrin.desk.shell.application import SWITCH_S
from clevrin.desk.shell.freed_memory import give_back_what_is_freed
from clevrin.desk.shell.window import MainWindow
from clevrin.desk.state.settings import Settings
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.viewer import Viewer

_VIEW = (960, 540)
_PLAYED_S = 3.0
_CUT, _ROUND = 60, 22


class Heart:
    """A timer that should beat every 5 ms: its longest pause is the longest stall."""

    def __init__(self) -> None:
        self._timer = QTimer(interval=5)
        self._timer.timeout.connect(self._beat)
        self._last = time.perf_counter()
        self.longest_ms = 0.0

    @contextmanager
    def watched(self) -> Iterator[None]:
        self.longest_ms, self._last = 0.0, time.perf_counter()
        self._timer.start()
        yield
        self._timer.stop()

    def _beat(self) -> None:
        now = time.perf_counter()
        self.longest_ms = max(self.longest_ms, (now - self._last) * 1000)
        self._last = now


def run_until(application: QApplication, done: Callable[[], bool], at_most_s: float = 300) -> None:
    until = time.monotonic() + at_most_s
    while not done() and time.monotonic() < until:
        application.processEvents()
        time.sleep(0.001)


def the_application() -> QApplication:
    """The application with Clevrin's face, made once."""
    application = QApplication.instance() or QApplication([])
    assert isinstance(application, QApplication)
    theme.apply(application)
    sys.setswitchinterval(SWITCH_S)
    give_back_what_is_freed()
    return application


def window_rows(folder: Path, measured: Shelf) -> list[Row]:
    application = the_application()
    return [*_stall_rows(application, folder), *_playback_rows(application, folder, measured)]


def _stall_rows(application: QApplication, folder: Path) -> list[Row]:
    rows = []
    heart = Heart()
    settings = Settings(file=folder / "settings.json")
    settings.set("cache_folder", str(folder / "not measured yet"))
    window = MainWindow(settings)
    window.show()
    run_until(application, lambda: False, 1.0)

    def row(what: str, work: Callable[[], None], done: Callable[[], bool]) -> None:
        with heart.watched():
            work()
            run_until(application, done)
        rows.append(Row(f"longest stall while {what}", "100 ms", f"{heart.longest_ms:.0f} ms", heart.longest_ms < 100))

    demo = demo_file(fresh=True)
    row("opening and tracing four takes", lambda: window.projects.open(demo), lambda: not window.jobs.busy)
    window.log.look_at(reel=True)
    run_until(application, lambda: False, 0.5)
    until = time.monotonic() + 5
    row("playing the held reel", window.player.play, lambda: time.monotonic() > until)
    window.player.stop()
    row("exporting", lambda: window.rendering.render_to(folder / "reel.mp4"), lambda: not window.jobs.busy)
    window.close()
    return rows


def _playback_rows(application: QApplication, folder: Path, measured: Shelf) -> list[Row]:
    viewer = Viewer()
    viewer.resize(*_VIEW)
    viewer.show()
    store, making = MeasurementStore(measured), Making()
    player = Player(lambda: Sources.of(store))
    player.shown.connect(lambda _, pictures: viewer.show_pixels(*pictures))

    def row(words: str, project: Project) -> Row:
        rate = float(project.reel.rate)
        player.load(reel_programme(project, _VIEW, making=making), 0)
        run_until(application, lambda: False, 1.5)
        player.play()
        begun = time.monotonic()
        run_until(application, lambda: time.monotonic() - begun > _PLAYED_S)
        figures = player.figures
        player.stop()
        measured_words = f"{figures.rate:.1f}, {figures.dropped} of {figures.shown + figures.dropped} dropped"
        return Row(f"{words}, 960 wide", f"{rate:g} frames/s", measured_words, figures.rate > 0.97 * rate)

    films = [(f"{scene.name}, 1280x720", FOOTAGE / f"{scene.name}.mp4") for scene in SCENES]
    films.append(("walk-past, 1920x1080", make_full_hd(folder / "hd.mp4", 150)))
    rows = []
    for words, film in films:
        take = take_in(film)
        store.measure(take, Silent())
        shot = Shot(take_id=take.id, span=take.span, hold=Hold(how="float"))
        facts = take.facts
        reel = Reel(rate=facts.rate, width=facts.width, height=facts.height, shots=(shot,))
        project = Project(takes=(take,), reel=reel)
        rows.append(row(f"held playback of {words}", project))
    blurred = shot.changed(pace=Pace(shutter=Shutter(angle_deg=360.0)))
    project = project.changed(reel=project.reel.changed(shots=(blurred,)))
    samples = _prepare(project, (0, round(_PLAYED_S * float(project.reel.rate)) + 10), store, making)
    rows.append(row(f"prepared playback of 1920x1080, a shutter of {np.median(samples):.0f} samples", project))
    rows.append(_joins_row(application, player, store))
    rows.append(_areas_row(application, player, store))
    player.close()
    return rows


def _prepare(project: Project, frames: tuple[int, int], store: MeasurementStore, making: Making) -> list[int]:
    """Prepares some frames of a reel; how many samples each has."""
    plans, samples = reel_plans(project, _VIEW, *frames), []
    with Sources.of(store) as sources:
        for frame in range(plans.first, plans.end):
            plan = plans.at(store, frame)
            samples.append(max(len(layer.samples) for layer in plan.layers))
            making.keep(plans.name_of(plan), plan, plans.made(sources, plan, making), 1.0)
    return samples


def _areas_row(application: QApplication, player: Player, store: MeasurementStore) -> Row:
    """A prepared loop over what hangs on areas: a pinned word, a passing edge, a doorway and a match cut."""
    project = tricks_project()
    for shot in project.reel.shots:
        complete(HoldRequest.of(project, shot), store, Silent())
    slowest, at_least = "", 1e9
    for words, number, first, end in (
        ("pinned word", 0, 20, 20 + 2 * _ROUND),
        *((placed.shot.leave.kind, k, placed.end - _ROUND, placed.end + _ROUND) for k, placed in _joined(project)),
    ):
        making = Making()
        _prepare(project, (first, end), store, making)
        shot_id = project.reel.shots[number].id
        programme = join_programme(project, shot_id, _VIEW, _ROUND, making)
        player.load(replace(programme, first=first, end=end, loop=(first, end)), first)
        run_until(application, lambda: False, 0.7)
        player.play()
        begun = time.monotonic()
        run_until(application, lambda begun=begun: time.monotonic() - begun > 2)  # type: ignore[misc]
        if player.figures.rate < at_least:
            slowest, at_least = words, player.figures.rate
        player.stop()
    words = f"{at_least:.1f}, {slowest}"
    return Row("prepared playback of what hangs on areas, 960 wide, the slowest", "30 frames/s", words, at_least > 29.1)


def _joined(project: Project) -> list[tuple[int, Placed]]:
    """The shots of a project that leave by a join that lasts."""
    lasting = [kind.id for kind in KINDS.values() if kind.long]
    return [(k, each) for k, each in enumerate(placed_shots(project)) if each.shot.leave.kind in lasting]


def _joins_row(application: QApplication, player: Player, store: MeasurementStore) -> Row:
    """A loop round a join of each kind that lasts, prepared: the slowest of them."""
    takes = tuple(take_in(FOOTAGE / f"{name}.mp4") for name in ("walk-past", "picnic"))
    slowest, at_least = "", 1e9
    for kind in (each for each in KINDS.values() if each.long):
        shots = (
            Shot(take_id=takes[0].id, span=Span(first=0, end=_CUT), leave=Join(kind=kind.id)),
            Shot(take_id=takes[1].id, span=Span(first=40, end=160)),
        )
        project, making = Project(takes=takes, reel=Reel(rate=takes[0].facts.rate, shots=shots)), Making()
        for take in takes:
            store.measure(take, Silent())
        _prepare(project, (_CUT - _ROUND, _CUT + _ROUND), store, making)
        player.load(join_programme(project, shots[0].id, _VIEW, _ROUND, making), _CUT - _ROUND)
        run_until(application, lambda: False, 0.7)
        player.play()
        begun = time.monotonic()
        run_until(application, lambda begun=begun: time.monotonic() - begun > 2)  # type: ignore[misc]
        if player.figures.rate < at_least:
            slowest, at_least = kind.id, player.figures.rate
        player.stop()
    words = f"{at_least:.1f}, {slowest}"
    return Row("prepared loop round a join of every kind, 960 wide, the slowest", "30 frames/s", words, at_least > 29.1)
