"""Scopes on pictures of which it is known what is where."""

import numpy as np
import pytest

from clevrin.core.media.scopes import bar_places, colour_scope, light_scope


def flat(blue: int, green: int, red: int, size=(120, 200)) -> np.ndarray:
    return np.broadcast_to(np.array([blue, green, red, 255], np.uint8), (*size, 4))


def test_light_is_counted_where_it_is_and_as_bright_as_it_is():
    ramp = np.empty((100, 256, 4), np.uint8)
    ramp[...] = np.arange(256, dtype=np.uint8)[None, :, None]
    found = light_scope(ramp, 256)
    rows, columns = np.nonzero(found)
    assert np.array_equal(255 - rows[np.argsort(columns)], np.arange(256))  # brighter to the right, up the scope
    assert found.shape == (256, 256) and found.max() == 1


def test_green_counts_more_than_blue():
    green, blue = (int(255 - np.argmax(light_scope(flat(*each), 1)[:, 0])) for each in ((0, 255, 0), (255, 0, 0)))
    assert green == pytest.approx(182, abs=1) and blue == pytest.approx(18, abs=1)


def test_grey_is_in_the_middle_and_bars_are_on_their_dots():
    side = 200
    y, x = np.unravel_index(np.argmax(colour_scope(flat(120, 120, 120), side)), (side, side))
    assert abs(x - side / 2) <= 1 and abs(y - side / 2) <= 1
    bars = {"red": (0, 0, 191), "cyan": (191, 191, 0), "blue": (191, 0, 0), "yellow": (0, 191, 191)}
    for name, bgr in bars.items():
        y, x = np.unravel_index(np.argmax(colour_scope(flat(*bgr), side)), (side, side))
        across, up = bar_places()[name]
        assert x == pytest.approx((across + 0.5) * side, abs=1.5) and y == pytest.approx((0.5 - up) * side, abs=1.5)
    assert bar_places()["red"][1] > 0.3 and bar_places()["blue"][0] > 0.3


def test_a_large_picture_is_thinned_and_every_pixel_of_a_small_one_counts():
    small = flat(0, 0, 0, (8, 8)).copy()
    small[3, 5] = 255
    found = light_scope(small, 8)
    assert found[0, 5] > 0 and np.count_nonzero(found) == 9
    assert light_scope(flat(9, 9, 9, (2000, 2000)), 100).shape == (256, 100)
