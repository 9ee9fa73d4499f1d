"""Beats of music that was made with known ones, and of what has none."""

import wave

import numpy as np
import pytest

from clevrin.core.errors import MediaError
from clevrin.core.progress import Silent
from clevrin.core.sound.beats import beats_of, find_beats
from clevrin.demo.music import RATE, agreement, music
from tests.films import numbered_film


def written(path, samples) -> None:
    with wave.open(str(path), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(2)
        file.setframerate(RATE)
        file.writeframes((samples * 32767).astype("<i2").tobytes())


@pytest.mark.parametrize("tempos", [(120,), (96,), (100, 125)])
def test_beats_and_bars_are_found_where_they_were_put(tmp_path, tempos):
    samples, true = music(tempos, 20, seed=len(tempos))
    written(tmp_path / "tune.wav", samples)
    found = find_beats(tmp_path / "tune.wav", Silent())
    assert agreement(found.beats_s, true) > 0.94 and agreement(found.bars_s, true[::4]) > 0.8
    if len(tempos) == 1:
        assert found.tempo_bpm == pytest.approx(tempos[0], rel=0.02)


def test_what_has_no_beat_has_none():
    noise = np.random.default_rng(1).normal(0, 0.1, 24_000 * 10).astype(np.float32)
    tone = (0.3 * np.sin(2 * np.pi * 220 * np.arange(24_000 * 10) / 24_000)).astype(np.float32)
    for sound in (noise, tone, noise[:2000]):
        assert beats_of(sound).beats_s == ()


def test_what_cannot_be_heard_gets_one_sentence(tmp_path):
    written(tmp_path / "still.wav", np.zeros(RATE * 5))
    (tmp_path / "broken.wav").write_bytes(b"RIFF and no more")
    numbered_film(tmp_path / "mute.mp4", frames=10)
    cases = {
        "still.wav": "is silent",
        "broken.wav": "cannot be|can be|cut off|no sound",
        "mute.mp4": "has no sound",
        "gone.wav": "is not there",
    }
    for name, says in cases.items():
        with pytest.raises(MediaError, match=says):
            find_beats(tmp_path / name, Silent())
