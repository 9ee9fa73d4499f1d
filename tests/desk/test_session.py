"""The session: what is open, what is chosen, what is saved, and what survives trouble."""

import errno
import os
import stat
from pathlib import Path

import pytest

from clevrin.core.document import Project, Shot, Span
from clevrin.core.document.edits import InsertShots, MirrorShots, RemoveShots, Rename, TrimShot
from clevrin.core.document.files import load, save
from clevrin.core.document.journal import left_behind
from clevrin.core.document.keeping import data_folder, journal_folder, last_project, remember_last, unnamed_folder
from clevrin.core.errors import DocumentError
from clevrin.core.pace import shot_at
from clevrin.desk.state.session import Session
from tests.core.test_document import take, three_shots


def refuse_to_replace(self, target):
    raise OSError(errno.EACCES, "Permission denied")


@pytest.fixture
def session(qtbot, tmp_path):
    path = tmp_path / "day.clevrin"
    save(three_shots(), path)
    made = Session()
    made.open(path)
    yield made
    made.close()


def test_opening_chooses_the_first_and_remembers_the_file(session):
    assert session.take.id == "t1" and session.shot.id == "s1" and session.saved
    assert last_project() == session.path


def test_an_edit_is_in_the_journal_at_once_and_in_the_file_when_it_is_saved(session, qtbot):
    session.do(Rename(name="evening"))
    assert not session.saved and load(session.path).name == "Untitled"
    session.autosave.close_journal(safe=False)  # as if the process had been killed here
    assert [left.project for left in left_behind(journal_folder())] == [session.project]
    session.save()
    qtbot.waitUntil(lambda: session.saved)
    assert load(session.path).name == "evening"


def test_undoing_back_to_what_was_saved_is_saved(session):
    session.do(Rename(name="evening"))
    session.undo()
    assert session.saved
    session.redo()
    assert not session.saved


def test_edits_made_while_a_save_is_under_way_are_not_taken_for_saved(session, qtbot):
    session.do(Rename(name="one"))
    session.save()
    session.do(Rename(name="two"))
    qtbot.waitUntil(lambda: not session.autosave.saving)
    assert load(session.path).name == "one" and not session.saved
    session.autosave.close_journal(safe=False)
    (left,) = left_behind(journal_folder())
    assert left.project.name == "two" and left.changes == 1


def test_a_save_that_is_still_to_follow_never_reaches_another_project(session, qtbot, tmp_path):
    save(three_shots().changed(name="other"), tmp_path / "other.clevrin")
    first = session.path
    for name in ("one", "two"):
        session.do(Rename(name=name))
        session.save()  # the second one waits for the first
    session.open(tmp_path / "other.clevrin")
    qtbot.wait(100)
    assert load(tmp_path / "other.clevrin").name == "other" and load(first).name == "two"
    assert session.saved and session.project.name == "other"


def test_an_edit_that_is_not_possible_is_told_and_changes_nothing(session, qtbot):
    before = session.project
    with qtbot.waitSignal(session.trouble) as told:
        session.do(TrimShot(shot_id="s1", span=Span(first=0, end=5000)))
    assert told.args[0] == "Trim shot is not possible: shot s1 reaches beyond its take." and session.project == before
    with qtbot.waitSignal(session.trouble):
        session.do(RemoveShots(shot_ids=("nobody",)))
    assert session.history.undo_label is None


def test_a_place_that_cannot_be_written_is_told_and_nothing_is_lost(session, qtbot, monkeypatch):
    monkeypatch.setattr(Path, "replace", refuse_to_replace)
    session.do(Rename(name="windy"))
    with qtbot.waitSignal(session.trouble) as told:
        assert not session.save_and_wait()
    assert "cannot be" in told.args[0]
    assert not session.saved and session.project.name == "windy"
    session.begin_new()
    assert [left.project.name for left in left_behind(journal_folder())] == ["windy"]


def test_a_journal_that_cannot_be_written_is_told_with_the_first_edit(qtbot, tmp_path, monkeypatch):
    """No room on the disk: told at once; the next edit writes all of it again where there is room."""
    session = Session()
    real, full = os.write, True

    def write(descriptor, data):
        if full:
            raise OSError(28, "No space left on device")
        return real(descriptor, data)

    monkeypatch.setattr(os, "write", write)
    with qtbot.waitSignal(session.trouble) as told:
        session.do(Rename(name="first"))
    assert "no space left on device" in told.args[0] and "Save the project now" in told.args[0]
    full = False
    session.do(Rename(name="second"))
    session.autosave.close_journal(safe=False)
    assert [left.project.name for left in left_behind(journal_folder())] == ["second"]
    session.close()


