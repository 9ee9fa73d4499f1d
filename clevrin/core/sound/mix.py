"""The takes' own sound along the reel, cut where the picture is cut."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Project
from clevrin.core.media.sound_reading import read_sound
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import Placed, placed_shots

_RAMP_SAMPLES = 240
"""5 ms at either end of a shot, so that no cut clicks."""


def has_sound(project: Project) -> bool:
    return any(placed.take.facts.sound for placed in placed_shots(project))


def shot_sound(placed: Placed, project: Project) -> NDArray[np.float32]:
    """The sound under a shot: (samples, 2) float32 at 48,000 per second; silence for a take without sound."""
    rate = project.reel.rate
    samples = round(placed.end * SOUND_RATE / rate) - round(placed.start * SOUND_RATE / rate)
    if not placed.take.facts.sound:
        return np.zeros((samples, 2), np.float32)
    span = placed.shot.span
    sound = read_sound(Path(placed.take.path), float(span.first / placed.take.facts.rate), samples)
    if placed.shot.reverse:
        sound = sound[::-1].copy()
    ramp = min(_RAMP_SAMPLES, samples // 2)
    if ramp:
        rise = np.linspace(0, 1, ramp, dtype=np.float32)[:, None]
        sound[:ramp] *= rise
        sound[-ramp:] *= rise[::-1]
    return sound
