"""Playback by itself: frames in time, dropped where they are late, at any speed, in loops, with sound as the clock."""

import itertools
import time
from fractions import Fraction

import numpy as np
import pytest

from clevrin.core.errors import MediaError
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.desk.playback.player import Player, Programme
from clevrin.desk.playback.programmes import in_either_size


@pytest.fixture
def player(qtbot, tmp_path):
    made = Player(lambda: Sources.of(Shelf(tmp_path)))
    yield made
    made.close()


def numbers(frames: int = 60, *, slow_s: float = 0.0, loop: tuple[int, int] | None = None, first: int = 0) -> Programme:
    """A programme whose picture is its frame number."""

    def make(sources, frame):
        time.sleep(slow_s)
        return (np.full((1, 1, 4), frame, np.uint8),)

    return Programme(first=first, end=frames, rate=Fraction(30), make=make, loop=loop)


def watched(player: Player) -> list[tuple[int, int]]:
    seen = []
    player.shown.connect(lambda frame, pictures: seen.append((frame, int(pictures[0][0, 0, 0]))))
    return seen


def test_a_programme_shows_its_first_frame_and_any_that_is_sought(player, qtbot):
    seen = watched(player)
    player.load(numbers(), 0)
    qtbot.waitUntil(lambda: seen == [(0, 0)])
    player.seek(41)
    qtbot.waitUntil(lambda: seen[-1] == (41, 41))
    player.seek(1000)
    qtbot.waitUntil(lambda: seen[-1] == (59, 59))


def test_of_many_wishes_the_newest_wins(player, qtbot):
    seen = watched(player)
    player.load(numbers(slow_s=0.05), 0)
    qtbot.waitUntil(lambda: len(seen) == 1)
    for frame in range(1, 40):
        player.seek(frame)
    qtbot.waitUntil(lambda: seen[-1] == (39, 39))
    assert len(seen) < 8


def test_playing_shows_frames_in_order_and_ends(player, qtbot):
    seen = watched(player)
    player.load(numbers(20), 0)
    player.play()
    qtbot.waitUntil(lambda: not player.playing)
    frames = [f for f, _ in seen]
    assert frames == sorted(frames) and all(f == p for f, p in seen)


