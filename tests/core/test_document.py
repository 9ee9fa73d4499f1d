"""The document: values that stay valid, edits that undo, files that are never lost."""

import errno
import json
import os
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from clevrin.core.document import Hold, Join, MediaFacts, NamedSpan, Project, Reel, Shot, Span, Take, edits
from clevrin.core.document.files import load, save
from clevrin.core.document.history import History
from clevrin.core.errors import DocumentError


def facts(frames: int = 100, **other) -> MediaFacts:
    values = dict(
        width=1280,
        height=720,
        rate=Fraction(30),
        variable=False,
        frames=frames,
        seconds=frames / 30,
        rotation=0,
        codec="h264",
        pixel_format="yuv420p",
        sound=False,
    )
    return MediaFacts(**{**values, **other})


def take(id: str = "t1", frames: int = 100, path: str = "/films/walk.mp4") -> Take:
    return Take(id=id, name=id, path=path, fingerprint=f"print of {id}", facts=facts(frames))


def project_of(*shots: Shot) -> Project:
    project = Project(takes=(take("t1"), take("t2", 60)))
    return project.changed(reel=project.reel.changed(shots=shots))


def shot(id: str, take_id: str = "t1", first: int = 0, end: int = 50, **other) -> Shot:
    return Shot(id=id, take_id=take_id, span=Span(first=first, end=end), **other)


SPANS = (
    st.tuples(st.integers(0, 58), st.integers(1, 60))
    .filter(lambda s: s[0] < s[1])
    .map(lambda s: Span(first=s[0], end=s[1]))
)
IDS = st.sampled_from(["s1", "s2", "s3"])
EDITS = st.one_of(
    st.builds(lambda id, span: edits.TrimShot(shot_id=id, span=span), IDS, SPANS),
    st.builds(lambda id, to: edits.MoveShots(shot_ids=(id,), to=to), IDS, st.integers(0, 2)),
    st.builds(lambda id, keep: edits.SetHold(shot_id=id, hold=Hold(how="float", keep=keep)), IDS, st.floats(0.5, 1.0)),
    st.builds(
        lambda id, n: edits.SetLeaves(leaves=((id, Join(kind="whip cut", dissolve_frames=n)),)), IDS, st.integers(0, 6)
    ),
    st.builds(
        lambda id, m: edits.MirrorShots(shot_ids=(id,), mirror=m), IDS, st.sampled_from([None, "horizontal", "both"])
    ),
    st.builds(lambda span: edits.AddSpan(take_id="t2", span=NamedSpan(name="1", span=span)), SPANS),
    st.builds(lambda name: edits.Rename(name=name), st.text(max_size=20)),
)


def three_shots() -> Project:
    return project_of(shot("s1"), shot("s2", "t2", 5, 40), shot("s3", "t1", 10, 90))


@given(st.lists(EDITS, max_size=12))
def test_undo_inverts_any_row_of_edits_and_redo_makes_them_again(row):
    history = History(three_shots())
    states = [history.project]
    for edit in row:
        if history.do(edit):
            states.append(history.project)
    final = history.project
    for state in reversed(states[:-1]):
        assert history.undo() and history.project == state
    assert not history.undo()
    while history.redo():
        pass
    assert history.project == final


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(st.lists(EDITS, max_size=6))
def test_save_and_load_is_the_identity(tmp_path, row):
    history = History(three_shots())
    for edit in row:
        history.do(edit)
    save(history.project, tmp_path / "p.clevrin")
    assert load(tmp_path / "p.clevrin") == history.project


def test_a_drag_is_one_step_and_escape_leaves_nothing_behind():
    history = History(three_shots())
    start = history.project
    for end in (30, 40, 45):
        history.do(edits.TrimShot(shot_id="s1", span=Span(first=0, end=end)), gesture="drag 1")
    assert history.project.shot("s1").span.end == 45
    history.end_gesture()
    history.do(edits.TrimShot(shot_id="s1", span=Span(first=0, end=20)), gesture="drag 1")
    assert history.cancel_gesture("drag 1")
    assert history.project.shot("s1").span.end == 45 and history.redo_label is None
    history.undo()
    assert history.project == start


