"""Beats, bars and strong onsets of music.

What begins in a sound is told from how its spectrum grows (Böck & Widmer 2013's superflux is a kin of it), low tones
counting most, for drums that are low fall on beats where those that are high fall between them; the tempo is followed
as it changes, and beats lie where both agree best (Ellis 2007, doi:10.1080/09298210701653344), by librosa.
"""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from clevrin.core.errors import MediaError
from clevrin.core.importing import importing
from clevrin.core.media.sound_reading import read_sound, sound_seconds
from clevrin.core.media.writing import SOUND_RATE
from clevrin.core.progress import Progress, step

Numbers = NDArray[np.float64]

_RATE, _HOP = 24_000, 256
_LOW_HZ, _LOW_SHARE = 160.0, 2.0
_AT_ONCE_S = 60
LONGEST_S = 2 * 3600.0
_SILENT = 1e-4
_IN_A_BAR = 4
_SHORTEST_S = 1.0
_STRONG = 0.35
_HEARD_HOPS = 3
_QUICKEST_BPM, _QUICK_BPM = 190.0, 125.0
_AS_LOUD, _HARDLY = 0.75, 0.1
"""How strong low tones are between beats, or on every second one, against beats, where the tempo is another one."""
_LEAST_STEADY = 0.08
"""How much of what begins has to begin on beats, over what chance would have there, for there to be any."""


@dataclass(frozen=True, kw_only=True)
class Beats:
    """Of a sound, in seconds from its start: its beats, the first ones of bars, and where something begins strongly.

    `tempo_bpm` is the median; 0 where there is no beat.
    """

    tempo_bpm: float
    beats_s: tuple[float, ...]
    bars_s: tuple[float, ...]
    onsets_s: tuple[float, ...]


def find_beats(path: Path, progress: Progress) -> Beats:
    """The beats of a sound file, or of a film's sound; none of them where it has no beat.

    Costs about a second for a minute of music, and two more the first time. Raises `MediaError` for a file without
    sound, a silent one, and one of over two hours; `CancelledError` when stopped.
    """
    seconds = sound_seconds(path)
    if seconds > LONGEST_S:
        raise MediaError(f"{path.name} is {seconds / 3600:.1f} hours long: beats are looked for in two hours at most.")
    mono = _mono(path, seconds, progress)
    if not len(mono) or float(np.abs(mono).max()) < _SILENT:
        raise MediaError(f"{path.name} is silent: there is no beat in it.")
    return beats_of(mono)


def beats_of(mono: NDArray[np.float32]) -> Beats:
    """The beats of samples (n,) float32 at 24,000 a second."""
    if len(mono) < _SHORTEST_S * _RATE:
        return Beats(tempo_bpm=0.0, beats_s=(), bars_s=(), onsets_s=())
    with importing:
        import librosa  # takes two seconds, and nothing else needs it

    full = _onsets(librosa, mono, None)
    low = _onsets(librosa, mono, _LOW_HZ)
    strength = full / max(1e-9, full.max()) + _LOW_SHARE * low / max(1e-9, low.max())
    per_s = _RATE / _HOP
    found = librosa.util.peak_pick(strength, pre_max=3, post_max=4, pre_avg=20, post_avg=20, delta=_STRONG, wait=5)
    onsets_s = _times(found / per_s)
    if len(strength) < 4 * per_s or not len(found):
        return Beats(tempo_bpm=0.0, beats_s=(), bars_s=(), onsets_s=onsets_s)
    tempo = librosa.feature.tempo(
        onset_envelope=strength, sr=_RATE, hop_length=_HOP, aggregate=None, ac_size=6.0, start_bpm=115.0
    )
    beats = _tracked(librosa, strength, low, tempo)
    beats = beats[(beats >= found[0] - _HEARD_HOPS) & (beats <= found[-1] + _HEARD_HOPS)]
    if len(beats) < 4 or not _steady(strength, beats):
        return Beats(tempo_bpm=0.0, beats_s=(), bars_s=(), onsets_s=onsets_s)
    between = float(np.median(np.diff(beats))) / per_s
    return Beats(
        tempo_bpm=round(60 / between, 2),
        beats_s=_times(beats / per_s),
        bars_s=_times(beats[_first_of_bars(mono, beats) :: _IN_A_BAR] / per_s),
        onsets_s=onsets_s,
    )


