"""Commands that deliver: render in every format and in parts, mix, report, batch, and the menu entry."""

import csv
import json
import os
import re
import shutil
import subprocess
import sys
from fractions import Fraction

import pytest

from clevrin import __version__
from clevrin.cli.batching import FolderWatch
from clevrin.cli.menu_entry import install_entry
from clevrin.core.document import Project, Reel, Shot, Span
from clevrin.core.document.files import save
from clevrin.core.media.probe import probe
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.sound_reading import sound_blocks
from clevrin.core.media.taking_in import take_in
from clevrin.core.sound.loudness import loudness_of
from tests.films import numbered_film, read_number


@pytest.fixture
def project(tmp_path):
    takes = tuple(
        take_in(numbered_film(tmp_path / f"{name}.mp4", frames=40, rate=Fraction(25), sound=True))
        for name in ("a", "b")
    )
    shots = tuple(Shot(take_id=take.id, span=Span(first=5, end=35)) for take in takes)
    path = tmp_path / "day.clevrin"
    save(Project(takes=takes, reel=Reel(width=192, height=108, rate=Fraction(25), shots=shots)), path)
    return path


def test_render_takes_a_format_a_quality_and_a_part(clevrin, project, tmp_path):
    out = tmp_path / "part.mp4"
    words = ("--format", "hevc", "--quality", "look", "--range", "25:35", "--option", "crf=35")
    assert clevrin("render", project, "--out", out, *words) == (0, "", "")
    facts = probe(out)
    assert facts.codec == "hevc" and facts.frames == 10 and facts.sound
    with FilmReader(out) as film:
        assert [read_number(film.read(k).y) for k in range(10)] == [*range(30, 35), *range(5, 10)]


def test_render_resumes_and_is_the_same_film(clevrin, project, tmp_path):
    out = tmp_path / "film.mkv"
    assert clevrin("render", project, "--out", out)[0] == 0
    before, stamp = out.read_bytes(), out.stat().st_ino
    assert clevrin("render", project, "--out", out, "--resume")[0] == 0
    assert out.read_bytes() == before and out.stat().st_ino != stamp
    folder = tmp_path / "pictures"
    assert clevrin("render", project, "--out", folder, "--format", "png")[0] == 0
    assert len(list(folder.iterdir())) == 60
    code, _, err = clevrin("render", project, "--out", folder, "--format", "png")
    assert code == 1 and "is there already: name a new folder" in err


@pytest.mark.parametrize(
    ("words", "code", "says"),
    [
        (("--out", "f.mp4", "--quality", "lossless"), 1, "H.264 is made to look at, to put on the net"),
        (("--out", "f.avi"), 1, "the name of no format"),
        (("--out", "f.mp4", "--range", "50:90"), 1, "The reel has the frames 0 to 59"),
        (("--out", "f.mp4", "--range", "all"), 2, "not two frames"),
        (("--out", "f.mp4", "--option", "crf"), 2, "not NAME=VALUE"),
        (("--out", "f.mp4", "--loudness", "5"), 2, "not within -60 to 0"),
        (("--out", "f.mp4", "--format", "vhs"), 2, "vhs"),
    ],
)
def test_what_cannot_be_rendered_is_said_in_a_sentence(clevrin, project, tmp_path, monkeypatch, words, code, says):
    monkeypatch.chdir(tmp_path)
    found, _, err = clevrin("render", project, *words)
    assert found == code and says in " ".join(err.split())
    assert not list(tmp_path.glob("f.*"))


def test_mix_writes_the_sound_at_a_loudness_and_says_it(clevrin, project, tmp_path):
    out = tmp_path / "sound.flac"
    code, said, _ = clevrin("mix", project, "--out", out, "--loudness", "-20", "--json")
    told = json.loads(said)
    assert code == 0 and told["lufs"] == pytest.approx(-20, abs=0.1) and told["peak_db"] < -1
    assert loudness_of(sound_blocks(out)).lufs == told["lufs"]
    code, said, _ = clevrin("mix", project, "--out", tmp_path / "as-is.wav")
    assert code == 0 and "LUFS, range" in said and "true peak" in said
    code, _, err = clevrin("mix", project, "--out", tmp_path / "film.mp4")
    assert code == 1 and "name it .wav or .flac" in err


def test_a_report_is_a_page_or_a_print_of_it(clevrin, project, tmp_path):
    page, print_ = tmp_path / "report.html", tmp_path / "report.pdf"
    code, said, _ = clevrin("report", project, "--out", page)
    assert code == 0 and "to look at" in said
    assert "<h2>Joins</h2>" in page.read_text()
    assert clevrin("report", project, "--out", print_)[0] == 0
    assert print_.read_bytes().startswith(b"%PDF") and len(print_.read_bytes()) > 5000
    assert b"AtkinsonHyperlegible" in print_.read_bytes()  # the typeface goes with it: a machine may have none
    code, _, err = clevrin("report", project, "--out", tmp_path / "report.txt")
    assert code == 1 and "name it .html or .pdf" in err


