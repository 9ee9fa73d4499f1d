"""Music in the window: laid, dragged under the reel, made louder, its beats set and removed, taken away; all undone."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit

from clevrin.core.document.music import USUAL_DB
from clevrin.demo.music import music
from clevrin.desk.music.sheet import MusicSheet
from clevrin.desk.widgets import theme
from tests.core.test_beats import written
from tests.desk.conftest import Hands, pixels_of


@pytest.fixture
def tune(tmp_path):
    samples, _ = music((120,), 20, seed=3)
    written(tmp_path / "tune.wav", samples)
    return tmp_path / "tune.wav"


def undo(hands: Hands) -> None:
    hands.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


def laid(demo: Hands, tune) -> Hands:
    demo.window.music.lay(tune)
    demo.until(lambda: demo.window.session.project.music is not None)
    return demo


def beats(hands: Hands) -> list[int]:
    return [m.frame for m in hands.window.session.project.reel.markers if m.kind == "beat"]


def typed(hands: Hands, entry: QLineEdit, words: str) -> None:
    hands.click(entry)
    entry.selectAll()
    QTest.keyClicks(entry, words)
    QTest.keyClick(entry, Qt.Key.Key_Return)


def opened(hands: Hands) -> MusicSheet:
    """The sheet of the music, opened by its key."""
    hands.key(Qt.Key.Key_H)
    sheet = hands.window.sides.music
    hands.until(sheet.isActiveWindow)
    return sheet


def outlined(hands: Hands) -> float:
    """How much of the strip of the music has its outline."""
    left, top, width, height = hands.window.reel.layout_now.music_box()
    pixels = pixels_of(hands.window.reel)[int(top) : int(top + height), int(left) : int(left + width)]
    quiet = theme.colour("quiet").getRgb()[:3]
    return float((np.abs(pixels.astype(int) - quiet).max(axis=2) < 6).mean())


def test_a_sound_that_is_dropped_lies_under_the_reel_with_its_beats(demo, tune):
    window = demo.window
    before = window.session.project
    demo.drop_files(tune)
    demo.until(lambda: window.session.project.music is not None)
    assert window.session.project.music.name == "tune" and len(beats(demo)) > 15
    assert len(window.session.project.takes) == len(before.takes)
    assert "tune lies under the reel" in window.header.strip.words
    demo.until(lambda: outlined(demo) > 0.05)  # its outline is drawn
    undo(demo)
    assert window.session.project == before


def test_the_music_is_dragged_along_the_reel_and_its_beats_with_it(demo, tune):
    laid(demo, tune)
    reel, session = demo.window.reel, demo.window.session
    before, there = session.project, beats(demo)
    left, top, _, height = reel.layout_now.music_box()
    step = reel.layout_now.px_per_frame
    demo.drag(reel, (left + 60, top + height / 2), (left + 60 + 30 * step, top + height / 2))
    assert session.project.music.start_s == pytest.approx(1.0, abs=0.04)
    assert beats(demo) == [frame + 30 for frame in there]
    undo(demo)
    assert session.project == before


def test_music_is_set_in_its_sheet_and_taken_away(demo, tune):
    laid(demo, tune)
    session = demo.window.session
    sheet = opened(demo)
    assert "beats on the reel" in sheet.beats_note.text()
    level = sheet.sheet.controls["level"]
    assert level.number == USUAL_DB
    typed(demo, level.entry, "-12")
    assert session.project.music.level_db == -12
    undo(demo)
    assert session.project.music.level_db == USUAL_DB
    typed(demo, sheet.sheet.controls["level"].entry, "loud")
    assert sheet.trouble.isVisible() and session.project.music.level_db == USUAL_DB
    typed(demo, sheet.sheet.controls["start"].entry, "0.5")
    assert session.project.music.start_s == pytest.approx(0.5)
    demo.click(sheet.remove_button)
    assert session.project.music is None and not sheet.sheet.controls["level"].isVisible()
    undo(demo)
    assert session.project.music is not None


def test_even_beats_are_set_by_tempo_and_found_again(demo, tune):
    laid(demo, tune)
    sheet = opened(demo)
    found = beats(demo)
    typed(demo, sheet.sheet.controls["tempo"].entry, "90")
    typed(demo, sheet.sheet.controls["first"].entry, "0.1")
    assert beats(demo) == found  # noted only
    demo.click(sheet.even_button)
    assert beats(demo)[:4] == [3, 23, 43, 63]
    demo.click(sheet.clear_button)
    assert beats(demo) == []
    demo.click(sheet.find_button)
    demo.until(lambda: beats(demo))
    assert beats(demo) == found


def test_music_that_cannot_be_says_why_and_changes_nothing(demo, tmp_path):
    (tmp_path / "tune.wav").write_text("la la la")
    before = demo.window.session.project
    demo.window.music.lay(tmp_path / "tune.wav")
    demo.until(lambda: demo.window.trouble.isVisible())
    assert "tune.wav" in demo.window.trouble.text() and demo.window.session.project == before


def test_music_without_a_beat_is_laid_all_the_same_and_says_so(demo, tmp_path):
    written(tmp_path / "hum.wav", np.zeros(48_000 * 3))
    laid(demo, tmp_path / "hum.wav")
    assert "silent" in demo.window.trouble.text() and beats(demo) == []


def test_music_that_went_missing_is_seen(demo, tune):
    laid(demo, tune)
    demo.until(lambda: outlined(demo) > 0.05)
    lies = demo.window.session.project.music
    tune.unlink()
    demo.window.session.begin_of(demo.window.session.project)
    demo.until(lambda: demo.window.waveforms.trouble(lies) is not None)
    written(tune, music((120,), 20, seed=3)[0])
    demo.window.waveforms.look_again()
    demo.until(lambda: outlined(demo) > 0.05 and demo.window.waveforms.trouble(lies) is None)