def test_an_edit_that_changes_nothing_is_no_step():
    history = History(three_shots())
    assert not history.do(edits.Rename(name=history.project.name))
    assert history.undo_label is None


def test_the_first_take_gives_an_empty_reel_its_size_and_rate():
    film = take().changed(facts=facts(width=1079, height=1921, rate=Fraction(60)))
    project = edits.AddTakes(takes=(film,)).apply(Project())
    assert (project.reel.width, project.reel.height, project.reel.rate) == (1078, 1920, Fraction(60))
    later = edits.AddTakes(takes=(take("t9"),)).apply(project)
    assert later.reel == project.reel


def test_removing_a_take_takes_its_shots_along():
    project = edits.RemoveTake(take_id="t1").apply(three_shots())
    assert [s.id for s in project.reel.shots] == ["s2"]


@pytest.mark.parametrize(
    "make",
    [
        lambda: Span(first=5, end=5),
        lambda: project_of(shot("s1", end=101)),
        lambda: project_of(shot("s1", take_id="nobody")),
        lambda: project_of(shot("s1"), shot("s1")),
        lambda: Hold(how="float", keep=0.2),
        lambda: Join(dissolve_frames=7),
        lambda: take().changed(spans=(NamedSpan(name="1", span=Span(first=0, end=101)),)),
    ],
)
def test_what_makes_no_sense_is_refused(make):
    with pytest.raises(ValueError):
        make()


def test_fields_of_a_later_version_survive(tmp_path):
    path = tmp_path / "p.clevrin"
    save(three_shots(), path)
    data = json.loads(path.read_text())
    del data["checksum"]
    data["mood"] = "windy"
    data["reel"]["shots"][0]["hold"]["patience"] = 3
    path.write_text(json.dumps(data))
    save(load(path), path)
    again = json.loads(path.read_text())
    assert again["mood"] == "windy" and again["reel"]["shots"][0]["hold"]["patience"] == 3


def test_takes_are_found_when_the_folder_moves(tmp_path):
    old, new = tmp_path / "old", tmp_path / "new"
    old.mkdir()
    project = Project(takes=(take(path=str(old / "walk.mp4")),))
    save(project, old / "p.clevrin")
    old.rename(new)
    assert load(new / "p.clevrin").takes[0].path == str(new / "walk.mp4")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "not a Clevrin project"),
        ("{", "damaged at line 1"),
        ("[1, 2]", "names no version"),
        ('{"schema_version": 99}', "newer Clevrin"),
        ('{"schema_version": 1, "reel": {"rate": "0"}}', "damaged at reel › rate"),
        ('{"schema_version": 1, "takes": 7}', "damaged at takes"),
        ("[" * 100_000, "not a Clevrin project"),
    ],
)
def test_a_bad_project_file_gets_a_sentence_and_stays_as_it_is(tmp_path, text, says):
    path = tmp_path / "bad.clevrin"
    path.write_text(text)
    with pytest.raises(DocumentError, match=says):
        load(path)
    assert path.read_text() == text


def test_bytes_that_are_no_text_get_a_sentence(tmp_path):
    path = tmp_path / "bad.clevrin"
    path.write_bytes(b"\xff\xfe\x00kite")
    with pytest.raises(DocumentError, match="not text"):
        load(path)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=60, deadline=None)
@given(st.integers(0, 3000), st.integers(1, 40), st.binary(max_size=8))
def test_any_damage_gives_a_project_or_a_sentence(tmp_path, at, length, instead):
    path = tmp_path / "p.clevrin"
    save(three_shots(), path)
    data = path.read_bytes()
    path.write_bytes(data[: at % len(data)] + instead + data[at % len(data) + length :])
    try:
        assert isinstance(load(path), Project)
    except DocumentError as error:
        assert "\n" not in str(error)


def test_saving_where_nothing_can_be_written_leaves_the_old_file(tmp_path, monkeypatch):
    def refuse(self, target):
        raise OSError(errno.ENOSPC, "No space left on device")

    path = tmp_path / "p.clevrin"
    save(three_shots(), path)
    before = path.read_bytes()
    monkeypatch.setattr(Path, "replace", refuse)
    with pytest.raises(DocumentError, match="no room"):
        save(Project(name="other"), path)
    assert path.read_bytes() == before


