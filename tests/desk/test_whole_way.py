"""The whole job as a user does it, from dropped files to the rendered film."""

import pytest
from PySide6.QtCore import Qt

from clevrin.core.document.edits import SetReel
from clevrin.core.document.files import load
from clevrin.core.document.keeping import unnamed_folder
from clevrin.core.media.probe import probe
from clevrin.demo.footage_maker import FOOTAGE
from tests.core.test_render import one_fast_stretch


def test_from_files_to_one_move(measured_demo, hands, tmp_path):
    window, session = hands.window, hands.window.session
    # Log: two takes dropped on the window, measured by themselves.
    hands.drop_files(FOOTAGE / "walk-past.mp4", FOOTAGE / "hill.mp4")
    hands.until(lambda: len(session.project.takes) == 2)
    hands.measured()
    walk, hill = session.project.takes
    assert window.log.cards.list.words_of(walk.id) == "1 whip"
    # A span by I and O, put on the reel with Enter.
    hands.look_at(walk.id)
    window.player.seek(20)
    hands.until(lambda: window.log.transport.frame_words.startswith("frame 20 "))
    hands.key(Qt.Key.Key_I)
    assert session.project.take(walk.id).span.first == 20
    hands.key(Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    hands.until(lambda: window.log.transport.frame_words.startswith("frame 30 "))
    hands.key(Qt.Key.Key_Return)
    hands.click_card(hill.id)
    hands.key(Qt.Key.Key_Return)
    assert [s.take_id for s in session.project.reel.shots] == [walk.id, hill.id]
    # Steady: float for the first shot.
    session.choose_shot(session.project.reel.shots[0].id)
    hands.key(Qt.Key.Key_2)
    hands.click(window.steady.sheet.controls["how"].buttons["float"])
    hands.until(lambda: window.measurements.held(session.shot) is not None)
    hands.until(lambda: "nothing is empty" in window.steady.sheet.controls["keep"].note.text())
    # Join: the best proposal, taken with Enter.
    hands.key(Qt.Key.Key_5)
    hands.until(lambda: window.join.table.rowCount() > 0)
    hands.until(lambda: window.join.take_button.isEnabled())
    assert window.player.playing  # previewed in a loop
    hands.key(Qt.Key.Key_Return)
    first, second = session.project.reel.shots
    assert first.leave.kind == "whip cut" and abs(first.span.end - 138) <= 1 and abs(second.span.first - 9) <= 1
    assert first.span.first == 20
    # Played in the Log bench.
    hands.key(Qt.Key.Key_1)
    hands.click(window.log.reel_button)
    hands.key(Qt.Key.Key_Space)
    hands.until(lambda: session.playhead > 10)
    assert window.player.playing
    hands.key(Qt.Key.Key_Space)
    assert not window.player.playing
    # All of it undone and redone.
    final, labels = session.project, []
    while session.history.undo_label:
        labels.append(session.history.undo_label)
        hands.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not session.project.takes and not session.project.reel.shots
    assert labels[0] == "Join shots" and labels[-1] == "Add 2 takes"
    for _ in labels:
        hands.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    assert session.project == final
    # Saved with a name, rendered (small: it is quicker), opened again.
    session.do(SetReel(rate=session.project.reel.rate, width=640, height=360))
    hands.do("save-as")
    hands.name_file(tmp_path / "afternoon.clevrin")
    hands.until(lambda: (tmp_path / "afternoon.clevrin").exists())
    assert load(tmp_path / "afternoon.clevrin").reel == session.project.reel
    hands.do("render")
    hands.name_file(tmp_path / "afternoon.mp4")
    hands.until(lambda: (tmp_path / "afternoon.mp4").exists() and not window.jobs.busy)
    assert "Rendered afternoon.mp4" in window.header.strip.words
    facts = probe(tmp_path / "afternoon.mp4")
    assert facts.frames == sum(s.span.frames for s in session.project.reel.shots)
    hands.drop_files(tmp_path / "afternoon.mp4")
    hands.until(lambda: len(session.project.takes) == 3)
    one_fast_stretch(tmp_path / "afternoon.mp4", tmp_path, angle=0)


def test_files_that_are_no_films_are_named_beside_the_cards_and_the_rest_goes_on(hands, tmp_path):
    (tmp_path / "notes.txt").write_text("bring string")
    (tmp_path / "empty.mp4").write_bytes(b"")
    hands.drop_files(tmp_path / "notes.txt", FOOTAGE / "picnic.mp4", tmp_path / "empty.mp4")
    session, trouble = hands.window.session, hands.window.log.cards.trouble
    hands.until(lambda: len(session.project.takes) == 1)
    assert (
        trouble.isVisible() and "notes.txt is not a film" in trouble.text() and "empty.mp4 is empty." in trouble.text()
    )
    hands.click(trouble)
    assert not trouble.isVisible()
    hands.drop_files(FOOTAGE / "picnic.mp4")
    hands.until(lambda: "is here already" in trouble.text())
    assert len(session.project.takes) == 1


def test_takes_are_added_by_the_dialog(hands):
    hands.click(hands.window.log.cards.add_button)
    hands.name_file(FOOTAGE / "hill.mp4")
    hands.until(lambda: [t.name for t in hands.window.session.project.takes] == ["hill"])


@pytest.mark.parametrize(("text", "says"), [("{", "damaged"), ('{"schema_version": 7}', "newer")])
def test_a_project_that_cannot_be_opened_is_told_and_what_is_open_stays(demo, tmp_path, text, says):
    before = demo.window.session.project
    bad = tmp_path / "bad.clevrin"
    bad.write_text(text)
    demo.do("open")
    demo.name_file(bad)
    demo.until(lambda: demo.window.trouble.isVisible())
    assert says in demo.window.trouble.text()
    assert demo.window.session.project == before and bad.read_text() == text


def test_a_render_that_cannot_be_written_is_told(demo, tmp_path):
    demo.window.rendering.render_to(tmp_path / "nowhere" / "film.mp4")
    demo.until(lambda: demo.window.trouble.isVisible())
    assert "is not there" in demo.window.trouble.text()
    take = demo.window.session.project.takes[0].path
    from pathlib import Path

    demo.window.rendering.render_to(Path(take))
    demo.until(lambda: "is what this is made from" in demo.window.trouble.text())


def test_a_render_is_stopped_by_its_button_and_leaves_nothing(demo, tmp_path):
    demo.window.rendering.render_to(tmp_path / "film.mp4")
    demo.until(lambda: " / 354" in demo.window.header.strip.words)
    demo.click(demo.window.header.strip.stop_button)
    demo.until(lambda: not demo.window.jobs.states)
    demo.until(lambda: demo.window.jobs.idle)  # the writer has had its time
    assert not list(tmp_path.glob("film*"))


def test_an_edit_is_saved_by_its_key(demo):
    session = demo.window.session
    demo.key(Qt.Key.Key_F)
    mirrored = session.project
    assert session.shot.mirror == "horizontal"
    assert not session.saved
    demo.key(Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    demo.until(lambda: session.saved)
    assert load(session.path) == mirrored


def test_a_project_without_a_name_is_kept_too(hands):
    hands.drop_files(FOOTAGE / "hill.mp4")
    session = hands.window.session
    hands.until(lambda: session.project.takes)
    made = session.project
    hands.do("new")
    assert not session.project.takes
    kept = [load(path) for path in unnamed_folder().glob("*.clevrin")]
    assert kept == [made]
