"""Balancing the colours of two sides where they meet: the incoming one is brought nearer, and comes back to its own.

A gain for each of red, green and blue, in linear light, as the mean light of both frames at the cut has it: what a
camera's exposure and white balance differ by. It fades so slowly that nobody sees it go.
"""

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Join, Shot
from clevrin.core.media.colouring import light_of, shown
from clevrin.core.media.picture import Picture, shrunk
from clevrin.core.media.reading import FilmReader

Numbers = NDArray[np.float64]
Gains = tuple[float, float, float]

EVEN: Gains = (1.0, 1.0, 1.0)
_NAMES = ("balance_red", "balance_green", "balance_blue")
_LEAST, _MOST = 0.5, 2.0
_SMALL = (64, 36)
_DE_PER_FRAME = 0.6
"""How far the colours may change from one frame to the next."""
_SHORTEST, _LONGEST = 12, 120


@dataclass(frozen=True, kw_only=True)
class Balance:
    """Gains for the incoming side at the cut, over how many frames they fade, and the ΔE before and with them."""

    gains: Gains
    frames: int
    before_de: float
    after_de: float

    def on(self, join: Join) -> Join:
        """A join with it."""
        settings = {name: round(gain, 4) for name, gain in zip(_NAMES, self.gains, strict=True)}
        return join.having(**settings, balance_length=float(self.frames))


def is_balanced(join: Join) -> bool:
    """Whether the colours of a join's sides were balanced."""
    return float(join.given.get("balance_length", 0.0)) > 0


def unbalanced(join: Join) -> Join:
    """A join whose sides have their own colours."""
    rest = tuple((name, value) for name, value in join.settings if not name.startswith("balance_"))
    return join.changed(settings=rest)


def balance(outgoing: tuple[FilmReader, int], incoming: tuple[FilmReader, int]) -> Balance:
    """What brings the incoming film at a frame near to the outgoing one at a frame. Costs reading both."""
    out, in_ = (_mean_light(reader.read(frame)) for reader, frame in (outgoing, incoming))
    gains = np.clip(out / np.maximum(in_, 1e-4), _LEAST, _MOST)
    lab_out, lab_in, lab_balanced = _lab(out), _lab(in_), _lab(in_ * gains)
    before, after = _apart(lab_out, lab_in), _apart(lab_out, lab_balanced)
    if after >= before:
        return Balance(gains=EVEN, frames=0, before_de=before, after_de=before)
    # A course that is soft at both ends is one and a half times as fast in its middle.
    frames = int(np.clip(np.ceil(1.5 * _apart(lab_in, lab_balanced) / _DE_PER_FRAME), _SHORTEST, _LONGEST))
    return Balance(
        gains=(float(gains[0]), float(gains[1]), float(gains[2])), frames=frames, before_de=before, after_de=after
    )


def balance_at_cut(pair: tuple[Shot, Shot], film: Callable[[str], FilmReader]) -> Balance:
    """What balances two shots that follow each other, where they meet; `film` opens a take by its id."""
    first, second = pair
    return balance((film(first.take_id), first.last_shown), (film(second.take_id), second.first_shown))


def gains_at(given: dict[str, float], at: float) -> Gains:
    """The gains of the incoming side at a time, in frames from the cut, by a join's settings."""
    length = given.get("balance_length", 0.0)
    if length <= 0 or at >= length:
        return EVEN
    share = min(max(at / length, 0.0), 1.0)
    left = 1 - share * share * (3 - 2 * share)
    red, green, blue = (given.get(f"balance_{name}", 1.0) ** left for name in ("red", "green", "blue"))
    return red, green, blue


def _mean_light(picture: Picture) -> Numbers:
    """The mean of a picture's linear light, as a screen shows it: (3,)."""
    return np.asarray(light_of(shrunk(shown(picture), _SMALL)).mean(axis=(0, 1)), np.float64)


def _lab(light: Numbers) -> Numbers:
    """CIELAB (D65) of linear light: (3,)."""
    pixel = np.clip(light, 0, 1).astype(np.float32)[None, None]
    return np.asarray(cv2.cvtColor(pixel, cv2.COLOR_LRGB2LAB)[0, 0], np.float64)


def _apart(lab: Numbers, other: Numbers) -> float:
    """CIE76."""
    return float(np.linalg.norm(lab - other))