def test_hand_on_writes_a_folder_that_is_whole(clevrin, project, tmp_path):
    to = tmp_path / "handed"
    assert clevrin("hand-on", project, "--to", to, "--shots", "--handles", "3", "--format", "ffv1", "--motion")[0] == 0
    assert len(list((to / "shots").iterdir())) == 2
    code, _, err = clevrin("hand-on", project, "--to", to)
    assert code == 1 and "is there already" in err
    assert clevrin("hand-on", "--check", to)[:2] == (0, "all files are as they were handed on\n")
    (to / "markers.csv").write_text("frame\n")
    sums = to / "sha256sums.txt"
    sums.write_text(f"{sums.read_text()}{'0' * 64}  ../a.mp4\n")  # a stranger's list names what lies elsewhere
    code, _, err = clevrin("hand-on", "--check", to)
    assert code == 1 and err.endswith("is not as it was handed on: markers.csv, ../a.mp4.\n")
    code, _, err = clevrin("hand-on", "--check", tmp_path)
    assert code == 1 and "was not handed on" in err and len(err.splitlines()) == 1
    assert clevrin("hand-on", project)[0] == 2 and clevrin("hand-on", "--to", tmp_path / "x")[0] == 2


def test_a_batch_goes_on_after_a_failure_and_tells_of_each(clevrin, project, tmp_path):
    table, out = tmp_path / "jobs.csv", tmp_path / "results.csv"
    rows = [
        ["command", "arguments", "out", "json"],
        ["probe", f"'{tmp_path / 'a.mp4'}'", "", "yes"],
        ["probe", "nowhere.mp4", "", ""],
        ["", "lost", "", ""],
        ["demo", "", "", ""],
        ["mix", str(project), str(tmp_path / "sound.wav"), ""],
        ["probe", "'a", "", ""],
        ["mix", str(project), str(tmp_path / "sound.wav"), ""],
        ["probe", "'nul\0'", "", ""],
    ]
    with table.open("w", newline="") as file:
        csv.writer(file).writerows(rows)
    code, said, err = clevrin("batch", table, "--out", out, "--jobs", "2")
    assert code == 1 and "6 of 8 jobs could not be done" in err
    results = {int(row["row"]): row for row in csv.DictReader(out.read_text().splitlines())}
    assert [results[k]["exit"] for k in sorted(results)] == ["0", "1", "2", "2", "0", "2", "2", "2"]
    assert "nowhere.mp4" in results[3]["said"] and results[4]["said"] == "Row 4 has no command."
    assert results[7]["said"] == "Row 7 has a quotation mark that is not closed."
    assert results[8]["said"] == "Row 8 writes to what row 6 writes to."
    film = (tmp_path / "b.mp4").read_bytes()
    for name, says in (("b.mp4", "is what this is made from"), ("sound.wav", "is what a row writes to")):
        code, _, err = clevrin("batch", table, "--out", tmp_path / name)
        assert code == 1 and says in " ".join(err.split())
    assert (tmp_path / "b.mp4").read_bytes() == film
    table.write_text("\ufeffcommand,arguments\nprobe,nowhere.mp4\n", encoding="utf-8")
    assert "1 of 1 jobs could not be done" in clevrin("batch", table)[2]
    table.write_text(f"command,arguments\nprobe,{'a' * 140_000}\n")
    assert "cannot be read as CSV" in clevrin("batch", table)[2]
    assert (tmp_path / "sound.wav").exists() and said.count("\n") == 8
    table.write_text("take,out\n")
    code, _, err = clevrin("batch", table)
    assert code == 1 and "no column named command" in err


