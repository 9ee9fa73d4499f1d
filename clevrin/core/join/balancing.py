"""Balancing the colours of two sides where they meet: the incoming one is brought nearer, and comes back to its own.

A gain for each of red, green and blue, in linear light, as the mean light of both frames at the cut has it: what a
camera's exposure and white balance differ by. It fades so slowly that nobody sees it go.
"""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Join
from clevrin.core.media.colouring import light_of, shown
from clevrin.core.media.picture import Picture
from clevrin.core.media.reading import FilmReader

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
    out, in_ = (_small(reader.read(frame)) for reader, frame in (outgoing, incoming))
    light_out, light_in = light_of(out).reshape(-1, 3).mean(axis=0), light_of(in_).reshape(-1, 3).mean(axis=0)
    gains = np.clip(light_out / np.maximum(light_in, 1e-4), _LEAST, _MOST)
    before, after = _mean_de(out, light_of(in_)), _mean_de(out, light_of(in_) * gains)
    if after >= before:
        return Balance(gains=EVEN, frames=0, before_de=before, after_de=before)
    changed = float(np.linalg.norm(_lab(light_of(in_) * gains) - _lab(light_of(in_))))
    # A course that is soft at both ends is one and a half times as fast in its middle.
    frames = int(np.clip(np.ceil(1.5 * changed / _DE_PER_FRAME), _SHORTEST, _LONGEST))
    return Balance(
        gains=(float(gains[0]), float(gains[1]), float(gains[2])), frames=frames, before_de=before, after_de=after
    )


def gains_at(given: dict[str, float], at: float) -> Gains:
    """The gains of the incoming side at a time, in frames from the cut, by a join's settings."""
    length = given.get("balance_length", 0.0)
    if length <= 0 or at >= length:
        return EVEN
    share = min(max(at / length, 0.0), 1.0)
    left = 1 - share * share * (3 - 2 * share)
    red, green, blue = (given.get(f"balance_{name}", 1.0) ** left for name in ("red", "green", "blue"))
    return red, green, blue


def _small(picture: Picture) -> Picture:
    seen = shown(picture)
    y = cv2.resize(seen.y, _SMALL, interpolation=cv2.INTER_AREA)
    u, v = (cv2.resize(p, (_SMALL[0] // 2, _SMALL[1] // 2), interpolation=cv2.INTER_AREA) for p in (seen.u, seen.v))
    return replace(seen, y=y, u=u, v=v, alpha=None)


def _lab(light: NDArray[np.float32]) -> NDArray[np.float64]:
    """CIELAB (D65) of the mean of linear light."""
    rgb = np.clip(np.asarray(light).reshape(-1, 3).mean(axis=0), 0, 1)
    srgb = np.where(rgb <= 0.0031308, 12.92 * rgb, 1.055 * rgb ** (1 / 2.4) - 0.055)
    return cv2.cvtColor(srgb.astype(np.float32)[None, None], cv2.COLOR_RGB2LAB)[0, 0].astype(np.float64)


def _mean_de(out: Picture, light: NDArray[np.float32]) -> float:
    """CIE76 between the mean colours of two sides."""
    return float(np.linalg.norm(_lab(light_of(out)) - _lab(light)))
