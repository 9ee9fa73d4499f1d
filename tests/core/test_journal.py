"""The journal: what it holds after any row of edits is what was there, wherever it is torn."""

import fcntl
import json
import re
import zlib
from datetime import datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from clevrin.core.document import Marker, NamedSpan, Project, Span, edits
from clevrin.core.document import journal as journal_module
from clevrin.core.document.claim import claim
from clevrin.core.document.files import save
from clevrin.core.document.history import History
from clevrin.core.document.journal import Found, Journal, applied, difference, left_behind, look_through
from tests.core.test_document import EDITS, shot, take, three_shots

MORE = st.one_of(
    EDITS,
    st.builds(lambda n: edits.AddMarker(marker=Marker(frame=n)), st.integers(0, 90)),
    st.builds(lambda ids: edits.RemoveShots(shot_ids=ids), st.sampled_from([("s1",), ("s2", "s3")])),
    st.builds(lambda id: edits.duplicate((id,)), st.sampled_from(["s1", "s2", "s3"])),
    st.builds(lambda text: edits.NoteTake(take_id="t1", note=text), st.text(max_size=30)),
    st.builds(
        lambda name: edits.AddSpan(take_id="t2", span=NamedSpan(name=name, span=Span(first=3, end=9))),
        st.text(max_size=8),
    ),
    st.builds(lambda: edits.RemoveTake(take_id="t2")),
    st.builds(lambda w: edits.SetReel(rate=25, width=w * 2, height=720), st.integers(8, 900)),
)


def states_of(row) -> list[Project]:
    """The states of a project while a row of edits is made, as far as they are possible."""
    history = History(three_shots())
    states = [history.project]
    for edit in row:
        try:
            history.do(edit)
        except (KeyError, ValueError):
            continue
        states.append(history.project)
    return states


@given(st.lists(MORE, max_size=8))
def test_a_difference_applied_gives_the_other_project(row):
    states = states_of(row)
    for before in states[:3]:
        for after in states[-3:]:
            assert applied(before, difference(before, after)) == after


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None, max_examples=60)
@given(st.lists(MORE, min_size=1, max_size=6), st.floats(0, 1))
def test_a_journal_torn_anywhere_holds_the_state_of_its_last_whole_line(tmp_path, row, share):
    folder = tmp_path / str(datetime.now().timestamp())
    states = states_of(row)
    journal = Journal(folder, states[0], place=None, saved=False)
    sizes = [journal.file.stat().st_size]
    for state in states[1:]:
        journal.record(state)
        sizes.append(journal.file.stat().st_size)
    journal.abandon()
    cut = sizes[0] + int(share * (sizes[-1] - sizes[0]))
    journal.file.write_bytes(journal.file.read_bytes()[:cut])
    (left,) = left_behind(folder)
    whole = sum(size - 1 <= cut for size in sizes) - 1  # a line is whole without the end of line behind it
    assert left.project == states[whole] and left.changes == whole


def test_what_was_saved_is_not_offered(tmp_path):
    journal = Journal(tmp_path, three_shots(), place=tmp_path / "day.clevrin", saved=True)
    journal.record(three_shots().changed(name="windy"))
    journal.note_saved(1)
    journal.abandon()
    assert left_behind(tmp_path) == [] and not list(tmp_path.glob("*.journal"))


def test_only_changes_after_the_last_save_are_counted(tmp_path):
    states = [three_shots().changed(name=name) for name in ("a", "b", "c", "d")]
    journal = Journal(tmp_path, states[0], place=tmp_path / "day.clevrin", saved=True)
    journal.record(states[1])
    journal.note_saved(1)
    journal.record(states[2])
    journal.record(states[3])
    journal.abandon()
    (left,) = left_behind(tmp_path)
    assert left.project == states[3] and left.changes == 2 and left.place == tmp_path / "day.clevrin"
    assert abs(left.when - datetime.now()) < timedelta(minutes=1)


def test_the_journal_of_a_living_window_is_left_alone(tmp_path):
    journal = Journal(tmp_path, three_shots(), place=None, saved=False)
    assert left_behind(tmp_path) == [] and journal.file.exists()
    journal.rewrite(three_shots().changed(name="anew"), place=None, saved=False)
    assert left_behind(tmp_path) == [] and journal.file.exists()  # the new file is locked before it has its name
    journal.abandon()
    assert len(left_behind(tmp_path)) == 1


@pytest.mark.parametrize("nothing", [b"", b"clevrin-journal 1\n"])
def test_a_journal_that_holds_nothing_is_thrown_away(tmp_path, nothing):
    (tmp_path / "x.journal").write_bytes(nothing)
    assert left_behind(tmp_path) == [] and not list(tmp_path.rglob("*.journal"))


def abandoned(folder: Path, names=("a", "b")) -> Path:
    """A journal of a window that was killed: a project with changes of its name."""
    project = three_shots()
    journal = Journal(folder, project, place=folder / "day.clevrin", saved=False)
    for name in names:
        project = project.changed(name=name)
        journal.record(project)
    journal.abandon()
    return journal.file


@pytest.mark.parametrize("nonsense", [b"clevrin-journal 9\n{}", b"\x00" * 4000, b"clevrin-journal 1\nxx\nyy\n"])
def test_what_cannot_be_read_is_put_aside_and_told_not_deleted(tmp_path, nonsense):
    (tmp_path / "x.journal").write_bytes(nonsense)
    found = look_through(tmp_path)
    assert found.left == () and [file.read_bytes() for file in found.unreadable] == [nonsense]
    assert found.unreadable[0].parent == tmp_path / "aside"
    assert look_through(tmp_path) == Found(left=(), unreadable=())  # told once


