"""Loaned motion: the simulated hand's spectra, motion files of any rate and size, and what of a course is lent."""

from fractions import Fraction

import numpy as np
import pytest

from clevrin.core.document import Hold, Loan, Motion, Shot
from clevrin.core.document.loans import RIGS
from clevrin.core.errors import DocumentError
from clevrin.core.hold import held_path
from clevrin.core.hold.held import corners_on_source
from clevrin.core.hold.lending import as_trace, gates_of, lent_part, loan_maps, smoothed
from clevrin.core.hold.report import course
from clevrin.core.motion.rig import rig_course
from clevrin.core.motion.trace.motion_csv import motion_csv
from clevrin.core.motion.trace.motion_reading import motion_of_csv
from clevrin.core.motion.whips import find_whips
from tests.core.test_path import shaky, whole
from tests.core.traces import trace_of

SIZE = (1280, 720)


def power(course_: np.ndarray, rate: float, low: float, high: float) -> float:
    """The share of a course's energy (without its mean) between two frequencies."""
    energy = np.abs(np.fft.rfft((course_ - course_.mean()) * np.hanning(len(course_)))) ** 2
    hz = np.fft.rfftfreq(len(course_), 1 / rate)
    return float(energy[(hz >= low) & (hz < high)].sum() / energy.sum())


@pytest.mark.parametrize("rig", RIGS)
def test_a_rig_is_the_same_from_its_seed_and_never_repeats_another(rig):
    long, short = rig_course(rig, 3, 600, 30.0), rig_course(rig, 3, 200, 30.0)
    assert np.array_equal(long[:200], short) and (long[0] == 0).all()
    assert not np.allclose(long[50:200], rig_course(rig, 4, 600, 30.0)[50:200], atol=1e-4)
    # Another frame rate is the same course at other instants.
    assert rig_course(rig, 3, 400, 60.0)[::2][:, 2] == pytest.approx(short[:, 2], abs=0.05)


def test_rigs_have_the_spectra_of_what_they_are_named_after():
    rate = 60.0
    made = {rig: rig_course(rig, 1, 3600, rate) for rig in RIGS}
    assert power(made["resting hands"][:, 0], rate, 0.05, 2) > 0.9
    assert power(made["walking"][:, 1], rate, 1.7, 2.1) > 0.5  # a step takes half a second
    assert power(made["walking"][:, 0], rate, 0.85, 1.05) > 0.3  # and the sway two steps
    assert power(made["running"][:, 1], rate, 2.5, 3.1) > 0.5
    assert power(made["car"][:, 1], rate, 1.0, 1.8) > 0.7 and power(made["car"][:, 1], rate, 9.5, 14.5) > 0.03
    fine = {rig: power(course_[:, 0], rate, 7.5, 12) for rig, course_ in made.items()}
    assert fine["long lens"] > 3 * fine["resting hands"]
    assert made["running"][:, 1].std() > 3 * made["walking"][:, 1].std()


def test_gates_go_where_a_camera_would():
    (gate,) = gates_of(np.array([[0.1, 0.05, 2.0, np.log(1.25)]]), SIZE)
    corners = corners_on_source(gate, 1, 1) * 0  # only the middle is asked for below
    assert corners.shape == (4, 2)
    assert gate[:2, 2] == pytest.approx([128, -64])  # right, and up
    assert np.hypot(*gate[0, :2]) == pytest.approx(0.8)  # in: less is seen
    trace = as_trace(np.array([[0.0] * 4, [0.1, 0.05, 2.0, np.log(1.25)]]), 30.0)
    told = course(trace, whole(trace))
    assert told.roll[1] == pytest.approx(2.0) and told.zoom[1] == pytest.approx(100 * np.log(1.25))


def as_motion(given: np.ndarray, rate: int = 30) -> Motion:
    return Motion(name="m", rate=Fraction(rate), course=tuple(tuple(map(float, row)) for row in given))


def test_motion_of_another_rate_and_size_is_lent_at_the_same_instants():
    t = np.arange(100) / 25
    given = np.zeros((100, 4))
    given[:, 0] = 0.05 * np.sin(2 * np.pi * 0.5 * t)
    loan = Loan(lender="motion", lender_id="m")
    maps = loan_maps(loan, as_motion(given, 25), 120, 30.0, (3840, 2160), 1.6)
    instants = np.arange(120) / 30
    assert maps[:115, 0, 2] == pytest.approx(3840 * 0.05 * np.sin(np.pi * instants)[:115], abs=2)
    beyond = loan_maps(loan, as_motion(given[:20], 25), 120, 30.0, SIZE, 1.6)
    assert (beyond[30:] == beyond[-1]).all()  # a course stays where it ended


def test_shake_is_lent_without_the_move_and_the_difference_is_what_a_float_takes_out():
    t = np.arange(240) / 30
    given = np.zeros((240, 4))
    given[:, 0] = 0.02 * t + 0.003 * np.sin(2 * np.pi * 2.0 * t)
    shake = lent_part(given, 30.0, "shake", 1.6)[:, 0]
    assert np.abs(shake - 0.003 * np.sin(2 * np.pi * 2.0 * t))[30:-30].max() < 3e-4
    unrest = lent_part(given, 30.0, "difference", 1.6)[:, 0]
    assert np.abs(unrest - 0.003 * np.sin(2 * np.pi * 2.0 * t))[30:-30].max() < 5e-4
    whole_course = lent_part(given, 30.0, "course", 1.6)[:, 0]
    assert whole_course[-1] == pytest.approx(given[-1, 0])


