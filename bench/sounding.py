"""Sound along the map of time: where it is heard, whether it drifts, and how a kept pitch sounds beside a library's."""

import tempfile
import wave
from pathlib import Path

import librosa
import numpy as np
from numpy.typing import NDArray

from bench.rows import Row
from clevrin.core.document import Pace, PacePoint, Project, Reel, Shot
from clevrin.core.media.sound_reading import SoundReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.pace import placed_shots
from clevrin.core.sound.mix import ReelSound
from clevrin.core.sound.stretching import HOP, MARGIN, stretched
from tests.films import clicks, numbered_film

RATE = 48_000
_HOUR_S = 3600
_CLICK_S = 0.005

Sound = NDArray[np.float64]


def sounding_rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        return [*_ramp_rows(folder), *_hour_rows(folder), *_pitch_rows()]


def _ramp_rows(folder: Path) -> list[Row]:
    """Clicks near the start and the end of a take, and between, along ramps: how far from where they are due."""
    at_s = [0.1, 1.0, 2.0, 3.0, 3.9]
    take = take_in(numbered_film(folder / "clicks.mp4", frames=120, sound=clicks(at_s, 4.0)))
    points = (PacePoint(frame=20, speed=1.0), PacePoint(frame=60, speed=0.5), PacePoint(frame=100, speed=2.0))
    rows = []
    for pitch in ("along", "kept"):
        late = []
        for reverse in (False, True):
            shot = Shot(take_id=take.id, span=take.whole, pace=Pace(points=points, pitch=pitch)).played(reverse=reverse)
            project = Project(takes=(take,), reel=Reel(shots=(shot,), width=192, height=108))
            reel, placed = ReelSound(project), placed_shots(project)[0]
            sound = np.abs(reel.read(0, reel.samples)).max(axis=1)
            gone = placed.time.seen(np.arange(reel.samples) / RATE * 30 - 0.5).progress
            seconds = (120 - gone if reverse else gone) / 30
            for at in at_s:
                due = int(np.argmin(np.abs(seconds - at)))
                near = sound[max(0, due - 1200) : due + 1200]
                late.append(abs(int(np.argmax(near)) - min(due, 1200)) / RATE * 1000)
        words = f"{np.mean(late):.2f} ms, worst {max(late):.2f}"
        rows.append(Row(f"sound along ramps, pitch {pitch}, from where it is due", "5 ms", words, max(late) <= 5))
    return rows


def _hour_rows(folder: Path) -> list[Row]:
    """An hour of sound, read through in pieces and looked up: clicks at its end against where they are."""
    at_s = [float(at) for at in (1, 600, 1800, 3000, 3598)]
    with wave.open(str(folder / "hour.wav"), "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(2)
        out.setframerate(44_100)
        for second in range(_HOUR_S):
            made = np.zeros(44_100)
            if float(second) in at_s:
                made[:40] = np.hanning(81)[40:80]  # its peak is the first sample of the second
            out.writeframes((made * 32_000).astype("<i2").tobytes())
    through, jumped = SoundReader(), SoundReader()
    late: dict[str, list[float]] = {"read through": [], "looked up": []}
    for second in range(_HOUR_S - 1):
        piece = through.read(folder / "hour.wav", second - 0.5, RATE)
        if float(second) in at_s:
            late["read through"].append(_off_ms(piece[:, 0]))
            late["looked up"].append(_off_ms(jumped.read(folder / "hour.wav", second - 0.5, RATE)[:, 0]))
    words = ", ".join(f"{how} {max(each):.2f} ms" for how, each in late.items())
    worst = max(max(each) for each in late.values())
    return [Row("drift of sound over an hour, 44.1 kHz", "none (5 ms)", words, worst <= 5)]


def _off_ms(piece: NDArray[np.float32]) -> float:
    return abs(int(np.argmax(np.abs(piece))) - RATE // 2) / RATE * 1000


def _pitch_rows() -> list[Row]:
    """A chord and a row of clicks at other speeds: pitch, evenness and clicks, beside the library's own method."""
    t = np.arange(12 * RATE) / RATE
    tones = ((196.0, 0.3), (247.0, 0.2), (294.0, 0.15), (392.0, 0.15))
    chord = sum(loud * np.sin(2 * np.pi * hz * t) for hz, loud in tones)
    row_of = clicks(list(np.arange(0.5, 11.5, 0.25)), 12.0)
    ours_even, plain_even, ours_sharp, plain_sharp, off = [], [], [], [], []
    for speed in (0.5, 0.75, 1.5, 2.0):
        ours, plain = _kept(np.asarray(chord), speed), librosa.effects.time_stretch(np.asarray(chord), rate=speed)
        middle = slice(RATE, len(ours) - RATE)
        off.append(abs(_strongest(ours[middle]) / _strongest(np.asarray(chord)) - 1) * 100)
        ours_even.append(_unevenness_db(ours[middle]) - _unevenness_db(np.asarray(chord)))
        plain_even.append(_unevenness_db(plain[RATE : len(plain) - RATE]) - _unevenness_db(np.asarray(chord)))
        ours_sharp.append(_sharpness(_kept(row_of, speed)))
        plain_sharp.append(_sharpness(librosa.effects.time_stretch(row_of, rate=speed)))
    even, sharp = (np.mean(ours_even), np.mean(plain_even)), (np.mean(ours_sharp), np.mean(plain_sharp))
    return [
        Row("a kept pitch against that of the recording", "1 %", f"{max(off):.2f} %", max(off) <= 1),
        Row("unevenness of a chord that a kept pitch adds, plain: a phase vocoder", "plain's",
            f"{even[0]:.2f} dB, plain {even[1]:.2f} dB", bool(even[0] <= even[1])),
        Row("how sharp clicks stay with a kept pitch (crest), plain: the same", "plain's",
            f"{sharp[0]:.1f}, plain {sharp[1]:.1f}", bool(sharp[0] >= sharp[1])),
    ]  # fmt: skip


def _kept(sound: Sound, speed: float) -> Sound:
    both = np.repeat(sound[:, None], 2, axis=1).astype(np.float32)
    padded = np.pad(both, ((MARGIN, MARGIN), (0, 0)))
    places = np.arange(0, len(sound), HOP * speed)
    made = stretched(places, np.full(len(places), speed), lambda first, count: padded[first + MARGIN :][:count])
    return np.asarray(made[:, 0], np.float64)


def _strongest(sound: Sound) -> float:
    """The strongest tone, in Hz."""
    power = np.abs(np.fft.rfft(sound * np.hanning(len(sound))))
    return float(np.argmax(power) * RATE / len(sound))


def _unevenness_db(sound: Sound) -> float:
    """How much the loudness of 50 ms varies."""
    pieces = sound[: len(sound) // 2400 * 2400].reshape(-1, 2400)
    return float(np.std(10 * np.log10((pieces**2).mean(axis=1) + 1e-9)))


def _sharpness(sound: Sound) -> float:
    """How far clicks stand out: the loudest of each quarter of a second over its mean power."""
    inside = sound[RATE // 2 : len(sound) - RATE // 2]
    pieces = inside[: len(inside) // 12_000 * 12_000].reshape(-1, 12_000)
    return float(np.median(np.abs(pieces).max(axis=1) / np.sqrt((pieces**2).mean(axis=1) + 1e-12)))
