"""Cuts where two subjects move alike: ranked over frames by place, way and speed."""

from itertools import pairwise

import numpy as np
import pytest

from clevrin.core.document import Placement, Project, Reel, Shot, Span, Track
from clevrin.core.errors import ClevrinError
from clevrin.core.join.movement import Course, moving_alike
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.core.progress import Silent
from clevrin.core.render.reports.matched_motion import cuts_where_alike
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.core.test_join_kinds import pictured

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


def followed_take(path, start: float, step: float):
    """A take of a plain picture with something that is followed across it."""
    take = pictured(path, np.full((180, 320, 3), 90, np.uint8), frames=60)
    placed = tuple(Placement(frame=k, places=((start + step * k, 90.0),)) for k in range(60))
    return take.changed(tracks=(Track(id="kite", name="kite", kind="point", placed=placed),))


@pytest.mark.parametrize(("mirror", "reverse"), [("horizontal", False), (None, True)])
def test_movement_is_looked_at_as_the_reel_shows_it(tmp_path, mirror, reverse):
    """The second one goes to the left as it was shot: mirrored, or played backward, it goes on as the first one."""
    takes = followed_take(tmp_path / "a.mp4", 20, 4), followed_take(tmp_path / "b.mp4", 300, -4)
    shots = (
        Shot(id="first", take_id=takes[0].id, span=Span(first=0, end=40)),
        Shot(take_id=takes[1].id, span=Span(first=10, end=60), mirror=mirror, reverse=reverse),
    )
    project = Project(takes=takes, reel=Reel(width=320, height=180, rate=takes[0].facts.rate, shots=shots))
    with Sources.of(Shelf(tmp_path / "shelf")) as sources:
        best, *_ = cuts_where_alike(project, "first", ("kite", "kite"), sources, Silent())
        shown = 319 - (300 - 4 * best.incoming) if mirror else 300 - 4 * best.incoming
        assert shown - (20 + 4 * best.outgoing) == pytest.approx(4, abs=2.1)  # where it would be a frame later
        assert best.turned_deg < 2 and best.faster == pytest.approx(1, abs=0.05) and best.apart < 0.01
        plain = shots[1].changed(mirror=None, reverse=False)
        as_shot = project.changed(reel=project.reel.changed(shots=(shots[0], plain)))
        other, *_ = cuts_where_alike(as_shot, "first", ("kite", "kite"), sources, Silent())
        assert other.turned_deg > 170
        gone = takes[0].tracks[0].changed(placed=takes[0].tracks[0].placed[:1], limit=1.0)
        lost = project.changed(takes=(takes[0].changed(tracks=(gone,)), takes[1]))
        with pytest.raises(ClevrinError, match="never seen in both"):
            cuts_where_alike(lost, "first", ("kite", "kite"), sources, Silent())
