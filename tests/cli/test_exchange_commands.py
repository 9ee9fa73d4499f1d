"""Commands that hand work on and take it back, and those that open the window with files."""

import json

import pytest

from clevrin.core.document import Project, Reel, Shot, Span
from clevrin.core.document.files import load, save
from clevrin.core.media.taking_in import take_in
from clevrin.desk.shell import application
from tests.films import numbered_film


@pytest.fixture
def project(tmp_path):
    """A saved project with one take, a span of it on the reel."""
    take = take_in(numbered_film(tmp_path / "kite.mp4", frames=40))
    reel = Reel(shots=(Shot(take_id=take.id, span=Span(first=5, end=25)),))
    save(Project(name="day", takes=(take,), reel=reel), tmp_path / "day.clevrin")
    return tmp_path / "day.clevrin"


def test_a_reel_goes_out_as_a_timeline_and_comes_back(clevrin, project, tmp_path):
    assert clevrin("export-otio", project, "--out", tmp_path / "day.otio") == (0, "", "")
    assert json.loads((tmp_path / "day.otio").read_text())["OTIO_SCHEMA"].startswith("Timeline")
    assert clevrin("import-otio", tmp_path / "day.otio", "--out", tmp_path / "again.clevrin") == (0, "", "")
    assert load(tmp_path / "again.clevrin") == load(project)


def test_what_a_reel_has_not_is_listed(clevrin, project, tmp_path):
    import opentimelineio as otio

    timeline = otio.adapters.read_from_file(str(_timeline(clevrin, project, tmp_path)), "otio_json")
    timeline.tracks.append(otio.schema.Track("music", kind="Audio"))
    otio.adapters.write_to_file(timeline, str(tmp_path / "more.otio"), "otio_json")
    code, out, _ = clevrin("import-otio", tmp_path / "more.otio", "--out", tmp_path / "again.clevrin")
    assert code == 0 and out.strip() == "Track 2 “music” (sound, 0 clips) was left out: a reel has one lane."


def _timeline(clevrin, project, tmp_path):
    clevrin("export-otio", project, "--out", tmp_path / "day.otio")
    return tmp_path / "day.otio"


def test_a_take_list_goes_out_and_comes_back(clevrin, project, tmp_path):
    table = tmp_path / "takes.csv"
    assert clevrin("export-takes", project, "--out", table)[0] == 0
    lines = table.read_text().splitlines()
    table.write_text(f"{lines[0]}\n{lines[1].replace(',,,,,,,', ',keep,windy,good,3,9,,')}\n")
    assert clevrin("import-takes", project, table, "--out", tmp_path / "noted.clevrin")[0] == 0
    take = load(tmp_path / "noted.clevrin").takes[0]
    assert take.worth == "keep" and take.note == "windy" and take.spans[0].span == Span(first=3, end=10)


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("import-otio", "nowhere.otio", "--out", "x.clevrin"), "cannot be opened"),
        (("import-otio", "day.clevrin", "--out", "x.clevrin"), "is not an OTIO timeline"),
        (("export-otio", "nowhere.clevrin", "--out", "x.otio"), "cannot be opened"),
        (("export-otio", "day.clevrin", "--out", "nowhere/x.otio"), "is not there"),
        (("export-otio", "day.clevrin", "--out", "day.clevrin"), "choose another name"),
        (("import-takes", "day.clevrin", "kite.mp4", "--out", "x.clevrin"), "is not a table, or it is damaged"),
        (("open", "nowhere.mp4"), "is not there"),
    ],
)
def test_what_cannot_be_done_is_said_in_one_line(clevrin, project, tmp_path, monkeypatch, words, says):
    monkeypatch.chdir(tmp_path)
    before = sorted(p.name for p in tmp_path.iterdir())
    code, out, err = clevrin(*words)
    assert code == 1 and out == "" and says in err and len(err.strip().splitlines()) == 1
    assert sorted(p.name for p in tmp_path.iterdir()) == before


def test_open_hands_projects_films_and_folders_to_the_window(clevrin, project, tmp_path, monkeypatch):
    opened = []
    monkeypatch.setattr(application, "run", lambda files=(), play=False: opened.append(list(files)) or 0)
    (tmp_path / "card").mkdir()
    assert clevrin("open", project, tmp_path / "kite.mp4", tmp_path / "card")[0] == 0
    assert opened == [[project, tmp_path / "kite.mp4", tmp_path / "card"]]
    project.write_text("{")
    assert clevrin("open", project)[0] == 1 and len(opened) == 1  # told before there is a window


def test_commands_never_overwrite_the_takes_of_a_project(clevrin, tmp_path):
    film = numbered_film(tmp_path / "take.mp4", frames=10)
    before = film.read_bytes()
    assert clevrin("assemble", film, "--out", tmp_path / "p.clevrin")[0] == 0
    for command in ("export-otio", "export-takes", "render"):
        code, _, err = clevrin(command, tmp_path / "p.clevrin", "--out", film)
        assert code == 1 and err.count("\n") == 1 and "made from" in err, command
        assert film.read_bytes() == before
