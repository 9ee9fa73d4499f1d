"""Instants as they are read and typed."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from clevrin.core.errors import ClevrinError
from clevrin.core.pace.timecode import frame_of, timecode


@pytest.mark.parametrize(
    ("frame", "rate", "words"), [(0, 30, "0:00.00"), (136, 30, "0:04.16"), (3661 * 24, 24, "61:01.00")]
)
def test_timecode(frame, rate, words):
    assert timecode(frame, rate) == words


@given(st.integers(0, 500_000), st.sampled_from([23.976, 24, 25, 29.97, 30, 60, 120, 240]))
def test_what_is_read_can_be_typed(frame, rate):
    assert frame_of(timecode(frame, rate), rate, 0) == frame


@pytest.mark.parametrize(
    ("text", "frame"),
    [
        ("128", 128),
        (" 4.12 ", 4 * 30 + 12),
        ("4,12", 4 * 30 + 12),
        ("1:04.12", 64 * 30 + 12),
        ("1:04", 64 * 30),
        ("1:02:03", 3723 * 30),
        ("+10", 110),
        ("-10", 90),
        ("+1.0", 130),
        ("−1:00", 100 - 1800),
    ],
)
def test_what_can_be_typed(text, frame):
    assert frame_of(text, 30, 100) == frame


@pytest.mark.parametrize("text", ["", "kite", "1:2:3:4", "1..2", "+", "9" * 40, "1e5", "12f"])
def test_what_is_no_instant_gets_a_sentence(text):
    with pytest.raises(ClevrinError, match="is no instant"):
        frame_of(text, 30, 0)
