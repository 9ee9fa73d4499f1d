"""Music of our own, made by code, so that its beats are known: drums, and a tune that wanders."""

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

RATE = 48_000
Sound = NDArray[np.float32]

_BLOCK = 960
_HIT_S = 0.25
_ROOT_HZ = 220.0
_SCALE = (0, 2, 4, 7, 9, 12)


def music(tempos_bpm: Sequence[float], seconds: float, seed: int, *, between: float = 0.7) -> tuple[Sound, list[float]]:
    """Samples (n,) at 48,000 a second and the instants of the beats in seconds, four to a bar from the first on.

    Tempos follow each other in equal parts. `between`: how loud is what is beaten between the beats.
    """
    rng = np.random.default_rng(seed)
    made = np.zeros(int((seconds + 1) * RATE))
    beats: list[float] = []
    at = 0.3 + float(rng.uniform(0, 0.5))
    while at < seconds - 0.3:
        tempo = tempos_bpm[min(len(tempos_bpm) - 1, int(at / seconds * len(tempos_bpm)))]
        lasts, number = 60 / tempo, len(beats)
        beats.append(at)
        loud = 1.0 if number % 4 == 0 else 0.8
        _add(made, at, _drum() if number % 2 == 0 else _snare(rng), loud)
        if number % 2:
            _add(made, at, _drum(), 0.35)
        _add(made, at + lasts / 2, _hiss(rng), between)
        if rng.random() < 0.4:
            _add(made, at + lasts * 0.75, _hiss(rng), 0.7 * between)
        late = lasts / 2 if rng.random() < 0.3 else 0.0
        _add(made, at + late, _note(float(rng.choice(_SCALE)), lasts), 0.25)
        at += lasts
    return (made / np.abs(made).max() * 0.8).astype(np.float32), beats


def kite_day() -> tuple[Sound, list[float]]:
    """The music of the demo: its samples, and its beats in seconds."""
    return music((120.0,), 24.0, seed=12, between=0.4)


def write_sound(path: Path, sound: Sound) -> None:
    """Writes samples (n,) at 48,000 a second as Opus in Ogg, on both sides."""
    both = np.repeat(np.ascontiguousarray(sound)[None], 2, axis=0)
    with av.open(str(path), "w", format="ogg") as out:
        stream = out.add_stream("libopus", rate=RATE, layout="stereo")
        for at in range(0, both.shape[1], _BLOCK):
            block = av.AudioFrame.from_ndarray(np.ascontiguousarray(both[:, at : at + _BLOCK]), "fltp", "stereo")
            block.sample_rate, block.pts, block.time_base = RATE, at, Fraction(1, RATE)
            out.mux(stream.encode(block))
        out.mux(stream.encode(None))


def agreement(found: Sequence[float], true: Sequence[float], within_s: float = 0.07) -> float:
    """The F-measure of instants that were found: the nearest true one within a time counts, and each but once."""
    free, right = list(true), 0
    for at in found:
        nearest = min(free, key=lambda each, at=at: abs(each - at), default=None)  # type: ignore[misc]
        if nearest is not None and abs(nearest - at) <= within_s:
            free.remove(nearest)
            right += 1
    return 2 * right / max(1, len(found) + len(true))


def _add(made: NDArray[np.float64], at_s: float, hit: NDArray[np.float64], loud: float) -> None:
    first = int(at_s * RATE)
    hit = hit[: max(0, len(made) - first)]
    made[first : first + len(hit)] += loud * hit


def _time(seconds: float = _HIT_S) -> NDArray[np.float64]:
    return np.arange(int(seconds * RATE)) / RATE


def _drum() -> NDArray[np.float64]:
    t = _time()
    return np.asarray(np.sin(2 * np.pi * (50 * t + 10 * (1 - np.exp(-30 * t)))) * np.exp(-18 * t))


def _snare(rng: np.random.Generator) -> NDArray[np.float64]:
    t = _time()
    return np.asarray((0.5 * rng.normal(0, 1, len(t)) + 0.5 * np.sin(2 * np.pi * 190 * t)) * np.exp(-25 * t))


def _hiss(rng: np.random.Generator) -> NDArray[np.float64]:
    t = _time()
    return np.asarray(0.5 * rng.normal(0, 1, len(t)) * np.exp(-70 * t))


def _note(steps: float, seconds: float) -> NDArray[np.float64]:
    t = _time(seconds)
    return np.asarray(np.sin(2 * np.pi * _ROOT_HZ * 2 ** (steps / 12) * t) * np.exp(-3 * t))
