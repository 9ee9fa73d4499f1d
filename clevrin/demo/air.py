"""What is heard on kite day, made by code: wind in gusts, steps, fluttering cloth, birds, voices far away."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from clevrin.core.importing import importing
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.outputs import put

Numbers = NDArray[np.float64]
Sound = NDArray[np.float32]

_BLOCK = 1024
_STEPS_A_SECOND = 1.9


def sound_of_take(name: str, seconds: float) -> Sound | None:
    """(n, 2) float32 at 48,000 a second of what is heard in a take; None for those that were shot without sound."""
    make = _HEARD.get(name)
    if make is None:
        return None
    count = round(seconds * SOUND_RATE)
    return np.asarray(make(np.random.default_rng(len(name)), count), np.float32)


def add_sound(film: Path, sound: Sound) -> None:
    """Gives a film without sound one, without touching its pictures."""
    with put(film) as part, av.open(str(film)) as source, av.open(str(part), "w", format="mp4") as out:
        pictures = out.add_stream_from_template(source.streams.video[0], opaque=True)
        heard = out.add_stream("aac", rate=SOUND_RATE, layout="stereo")
        for packet in source.demux(source.streams.video[0]):
            if packet.dts is not None:
                packet.stream = pictures
                out.mux(packet)
        for at in range(0, len(sound), _BLOCK):
            block = np.ascontiguousarray(sound[at : at + _BLOCK].T)
            frame = av.AudioFrame.from_ndarray(block, "fltp", "stereo")
            frame.sample_rate, frame.pts, frame.time_base = SOUND_RATE, at, Fraction(1, SOUND_RATE)
            out.mux(heard.encode(frame))
        out.mux(heard.encode(None))


def _street(rng: np.random.Generator, count: int) -> Numbers:
    """Steps on boards, and bunting that flutters."""
    made = 0.4 * _wind(rng, count, 250.0) + 0.5 * _flutter(rng, count)
    for at in np.arange(0.2, count / SOUND_RATE - 0.2, 1 / _STEPS_A_SECOND):
        step = _knock(rng, 95.0 + 20 * rng.random())
        first = round((at + 0.03 * rng.random()) * SOUND_RATE)
        end = min(count, first + len(step))
        made[first:end] += 0.9 * step[: end - first, None] * (0.8, 1.0)
    return _levelled(made, -24.0)


def _hill_wind(rng: np.random.Generator, count: int) -> Numbers:
    return _levelled(_wind(rng, count, 420.0) + 0.25 * _flutter(rng, count), -22.0)


def _meadow(rng: np.random.Generator, count: int) -> Numbers:
    """Birds, and voices that say nothing."""
    made = 0.5 * _wind(rng, count, 300.0) + 0.5 * _voices(rng, count)
    for at in np.cumsum(rng.uniform(0.4, 1.1, 40)):
        t = np.arange(round(0.14 * SOUND_RATE)) / SOUND_RATE
        pitch = rng.uniform(2600, 4200)
        song = np.sin(2 * np.pi * (pitch * t + 900 * np.sin(2 * np.pi * 22 * t) / 22)) * np.hanning(len(t))
        first = round(at * SOUND_RATE)
        if first + len(song) < count:
            side = rng.uniform(0.2, 0.8)
            made[first : first + len(song)] += 0.35 * song[:, None] * (1 - side, side)
    return _levelled(made, -25.0)


def _wind(rng: np.random.Generator, count: int, below_hz: float) -> Numbers:
    with importing:
        from scipy.signal import butter, sosfilt

    low = butter(2, (40.0, below_hz), btype="band", fs=SOUND_RATE, output="sos")
    both = sosfilt(low, rng.standard_normal((count, 2)), axis=0)
    return both / both.std() * _slowly(rng, count, 0.7)[:, None]


def _flutter(rng: np.random.Generator, count: int) -> Numbers:
    with importing:
        from scipy.signal import butter, sosfilt

    high = butter(2, (900.0, 5000.0), btype="band", fs=SOUND_RATE, output="sos")
    both = sosfilt(high, rng.standard_normal((count, 2)), axis=0)
    t = np.arange(count) / SOUND_RATE
    beats = np.clip(np.sin(2 * np.pi * 7 * t + 2 * np.sin(2 * np.pi * 0.6 * t)), 0, 1) ** 3
    return both / both.std() * (beats * _slowly(rng, count, 0.5))[:, None]


def _voices(rng: np.random.Generator, count: int) -> Numbers:
    """Two throats: buzzes whose mouths open and close, and pause."""
    with importing:
        from scipy.signal import butter, sosfilt

    t, made = np.arange(count) / SOUND_RATE, np.zeros((count, 2))
    for pitch, side in ((118.0, 0.3), (205.0, 0.7)):
        wanders = pitch * (
            1 + 0.06 * np.interp(t, np.arange(0, t[-1] + 2, 0.2), rng.normal(0, 1, int(t[-1] / 0.2) + 11))
        )
        buzz = 2 * ((np.cumsum(wanders) / SOUND_RATE) % 1) - 1
        mouth = sosfilt(butter(2, (300.0, 1400.0), btype="band", fs=SOUND_RATE, output="sos"), buzz)
        opens = np.clip(np.sin(2 * np.pi * 3.1 * t + 6 * side), 0, 1) * (_slowly(rng, count, 0.5) > 0.7)
        soft = np.convolve(opens, np.hanning(2400) / np.hanning(2400).sum(), mode="same")
        made += (mouth / mouth.std() * soft)[:, None] * (1 - side, side)
    return made


def _knock(rng: np.random.Generator, hz: float) -> Numbers:
    t = np.arange(round(0.16 * SOUND_RATE)) / SOUND_RATE
    return np.asarray(
        np.sin(2 * np.pi * hz * t) * np.exp(-38 * t) * 3 + 0.4 * rng.normal(0, 1, len(t)) * np.exp(-90 * t)
    )


def _slowly(rng: np.random.Generator, count: int, every_s: float) -> Numbers:
    """A value about 0.7 that wanders."""
    knots = rng.uniform(0.3, 1.1, int(count / SOUND_RATE / every_s) + 3)
    return np.asarray(np.interp(np.arange(count) / SOUND_RATE / every_s, np.arange(len(knots)), knots))


def _levelled(made: Numbers, rms_db: float) -> Numbers:
    return np.clip(made / made.std() * 10 ** (rms_db / 20), -0.9, 0.9)


_HEARD: dict[str, Callable[[np.random.Generator, int], Numbers]] = {
    "walk-past": _street,
    "hill": _hill_wind,
    "picnic": _meadow,
}
