"""The length of motion blur, from single pictures that were smeared by a known length."""

import cv2
import numpy as np
import pytest

from clevrin.core.motion.blur import LEAST_MOTION_PX, blur_length, fit_shutter
from tests.films import texture


def smeared(length: float, angle_deg: float, seed: int, noise: float = 1.5, size=(640, 360)) -> np.ndarray:
    """A texture smeared evenly over `length` px along an angle (y down), with noise."""
    source = cv2.cvtColor(texture(seed), cv2.COLOR_RGB2GRAY).astype(np.float32)
    step = np.array([np.cos(np.radians(angle_deg)), np.sin(np.radians(angle_deg))])
    count = int(np.ceil(length)) * 2
    total = np.zeros((size[1], size[0]), np.float32)
    for k in range(count):
        x, y = np.array([400.0, 500.0]) + step * length * ((k + 0.5) / count - 0.5)
        total += cv2.getRectSubPix(source, size, (x, y))
    noisy = total / count + noise * np.random.default_rng(seed).standard_normal(total.shape)
    return noisy.clip(0, 255).astype(np.uint8)


@pytest.mark.parametrize("seed", [1, 2])
@pytest.mark.parametrize("angle", [0, 90, 30, -60])
@pytest.mark.parametrize("length", [12, 25, 36])
def test_the_length_of_one_picture_is_found(length, angle, seed):
    speed = 1.9 * length
    motion = (speed * np.cos(np.radians(angle)), speed * np.sin(np.radians(angle)))
    found = blur_length(smeared(length, angle, seed), motion)
    # One picture alone; a take has several, and their median is within a tenth.
    assert found is not None and found[0] == pytest.approx(length, rel=0.13)
    assert 0 < found[1] <= 1


def test_slow_frames_tell_nothing():
    assert blur_length(smeared(3, 0, 1), (LEAST_MOTION_PX - 1, 0.0)) is None


def test_a_motion_as_long_as_the_picture_tells_nothing():
    assert blur_length(smeared(20, 0, 1), (400.0, 0.0)) is None


def test_the_shutter_is_a_median_that_a_few_wrong_frames_do_not_move():
    speeds = np.full(12, 40.0)
    lengths = np.full(12, 20.0)
    lengths[:4] = 38.0, 5.0, np.nan, 36.0
    assert fit_shutter(lengths, np.full(12, 0.5), speeds) == pytest.approx(180, abs=1)


def test_frames_that_do_not_agree_tell_of_no_shutter():
    lengths = np.array([2.6, 76.0, 74.0, 60.0, 2.7, 2.9, 50.0])
    speeds = np.array([31.0, 78.0, 82.0, 81.0, 27.0, 14.7, 33.0])
    assert fit_shutter(lengths, np.array([0.6, 0.2, 0.2, 0.16, 0.65, 0.6, 0.2]), speeds) is None


@pytest.mark.parametrize("known", [0, 1, 2])
def test_too_few_frames_make_no_shutter(known):
    lengths = np.full(20, np.nan)
    lengths[:known] = 10.0
    assert fit_shutter(lengths, np.ones(20), np.full(20, 30.0)) is None