def _mono(path: Path, seconds: float, progress: Progress) -> NDArray[np.float32]:
    """All of a sound on one side, at 24,000 samples a second, read in pieces."""
    with importing:
        from scipy.signal import resample_poly

    pieces = []
    count = int(np.ceil(seconds / _AT_ONCE_S))
    for number in range(count):
        step(progress, number, count)
        samples = round(min(_AT_ONCE_S, seconds - number * _AT_ONCE_S) * SOUND_RATE)
        piece = read_sound(path, number * _AT_ONCE_S, samples).mean(axis=1)
        pieces.append(resample_poly(piece, 1, SOUND_RATE // _RATE).astype(np.float32))
    return np.concatenate(pieces) if pieces else np.zeros(0, np.float32)


def _onsets(librosa: Any, mono: NDArray[np.float32], below_hz: float | None) -> Numbers:
    """How strongly something begins in each hop."""
    bands = {"n_mels": 64, "fmax": _RATE / 2} if below_hz is None else {"n_mels": 6, "fmax": below_hz}
    found = librosa.onset.onset_strength(
        y=mono, sr=_RATE, hop_length=_HOP, n_fft=2048, aggregate=np.median if below_hz is None else np.mean, **bands
    )
    return np.asarray(found, np.float64)


def _steady(strength: Numbers, beats: NDArray[np.int64]) -> bool:
    """Whether more begins on beats than anywhere."""
    near = np.zeros(len(strength), bool)
    for off in (-2, -1, 0, 1, 2):
        near[np.clip(beats + off, 0, len(strength) - 1)] = True
    total = float(strength.sum())
    return total > 0 and float(strength[near].sum()) / total - float(near.mean()) > _LEAST_STEADY


def _tracked(librosa: Any, strength: Numbers, low: Numbers, tempo: Numbers) -> NDArray[np.int64]:
    """Beats along a tempo, or along its double or half where low tones say so."""

    def along(by: float) -> NDArray[np.int64]:
        _, beats = librosa.beat.beat_track(
            onset_envelope=strength, sr=_RATE, hop_length=_HOP, bpm=tempo * by, trim=False, tightness=120
        )
        return np.asarray(beats, np.int64)

    beats, usual = along(1.0), float(np.median(tempo))
    if len(beats) < 4:
        return beats
    on = _near(low, beats)
    between = _near(low, (beats[1:] + beats[:-1]) // 2)
    if 2 * usual <= _QUICKEST_BPM and np.median(between) > _AS_LOUD * np.median(on):
        return along(2.0)
    sides = sorted((float(np.median(on[::2])), float(np.median(on[1::2]))))
    if usual >= _QUICK_BPM and sides[0] < _HARDLY * sides[1]:
        return along(0.5)
    return beats


def _near(values: Numbers, places: NDArray[np.int64]) -> Numbers:
    """The greatest value about each place."""
    around = np.clip(places[:, None] + np.arange(-_HEARD_HOPS, _HEARD_HOPS + 1), 0, len(values) - 1)
    return np.asarray(values[around].max(axis=1))


def _first_of_bars(mono: NDArray[np.float32], beats: NDArray[np.int64]) -> int:
    """Which of the first four beats begins a bar: those on which low tones are the loudest."""
    with importing:
        from scipy.signal import butter, sosfilt

    deep = sosfilt(butter(2, _LOW_HZ, fs=_RATE, output="sos"), mono) ** 2
    gone = np.concatenate([[0.0], np.cumsum(deep)])
    begins = np.clip(beats * _HOP, 0, len(mono))
    loud = gone[np.clip(begins + _RATE // 8, 0, len(mono))] - gone[begins]
    strengths = [float(np.mean(loud[first::_IN_A_BAR])) for first in range(min(_IN_A_BAR, len(beats)))]
    return int(np.argmax(strengths))


def _times(values: Numbers) -> tuple[float, ...]:
    return tuple(round(float(value), 4) for value in values)
