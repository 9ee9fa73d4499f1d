"""What holding did, in figures: courses and the shake that is left, from wished-for courses."""

import numpy as np
import pytest

from clevrin.core.document import Hold, Span
from clevrin.core.hold import held_path
from clevrin.core.hold.report import calm_frames, course, shake
from clevrin.core.motion import find_whips
from tests.core.traces import trace_of, whip_course


def whole(trace) -> Span:
    return Span(first=0, end=trace.frames)


def test_a_course_is_the_one_that_was_wished_for():
    wished = whip_course(80, 40, 700, angle_deg=30)
    trace = trace_of(wished, roll_deg=np.sin(np.arange(80) / 9) * 2)
    found = course(trace, whole(trace))
    assert found.pan[-1] == pytest.approx(wished[-1, 0] - wished[0, 0], abs=1e-6)
    assert found.tilt[-1] == pytest.approx(wished[-1, 1] - wished[0, 1], abs=1e-6)
    assert np.ptp(found.roll) == pytest.approx(4, rel=0.05) and np.abs(found.zoom).max() < 1e-6


def test_a_course_of_a_span_starts_at_nothing():
    trace = trace_of(whip_course(80, 40, 700))
    part = course(trace, Span(first=30, end=60))
    assert len(part.pan) == 30 and part.pan[0] == part.tilt[0] == 0


@pytest.mark.parametrize(("hz", "counts"), [(0.25, False), (3.0, True)])
def test_only_what_is_quicker_than_one_hertz_is_shake(hz, counts):
    t = np.arange(240) / 30
    trace = trace_of(np.stack([10 * np.sin(2 * np.pi * hz * t), 0 * t], axis=1))
    quick = shake(course(trace, whole(trace)), 30.0, np.ones(240, bool))["pan"]
    assert (quick == pytest.approx(10 / np.sqrt(2), rel=0.1)) if counts else quick < 1.0


def test_a_whip_does_not_ring_into_the_figures():
    trace = trace_of(whip_course(150, 110, 2000, shake_px=0.0))
    calm = calm_frames(trace, whole(trace), find_whips(trace))
    assert 80 < calm.sum() < 145
    assert shake(course(trace, whole(trace)), 30.0, calm)["pan"] < 1.0


def test_too_short_a_stretch_has_no_figure():
    trace = trace_of(whip_course(10, 5, 0))
    assert set(shake(course(trace, whole(trace)), 30.0, np.ones(10, bool)).values()) == {0.0}


@pytest.mark.parametrize("keep", [0.8, 0.9])
def test_a_course_is_counted_on_the_source_whatever_was_kept(keep):
    """A slow pan is as long held as it was shot, although the held picture is enlarged."""
    t = np.arange(180)
    trace = trace_of(np.stack([3.0 * t, np.zeros(180)], axis=1) + whip_course(180, 90, 0, shake_px=2.0))
    path = held_path(trace, whole(trace), Hold(how="float", keep=keep))
    shot, held = course(trace, whole(trace)), course(trace, whole(trace), path)
    assert held.pan[-1] == pytest.approx(shot.pan[-1], rel=0.02)
    after = shake(held, 30.0, np.ones(180, bool))["pan"]
    assert after < 0.1 * shake(shot, 30.0, np.ones(180, bool))["pan"]


def test_a_path_answers_for_frames_beyond_it_with_its_ends():
    trace = trace_of(whip_course(60, 30, 0))
    path = held_path(trace, Span(first=0, end=60), Hold(how="float"))
    assert np.array_equal(path.at(-5), path.at(0)) and np.array_equal(path.at(999), path.at(59))
    assert path.kept_at(3) <= 1 and path.least_kept == pytest.approx(path.kept.min())
    with pytest.raises(ValueError):
        path.kept[0] = 0
