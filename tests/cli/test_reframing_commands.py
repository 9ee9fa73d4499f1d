"""`reframe` in every way, `render --output`, and what they say of input that is wrong."""

import json

import numpy as np
import pytest

from clevrin.core.document import Gate, Output, Pose, Project, Reel, Shot
from clevrin.core.document.files import save
from clevrin.core.media.probe import probe
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.demo.footage_maker import FOOTAGE
from tests.films import moving_film, numbered_film, shift

TRIPOD = FOOTAGE / "tripod.mp4"


@pytest.fixture(scope="module")
def shaky(tmp_path_factory):
    """Forty frames of a texture under a shaking camera, wide."""
    path = tmp_path_factory.mktemp("films") / "shaky.mp4"
    moving_film(
        path, lambda k: shift(300 + 14 * np.sin(k / 2.1), 300 + 3 * np.cos(k / 1.7)), frames=40, size=(320, 180)
    )
    return path


def reframed(clevrin, film, folder, *options: str) -> tuple[dict, str]:
    """The report of a take that was reframed, and what was said."""
    out, report = folder / "out.mp4", folder / "report.json"
    code, said, err = clevrin("reframe", film, "--out", out, "--report", report, *options)
    assert (code, err) == (0, ""), err
    facts, values = probe(out), json.loads(report.read_text())
    assert [facts.width, facts.height] == values["shape"] and facts.frames == len(values["src_from_out"])
    return values, said


@pytest.mark.parametrize(
    ("options", "size"),
    [
        (("--shape", "9:16"), (100, 180)),
        (("--shape", "1:1", "--size", "120x120"), (120, 120)),
        (("--shape", "2.39:1"), (320, 132)),
        (("--shape", "90x160"), (90, 160)),
    ],
)
def test_every_shape(clevrin, shaky, tmp_path, options, size):
    values, said = reframed(clevrin, shaky, tmp_path, *options)
    assert tuple(values["shape"]) == size and values["instant"] == list(range(40))
    corners = np.array(values["gate_corners"])
    assert np.allclose(corners.mean(axis=1), (159.5, 89.5), atol=0.01)
    assert corners.min() >= -0.51 and (corners <= (319.51, 179.51)).all()
    assert values["subject_place"] == [None] * 40
    assert ("enlarged" in said) == (min(values["source_px_per_output_px"]) < 0.995)


@pytest.mark.parametrize("how", ["float", "lock-off"])
def test_an_upright_picture_is_held_across_its_source(clevrin, shaky, tmp_path, how):
    values, _ = reframed(clevrin, shaky, tmp_path, "--shape", "9:16", "--how", how, "--keep", "0.9")
    middle = np.array(values["gate_corners"]).mean(axis=1)
    # The gate goes where the picture went: it moved by 28 px across and 6 px down.
    assert np.ptp(middle[:, 0]) > 22 and min(values["source_px_per_output_px"]) >= 0.9 * 180 / 180 - 0.005
    with FilmReader(tmp_path / "out.mp4") as film:
        first, later = (film.read(k).y.astype(float) for k in (10, 13))
    with FilmReader(shaky) as film:
        shot = [film.read(k).y[:, 110:210].astype(float) for k in (10, 13)]
    assert np.abs(first - later).mean() < 0.4 * np.abs(shot[0] - shot[1]).mean()


def test_poses_in_the_frame_and_in_the_scene(clevrin, shaky, tmp_path):
    poses = ("--pose", "5:100,90,60", "--pose", "30:220,80,40,10")
    values, said = reframed(clevrin, shaky, tmp_path, "--shape", "9:16", *poses, "--ease", "soft")
    corners = np.array(values["gate_corners"])
    middle = corners.mean(axis=1)
    assert np.allclose(middle[:6], (100, 90), atol=0.02) and np.allclose(middle[30:], (220, 80), atol=0.02)
    along = corners[35, 1] - corners[35, 0]
    assert np.degrees(np.arctan2(-along[1], along[0])) == pytest.approx(10, abs=0.01)
    assert np.hypot(*along) == pytest.approx(40, abs=0.01) and "enlarged 2.50 times" in said
    scene, _ = reframed(clevrin, shaky, tmp_path, "--shape", "9:16", "--pose", "5:160,90,50", "--scene")
    there = np.array(scene["gate_corners"]).mean(axis=1)
    frames = np.arange(40)
    course = np.column_stack([14 * np.sin(frames / 2.1), 3 * np.cos(frames / 1.7)])
    assert np.abs(there - (160, 90) + (course - course[5])).max() < 0.5