def test_a_journal_of_a_newer_clevrin_is_put_aside(tmp_path):
    file = abandoned(tmp_path)
    head, base, *rest = file.read_bytes().split(b"\n")
    text = base.partition(b" ")[2].replace(b'"schema_version":2', b'"schema_version":9')
    file.write_bytes(b"\n".join([head, b"%08x %s" % (zlib.crc32(text), text), *rest]))
    found = look_through(tmp_path)
    assert found.left == () and len(found.unreadable) == 1 and found.unreadable[0].is_file()


def test_the_last_ten_of_those_put_aside_are_kept(tmp_path):
    for number in range(13):
        (tmp_path / f"{number}.journal").write_bytes(b"nonsense\nnonsense")
        look_through(tmp_path)
    assert len(list((tmp_path / "aside").glob("*.journal"))) == 10


def test_one_flipped_bit_anywhere_in_the_first_line_loses_nothing_that_is_whole_behind_it(tmp_path):
    whole = abandoned(tmp_path / "first").read_bytes()
    start, end = (match.start() for match in list(re.finditer(b"\n", whole))[:2])
    for at in range(start + 1, end, 97):
        folder = tmp_path / str(at)
        folder.mkdir()
        data = bytearray(whole)
        data[at] ^= 1 << at % 8
        (folder / "x.journal").write_bytes(bytes(data))
        found = look_through(folder)
        (kept,) = [each.file for each in found.left] + list(found.unreadable)
        assert kept.read_bytes() == bytes(data) and kept.parent.name == "aside"
        for left in found.left:
            assert left.damaged
            left.forget()
            assert kept.exists()  # what could not all be read is never thrown away


def test_where_the_first_line_is_lost_the_saved_project_takes_its_place(tmp_path):
    save(three_shots(), tmp_path / "day.clevrin")
    file = abandoned(tmp_path)
    data = file.read_bytes()
    at = data.index(b'"project":') + len(b'"project":')
    file.write_bytes(data[:at] + b"#" + data[at + 1 :])
    (left,) = left_behind(tmp_path)
    assert left.damaged and left.project.name == "b" and len(left.project.reel.shots) == 3


def test_a_change_of_an_older_version_is_brought_to_this_one(tmp_path):
    """Version 1 had one chosen span of a take at most."""
    project = three_shots()
    old = json.loads(project.model_dump_json())
    for each in old["takes"]:
        del each["spans"]
        each["chosen"] = None
    old["schema_version"] = 1
    changed = {**old["takes"][0], "chosen": {"first": 3, "end": 9}}
    lines = [{"place": None, "saved": False, "project": old}, {"change": {"takes": {"changed": [changed]}}}]
    (tmp_path / "x.journal").write_bytes(
        b"clevrin-journal 1\n" + b"".join(journal_module.line_of(each) for each in lines)
    )
    (left,) = left_behind(tmp_path)
    assert left.project.takes[0].spans[0].span == Span(first=3, end=9) and not left.damaged


def test_a_long_journal_is_written_anew(tmp_path, monkeypatch):
    monkeypatch.setattr("clevrin.core.document.journal._REWRITE_BYTES", 40_000)
    project = three_shots()
    journal = Journal(tmp_path, project, place=None, saved=False)
    for number in range(200):
        project = project.changed(name=f"kite {number}" * 20)
        journal.record(project)
        assert journal.file.stat().st_size < 60_000
    journal.abandon()
    assert left_behind(tmp_path)[0].project == project


def test_a_change_of_one_shot_among_many_is_a_short_line(tmp_path):
    shots = tuple(shot(f"s{k}") for k in range(300))
    project = Project(takes=(take("t1"),)).changed(reel=three_shots().reel.changed(shots=shots))
    changed = edits.TrimShot(shot_id="s7", span=Span(first=1, end=9)).apply(project)
    assert set(difference(project, changed)) == {"shots"}
    assert len(difference(project, changed)["shots"]["changed"]) == 1
    journal = Journal(tmp_path, project, place=None, saved=True)
    before = journal.file.stat().st_size
    journal.record(changed)
    assert journal.file.stat().st_size - before < 600
    journal.close()


def test_a_claim_on_a_file_that_was_thrown_away_meanwhile_is_made_anew(tmp_path, monkeypatch):
    """Between opening the file and locking it who had it let go of it: what would be held is seen by nobody."""
    path, real, calls = tmp_path / "day.clevrin", fcntl.flock, []

    def late(descriptor: int, how: int) -> None:
        if not calls:
            next(tmp_path.glob(".*open")).unlink()
        calls.append(1)
        real(descriptor, how)

    monkeypatch.setattr(fcntl, "flock", late)
    first = claim(path, tmp_path / "spare")
    assert first is not None and len(calls) == 2
    assert claim(path, tmp_path / "spare") is None
    first.release()


def test_one_claim_a_file(tmp_path):
    path = tmp_path / "day.clevrin"
    first = claim(path, tmp_path / "spare")
    assert first is not None and claim(path, tmp_path / "spare") is None
    first.release()
    second = claim(path, tmp_path / "spare")
    assert second is not None
    second.release()
    assert not list(tmp_path.glob(".*open"))
