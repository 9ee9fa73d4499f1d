"""The session: what is open, what is chosen, what is saved, and what survives trouble."""

import pytest

from clevrin.core.document import Shot, Span
from clevrin.core.document.edits import InsertShot, MirrorShot, RemoveShot, Rename, TrimShot
from clevrin.core.document.files import load, save
from clevrin.core.document.keeping import data_folder, last_project, remember_last, unnamed_file
from clevrin.core.errors import DocumentError
from clevrin.core.pace import shot_at
from clevrin.desk.session import Session
from tests.core.test_document import three_shots


@pytest.fixture
def session(qtbot, tmp_path):
    path = tmp_path / "day.clevrin"
    save(three_shots(), path)
    made = Session()
    made.open(path)
    return made


def test_opening_chooses_the_first_and_remembers_the_file(session):
    assert session.take.id == "t1" and session.shot.id == "s1" and session.saved
    assert last_project() == session.path


def test_an_edit_is_saved_a_moment_later(session, qtbot):
    with qtbot.waitSignal(session.project_changed):
        session.do(Rename(name="evening"))
    assert not session.saved
    qtbot.waitUntil(lambda: session.saved)
    assert load(session.path).name == "evening"


def test_an_edit_that_is_not_possible_is_told_and_changes_nothing(session, qtbot):
    before = session.project
    with qtbot.waitSignal(session.trouble) as told:
        session.do(TrimShot(shot_id="s1", span=Span(first=0, end=5000)))
    assert "Trim shot is not possible" in told.args[0] and session.project == before
    with qtbot.waitSignal(session.trouble):
        session.do(RemoveShot(shot_id="nobody"))
    assert session.history.undo_label is None


def test_a_place_that_cannot_be_written_is_told_and_nothing_is_lost(session, qtbot):
    (session.path.with_name(session.path.name + ".part")).mkdir()
    session.do(Rename(name="windy"))
    with qtbot.waitSignal(session.trouble) as told:
        session.save_now()
    assert "cannot be" in told.args[0]
    assert not session.saved and session.project.name == "windy"


def test_a_bad_file_leaves_what_is_open(session, tmp_path):
    (tmp_path / "bad.clevrin").write_text("{")
    before = session.project
    with pytest.raises(DocumentError):
        session.open(tmp_path / "bad.clevrin")
    assert session.project == before and session.path.name == "day.clevrin"


def test_opening_another_project_saves_the_one_that_was_open(session, tmp_path):
    first = session.path
    save(three_shots().changed(name="other"), tmp_path / "other.clevrin")
    session.do(Rename(name="changed at the last moment"))
    session.open(tmp_path / "other.clevrin")
    assert load(first).name == "changed at the last moment"
    assert session.history.undo_label is None  # another project, another history


def test_saving_with_a_name_moves_on_to_that_file(session, tmp_path, qtbot):
    session.save_as(tmp_path / "named.clevrin")
    assert session.path.name == "named.clevrin" and session.project.name == "named"
    session.do(MirrorShot(shot_id="s2", mirror="vertical"))
    qtbot.waitUntil(lambda: session.saved)
    assert load(tmp_path / "named.clevrin").shot("s2").mirror == "vertical"
    assert load(tmp_path / "day.clevrin").shot("s2").mirror is None


def test_a_new_project_has_no_name_and_is_kept_all_the_same(session, qtbot):
    session.begin_new()
    assert not session.has_name and session.take is None and session.shot is None
    session.do(Rename(name="sketch"))
    qtbot.waitUntil(lambda: session.saved)
    assert load(unnamed_file()).name == "sketch"


def test_removing_the_chosen_shot_chooses_another(session, qtbot):
    session.choose_shot("s2")
    assert session.take.id == "t2"
    with qtbot.waitSignal(session.selection_changed):
        session.do(RemoveShot(shot_id="s2"))
    assert session.shot.id == "s1"
    for shot_id in ("s1", "s3"):
        session.do(RemoveShot(shot_id=shot_id))
    assert session.shot is None


def test_the_playhead_stays_on_the_reel(session, qtbot):
    session.move_playhead(10_000)
    end = session.playhead
    assert end == 50 + 35 + 80 - 1 and shot_at(session.project, end).shot.id == "s3"
    with qtbot.waitSignal(session.playhead_changed):
        session.do(RemoveShot(shot_id="s3"))
    assert session.playhead == 84
    session.move_playhead(-4)
    assert session.playhead == 0


def test_steps_of_one_drag_are_one_and_can_be_put_back(session):
    for end in (20, 30, 40):
        session.do(TrimShot(shot_id="s1", span=Span(first=0, end=end)), gesture="drag")
    session.cancel_gesture("drag")
    assert session.project.shot("s1").span.end == 50 and session.history.redo_label is None
    session.do(InsertShot(shot=Shot(take_id="t1", span=Span(first=0, end=9)), at=1))
    session.undo()
    session.redo()
    assert session.project.reel.shots[1].span.frames == 9


def test_a_forgotten_or_damaged_note_of_the_last_project_is_no_reason_to_fail(tmp_path):
    assert last_project() is None
    remember_last(tmp_path / "gone.clevrin")
    assert last_project() is None
    (data_folder() / "last.json").write_text("[]")
    assert last_project() is None
