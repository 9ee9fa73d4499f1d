"""How pictures lie in a film: turned, and with pixels that are wider than high."""

from fractions import Fraction

import av

_WIDEST = 8


def quarter_turns(frame: av.VideoFrame) -> int:
    """How often the frame must be turned by 90° anticlockwise to stand upright: 0 to 3."""
    return round(frame.rotation / 90) % 4


def square_size(width: int, height: int, aspect: Fraction | None) -> tuple[int, int]:
    """The size of a picture with square pixels, its rows kept, when those in the film are `aspect` times as wide.

    What is not said, or absurd, is square.
    """
    if not aspect or not Fraction(1, _WIDEST) <= aspect <= _WIDEST or aspect == 1:
        return width, height
    return max(1, round(width * aspect)), height
