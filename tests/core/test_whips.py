"""Whips found in wished-for courses: where they are, where they point, and what is none."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from clevrin.core.motion import find_whips
from tests.core.traces import trace_of, whip_course


@given(
    peak=st.integers(20, 70),
    angle=st.floats(-180, 180),
    reach=st.floats(900, 3000),
    width=st.floats(2.0, 4.5),
    seed=st.integers(0, 50),
)
@settings(max_examples=60, deadline=None)
def test_a_whip_is_found_at_its_peak_and_in_its_direction(peak, angle, reach, width, seed):
    trace = trace_of(whip_course(90, peak, reach, width, angle, seed=seed))
    (whip,) = find_whips(trace)
    assert abs(whip.peak - peak) <= 1
    assert whip.start < whip.peak < whip.end and whip.peak in whip
    assert abs((whip.angle_deg - angle + 180) % 360 - 180) < 3
    assert whip.speed_px == pytest.approx(reach / 2 / width, rel=0.1)
    assert whip.blur_px == pytest.approx(whip.speed_px / 2, abs=0.01)


@given(seed=st.integers(0, 200), shake=st.floats(0, 9), walk=st.floats(-9, 9))
@settings(max_examples=40, deadline=None)
def test_shaking_and_walking_are_no_whips(seed, shake, walk):
    course = whip_course(120, 60, 0, shake_px=shake, seed=seed) + np.arange(120)[:, None] * [walk, 0]
    assert find_whips(trace_of(course)) == ()


@pytest.mark.parametrize("rate", [24, 30, 60, 120])
def test_the_same_whip_is_one_at_any_rate(rate):
    frames, peak = 3 * rate, 1.5 * rate
    (whip,) = find_whips(trace_of(whip_course(frames, peak, 1800, 0.1 * rate), rate=rate))
    assert abs(whip.peak - peak) <= 1 + rate / 60


@pytest.mark.parametrize("peak", [1.0, 88.0])
def test_a_take_may_begin_or_end_within_a_whip(peak):
    (whip,) = find_whips(trace_of(whip_course(90, peak, 1500)))
    assert abs(whip.peak - peak) <= 1 and 0 <= whip.start <= whip.peak <= whip.end < 90


def test_two_whips_in_one_take_are_two():
    course = whip_course(120, 30, 1500) + whip_course(120, 85, 1500, angle_deg=180.0, shake_px=0)
    whips = find_whips(trace_of(course))
    assert [abs(w.peak - p) <= 1 for w, p in zip(whips, (30, 85), strict=True)] == [True, True]
    assert abs(whips[0].angle_deg) < 4 and abs(whips[1].angle_deg) > 176


def test_a_long_fast_pan_is_no_whip():
    course = np.stack([np.cumsum(np.full(200, 60.0)), np.zeros(200)], axis=1)
    course[:60] = course[60] * 0 + course[60]
    assert find_whips(trace_of(course)) == ()


def test_a_jolt_to_and_fro_is_no_whip():
    course = whip_course(90, 40, 0)
    course[40:44] += [[60, 0], [-70, 0], [80, 0], [-60, 0]]
    assert find_whips(trace_of(course)) == ()


def test_motion_that_nobody_trusts_is_no_whip():
    assert find_whips(trace_of(whip_course(90, 40, 1500), confidence=0.05)) == ()


@pytest.mark.parametrize("frames", [1, 2, 3])
def test_the_shortest_takes_have_none(frames):
    assert find_whips(trace_of(np.zeros((frames, 2)))) == ()


@pytest.mark.parametrize(
    ("angle", "kind"), [(0, "pan"), (10, "pan"), (45, "diagonal"), (90, "tilt"), (-100, "tilt"), (135, "diagonal")]
)
def test_kinds(angle, kind):
    (whip,) = find_whips(trace_of(whip_course(90, 40, 1500, angle_deg=angle)))
    assert whip.kind == kind


def test_the_parts_of_a_trace_agree():
    roll = np.linspace(0, 12, 40)
    trace = trace_of(whip_course(40, 20, 300), roll_deg=roll, shutter_deg=None)
    assert -np.cumsum(trace.roll_deg)[-1] == pytest.approx(12, abs=1e-6)  # clockwise as seen is negative
    assert trace.scale == pytest.approx(1.0)
    assert trace.speed_px[5] == pytest.approx(np.hypot(*trace.displacement_px[5]))
    assert trace.blur_px == pytest.approx(np.hypot(*trace.velocity_px.T) / 2)  # 180° is assumed
    assert ((trace.blur_angle_deg >= 0) & (trace.blur_angle_deg < 180)).all()
    with pytest.raises(ValueError):
        trace.motions[0, 0, 0] = 2


@pytest.mark.parametrize("hz", [1.2, 2.0, 3.0])
def test_a_violent_sway_is_no_row_of_whips(hz):
    sway = 320 * np.sin(2 * np.pi * hz * np.arange(150) / 30)
    trace = trace_of(np.stack([sway, np.zeros(150)], axis=1))
    assert np.max(trace.widths_per_s) > 1.5 and find_whips(trace) == ()


def test_there_and_back_with_a_look_between_are_two_whips():
    course = whip_course(150, 40, 900, shake_px=0.5) + whip_course(150, 90, 900, angle_deg=180.0, shake_px=0)
    assert [whip.peak for whip in find_whips(trace_of(course))] == [40, 90]


def test_two_whips_on_in_one_direction_are_both_found():
    course = whip_course(150, 50, 900, shake_px=0.5) + whip_course(150, 72, 900, shake_px=0)
    assert len(find_whips(trace_of(course))) == 2


def test_a_speed_that_is_not_known_lies_between_its_neighbours():
    trace = trace_of(whip_course(60, 30, 1500, shake_px=0))
    motions, confidence = trace.motions.copy(), trace.confidence.copy()
    motions[31], confidence[31] = np.eye(3), 0.0  # a cut in the middle of a whip
    cut = replace(trace, motions=motions, confidence=confidence)
    (whip,) = find_whips(cut)
    assert abs(whip.peak - 30) <= 1
    assert np.abs(cut.velocity_px - trace.velocity_px).max() < 0.1 * np.abs(trace.velocity_px).max()
    assert cut.speed_px[31] == 0  # the motion itself stays unknown