def test_a_folder_of_journals_that_cannot_be_made_is_told_when_a_project_is_opened(qtbot, tmp_path):
    (tmp_path / "in the way").write_text("")
    told = []
    session = Session(folder=lambda: tmp_path / "in the way" / "journals")
    session.trouble.connect(told.append)
    session.begin_new()
    assert "cannot be kept" in told[0]
    session.close()


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


def test_the_version_before_is_kept_beside_the_file(session, tmp_path):
    for name in ("one", "two", "three", "four", "five"):
        session.do(Rename(name=name))
        assert session.save_and_wait()
    kept = [load(tmp_path / f"day.earlier-{k}.clevrin").name for k in (1, 2, 3)]
    assert kept == ["four", "three", "two"]
    assert not (tmp_path / "day.earlier-4.clevrin").exists()


def test_a_file_that_something_else_changed_meanwhile_is_kept_and_told(session, qtbot, tmp_path):
    save(three_shots().changed(name="from elsewhere"), session.path)
    session.do(Rename(name="mine"))
    with qtbot.waitSignal(session.trouble) as told:
        session.save_and_wait()
    assert "changed by something else" in told.args[0]
    assert load(session.path).name == "mine" and load(tmp_path / "day.earlier-1.clevrin").name == "from elsewhere"


def test_a_second_window_on_one_file_gets_a_copy_and_is_told(session, qtbot, tmp_path):
    second = Session()
    with qtbot.waitSignal(second.trouble) as told:
        second.open(session.path)
    assert "open in another window" in told.args[0]
    assert not second.has_name and second.project == session.project
    second.do(Rename(name="second"))
    with pytest.raises(DocumentError, match="open in another window"):
        second.save_as(session.path)
    second.save_as(tmp_path / "second.clevrin")
    second.close()
    assert load(session.path).name == "Untitled"
    path = session.path
    session.begin_new()
    third = Session()
    third.open(path)
    assert third.has_name  # the claim went with the window that held it
    third.close()


def test_a_folder_that_cannot_be_written_is_no_reason_not_to_open(qtbot, tmp_path):
    if os.geteuid() == 0:
        pytest.skip("root writes everywhere")
    folder = tmp_path / "read only"
    folder.mkdir()
    save(three_shots(), folder / "day.clevrin")
    folder.chmod(stat.S_IREAD | stat.S_IEXEC)
    session = Session()
    session.open(folder / "day.clevrin")
    assert session.project == three_shots()
    session.close()
    folder.chmod(stat.S_IRWXU)


def test_saving_with_a_name_moves_on_to_that_file(session, tmp_path):
    session.save_as(tmp_path / "named.clevrin")
    assert session.path.name == "named.clevrin" and session.project.name == "named" and session.saved
    session.do(MirrorShots(shot_ids=("s2",), mirror="vertical"))
    session.save_and_wait()
    assert load(tmp_path / "named.clevrin").shot("s2").mirror == "vertical"
    assert load(tmp_path / "day.clevrin").shot("s2").mirror is None


def test_projects_without_a_name_do_not_overwrite_each_other(session):
    for name in ("first", "second"):
        session.begin_new()
        assert not session.has_name and session.take is None and session.shot is None
        session.do(InsertShots(shots=()))  # changes nothing
        from clevrin.core.document.edits import AddTakes

        session.do(AddTakes(takes=(take("t1"),)))
        session.do(Rename(name=name))
    session.begin_new()
    assert {load(path).name for path in unnamed_folder().glob("*.clevrin")} == {"first", "second"}


def test_what_was_left_behind_is_gone_on_with(qtbot, tmp_path):
    save(three_shots(), tmp_path / "day.clevrin")
    session = Session()
    session.open(tmp_path / "day.clevrin")
    session.do(Rename(name="in the middle of it"))
    session.autosave.close_journal(safe=False)
    session.autosave.close()  # the system does this for a process that is killed
    after = Session()
    (left,) = left_behind(journal_folder())
    assert left.place == tmp_path / "day.clevrin" and left.changes == 1
    after.recover(left)
    assert after.project.name == "in the middle of it" and after.path == left.place and not after.saved
    assert load(after.path).name == "Untitled"
    assert len(list(journal_folder().glob("*.journal"))) == 1  # the new one, which holds it
    after.save_and_wait()
    assert load(after.path).name == "in the middle of it"
    after.close()
    assert not list(journal_folder().glob("*.journal"))


