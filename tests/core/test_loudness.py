"""Loudness against the figures of EBU Tech 3341, and sound that is brought to one."""

import numpy as np
import pytest

from clevrin.core.media.sound_reading import sound_blocks
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.core.sound.loudness import loudness_of
from tests.core.test_segments import project_of, takes

__all__ = ["takes"]
RATE = 48_000


def tone(level_db: float, seconds: float, hz: float = 1000.0) -> np.ndarray:
    t = np.arange(round(seconds * RATE)) / RATE
    return np.repeat((10 ** (level_db / 20) * np.sin(2 * np.pi * hz * t))[:, None], 2, axis=1).astype(np.float32)


def measured(*parts: np.ndarray):
    whole = np.concatenate(parts)
    return loudness_of(whole[at : at + 7001] for at in range(0, len(whole), 7001))


@pytest.mark.parametrize(
    ("levels", "lufs"),
    [
        (((-23, 20),), -23.0),  # cases 1 to 5 of EBU Tech 3341
        (((-33, 20),), -33.0),
        (((-36, 10), (-23, 60), (-36, 10)), -23.0),
        (((-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)), -23.0),
        (((-26, 20), (-20, 20.1), (-26, 20)), -23.0),
    ],
)
def test_the_figures_of_the_reference_signals(levels, lufs):
    assert measured(*(tone(*each) for each in levels)).lufs == pytest.approx(lufs, abs=0.1)


@pytest.mark.parametrize(("levels", "range_lu"), [((-20, -30), 10.0), ((-20, -15), 5.0), ((-40, -20), 20.0)])
def test_the_range_of_the_reference_signals(levels, range_lu):
    """Cases 1 to 3 of EBU Tech 3342, to 1 LU."""
    assert measured(*(tone(level, 20) for level in levels)).range_lu == pytest.approx(range_lu, abs=1)


def test_true_peaks_lie_between_samples_and_silence_has_none():
    rises = np.clip(np.arange(5 * RATE) / RATE, 0, 1)
    one = 0.5 * rises * np.sin(2 * np.pi * np.arange(5 * RATE) / 4 + np.pi / 4)  # its samples all miss its peaks
    quarter = np.repeat(one[:, None], 2, axis=1).astype(np.float32)
    assert np.abs(quarter).max() < 0.36
    assert measured(quarter).peak_db == pytest.approx(-6, abs=0.4)
    silent = measured(np.zeros((RATE, 2), np.float32))
    assert silent.lufs is None and silent.peak_db is None and silent.gain_to(-16) == 1.0


def test_sound_is_brought_to_a_loudness_as_far_as_its_peaks_allow(takes, tmp_path):
    project = project_of(takes[:1], (0, 70))
    with Sources.of(Shelf(tmp_path / "shelf")) as sources:
        for wanted, reached in ((-23.0, True), (-0.5, False)):
            path, troubles = tmp_path / "sound.wav", set[str]()
            export_reel(ExportRequest(project=project, path=path, lufs=wanted), sources, Silent(), troubles)
            found = loudness_of(sound_blocks(path))
            assert found.peak_db < -0.8
            if reached:
                assert found.lufs == pytest.approx(wanted, abs=0.1) and not troubles
            else:
                (sentence,) = troubles
                assert f"at {found.lufs:.1f} LUFS, not -0.5" in sentence
