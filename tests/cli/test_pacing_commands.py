"""`pace` in every way, its report, and what it says of input that is wrong."""

import json
from itertools import pairwise

import numpy as np
import pytest

from clevrin.core.media.probe import probe
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.sound_reading import read_sound
from tests.films import moving_film, numbered_film, read_number, shift
from tests.marks import long


@pytest.fixture(scope="module")
def pan(tmp_path_factory):
    """Forty frames of a texture under a camera that turns by 6 pixels a frame."""
    path = tmp_path_factory.mktemp("films") / "pan.mp4"
    moving_film(path, lambda k: shift(200 + 6.0 * k, 300), frames=40, size=(320, 180))
    return path


def paced(clevrin, film, folder, *options: str) -> tuple[dict, str]:
    """The report of a take that was paced, and what was said."""
    out, report = folder / "out.mp4", folder / "report.json"
    code, said, err = clevrin("pace", film, "--out", out, "--report", report, *options)
    assert (code, err) == (0, ""), err
    values = json.loads(report.read_text())
    frames = probe(out).frames
    for name in ("instant", "made_of", "trust", "samples", "added_blur_px", "src_from_out"):
        assert len(values[name]) == frames, name
    return values, said


def test_half_the_speed_makes_every_second_frame(clevrin, pan, tmp_path):
    values, said = paced(clevrin, pan, tmp_path, "--speed", "0:0.5")
    assert values["instant"][:4] == [0, 0.5, 1, 1.5] and len(values["instant"]) == 80
    assert set(values["made_of"][1:78:2]) == {"flow"} and set(values["made_of"][0:80:2]) == {"frame"}
    assert min(values["trust"]) > 0.9 and "39 of 80" in said
    with FilmReader(tmp_path / "out.mp4") as made, FilmReader(pan) as source:
        # The film's own frames stay what they were, and a moment lies half way between its neighbours.
        assert np.abs(made.read_luma(20).astype(int) - source.read_luma(10)).mean() < 2.0
        between = np.roll(source.read_luma(10).astype(int), -3, axis=1)
        assert np.abs(made.read_luma(21).astype(int) - between)[:, 8:-8].mean() < 3.0


def test_a_ramp_is_as_long_as_its_area_and_shows_both_ends(clevrin, tmp_path):
    film = numbered_film(tmp_path / "film.mp4", frames=60)
    values, _ = paced(clevrin, film, tmp_path, "--speed", "10:1,50:4", "--in-between", "nearest")
    instants = values["instant"]
    assert instants[0] == 0 and instants[-1] == 59 and instants == sorted(instants)
    assert len(instants) == round(10.5 + 40 / 2.5 + 9.5 / 4)
    with FilmReader(tmp_path / "out.mp4") as reader:
        assert [read_number(reader.read(k).y) for k in range(reader.frames)] == instants


@pytest.mark.parametrize("ease", ["straight", "soft"])
def test_backward_it_is_as_long_and_ends_where_it_began(clevrin, tmp_path, ease):
    film = numbered_film(tmp_path / "film.mp4", frames=60)
    options = ("--speed", "10:1,50:4", "--ease", ease, "--in-between", "nearest")
    there, _ = paced(clevrin, film, tmp_path, *options)
    back, _ = paced(clevrin, film, tmp_path, *options, "--reverse")
    assert len(there["instant"]) == len(back["instant"])
    assert (back["instant"][0], back["instant"][-1]) == (59, 0)


def test_as_many_frames_as_are_asked_for(clevrin, pan, tmp_path):
    values, _ = paced(clevrin, pan, tmp_path, "--frames", "25", "--in-between", "nearest")
    assert len(values["instant"]) == 25 and (values["instant"][0], values["instant"][-1]) == (0, 39)


@long
def test_another_rate_by_every_way_of_making_moments(clevrin, pan, tmp_path):
    for way, made in (("nearest", "frame"), ("mix", "mix"), ("flow", "flow"), ("best", "flow")):
        values, _ = paced(clevrin, pan, tmp_path, "--rate", "60", "--in-between", way)
        assert values["made_of"][1] == made, way
        assert probe(tmp_path / "out.mp4").rate == 60