def test_what_was_left_behind_can_be_put_aside(session):
    session.do(Rename(name="windy"))
    session.autosave.close_journal(safe=False)
    left_behind(journal_folder())[0].set_aside()
    assert not left_behind(journal_folder())
    assert len(list((journal_folder() / "aside").glob("*.journal"))) == 1


def test_removing_the_chosen_shot_chooses_another(session, qtbot):
    session.choose_shot("s2")
    assert session.take.id == "t2"
    with qtbot.waitSignal(session.selection_changed):
        session.do(RemoveShots(shot_ids=("s2",)))
    assert session.shot.id == "s1"
    session.choose_shots(("s1", "s3"))
    session.do(RemoveShots(shot_ids=("s1", "s3")))
    assert session.shot is None and session.shot_ids == ()


def test_the_playhead_stays_on_the_reel(session, qtbot):
    session.move_playhead(10_000)
    end = session.playhead
    assert end == 50 + 35 + 80 - 1 and shot_at(session.project, end).shot.id == "s3"
    with qtbot.waitSignal(session.playhead_changed):
        session.do(RemoveShots(shot_ids=("s3",)))
    assert session.playhead == 84
    session.move_playhead(-4)
    assert session.playhead == 0


def test_steps_of_one_drag_are_one_and_can_be_put_back(session):
    session.do(Rename(name="evening"))
    session.undo()
    for end in (20, 30, 40):
        session.do(TrimShot(shot_id="s1", span=Span(first=0, end=end)), gesture="drag")
    session.cancel_gesture("drag")
    assert session.project.shot("s1").span.end == 50
    assert session.history.redo_label == "Rename project"  # what could be redone before the drag still can
    session.do(InsertShots(shots=(Shot(take_id="t1", span=Span(first=0, end=9)),), at=1))
    session.undo()
    session.redo()
    assert session.project.reel.shots[1].span.frames == 9


def test_a_forgotten_or_damaged_note_of_the_last_project_is_no_reason_to_fail(tmp_path):
    assert last_project() is None
    remember_last(tmp_path / "gone.clevrin")
    assert last_project() is None
    (data_folder() / "last.json").write_text("[]")
    with pytest.raises(DocumentError, match="could not be read"):
        last_project()
    assert last_project() is None  # told once
    assert Project() != Project()  # two projects are never the same one


def test_what_was_left_behind_is_forgotten_only_when_it_is_written_down_anew(session, monkeypatch):
    session.do(Rename(name="evening"))
    session.autosave.close_journal(safe=False)
    (left,) = left_behind(journal_folder())
    real = os.write

    def full(descriptor, data):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "write", full)
    session.recover(left)
    monkeypatch.setattr(os, "write", real)
    assert session.project.name == "evening" and left.file.exists()


def test_saving_and_closing_at_once_finds_nobody_meddling(qtbot, tmp_path):
    save(three_shots(), tmp_path / "day.clevrin")
    session = Session()
    session.open(tmp_path / "day.clevrin")
    told = []
    session.trouble.connect(told.append)
    session.do(Rename(name="evening"))
    session.save()
    session.do(Rename(name="night"))
    session.close()
    assert told == [] and load(tmp_path / "day.clevrin").name == "night"


def test_an_error_in_saving_that_nobody_foresaw_is_told_and_the_next_save_tries_again(session, qtbot, monkeypatch):
    def fail(project, path):
        raise RuntimeError("of a kind that nobody thought of")

    with monkeypatch.context() as patch:
        patch.setattr("clevrin.desk.state.autosave.save", fail)
        session.do(Rename(name="evening"))
        with qtbot.waitSignal(session.trouble) as told:
            session.save()
        assert "not foreseen" in told.args[0] and not session.saved
    session.save()
    qtbot.waitUntil(lambda: session.saved)
    assert load(session.path).name == "evening"


@pytest.mark.parametrize("nonsense", ["[" * 100_000, "{}", '{"project": 3}', '{"project": "' + "x" * 5000 + '"}', "\0"])
def test_a_damaged_note_of_the_last_project_is_no_reason_not_to_start(nonsense):
    data_folder().mkdir(parents=True, exist_ok=True)
    (data_folder() / "last.json").write_text(nonsense)
    try:
        assert last_project() is None
    except DocumentError as error:
        assert "could not be read" in str(error) and (data_folder() / "aside" / "last.json").exists()
    assert last_project() is None  # told once