def test_the_jobs_of_a_table_are_run_for_each_film_that_comes_into_a_folder(clevrin, tmp_path):
    watched, table, out = tmp_path / "card", tmp_path / "jobs.csv", tmp_path / "results.csv"
    watched.mkdir()
    numbered_film(watched / "kite.mp4", frames=4)
    (watched / "notes.txt").write_text("no film")
    (watched / os.fsdecode(b"caf\xe9.mp4")).write_bytes(b"its name is no text")
    rows = [["command", "arguments", "out"], ["probe", "'{file}' --json", ""]]
    rows.append(["trace", "'{file}'", str(watched / "{name}.json")])
    with table.open("w", newline="") as file:
        csv.writer(file).writerows(rows)
    code, said, err = clevrin("batch", table, "--watch", watched, "--idle", "4", "--out", out)
    results = list(csv.DictReader(out.read_text().splitlines()))
    assert code == 1 and "3 of 4 jobs could not be done" in err and "kite.mp4" in said
    assert "caf\ufffd.mp4" in results[0]["command"] and results[0]["exit"] == "1"
    results = results[2:]
    assert results[0]["exit"] == "0" and '"width"' in results[0]["said"] and "kite.mp4" in results[0]["command"]
    assert results[1]["said"] == "Row 3 writes into the folder that is watched."
    code, _, err = clevrin("batch", table, "--watch", tmp_path / "nowhere")
    assert code == 1 and "is no folder that could be watched" in " ".join(err.split())


def test_a_film_counts_when_it_grows_no_more_and_again_when_it_has_become_another(tmp_path):
    now = [0.0]
    watch = FolderWatch(tmp_path, 2.0, lambda: now[0])
    film = tmp_path / "a.mov"
    film.write_bytes(b"")
    (tmp_path / ".hidden.mp4").write_bytes(b"x")
    assert watch.arrived() == ()
    for second, size, told in ((1, 10, False), (2, 20, False), (3, 20, False), (4, 20, True), (9, 20, False)):
        now[0] = second
        if film.stat().st_size != size:
            film.write_bytes(bytes(size))
        assert watch.arrived() == ((film,) if told else ()), second
    film.write_bytes(bytes(30))
    now[0] = 10
    assert watch.arrived() == ()
    now[0] = 13
    assert watch.arrived() == (film,)


def test_the_menu_entry_is_put_there_and_taken_away_and_nothing_else(clevrin, tmp_path, monkeypatch):
    data = tmp_path / "menu"
    monkeypatch.setenv("XDG_DATA_HOME", str(data))
    other = data / "applications" / "other.desktop"
    other.parent.mkdir(parents=True)
    other.write_text("[Desktop Entry]")
    assert clevrin("desktop", "--install")[0] == 0
    entry = (data / "applications" / "clevrin.desktop").read_text()
    command = next(line for line in entry.splitlines() if line.startswith("Exec=")).removeprefix("Exec=")
    assert command.endswith(" open %F")
    for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
        monkeypatch.delenv(name, raising=False)
    code, _, err = clevrin("open")  # as the menu starts it: with no file, as far as a screen
    assert code == 1 and "There is no screen here" in err
    assert "MimeType=application/x-clevrin;" in entry
    assert "*.clevrin" in (data / "mime" / "packages" / "clevrin.xml").read_text()
    assert (data / "man" / "man1" / "clevrin.1").read_text().startswith(".TH CLEVRIN 1")
    code, said, _ = clevrin("desktop", "--remove")
    assert code == 0 and len(said.splitlines()) == 4
    assert not [each for each in data.rglob("clevrin*") if each.is_file()] and other.exists()
    for place in ("applications/clevrin.desktop", "mime/packages/clevrin.xml", "man/man1/clevrin.1"):
        (data / place).write_text("somebody else's")
        code, _, err = clevrin("desktop", "--install")
        assert code == 1 and "is not ours: it stays as it is" in " ".join(err.split())
        assert clevrin("desktop", "--remove")[:2] == (0, "")
        assert [each.read_text() for each in data.rglob("clevrin*") if each.is_file()] == ["somebody else's"]
        (data / place).unlink()
    assert clevrin("desktop")[0] == 2


def test_the_command_of_the_entry_is_written_as_the_specification_has_it(tmp_path, monkeypatch):
    odd = tmp_path / 'a "b" $c`d %e \\ f' / "python"
    odd.parent.mkdir()
    odd.with_name("clevrin").touch()
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "menu"))
    monkeypatch.setattr(sys, "executable", str(odd))
    entry = install_entry()[0]
    value = next(line for line in entry.read_text().splitlines() if line.startswith("Exec=")).removeprefix("Exec=")
    plain = value.replace("\\\\", "\\")  # a value of a string, first of all
    word, _, rest = plain[1:].rpartition('"')
    assert plain[0] == '"' and rest == " open %F"
    assert re.sub(r"\\(.)", r"\1", word).replace("%%", "%") == str(odd.with_name("clevrin"))
    if shutil.which("desktop-file-validate"):
        told = subprocess.run(["desktop-file-validate", str(entry)], capture_output=True, text=True, check=False)
        assert told.returncode == 0, told.stdout


def test_the_version_is_said(clevrin):
    code, said, _ = clevrin("--version")
    assert code == 0 and said == f"clevrin {__version__}\n"
