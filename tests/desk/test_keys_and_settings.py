"""The key table and the settings: searched, changed, kept, and what cannot be is told."""

import json

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest

from clevrin.core.errors import ClevrinError
from clevrin.desk.shell.actions import ACTIONS, HELD_KEYS
from clevrin.desk.shell.keys import Keys
from clevrin.desk.shell.window import MainWindow
from clevrin.desk.state.settings import SETTINGS, Settings

CTRL = Qt.KeyboardModifier.ControlModifier


def action(id: str):
    return next(a for a in ACTIONS if a.id == id)


@pytest.fixture
def sheet(hands):
    hands.key(Qt.Key.Key_F1)
    made = hands.window.key_sheet
    assert made.isVisible()
    yield made
    made.close()


def rows(sheet) -> list[tuple[str, str]]:
    return [(sheet.table.item(r, 0).text(), sheet.table.item(r, 1).text()) for r in range(sheet.table.rowCount())]


def test_every_action_and_held_key_is_in_the_table(sheet):
    listed = dict(rows(sheet))
    assert len(rows(sheet)) == len(ACTIONS) + len(HELD_KEYS)
    for each in ACTIONS:
        keys = ", ".join(QKeySequence(k).toString(QKeySequence.SequenceFormat.NativeText) for k in each.keys)
        assert listed[each.words] == (keys or "–")


@pytest.mark.parametrize(("typed", "found"), [("mirror", 3), ("ctrl+d", 2), ("whip", 2), ("zebra", 0)])
def test_the_table_is_searched(sheet, typed, found):
    QTest.keyClicks(sheet.search, typed)
    assert len(rows(sheet)) == found


def test_a_key_is_changed_works_at_once_and_is_kept(sheet, hands):
    window = hands.window
    sheet.choose("settings")
    hands.click(sheet.change_button)
    assert "Press the new key" in sheet.change_button.text()
    QTest.keyClick(sheet, Qt.Key.Key_H, CTRL)
    assert dict(rows(sheet))["Settings…"] == "Ctrl+H"
    assert [s.toString() for s in window.actions_by_id["settings"].shortcuts()] == ["Ctrl+H"]
    again = MainWindow()  # the next start
    assert [s.toString() for s in again.actions_by_id["settings"].shortcuts()] == ["Ctrl+H"]
    again.close()
    again.deleteLater()
    sheet.choose("settings")
    hands.click(sheet.reset_button)
    assert dict(rows(sheet))["Settings…"] == "Ctrl+," and window.settings.keys == {}


def test_a_clash_is_told_and_the_key_is_given_only_when_asked(sheet, hands):
    window = hands.window
    sheet.choose("split")
    hands.click(sheet.change_button)
    QTest.keyClick(sheet, Qt.Key.Key_F)
    assert "F is the key of “Mirror” already." in sheet.trouble.text() and window.settings.keys == {}
    hands.click(sheet.give_button)
    listed = dict(rows(sheet))
    assert listed["Split at the playhead"] == "F" and listed["Mirror"] == "–"
    assert not window.actions_by_id["mirror"].shortcuts()
    hands.click(sheet.reset_all_button)
    assert dict(rows(sheet))["Mirror"] == "F" and window.settings.keys == {}


def test_a_held_key_cannot_be_taken_and_escape_changes_nothing(sheet, hands):
    sheet.choose("split")
    for key in (Qt.Key.Key_B, Qt.Key.Key_Escape):
        hands.click(sheet.change_button)
        QTest.keyClick(sheet, key)
    assert "held down" in sheet.trouble.text() or not sheet.trouble.isVisible()
    assert hands.window.settings.keys == {} and sheet.change_button.text() == "Change the key"


def test_no_two_actions_ever_share_a_key(qapp, tmp_path):
    settings = Settings(file=tmp_path / "s.json")
    keys = Keys(settings)
    keys.give(action("split"), "Space")
    keys.give(action("marker"), "Ctrl+Z")
    keys.reset([action("play")])
    taken = [QKeySequence(k).toString() for a in ACTIONS for k in keys.of(a)]
    assert len(taken) == len(set(taken))
    assert keys.of(action("split")) == () and keys.of(action("undo")) == ()


# Settings


def test_every_setting_has_words_a_default_that_can_be_and_a_control(hands):
    hands.do("settings")
    sheet = hands.window.settings_sheet
    assert sheet.isVisible() and set(sheet.controls) == {entry.id for entry in SETTINGS}
    for entry in SETTINGS:
        assert entry.title and entry.help.endswith(".")
        hands.window.settings.set(entry.id, entry.default)
    sheet.close()


def test_settings_are_kept_and_those_of_a_damaged_file_are_the_defaults(qapp, tmp_path):
    file = tmp_path / "config" / "settings.json"
    settings = Settings(file=file)
    settings.set("proxy_threshold", 1280)
    settings.set("preview_quality", "half")
    assert Settings(file=file).value("proxy_threshold") == 1280
    for bad in (0, 10**6, "many", 12.5, True, None):
        with pytest.raises(ClevrinError, match="960 to 8192 px"):
            settings.set("proxy_threshold", bad)
    data = json.loads(file.read_text())
    data["values"] |= {"proxy_threshold": "x", "unknown": 3, "scale": 150}
    file.write_text(json.dumps(data))
    again = Settings(file=file)
    assert again.value("proxy_threshold") == 1920 and again.value("scale") == 150
    for text in ("", "[]", '{"values": 3}', "\x00"):
        file.write_text(text)
        assert Settings(file=file).value("preview_quality") == "full"


def test_settings_that_cannot_be_kept_are_told_beside_them(hands):
    hands.do("settings")
    window, sheet = hands.window, hands.window.settings_sheet
    window.settings.file.unlink()
    window.settings.file.parent.rmdir()
    window.settings.file.parent.write_text("in the way")
    hands.click(sheet.controls["preview_quality"].buttons["half"])
    assert sheet.trouble.isVisible() and "cannot be kept" in sheet.trouble.text()
    sheet.close()


def test_half_the_preview_is_half_the_pixels(demo):
    window = demo.window
    demo.look_at(window.session.project.takes[0].id)
    full = window.log.viewer.pixels[0].shape
    demo.do("settings")
    demo.click(window.settings_sheet.controls["preview_quality"].buttons["half"])
    demo.until(lambda: abs(window.log.viewer.pixels[0].shape[0] - full[0] / 2) <= 2)
    window.settings_sheet.close()


def test_the_autosave_place_holds_from_the_next_project_on(hands, tmp_path):
    hands.do("settings")
    sheet = hands.window.settings_sheet
    line = sheet.controls["journal_folder"]
    line.setText(str(tmp_path / "elsewhere"))
    line.editingFinished.emit()
    sheet.close()
    hands.do("new")
    assert len(list((tmp_path / "elsewhere").glob("*.journal"))) == 1
