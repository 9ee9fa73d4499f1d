"""Pictures that are due now: plainer plans, and how long pictures are thought to take."""

from dataclasses import replace

import numpy as np
import pytest

from clevrin.core.media.picture import picture_from_rgb, rgb_from_picture
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.plan import Between, Layer, Plan, Sample, row9, thinned
from clevrin.core.render.planning.making_costs import MakingCosts
from clevrin.core.render.planning.plainer import MOST_MOMENTS, plainer

SIZE = 96, 64


def moved(across: float, **more) -> Sample:
    return Sample(frame=0, src_from_out=row9(np.array([[1, 0, across], [0, 1, 0], [0, 0, 1.0]])), **more)


def plan_of(*samples: Sample, size=SIZE) -> Plan:
    layer = Layer(take_id="kite", path="kite.mp4", source_size=SIZE, samples=samples)
    return Plan(width=size[0], height=size[1], layers=(layer,))


def drawn(plan: Plan) -> np.ndarray:
    x, y = np.meshgrid(np.arange(SIZE[0]), np.arange(SIZE[1]))
    wave = 128 + 50 * np.sin(x / 9) + 40 * np.cos(y / 7)
    pictures = [
        picture_from_rgb(np.stack([np.roll(wave, 6 * k, axis=1)] * 3, axis=-1).astype(np.uint8)) for k in (0, 1)
    ]
    return rgb_from_picture(execute(plan, lambda layer, frame: pictures[frame], "draft")).astype(float)


@pytest.mark.parametrize("count", [MOST_MOMENTS + 1, 24, 41])
def test_fewer_moments_are_spread_as_many_are_and_count_as_much(count):
    samples = [moved(k / count, weight=1 / count) for k in range(count)]
    few = thinned(samples, MOST_MOMENTS)
    assert len(few) == MOST_MOMENTS and few[MOST_MOMENTS // 2] == replace(
        samples[count // 2], weight=few[MOST_MOMENTS // 2].weight
    )
    assert sum(each.weight for each in few) == pytest.approx(1.0)
    means = [sum(each.matrix[0, 2] * each.weight for each in some) for some in (samples, few)]
    assert means[0] == pytest.approx(means[1], abs=0.5 / MOST_MOMENTS)
    assert thinned(few, MOST_MOMENTS) == few  # what is few stays as it is


def test_a_blur_of_fewer_moments_looks_like_that_of_many():
    whole = plan_of(*(moved(16 * k / 40, weight=1 / 41) for k in range(41)))
    quick = plainer(whole)
    assert len(quick.layers[0].samples) == MOST_MOMENTS
    inside = (slice(None), slice(4, -24))
    assert np.abs(drawn(whole) - drawn(quick))[inside].max() < 4 < np.ptp(drawn(whole)[inside])


def test_a_moment_between_two_frames_becomes_the_nearer_one_where_the_camera_was():
    to_second = row9(np.array([[1, 0, 6], [0, 1, 0], [0, 0, 1.0]]))  # the second frame shows everything 6 px further
    for share, frame in ((0.3, 0), (0.7, 1)):
        between = Between(frame=1, share=share, to_from_src=to_second)
        sample = plainer(plan_of(moved(2.0, between=between))).layers[0].middle
        assert sample.between is None and sample.frame == frame
        seen = drawn(plan_of(sample))[:, 10:-20]
        assert np.abs(seen - drawn(plan_of(moved(2.0)))[:, 10:-20]).max() <= 2


def test_what_took_long_is_thought_to_take_long_again_and_found_to_be_quicker_little_by_little():
    costs, plan = MakingCosts(), plan_of(moved(0.0))
    first = costs.of(plan)
    costs.learn(plan, 0.5)
    assert costs.of(plan) == 0.5 > first
    costs.learn(plan, 0.1)
    assert 0.4 < costs.of(plan) < 0.5
    for _ in range(60):
        costs.learn(plan, 0.1)
    assert costs.of(plan) == pytest.approx(0.1, abs=0.01)
    costs.learn(plan, 0.3)
    assert costs.of(plan) == 0.3


def test_one_stall_is_not_held_against_a_kind_for_ever():
    costs, plan = MakingCosts(), plan_of(moved(0.0))
    costs.learn(plan, 0.01)
    costs.learn(plan, 0.5)
    plainer_ones = 0
    while costs.of(plan) > 0.16:
        costs.doubt(plan)
        plainer_ones += 1
    assert 10 < plainer_ones < 60


def test_what_was_never_made_is_foretold_by_how_much_there_is_to_do_and_how_fast_the_machine_is():
    costs = MakingCosts()
    small, large = plan_of(moved(0.0)), plan_of(moved(0.0), size=(960, 640))
    many = plan_of(*(moved(k, weight=1 / 20) for k in range(20)), size=(960, 640))
    flowing = plan_of(moved(0.0, between=Between(frame=1, share=0.5, to_from_src=row9(np.eye(3)))))
    assert costs.of(small) < costs.of(large) < costs.of(many) and costs.of(small) < costs.of(flowing)
    before = costs.of(many)
    for _ in range(40):
        costs.learn(small, 10 * costs.of(plan_of(moved(0.0))))
    assert costs.of(many) > 3 * before  # a slow machine is slow at everything


def test_costs_of_many_kinds_stay_few():
    costs = MakingCosts()
    for side in range(2, 1500):
        costs.learn(plan_of(moved(0.0), size=(side, 2)), 0.01)
    assert len(costs._known) <= 512