def test_amount_scales_the_move_and_size_the_zoom():
    given = np.column_stack([np.linspace(0, 0.1, 30), np.zeros(30), np.zeros(30), np.linspace(0, 0.2, 30)])
    loan = Loan(lender="motion", lender_id="m", amount=0.5, size=2.0)
    last = loan_maps(loan, as_motion(given), 30, 30.0, SIZE, 1.6)[-1]
    assert last[0, 2] == pytest.approx(64) and last[0, 0] == pytest.approx(np.exp(-0.4))


def test_a_still_shot_gets_a_handheld_life_inside_its_picture():
    trace = trace_of(np.zeros((120, 2)))
    loan = loan_maps(Loan(lender="rig", rig="walking", seed=2), None, 120, 30.0, SIZE, 1.6)
    path = held_path(trace, whole(trace), Hold(), loan=loan)
    told = course(trace, whole(trace), path)
    assert np.ptp(told.tilt) > 15 and np.ptp(told.roll) > 0.5
    outside = [np.abs(corners_on_source(m, *SIZE)) - (640, 360) for m in path.src_from_held]
    assert max(float(each.max()) for each in outside) <= 0
    lent = rig_course("walking", 2, 120, 30.0)
    assert told.pan - told.pan.mean() == pytest.approx((lent[:, 0] - lent[:, 0].mean()) * 1280, abs=3)


def test_more_motion_than_there_is_picture_for_is_lent_in_part():
    trace = trace_of(np.zeros((60, 2)))
    given = np.zeros((60, 4))
    given[:, 0] = np.linspace(0, 3, 60)  # three picture widths
    loan = loan_maps(Loan(lender="motion", lender_id="m"), as_motion(given), 60, 30.0, SIZE, 1.6)
    path = held_path(trace, whole(trace), Hold(), loan=loan)
    assert path.least_kept >= 0.29
    assert max(float((np.abs(corners_on_source(m, *SIZE)) - (640, 360)).max()) for m in path.src_from_held) <= 0


def test_a_loan_comes_on_top_of_a_hold():
    trace = trace_of(shaky(120, size=6.0))
    loan = loan_maps(Loan(lender="rig", rig="resting hands"), None, 120, 30.0, SIZE, 1.6)
    held = course(trace, whole(trace), held_path(trace, whole(trace), Hold(how="float", keep=0.7), loan=loan))
    plain = course(trace, whole(trace), held_path(trace, whole(trace), Hold(how="float", keep=0.7)))
    lent = rig_course("resting hands", 1, 120, 30.0)[:, 0] * 1280
    assert held.pan - plain.pan - lent == pytest.approx(0, abs=3)
    assert Shot(take_id="t", span=whole(trace)).loan is None


def test_a_motion_table_is_read_as_it_was_written():
    trace = trace_of(shaky(60, size=6.0), roll_deg=np.linspace(0, 3, 60))
    motion = motion_of_csv(motion_csv(trace, "walk.mp4"), "walk")
    told = course(trace, whole(trace))
    given = np.array(motion.course)
    assert motion.rate == 30 and len(given) == 60
    assert given[:, 0] * 1280 == pytest.approx(told.pan, abs=0.05)
    assert given[:, 1] * 1280 == pytest.approx(told.tilt, abs=0.05)
    assert given[:, 2] == pytest.approx(told.roll, abs=1e-3)


HEAD = "# clevrin-motion 1\n# size 640x360\n# rate 24/1\n"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (HEAD, "has no table"),
        (HEAD + "dx_px,dy_px,roll_deg\n0,0,0\n", "line 4: there is no column scale"),
        (HEAD + "dx_px,dy_px,roll_deg,scale\n", "has no rows"),
        (HEAD + "dx_px,dy_px,roll_deg,scale\n0,0,0,1\n1,2,zero,1\n", "line 6, column roll_deg: 'zero' is not a number"),
        (HEAD + "dx_px,dy_px,roll_deg,scale\n0,0,0,1\n1,2\n", "line 6, column roll_deg: the line ends before it"),
        (HEAD + "dx_px,dy_px,roll_deg,scale\n0,0,0,1\n1,nan,0,1\n", "line 6, column dy_px: 'nan' is not a number"),
        (HEAD + "dx_px,dy_px,roll_deg,scale\n0,0,0,1\n1,2,0,0\n", "line 6, column scale: a picture has to keep a size"),
        (HEAD + "dx_px,dy_px,roll_deg,scale\n0,0,0,1\n1e12,2,0,1\n", "goes further than any camera"),
        ("# rate 24/1\ndx_px,dy_px,roll_deg,scale\n0,0,0,1\n", "does not say its picture's size"),
        ("# size 640x360\n# rate 0/1\ndx_px,dy_px,roll_deg,scale\n0,0,0,1\n", "does not say its rate"),
    ],
)
def test_a_table_of_a_wrong_shape_is_refused_with_line_and_column(text, says):
    with pytest.raises(DocumentError, match=says):
        motion_of_csv(text, "walk")


def test_a_performance_loses_the_jumps_of_the_mouse():
    jumpy = np.zeros((90, 4))
    jumpy[:, 0] = np.repeat(np.linspace(0, 0.2, 18), 5)  # the mouse is told of five times a second
    smooth = smoothed(jumpy, 30.0, 0.5)
    assert np.abs(np.diff(smooth[:, 0], n=2)).max() < 0.3 * np.abs(np.diff(jumpy[:, 0], n=2)).max()
    assert smooth[-1, 0] == pytest.approx(0.2, abs=0.01)


def test_lent_motion_is_no_whip_of_the_take():
    trace = trace_of(np.zeros((60, 2)))
    assert not find_whips(trace)
