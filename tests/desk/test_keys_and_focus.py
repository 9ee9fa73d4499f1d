"""Keys go to where a bench's work is: whichever way it was entered, Enter does what its main button says."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QApplication, QFileDialog

from clevrin.desk.shell.rail import STEPS

STEP_KEYS = {step.id: getattr(Qt.Key, f"Key_{step.number}") for step in STEPS}


def focused_in(window) -> bool:
    """Whether the keys go to the bench that is entered, and to no button of it."""
    focused = QApplication.focusWidget()
    inside = focused is window.bench or window.bench.isAncestorOf(focused)
    return inside and not isinstance(focused, QAbstractButton)


def test_a_bench_that_is_entered_by_key_has_the_keys(demo):
    for before in STEP_KEYS:
        for step, key in STEP_KEYS.items():
            demo.type_key(STEP_KEYS[before])
            demo.type_key(key)
            assert demo.window.bench is getattr(demo.window, step) and focused_in(demo.window), (before, step)


def test_enter_in_log_puts_the_chosen_span_on_the_reel(demo):
    window, session = demo.window, demo.window.session
    demo.type_key(STEP_KEYS["join"])
    demo.type_key(STEP_KEYS["log"])
    demo.type_key(Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    chosen, shots = session.take, len(session.project.reel.shots)
    assert "Enter" in window.log.sheet.put_button.text()
    demo.type_key(Qt.Key.Key_Return)
    assert window.findChild(QFileDialog, "files") is None
    assert len(session.project.reel.shots) == shots + 1 and session.project.reel.shots[-1].take_id == chosen.id


def test_enter_in_join_takes_the_proposal_that_is_chosen(demo):
    window, session = demo.window, demo.window.session
    demo.type_key(STEP_KEYS["join"])
    demo.until(lambda: window.join.table.rowCount() > 1)
    before = session.project
    demo.type_key(Qt.Key.Key_Down)
    demo.until(lambda: window.join.take_button.isEnabled())
    assert "Enter" in window.join.take_button.text()
    demo.type_key(Qt.Key.Key_Return)
    assert session.project != before and session.history.undo_label == "Join shots"


def test_enter_in_steady_changes_nothing(demo):
    before = demo.window.session.project
    demo.type_key(STEP_KEYS["steady"])
    demo.type_key(Qt.Key.Key_Return)
    assert demo.window.session.project == before and demo.window.findChild(QFileDialog, "files") is None


def test_a_button_that_was_reached_with_tab_is_pressed(demo):
    window = demo.window
    window.log.reel_button.setFocus(Qt.FocusReason.TabFocusReason)
    demo.type_key(Qt.Key.Key_Return)
    assert window.log.shows_reel


def test_what_goes_away_with_the_focus_gives_it_to_the_bench(demo):
    window = demo.window
    window.log.sheet.note.setFocus()
    window.log.sheet.note.hide()
    assert focused_in(window)


def test_escape_leaves_the_field_that_is_typed_in(demo):
    window = demo.window
    window.log.cards.search.setFocus()
    demo.type_key(Qt.Key.Key_Escape)
    assert focused_in(window)