def test_a_shutter_gathers_and_says_how_long_its_blur_is(clevrin, pan, tmp_path):
    for blur in ("camera", "everything"):
        values, _ = paced(clevrin, pan, tmp_path, "--speed", "0:4", "--shutter", "180", "--blur", blur)
        assert set(values["made_of"]) == {"gathered"} and min(values["samples"]) >= 5
        assert np.median(values["added_blur_px"]) == pytest.approx(12, rel=0.15)


def test_held_and_paced_at_once(clevrin, tmp_path):
    film = tmp_path / "shaky.mp4"
    moving_film(film, lambda k: shift(300 + 3 * k + 7 * np.sin(k / 1.6), 300), frames=60, size=(320, 180))
    values, _ = paced(clevrin, film, tmp_path, "--speed", "0:0.5", "--how", "float", "--keep", "0.8")
    maps = np.array(values["src_from_out"]).reshape(-1, 3, 3)
    centre = maps @ [159.5, 89.5, 1]
    assert values["how"] == "float" and np.ptp(centre[:, 0] / centre[:, 2]) > 4


def test_sound_goes_along_and_ends_with_the_picture(clevrin, tmp_path):
    film = numbered_film(tmp_path / "film.mp4", frames=60, sound=True)
    paced(clevrin, film, tmp_path, "--speed", "0:2", "--in-between", "nearest")
    out = tmp_path / "out.mp4"
    sound = read_sound(out, 0.0, 48_000)
    assert np.abs(sound[4800:40_000]).max() > 0.1
    turns = [
        np.count_nonzero(np.diff(np.signbit(each[9600:19_200, 0]))) for each in (read_sound(film, 0, 48_000), sound)
    ]
    assert turns[1] == pytest.approx(2 * turns[0], rel=0.05)  # an octave higher


@pytest.mark.parametrize(
    ("options", "says"),
    [
        (("--speed", "0:0"), "shows nothing that moves"),
        (("--speed", "0:1e9"), "cannot be"),
        (("--speed", "0:-1"), "cannot be"),
        (("--speed", "99:1"), "there is no frame 99"),
        (("--speed", "20:1,10:2"), "order of their frames"),
        (("--speed", "0:1,10:0"), "never gets on"),
        (("--frames", "0"), "cannot be"),
        (("--rate", "0.5"), "cannot be written"),
    ],
)
def test_what_cannot_be_gets_one_sentence(clevrin, pan, tmp_path, options, says):
    code, _, err = clevrin("pace", pan, "--out", tmp_path / "out.mp4", *options)
    assert code == 1 and says in err and len(err.strip().splitlines()) == 1
    assert not (tmp_path / "out.mp4").exists()


def test_what_is_no_speed_is_wrong_usage(clevrin, pan, tmp_path):
    for options in (
        ("--full-at", "1"),
        ("--speed", "fast"),
        ("--speed", "1"),
        ("--shutter", "800"),
        ("--rate", "quick"),
    ):
        code, _, _ = clevrin("pace", pan, "--out", tmp_path / "out.mp4", *options)
        assert code == 2


def test_a_take_of_one_frame_is_paced(clevrin, tmp_path):
    film = numbered_film(tmp_path / "one.mp4", frames=1)
    values, _ = paced(clevrin, film, tmp_path, "--speed", "0:0.25", "--shutter", "360")
    assert set(values["instant"]) == {0.0}


def test_no_moment_is_made_across_a_cut(clevrin, tmp_path):
    def jump(k: float) -> np.ndarray:
        return shift(100 if k < 10 else 700, 100 if k < 10 else 500)

    film = tmp_path / "cut.mp4"
    moving_film(film, jump, frames=20, size=(320, 180))
    values, _ = paced(clevrin, film, tmp_path, "--speed", "0:0.25")
    across = [k for k, instant in enumerate(values["instant"]) if 9 < instant < 10]
    assert all(values["made_of"][k] == "frame" or values["trust"][k] < 0.5 for k in across)
    steps = [b - a for a, b in pairwise(values["instant"])]
    assert min(steps) >= 0
