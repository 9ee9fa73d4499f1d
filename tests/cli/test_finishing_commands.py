"""`clevrin render` in every format and in parts, and `clevrin mix`."""

import json
from fractions import Fraction

import pytest

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
