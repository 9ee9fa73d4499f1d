"""How loud something is from sample to sample where it begins and ends on the reel: it never clicks."""

import numpy as np
from numpy.typing import NDArray

Sound = NDArray[np.float32]

_RAMP_SAMPLES = 480
"""10 ms: shorter than that, what begins or ends is heard as a click."""


def faded(
    sound: Sound,
    first: int,
    heard: tuple[int, int],
    halves: tuple[int, int] = (0, 0),
    fades: tuple[int, int] = (0, 0),
) -> Sound:
    """Samples from the `first` on of what is `heard` from one sample of the reel up to another, faded at both ends.

    `halves`: over how many to either side of an end it crosses into something else, as loud together as either alone.
    `fades`: over how many it comes out of silence and goes into it, softly at both ends. 0: it only must not click.
    What is not changed by that is returned as it is, bit for bit.
    """
    (begins, ends), at = heard, first + np.arange(len(sound))
    ramp = min(_RAMP_SAMPLES, (ends - begins) // 2)
    level = np.ones(len(sound))
    for half, fade, since in zip(halves, fades, (at - begins, ends - 1 - at), strict=True):
        if half:
            level *= np.sin(np.clip((since + 0.5) / (2 * half), 0, 1) * np.pi / 2)
        elif ramp > fade:
            level *= np.clip(since / ramp, 0, 1)
        if fade:
            level *= np.sin(np.clip((since + 0.5) / fade, 0, 1) * np.pi / 2) ** 2
    return scaled(sound, level)


def scaled(sound: Sound, level: NDArray[np.float64] | float) -> Sound:
    """(n, 2) times a level, one for all or one a sample; where it is 1, the very same samples."""
    if isinstance(level, float):
        return sound if level == 1 else np.asarray(sound * np.float32(level))
    return sound if (level == 1).all() else np.asarray(sound * level[:, None].astype(np.float32))
