"""The sound of a made move: noise that rises with its speed, gets brighter, and passes from side to side."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from clevrin.core.importing import importing
from clevrin.core.media.writing import SOUND_RATE

Sound = NDArray[np.float32]

_BANDS_HZ = ((180.0, 700.0), (700.0, 2400.0), (2400.0, 7500.0))
_LOUD = 0.35
_SETTLES = 4800
"""Samples that filters take to settle."""


def swish(samples: int, speed: Callable[[float], float], across: float, level: float, seed: int) -> Sound:
    """(samples, 2) float32: `speed` says, by the share of the time that is gone, how fast it is, 0 to 1.

    `across`: where the camera goes, -1 to the left, 1 to the right; the noise comes from there. The same seed is the
    same noise.
    """
    with importing:
        from scipy.signal import butter, sosfilt

    if samples <= 0:
        return np.zeros((0, 2), np.float32)
    noise = np.random.default_rng(seed).standard_normal(samples + _SETTLES)
    shares = (np.arange(samples) + 0.5) / samples
    knots = np.linspace(0, 1, 65)
    fast = np.interp(shares, knots, [speed(float(each)) for each in knots])
    made = np.zeros(samples)
    for number, band in enumerate(_BANDS_HZ):
        heard = sosfilt(butter(2, band, btype="band", fs=SOUND_RATE, output="sos"), noise)[_SETTLES:]
        # The faster, the brighter: higher bands come in later.
        made += heard / heard.std() * fast ** (1 + number) / (1 + number)
    place = np.clip(across * (1 - 2 * shares), -1, 1)  # it comes from where the camera goes, and is left behind
    angle = (place + 1) * np.pi / 4
    both = made[:, None] * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    return (both * _LOUD * level).astype(np.float32)
