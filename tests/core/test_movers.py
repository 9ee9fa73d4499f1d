"""What moves by itself is found, and what stands still is not, judged by where people of the scenes truly are."""

import numpy as np
import pytest

from clevrin.core.document import Span
from clevrin.core.gate.form import GateForm
from clevrin.core.gate.resting import detail_of, resting_place
from clevrin.core.motion.measuring.vectors import Vectors
from clevrin.core.motion.movers import find_movers
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.demo.cast import world
from clevrin.demo.footage_maker import FILMED
from clevrin.demo.judging import true_places
from tests.core.traces import trace_of
from tests.marks import later


def movers_of(demo_take, shelf, name: str):
    store, take = MeasurementStore(shelf), demo_take(name)
    trace = store.measure(take, Silent())
    return find_movers(trace, take.whole, lambda frame: store.vectors(take, frame))


@pytest.mark.parametrize("name", ["picnic", later("hill")])
def test_people_and_kites_are_offered_where_they_truly_are(name, demo_take, measured_demo):
    movers = movers_of(demo_take, measured_demo, name)
    assert 1 <= len(movers) <= 6
    scene = FILMED[name]
    actors = [layer for layer in world(name).layers if callable(layer)]
    texture = np.array([[40.0, 40.0], [200.0, 200.0]])
    places = [true_places(scene, actor, texture).mean(axis=1) for actor in actors]
    for mover in movers:
        left, top, right, bottom = mover.box
        assert 0 <= left < right <= 1279 and 0 <= top < bottom <= 719 and mover.first <= mover.frame <= mover.last
        near = [np.hypot(*(each[mover.frame] - mover.middle)) for each in places]
        assert min(near) < 160, mover


def test_a_gate_rests_where_most_is_to_be_seen():
    rng = np.random.default_rng(4)
    still_, moving = rng.uniform(0, 1, (200, 2)), rng.normal((0.8, 0.4), 0.03, (120, 2))
    after = np.concatenate([still_, moving])
    groups = np.concatenate([np.ones(200), np.zeros(120)]).astype(np.int8)
    found = Vectors(before=after, after=after, groups=groups)
    detail = detail_of(Span(first=0, end=60), lambda frame: found)
    assert detail.sum() == pytest.approx(1)
    upright = GateForm.of((1280, 720), (9, 16))
    x, y = resting_place(detail, upright, 405)
    assert abs(x - 0.8 * 1280) < 120 and y == pytest.approx(359.5, abs=1)
    close = resting_place(detail, upright, 120)
    assert np.hypot(close[0] - 1024, close[1] - 288) < 90
    # Where nothing is known it rests in the middle, and nowhere outside of the picture.
    nothing = detail_of(Span(first=0, end=60), lambda frame: None)
    assert resting_place(nothing, upright, 405) == pytest.approx((639.5, 359.5), abs=12)
    assert resting_place(detail, GateForm.of((1280, 720)), 1280) == pytest.approx((639.5, 359.5))


def test_where_nothing_moves_by_itself_nothing_is_offered():
    course = np.cumsum(np.random.default_rng(1).normal(0, 3, (90, 2)), axis=0)
    trace = trace_of(course)
    rng = np.random.default_rng(2)
    shares = rng.uniform(0.05, 0.95, (300, 2))

    def vectors(frame: int, moving: bool = False, near: bool = False) -> Vectors:
        size = np.array([1280, 720])
        step = trace.displacement_px[frame] / size
        groups = np.ones(300, np.int8)
        after = shares + step
        if moving or near:
            these = np.hypot(*((shares - (0.3, 0.5)) * (1.78, 1)).T) < 0.12
            groups[these] = 2
            # What is nearer moves as all does, only more; what moves by itself goes its own way.
            after[these] += step * 0.8 if near else (4 / 1280, 1.5 / 720)
        return Vectors(before=shares, after=after, groups=groups)

    span = Span(first=0, end=90)
    assert find_movers(trace, span, vectors) == ()
    assert find_movers(trace, span, lambda frame: vectors(frame, near=True)) == ()
    assert find_movers(trace, span, lambda frame: None) == ()
    (mover,) = find_movers(trace, span, lambda frame: vectors(frame, moving=True))
    assert np.hypot(*(np.array(mover.middle) - (384, 360))) < 60 and mover.last - mover.first > 80