def test_a_subject_is_followed_and_told_where_it_was(clevrin, tmp_path):
    values, said = reframed(
        clevrin, TRIPOD, tmp_path, "--shape", "9:16", "--follow", "30,420,470", "--place", "0.5,0.5", "--room", "0.3"
    )
    places = [place for place in values["subject_place"] if place is not None]
    assert len(places) > 20
    assert ("not seen in" in said) == (len(places) < 110)
    free = [
        p[0]
        for p, c in zip(values["subject_place"], values["gate_corners"], strict=True)
        if p is not None and np.min(c, axis=0)[0] > 3 and np.max(c, axis=0)[0] < 1276
    ]
    assert all(abs(x - 0.5) <= 0.16 for x in free)


def test_a_counter_zoom_goes_with_the_push(clevrin, tmp_path):
    film = tmp_path / "push.mp4"

    def pushed(k: int) -> np.ndarray:
        size = 1.012**-k
        return np.array([[size, 0, 480 - 160 * size], [0, size, 390 - 90 * size], [0, 0, 1]])

    moving_film(film, pushed, frames=30, size=(320, 180))
    values, _ = reframed(clevrin, film, tmp_path, "--shape", "16:9", "--counter-zoom", "1")
    fine = np.array(values["source_px_per_output_px"])
    assert fine[-3] / fine[2] == pytest.approx(1.012**25, rel=0.02) and fine.max() <= 1.001


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--shape", "0:16"), "There is no shape 0:16"),
        (("--shape", "wide"), "is not a size as 1920x1080"),
        (("--shape", "9:16", "--size", "300x300"), "is not of the shape"),
        (("--shape", "9:16", "--size", "9000x16000"), "cannot be written"),
        (("--shape", "8x8"), "cannot be written"),
        (("--shape", "9:16", "--pose", "99:5,5,50"), "there is no frame 99"),
        (("--shape", "9:16", "--pose", "3:5,5,50", "--pose", "3:9,9,50"), "two poses on frame 3"),
        (("--shape", "9:16", "--pose", "3:160,90,500"), "A gate of 500 px cannot be"),
        (("--shape", "9:16", "--pose", "3:160,90,2"), "A gate of 2 px cannot be"),
        (("--shape", "9:16", "--pose", "3:900,90,50"), "no gate has its middle"),
        (("--shape", "9:16", "--pose", "3:a,b,c"), "is not FRAME:X,Y,WIDTH"),
        (("--shape", "9:16", "--pose", "x"), "is not FRAME:X,Y,WIDTH"),
        (("--shape", "9:16", "--follow", "3,900,900"), "there is no point"),
        (("--shape", "9:16", "--follow", "300,9,9"), "there is no frame 300"),
        (("--shape", "9:16", "--place", "0.5,0.5"), "say what is followed"),
        (("--shape", "9:16", "--follow", "3,9,9", "--place", "2,0"), "is not within 0 to 1"),
        (("--shape", "9:16", "--room", "7"), "is not within"),
    ],
)
def test_what_is_wrong_is_told_and_nothing_is_written(clevrin, shaky, tmp_path, options, words):
    out = tmp_path / "out.mp4"
    code, said, err = clevrin("reframe", shaky, "--out", out, *options)
    assert code in (1, 2) and words in " ".join(err.replace("│", " ").split()) and said == "" and not out.exists()


def test_one_project_in_three_shapes(clevrin, tmp_path):
    take = take_in(numbered_film(tmp_path / "f.mp4", frames=6, size=(192, 108)))
    outputs = tuple(Output(name=n, width=w, height=h) for n, w, h in (("upright", 54, 96), ("square", 96, 96)))
    gates = tuple(Gate(output=o.id, poses=(Pose(frame=0, x=40, y=54, width=30),)) for o in outputs)
    shot = Shot(take_id=take.id, span=take.whole, gates=gates)
    project = Project(takes=(take,), outputs=outputs, reel=Reel(shots=(shot,), width=192, height=108))
    save(project, tmp_path / "p.clevrin")
    for options, size in (((), (192, 108)), (("--output", "upright"), (54, 96)), (("--output", "square"), (96, 96))):
        code, _, err = clevrin("render", tmp_path / "p.clevrin", "--out", tmp_path / "o.mp4", *options)
        assert (code, err) == (0, "")
        facts = probe(tmp_path / "o.mp4")
        assert ((facts.width, facts.height), facts.frames) == (size, 6)
    code, _, err = clevrin("render", tmp_path / "p.clevrin", "--out", tmp_path / "x.mp4", "--output", "round")
    assert code == 1 and "no output named round; it has upright, square" in err and not (tmp_path / "x.mp4").exists()
