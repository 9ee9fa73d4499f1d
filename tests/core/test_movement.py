"""Cuts where two subjects move alike: ranked over frames by place, way and speed."""

from itertools import pairwise

import numpy as np
import pytest

from clevrin.core.join.movement import Course, moving_alike
from clevrin.core.motion.both_ways import Followed

SIZE = (1280, 720)
RATE = 25.0


def followed(places: np.ndarray) -> Followed:
    count = len(places)
    return Followed(
        places=np.asarray(places, float)[:, None], confidence=np.ones(count), placed=np.zeros(count, bool), lost=()
    )


def course(places: np.ndarray, first: int = 0, end: int = 10_000) -> Course:
    return Course.of(followed(places), first, end, SIZE, RATE)


def across(count: int, start: tuple[float, float], step: tuple[float, float]) -> np.ndarray:
    return np.array(start, float) + np.arange(count)[:, None] * np.array(step)


def test_the_frames_are_found_at_which_one_goes_on_where_the_other_was_going():
    before = course(across(100, (100, 300), (8, 0)))
    after = course(across(120, (-300, 300), (8, 0)))
    best = moving_alike(before, after)[0]
    outgoing, incoming = 100 + 8 * best.outgoing, -300 + 8 * best.incoming
    assert incoming - outgoing == pytest.approx(8, abs=1e-6)  # a frame further
    assert best.apart < 1e-9 and best.turned_deg < 1e-6 and best.faster == pytest.approx(1)


def test_place_way_and_speed_all_count():
    before = course(across(60, (400, 300), (6, 0)))
    swings = np.array([[640 + 240 * np.cos(k / 40), 540 + 240 * np.sin(k / 40)] for k in range(260)])
    best = moving_alike(before, course(swings))[0]
    assert best.turned_deg < 25  # where the swing goes the same way
    slow, fast = across(60, (400, 300), (1, 0)), across(60, (400, 300), (6, 0))
    both = course(np.concatenate([slow, fast]))
    best = moving_alike(before, both)[0]
    assert best.incoming > 60 and 0.9 < best.faster < 1.1


def test_pairs_are_apart_from_each_other_and_ranked():
    found = moving_alike(course(across(80, (100, 300), (8, 0))), course(across(80, (100, 300), (8, 0))), most=5)
    assert len(found) == 5 and all(a.cost <= b.cost for a, b in pairwise(found))
    for number, each in enumerate(found):
        for other in found[:number]:
            assert abs(each.outgoing - other.outgoing) > 6 or abs(each.incoming - other.incoming) > 6


def test_what_is_not_known_is_not_proposed():
    places = across(60, (100, 300), (8, 0))
    places[:30] = np.nan
    found = moving_alike(course(places, 10, 50), course(across(60, (100, 300), (8, 0))))
    assert found and all(32 <= each.outgoing < 50 for each in found)
    assert moving_alike(course(np.full((60, 2), np.nan)), course(places)) == ()
    still = course(across(40, (640, 360), (0, 0)))
    assert moving_alike(still, still)[0].turned_deg == 0
