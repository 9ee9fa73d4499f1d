"""The verdict: what a take gives, from wished-for courses and from the demo."""

from dataclasses import replace

import numpy as np
import pytest

from clevrin.core.document import Span
from clevrin.core.hold import verdict as verdict_module
from clevrin.core.hold.verdict import judge, kept_verdict
from clevrin.core.motion import find_whips
from clevrin.core.shelf import Shelf
from tests.core.traces import trace_of, whip_course


def swaying(px: float, frames: int = 180, hz: float = 2.0, shutter_deg: float = 10.0):
    """A camera that sways from side to side, with so short a shutter that nothing is blurred."""
    sway = px * np.sin(2 * np.pi * hz * np.arange(frames) / 30)
    return trace_of(np.stack([sway, np.zeros(frames)], axis=1), shutter_deg=shutter_deg)


@pytest.mark.parametrize(("px", "cost"), [(8, "easy"), (130, "costly"), (320, "hopeless")])
def test_the_wider_it_sways_the_less_of_the_picture_stays(px, cost):
    verdict = judge(swaying(px), ())
    assert verdict.cost == cost
    # What a sway of +-px costs at least: the gate stands still in the middle, and the picture moves.
    assert verdict.keep_float == pytest.approx(1 - 2 * px / 1280, abs=0.06)
    assert verdict.keep_lock_off == pytest.approx(1 - 2 * px / 1280, abs=0.06)
    assert verdict.shake["pan"] == pytest.approx(px / np.sqrt(2), rel=0.1)
    assert set(verdict.idle) == {"tilt", "roll", "zoom"}
    assert f"{verdict.keep_float * 100:.0f} %" in verdict.sentence


def test_a_camera_that_stands_still_has_nothing_to_remove():
    verdict = judge(swaying(0.2), ())
    assert verdict.cost == "easy" and len(verdict.idle) == 4 and "stands still already" in verdict.sentence
    assert verdict.keep_lock_off > 0.99


def test_a_smooth_pan_has_nothing_to_remove_and_is_not_said_to_stand():
    pan = np.stack([4.0 * np.arange(120), np.zeros(120)], axis=1)
    verdict = judge(trace_of(pan), ())
    assert len(verdict.idle) == 4 and "moves evenly already" in verdict.sentence


def test_a_verdict_is_kept_with_its_trace_and_made_anew_where_it_is_damaged(tmp_path, monkeypatch):
    shelf, trace = Shelf(tmp_path), swaying(8)
    made = kept_verdict(trace, (), shelf)
    assert made == judge(trace, ())
    monkeypatch.setattr(verdict_module, "judge", lambda *_: pytest.fail("it is kept"))
    assert kept_verdict(swaying(8), (), shelf) == made
    monkeypatch.undo()
    assert kept_verdict(swaying(130), (), shelf).cost == "costly"  # another trace, another verdict
    for kept in tmp_path.glob("verdict/*.npz"):
        np.savez(kept, json=np.frombuffer(b'{"cost": "easy"}', np.uint8))
    assert kept_verdict(trace, (), shelf) == made


def test_a_pan_can_be_floated_and_not_locked_off():
    verdict = judge(trace_of(np.stack([12.0 * np.arange(180), np.zeros(180)], axis=1)), ())
    assert verdict.keep_lock_off == 0.0 and verdict.keep_float > 0.9


def test_frames_blurred_by_a_jolt_are_flagged_and_those_of_a_whip_are_not():
    course = whip_course(180, 130, 1400, shake_px=1.0)
    course[40:] += [30.0, 0.0]  # a jolt of 30 px from one frame to the next: 15 px of blur
    trace = trace_of(course)
    verdict = judge(trace, find_whips(trace))
    assert verdict.blurred == (39, 40) and verdict.cost == "easy"


def test_a_take_that_is_blurred_by_its_own_shake_is_hopeless_however_much_stays():
    sharp, blurred = judge(swaying(60), ()), judge(swaying(60, shutter_deg=270.0), ())
    assert sharp.cost == "easy" and sharp.blurred == ()
    assert blurred.cost == "hopeless" and blurred.keep_float == pytest.approx(sharp.keep_float)
    assert "frames are blurred by the shake itself" in blurred.sentence and "Try less calm" in blurred.sentence


def test_a_shorter_span_is_judged_by_itself():
    calm, wild = swaying(5), swaying(330)
    both = trace_of(np.concatenate([_course(calm), _course(wild)]), shutter_deg=10.0)
    assert judge(both, ()).cost == "hopeless"
    part = judge(both, (), Span(first=0, end=100))
    assert part.cost == "easy" and all(k < 100 for k in part.blurred)


def _course(trace) -> np.ndarray:
    steps = trace.motions[:, :2, 2] * [-1, 1]
    return np.cumsum(steps, axis=0)


def test_limits_grow_with_the_picture():
    small = trace_of(_course(swaying(0.5)), width=640, height=360)
    large = trace_of(_course(swaying(0.5)), width=3840, height=2160)
    assert "pan" not in judge(small, ()).idle and "pan" in judge(large, ()).idle


def test_the_demo_is_easy_and_its_standing_take_can_be_locked_off(demo_trace):
    walk, picnic = demo_trace("walk-past"), demo_trace("picnic")
    verdict = judge(walk, find_whips(walk))
    assert verdict.cost == "easy" and verdict.keep_lock_off == 0.0 and verdict.blurred == ()
    assert judge(picnic, ()).keep_lock_off > 0.85


def test_a_take_that_is_all_whip_is_not_said_to_stand_still():
    course = whip_course(30, 14, 1600, width=4.0)
    trace = trace_of(course)
    whips = find_whips(trace)
    verdict = judge(trace, whips)
    assert whips and "no calm stretch" in verdict.sentence


def test_a_take_of_which_little_was_seen_is_not_easy():
    sway = 5 * np.sin(np.arange(120) / 3)
    course = np.stack([sway, np.zeros(120)], axis=1)
    sure, unsure = (judge(trace_of(course, confidence=value), ()) for value in (1.0, 0.2))
    assert sure.cost == "easy" and "little could be seen" not in sure.sentence
    assert unsure.cost == "costly" and "In 120 of 120 frames little could be seen" in unsure.sentence
    # A coin on a plain floor is little to see, and tells the motion well all the same.
    known = replace(trace_of(course, confidence=0.2), sigma_px=np.full((120, 2), 0.4))
    assert judge(known, ()).sentence == sure.sentence
