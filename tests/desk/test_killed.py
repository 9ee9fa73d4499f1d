"""The application is killed in the middle of random edits, time and again, and every edit is found again."""

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest
from PySide6.QtCore import Qt

from clevrin.core.document.edits import Rename
from clevrin.core.document.files import load, save
from clevrin.core.document.journal import Journal
from clevrin.core.document.keeping import journal_folder
from tests.core.test_document import three_shots


@pytest.mark.soak
def test_killed_in_the_middle_of_edits_every_edit_is_found_again(tmp_path, warm_cache, times):
    count = times(5, 1000)
    env = {**os.environ, "XDG_CACHE_HOME": str(warm_cache)}
    root = Path(__file__).parent.parent.parent
    result = subprocess.run(
        [sys.executable, "-m", "tests.desk.victims", str(tmp_path / "runs"), str(count)],
        env=env,
        cwd=root,
        capture_output=True,
        text=True,
        timeout=30 * count,
    )
    assert result.returncode == 0, result.stderr[-2000:]
    runs = [json.loads(line) for line in result.stdout.splitlines()]
    assert len(runs) == count
    exact = 0
    for run in runs:
        if run["found"] and run["written"] > run["changes"]:
            # Killed after an edit was written and before it was said; a drag writes each of its steps.
            assert run["written"] <= run["changes"] + 6, run
            continue
        assert run["found"] <= 1 and run["found_state"] == run["state"], run
        exact += 1
    assert exact > count / 2
    assert sum(run["edits"] for run in runs) > count


@pytest.fixture
def left(tmp_path):
    """A window that was killed with one change that it had not saved."""
    path = tmp_path / "kite-day.clevrin"
    save(three_shots().changed(name="kite-day"), path)
    journal = Journal(journal_folder(), load(path), place=path, saved=True)
    journal.record(Rename(name="windy").apply(load(path)))
    journal.abandon()
    return path


def test_the_next_start_offers_what_was_there_and_goes_on_with_it(left, hands):
    window = hands.window
    window.projects.offer_what_was_left(window.settings.journal_folder)
    assert "1 change that was not saved" in window.offers.sentence.lower() and window.offers.isVisible()
    hands.click(window.offers.buttons[0])
    assert window.session.project.name == "windy" and window.session.path == left and not window.offers.isVisible()
    hands.key(Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    hands.until(lambda: window.session.saved)
    assert load(left).name == "windy" and load(left.with_name("kite-day.earlier-1.clevrin")).name == "kite-day"


def test_what_is_offered_can_be_put_aside_and_is_not_lost(left, hands):
    window = hands.window
    window.projects.offer_what_was_left(window.settings.journal_folder)
    hands.click(window.offers.buttons[1])
    assert not window.offers.isVisible() and load(left).name == "kite-day"
    window.projects.offer_what_was_left(window.settings.journal_folder)
    assert window.offers.sentence == ""
    assert len(list((journal_folder() / "aside").glob("*.journal"))) == 1


def test_work_goes_on_while_an_offer_waits(left, hands):
    window = hands.window
    window.projects.offer_what_was_left(window.settings.journal_folder)
    window.projects.open(left)
    window.session.do(Rename(name="meanwhile"))
    hands.click(window.offers.buttons[0])
    assert window.session.project.name == "windy"
    window.projects.offer_what_was_left(window.settings.journal_folder)  # what was made meanwhile is not lost either
    assert "1 change" in window.offers.sentence


def test_a_window_whose_changes_can_be_written_nowhere_does_not_close_at_once(hands, tmp_path, monkeypatch):
    window, session = hands.window, hands.window.session
    session.save_as(tmp_path / "day.clevrin")

    def full(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.write", full)
    monkeypatch.setattr("os.fsync", full)
    session.do(Rename(name="the last one"))
    assert "no space left on device" in window.trouble.text()
    window.close()
    assert window.isVisible() and "nowhere but in this window" in window.trouble.text()
    monkeypatch.undo()  # somebody made room
    window.close()
    assert not window.isVisible() and load(tmp_path / "day.clevrin").name == "the last one"


def test_of_a_damaged_project_the_last_good_copy_is_offered(hands, tmp_path):
    window, session = hands.window, hands.window.session
    path = tmp_path / "kite-day.clevrin"
    session.save_as(path)
    session.do(Rename(name="second"))
    session.save_and_wait()
    session.begin_new()
    path.write_bytes(damaged := path.read_bytes()[:-300])
    window.projects.open(path)
    assert "damaged" in window.offers.sentence and "last good copy" in window.offers.sentence
    hands.click(window.offers.buttons[0])
    assert session.project.name == "kite-day" and session.path == path and not session.saved
    assert path.read_bytes() == damaged  # until the user saves
    session.save_and_wait()
    assert load(path).name == "kite-day"
