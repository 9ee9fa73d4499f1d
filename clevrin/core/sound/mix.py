"""The takes' own sound along the reel, cut where the picture is cut."""

from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Project, Span, Take
from clevrin.core.media.index import index_frames
from clevrin.core.media.sound_reading import read_sound
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.pace import Placed, placed_shots, speed
from clevrin.core.sound.paced import paced_sound

Sound = NDArray[np.float32]

_RAMP_SAMPLES = 480
"""10 ms at either end of a shot, so that no cut clicks."""


def has_sound(project: Project) -> bool:
    return any(sounds(placed, project) for placed in placed_shots(project))


def sounds(placed: Placed, project: Project) -> bool:
    """Whether a shot has sound: its take has, and plays at the speed at which it was shot or at speeds of its own."""
    if not placed.take.facts.sound or placed.shot.pace.pitch == "silent":
        return False
    return not placed.even or speed(placed.take, project.reel.rate) == 1


def shot_samples(placed: Placed, project: Project) -> tuple[int, int]:
    """First sample of a shot on the reel and the one behind its last, at 48,000 per second."""
    rate = project.reel.rate
    return round(placed.start * SOUND_RATE / rate), round(placed.end * SOUND_RATE / rate)


def shot_sound(
    placed: Placed, project: Project, first: int = 0, end: int | None = None, troubles: set[str] | None = None
) -> Sound:
    """The sound under a shot: (samples, 2) float32 at 48,000 per second; silence where it has none.

    `first` and `end` choose some of its samples, counted from the start of the shot. Of a take of varying rate it
    begins at the first frame's own instant. Sentences about damaged sound are added to `troubles`.
    """
    start, stop = shot_samples(placed, project)
    total = stop - start
    end = total if end is None else min(end, total)
    count = max(0, end - first)
    if not sounds(placed, project):
        return np.zeros((count, 2), np.float32)
    if not placed.even:
        stamps = _stamps(placed.take.path, placed.take.fingerprint) if placed.take.facts.variable else None
        return _faded(paced_sound(placed, stamps, first, end, total, troubles), first, total)
    begins_s, ends_s = _instants(placed.take, placed.shot.span)
    start_s = ends_s - end / SOUND_RATE if placed.shot.reverse else begins_s + first / SOUND_RATE
    sound = read_sound(Path(placed.take.path), start_s, count, troubles)
    if placed.shot.reverse:
        sound = sound[::-1].copy()
    return _faded(sound, first, total)


def _faded(sound: Sound, first: int, total: int) -> Sound:
    """Some samples of a shot from the `first` on, faded at its ends."""
    end = first + len(sound)
    at = np.arange(first, end)
    ramp = min(_RAMP_SAMPLES, total // 2)
    if ramp and (first < ramp or end > total - ramp):
        level = np.minimum(np.minimum(at, total - 1 - at) / ramp, 1).astype(np.float32)
        sound *= level[:, None]
    return sound


def _instants(take: Take, span: Span) -> tuple[float, float]:
    """When a span of a take begins and ends, in seconds from its first frame."""
    rate = take.facts.rate
    if not take.facts.variable:
        return float(span.first / rate), float(span.end / rate)
    stamps = _stamps(take.path, take.fingerprint)
    after = float(stamps[-1] + 1 / rate)
    begins, ends = (float(stamps[at]) if at < len(stamps) else after for at in (span.first, span.end))
    return begins, ends


@lru_cache(maxsize=16)
def _stamps(path: str, fingerprint: str) -> NDArray[np.float64]:
    return index_frames(Path(path)).times_s


def reel_sound(project: Project, first: int, count: int) -> Sound:
    """Some of the reel's sound: (count, 2) float32 from a sample of the reel; silence behind its end."""
    result = np.zeros((count, 2), np.float32)
    for placed in placed_shots(project):
        start, stop = shot_samples(placed, project)
        low, high = max(first, start), min(first + count, stop)
        if low < high:
            result[low - first : high - first] = shot_sound(placed, project, low - start, high - start)
    return result