class Clock:
    """A clock that goes when it is told to: no machine is too slow for it."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def timed_player(qtbot, tmp_path, clock):
    """A player by that clock."""
    made = Player(lambda: Sources.of(Shelf(tmp_path)), clock=clock)
    yield made
    made.close()


def test_frames_that_come_too_late_are_dropped_and_time_is_not_stretched(timed_player, clock, qtbot):
    """Pictures take three frame times each: two of three are dropped, and the clock is kept."""

    def make(sources, frame):
        clock.now += 0.1
        return (np.full((1, 1, 4), frame, np.uint8),)

    seen = watched(timed_player)
    timed_player.load(Programme(first=0, end=60, rate=Fraction(30), make=make), 0)
    qtbot.waitUntil(lambda: len(seen) == 1)
    begun = clock.now
    timed_player.play()
    qtbot.waitUntil(lambda: not timed_player.playing)
    assert timed_player.figures.dropped > 20 and len(seen) < 40
    assert clock.now - begun < 60 / 30 + 1.5  # not the 6 s that all pictures would take


def test_a_picture_that_takes_long_is_said_to_be_late_once_and_only_while_it_is(player, qtbot):
    late, seen = [], watched(player)
    player.late.connect(lambda: late.append(len(seen)))
    player.load(numbers(), 0)
    qtbot.waitUntil(lambda: len(seen) == 1)
    player.load(numbers(slow_s=0.8), 5)
    qtbot.waitUntil(lambda: len(seen) == 2)
    assert late == [1]
    player.load(numbers(slow_s=5.0), 5)
    player.load(None)
    player.load(numbers(), 6)
    qtbot.waitUntil(lambda: len(seen) == 3)
    qtbot.wait(400)
    assert late == [1]


def test_a_loop_goes_round(player, qtbot):
    seen = watched(player)
    player.load(numbers(14, first=10, loop=(10, 14)), 10)
    player.play()
    qtbot.waitUntil(lambda: len(seen) > 12)
    player.stop()
    assert {f for f, _ in seen} <= {10, 11, 12, 13} and all(f == p for f, p in seen)


def test_stopping_stays_at_the_frame_looked_at(player, qtbot):
    player.load(numbers(), 0)
    player.play()
    qtbot.waitUntil(lambda: player.frame > 4)
    player.stop()
    stopped = player.frame
    qtbot.wait(120)
    assert player.frame == stopped


def test_a_picture_that_cannot_be_made_stops_with_a_sentence(player, qtbot):
    def make(sources, frame):
        raise MediaError("The kite has flown away.")

    with qtbot.waitSignal(player.failed) as caught:
        player.load(Programme(first=0, end=5, rate=Fraction(30), make=make), 0)
    assert caught.args == ["The kite has flown away."]


@pytest.mark.parametrize(("speed", "start"), [(2, 0), (4, 0), (-1, 59), (-4, 59)])
def test_playing_fast_and_backward_keeps_the_clock(timed_player, clock, qtbot, speed, start):
    player, seen = timed_player, watched(timed_player)
    player.load(numbers(60), start)
    qtbot.waitUntil(lambda: len(seen) == 1)
    begun = clock.now
    player.play(speed)
    qtbot.waitUntil(lambda: len(seen) == 2)  # the clock starts with the first picture
    while player.playing:
        clock.now += 1 / 60
        qtbot.wait(8)
    spent = clock.now - begun
    frames = [f for f, _ in seen]
    assert frames == sorted(frames, reverse=speed < 0) and all(f == p for f, p in seen)
    assert spent == pytest.approx(60 / 30 / abs(speed), abs=0.1)
    assert player.speed == 1  # the next play is at the programme's own rate


def test_shuttle_doubles_in_the_same_direction_and_turns_in_the_other(player, qtbot):
    player.load(numbers(6000), 3000)
    speeds = []
    for way in (1, 1, 1, 1, 1, -1, -1):
        player.shuttle(way)
        speeds.append(player.speed)
    assert speeds == [1, 2, 4, 8, 8, -1, -2]
    player.stop()
    assert not player.playing


def test_playing_backward_from_the_start_begins_at_the_end(player, qtbot):
    seen = watched(player)
    player.load(numbers(60), 0)
    qtbot.waitUntil(lambda: len(seen) == 1)
    player.play(-1)
    qtbot.waitUntil(lambda: len(seen) > 3)
    player.stop()
    assert seen[1][0] >= 55


def test_playing_comes_into_a_loop_and_stays_there(player, qtbot):
    seen = watched(player)
    player.load(numbers(60, loop=(20, 24)), 16)
    player.play()
    qtbot.waitUntil(lambda: len(seen) > 16)
    player.stop()
    frames = [f for f, _ in seen]
    assert set(frames) <= set(range(16, 24)) and any(a > b for a, b in itertools.pairwise(frames))


def test_scrubbing_is_followed_by_the_films_own_picture(player, qtbot):
    asked = []

    def make(sources, frame):
        asked.append((frame, sources.films.scrubbing))
        sources.films.used_proxy = sources.films.scrubbing
        return (np.zeros((1, 1, 4), np.uint8),)

    player.load(Programme(first=0, end=100, rate=Fraction(30), make=make), 0)
    qtbot.waitUntil(lambda: asked == [(0, False)])
    for frame in (10, 20, 30):
        player.seek(frame, scrubbing=True)
    qtbot.waitUntil(lambda: (30, True) in asked)
    qtbot.waitUntil(lambda: asked[-1] == (30, False))
    qtbot.waitUntil(lambda: not player.shows_proxy)


def hurried(slow: range, asked: list[float]) -> Programme:
    """A programme that has plainer pictures, in negatives, for those that take longer than they may."""

    def make(sources, frame):
        return (np.full((1, 1, 4), frame, np.uint8),)

    def make_within(sources, frame, left_s):
        asked.append(left_s)
        plain = frame in slow and left_s < 0.2
        return (np.full((1, 1, 4), 255 - frame if plain else frame, np.uint8),), plain

    return Programme(first=0, end=40, rate=Fraction(30), make=make, make_within=make_within)


def test_a_plainer_picture_is_shown_where_the_right_one_would_come_too_late(player, qtbot):
    asked: list[float] = []
    seen = watched(player)
    plain = []
    player.shown.connect(lambda frame, _: plain.append((frame, player.shows_plainer)))
    player.load(hurried(range(10, 20), asked), 0)
    qtbot.waitUntil(lambda: len(seen) == 1)
    assert not asked  # what stands still is made as it should be
    player.play()
    qtbot.waitUntil(lambda: not player.playing)
    assert {frame for frame, shown in plain if shown} <= set(range(10, 20))
    assert all((pixel == 255 - frame) == shown for (frame, pixel), (_, shown) in zip(seen, plain, strict=True))
    assert any(shown for _, shown in plain)
    assert min(asked) < 1 / 30 and max(asked) <= 10 / 30  # never longer than is made ahead


@pytest.mark.parametrize("ends", [False, True])
def test_the_right_picture_follows_when_playing_stops_at_a_plainer_one(player, qtbot, ends):
    seen = watched(player)
    player.load(hurried(range(0, 40), []), 20)
    qtbot.waitUntil(lambda: len(seen) == 1)
    player.play()
    qtbot.waitUntil(lambda: player.shows_plainer)
    if ends:
        qtbot.waitUntil(lambda: not player.playing)
    else:
        player.stop()
    qtbot.waitUntil(lambda: not player.shows_plainer)
    assert seen[-1] == (player.frame, player.frame)


def test_what_takes_too_long_is_made_half_as_large_until_it_is_quicker(tmp_path, clock):
    slow, asked = [0.05], []

    def make_at(sources, frame, share):
        asked.append((share, sources.films.scrubbing))
        clock.now += slow[0] if share == 1 else 0.0
        return (np.zeros((1, 1, 4), np.uint8),)

    make, make_within = in_either_size(make_at, lambda: clock.now)
    with Sources.of(Shelf(tmp_path)) as sources:
        assert [make_within(sources, k, 0.02)[1] for k in range(4)] == [False, True, True, True]
        assert asked == [(1.0, False), *[(0.5, True)] * 3] and not sources.films.scrubbing
        assert make_within(sources, 4, 0.2)[1] is False  # there is time enough
        make(sources, 5)
        assert asked[-1] == (1.0, False)
        slow[0] = 0.0
        plain = [make_within(sources, k, 0.03)[1] for k in range(200)]
    assert plain[0] and not any(plain[-50:])  # it is tried again now and then