def test_nothing_is_left_beside_a_saved_file(tmp_path):
    save(three_shots(), tmp_path / "p.clevrin")
    assert [p.name for p in tmp_path.iterdir()] == ["p.clevrin"]


def test_a_name_has_no_character_that_ends_a_text_elsewhere():
    assert Project(name="Kite\x00day").name == "Kiteday"
    assert Project().changed(name="\x00").name == ""


def test_rates_are_bounded_where_they_enter():
    """A long film with odd ticks gives a rate that no reader takes: what can be made can be read again."""
    monstrous = Fraction(1080630000, 36057049)
    made = facts(rate=monstrous)
    assert (
        made.rate == pytest.approx(29.97, abs=0.001)
        and made.rate.denominator <= 1001
        and Reel(rate=29.97).rate.denominator < 10**9
    )
    assert facts(rate=Fraction(30000, 1001)).rate == Fraction(30000, 1001)


def test_what_is_made_can_always_be_read_back(tmp_path):
    odd = three_shots().changed(reel=three_shots().reel.changed(rate=Fraction(1080630000, 36057049)))
    save(odd, tmp_path / "p.clevrin")
    assert load(tmp_path / "p.clevrin") == odd


def test_half_characters_are_refused_where_they_enter(tmp_path):
    with pytest.raises(ValueError, match="no character"):
        Project(name="kite \ud83e")
    with pytest.raises(ValueError, match="no character"):
        take().changed(note="\ud83e")
    save(three_shots(), tmp_path / "p.clevrin")
    lines = [line for line in (tmp_path / "p.clevrin").read_text().split("\n") if "checksum" not in line]
    (tmp_path / "q.clevrin").write_text("\n".join(lines).replace('"Untitled"', '"Untitled", "later": "\\ud83e"'))
    with pytest.raises(DocumentError):
        load(tmp_path / "q.clevrin")


def test_a_save_that_could_not_be_read_again_leaves_what_was_there(tmp_path, monkeypatch):
    path = tmp_path / "p.clevrin"
    save(three_shots(), path)
    before = path.read_bytes()
    monkeypatch.setattr("clevrin.core.document.files.text_of", lambda *_: "{")
    with pytest.raises(DocumentError, match="could not be read again"):
        save(three_shots(), path)
    assert path.read_bytes() == before


def test_a_project_of_absurdly_many_values_is_told_at_once(tmp_path, monkeypatch):
    monkeypatch.setattr("clevrin.core.document.files._MOST_VALUES", 1000)
    monkeypatch.setattr("clevrin.core.document.files._LARGE_TEXT", 1000)
    (tmp_path / "p.clevrin").write_text('{"schema_version": 2, "takes": [' + "3, " * 5000 + "3]}")
    with pytest.raises(DocumentError):
        load(tmp_path / "p.clevrin")


@pytest.mark.parametrize("kind", ["fifo", "device"])
def test_a_project_is_read_from_a_regular_file_alone(tmp_path, kind):
    path = tmp_path / "p.clevrin"
    os.mkfifo(path) if kind == "fifo" else path.symlink_to("/dev/zero")
    with pytest.raises(DocumentError, match="regular file"):
        load(path)


def test_a_project_behind_a_link_is_saved_where_the_link_leads(tmp_path):
    save(three_shots(), tmp_path / "real.clevrin")
    (tmp_path / "link.clevrin").symlink_to(tmp_path / "real.clevrin")
    save(three_shots().changed(name="windy"), tmp_path / "link.clevrin")
    assert (tmp_path / "link.clevrin").is_symlink() and load(tmp_path / "real.clevrin").name == "windy"


def test_a_project_is_never_saved_over_one_of_its_takes(tmp_path):
    film = tmp_path / "take.clevrin"
    film.write_bytes(b"footage")
    project = Project(takes=(take().changed(path=str(film)),))
    with pytest.raises(DocumentError, match="made from"):
        save(project, film)
    assert film.read_bytes() == b"footage"
