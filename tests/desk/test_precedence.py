"""What is seen goes first: turns of background work, and how it waits for playback and thumbnails."""

import threading
import time
from fractions import Fraction

import numpy as np
import pytest

from clevrin.core.progress import step
from clevrin.core.render import Sources
from clevrin.core.shelf import Shelf
from clevrin.desk.background.jobs import CHARTING, MAKING_PROXIES, MEASURING, Job, JobRunner
from clevrin.desk.background.precedence import Precedence
from clevrin.desk.playback.player import Player, Programme
from clevrin.desk.playback.thumbnails import Thumbnails


@pytest.fixture
def precedence():
    return Precedence()


@pytest.fixture
def runner(qtbot, precedence):
    made = JobRunner(precedence=precedence)
    yield made
    made.close()


def test_what_is_measured_comes_before_charts_and_proxies(runner, qtbot):
    order, may_end = [], threading.Event()

    def job(name: str, turn: int, wait: bool = False) -> Job:
        def work(progress):
            if wait:
                may_end.wait(10)
            order.append(name)

        return Job(key=(name,), what=name, work=work, done=lambda _: None, background=True, turn=turn)

    runner.start(job("first", MAKING_PROXIES, wait=True))
    for name, turn in (("proxy", MAKING_PROXIES), ("chart", CHARTING), ("trace", MEASURING), ("trace 2", MEASURING)):
        runner.start(job(name, turn))
    may_end.set()
    qtbot.waitUntil(lambda: not runner.busy)
    assert order == ["first", "trace", "trace 2", "chart", "proxy"]


def counting(runner, background: bool = True) -> list[float]:
    """A job that counts its steps until it is stopped: when each was."""
    steps: list[float] = []

    def work(progress):
        while True:
            steps.append(time.monotonic())
            time.sleep(0.002)
            step(progress, len(steps), 10**6)

    runner.start(Job(key=("count",), what="", work=work, done=lambda _: None, background=background))
    return steps


def test_background_work_stands_still_while_somebody_is_pressed(runner, qtbot, precedence):
    steps = counting(runner)
    qtbot.waitUntil(lambda: len(steps) > 20)
    precedence.press("viewer", True)
    qtbot.wait(60)
    before = len(steps)
    qtbot.wait(120)
    assert len(steps) <= before + 1
    precedence.press("viewer", False)
    qtbot.waitUntil(lambda: len(steps) > before + 20)
    runner.stop(("count",))


def test_a_job_that_somebody_waits_for_does_not_give_way(runner, qtbot, precedence):
    precedence.press("viewer", True)
    steps = counting(runner, background=False)
    qtbot.waitUntil(lambda: len(steps) > 20)
    runner.stop(("count",))


def test_what_gives_way_can_be_stopped(runner, qtbot, precedence):
    precedence.press("viewer", True)
    counting(runner)
    runner.stop(("count",))
    qtbot.waitUntil(lambda: not runner.busy)
    runner.close()  # waits for its threads


def test_the_player_is_pressed_while_it_has_too_little_made_ahead(qtbot, precedence, tmp_path):
    may_make = threading.Event()
    may_make.set()

    def make(sources, frame):
        may_make.wait(10)
        return (np.zeros((1, 1, 4), np.uint8),)

    player = Player(lambda: Sources.of(Shelf(tmp_path)), precedence=precedence)
    shown = []
    player.shown.connect(lambda frame, _: shown.append(frame))
    player.load(Programme(first=0, end=10_000, rate=Fraction(30), make=make, loop=(0, 10_000)), 0)
    qtbot.waitUntil(lambda: shown == [0] and not precedence.pressed)
    player.play()
    qtbot.waitUntil(lambda: len(shown) > 5 and not precedence.pressed)  # all of it is made ahead
    may_make.clear()
    qtbot.waitUntil(lambda: "player" in precedence.pressed)
    player.stop()
    may_make.set()
    qtbot.waitUntil(lambda: not precedence.pressed)
    player.close()


def test_thumbnails_are_pressed_until_all_are_there(qtbot, precedence, tmp_path, demo_take):
    thumbnails = Thumbnails(lambda: Sources.of(Shelf(tmp_path)), precedence=precedence)
    seen = []
    precedence.press = lambda who, pressed, press=precedence.press: (seen.append((who, pressed)), press(who, pressed))
    take = demo_take("hill")
    thumbnails.of_take(take, 10, (96, 54))
    qtbot.waitUntil(lambda: thumbnails.of_take(take, 10, (96, 54)) is not None)
    qtbot.waitUntil(lambda: not precedence.pressed)
    assert ("thumbnails", True) in seen
    thumbnails.close()
