"""`hold` with every edge and every way, `lend`, `rig` and `chart`, and what they say of input that is wrong."""

import json

import av
import numpy as np
import pytest

from clevrin.core.media.probe import probe
from clevrin.core.media.reading import FilmReader
from clevrin.core.motion.rig import rig_course
from clevrin.core.motion.trace.motion_reading import read_motion
from clevrin.demo.footage_maker import FOOTAGE
from tests.films import moving_film, numbered_film, shift, still
from tests.marks import later, long

HILL, PICNIC, PARADE, TRIPOD = (str(FOOTAGE / f"{n}.mp4") for n in ("hill", "picnic", "parade", "tripod"))


def shaky_film(path, frames: int = 40):
    """Another kind of footage: upright, small, shaken."""
    moving_film(
        path, lambda k: shift(300 + 6 * np.sin(k / 1.9), 300 + 8 * np.cos(k / 1.4)), frames=frames, size=(240, 320)
    )
    return path


def still_film(folder):
    moving_film(folder / "still.mp4", lambda _: shift(300, 300), frames=60, size=(320, 180))
    return folder / "still.mp4"


def border(path, frame: int = 20) -> np.ndarray:
    """The outermost pixels of a frame: luma."""
    with FilmReader(path) as reader:
        y = reader.read(frame).y
    return np.concatenate([y[0], y[-1], y[:, 0], y[:, -1]])


@pytest.mark.parametrize(
    "edge",
    [
        "bare",
        "fill",
        "clear",
        *(later(edge) for edge in ("trim", "mirror", "smear", "colour", "borrow")),
    ],
)
def test_hold_with_every_edge(clevrin, tmp_path, edge):
    film = shaky_film(tmp_path / "phone.mp4")
    out = tmp_path / ("held.mov" if edge == "clear" else "held.mp4")
    code, said, err = clevrin(
        *("hold", film, "--out", out, "--how", "float", "--keep", "0.6", "--edge", edge, "--colour", "#2040c0"),
        *("--report", tmp_path / "r.json"),
    )
    assert (code, said, err) == (0, "", "")
    facts = probe(out)
    assert (facts.frames, facts.width, facts.height) == (40, 240, 320)
    report = json.loads((tmp_path / "r.json").read_text())
    assert report["edge"] == edge and report["shake_after"]["pan"] < 0.3 * report["shake_before"]["pan"]
    assert (report["least_keep"] < 0.99) == (edge in ("fill", "trim"))
    dark = (border(out) <= 18).mean()
    assert (dark == 1) if edge == "trim" else (dark > 0.05) if edge == "bare" else (dark < 0.05 or edge == "clear")
    if edge == "clear":
        with av.open(str(out)) as film_:
            alpha = next(film_.decode(video=0)).to_ndarray(format="rgba")[..., 3]
        assert 0 < (alpha < 128).mean() < 0.2


@pytest.mark.parametrize(
    "how",
    [
        later(("lock-off",)),
        ("lock-off", "--reference", "12", "--axes", "pan,tilt"),
        ("float", "--mesh", "--enlargement", "varying", "--kernel", "lanczos", "--crispness", "0.3"),
        ("float", "--most", "pan=0.1,roll=2", "--returned", "0.2", "--spare", "10-14", "--ease-blurred"),
        later(("anchor", "--point", "10,120,160", "--place", "0.5,0.5")),
        ("anchor", "--point", "10,120,160", "--slowly"),
    ],
    ids=lambda how: " ".join(how)[:30],
)
def test_hold_in_every_way_on_other_footage(clevrin, tmp_path, how):
    film = shaky_film(tmp_path / "phone.mp4")
    code, _, err = clevrin(
        "hold", film, "--out", tmp_path / "o.mp4", "--keep", "0.5", "--report", tmp_path / "r.json", "--how", *how
    )
    assert (code, err) == (0, "")
    report = json.loads((tmp_path / "r.json").read_text())
    assert report["shake_after"]["tilt"] < 0.5 * report["shake_before"]["tilt"]
    assert 0.5 - 1e-5 <= report["least_keep"] == min(report["keep"])
    assert set(report) >= {"cropping", "distortion", "stability", "residual_px", "blurred_frames", "bridged_frames"}
    assert (border(tmp_path / "o.mp4") > 18).mean() > 0.98


def test_clear_in_a_film_that_cannot_carry_it_is_said(clevrin, tmp_path):
    film = shaky_film(tmp_path / "f.mp4", frames=12)
    code, out, _ = clevrin("hold", film, "--out", tmp_path / "o.mp4", "--how", "float", "--edge", "clear")
    assert code == 0 and "cannot carry what is clear" in out


def test_a_take_of_one_frame_or_without_texture_holds_as_itself_with_a_sentence(clevrin, tmp_path):
    one = numbered_film(tmp_path / "one.mp4", frames=1)
    code, out, _ = clevrin("hold", one, "--out", tmp_path / "o.mp4", "--how", "float")
    assert code == 0 and "single frame" in out and probe(tmp_path / "o.mp4").frames == 1
    from fractions import Fraction

    from clevrin.core.media.writing import FilmWriter

    with FilmWriter(tmp_path / "grey.mp4", rate=Fraction(25), size=(160, 90)) as writer:
        for _ in range(20):
            writer.write(still((160, 90), 128))
    for how in ("float", "lock-off"):
        code, out, _ = clevrin("hold", tmp_path / "grey.mp4", "--out", tmp_path / "p.mp4", "--how", how)
        assert code == 0 and "nothing that could be followed" in out
        assert probe(tmp_path / "p.mp4").frames == 20


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("--keep", "0.2"), "not within 0.3 to 1"),
        (("--keep", "1.1"), "not within 0.3 to 1"),
        (("--settle", "21"), "not within 0 to 20"),
        (("--settle", "-1"), "not within 0 to 20"),
        (("--most", "pan=lots"), "not a list of bounds"),
        (("--colour", "mauve"), "not a colour"),
    ],
)
def test_numbers_out_of_range_are_refused_with_the_range(clevrin, tmp_path, words, says):
    code, out, err = clevrin("hold", HILL, "--out", tmp_path / "o.mp4", "--how", "float", *words)
    assert code == 2 and out == "" and says in " ".join(err.replace("│", " ").split())


@pytest.mark.parametrize(
    ("words", "code", "says"),
    [
        (("--how", "anchor"), 2, "needs a point"),
        (("--how", "anchor", "--point", "500,10,10"), 1, "there is no frame 500"),
        (("--how", "anchor", "--point", "5,1000,10"), 1, "there is no point 1000,10"),
        (("--how", "anchor", "--point", "5,10"), 2, "is not frame,x,y"),
        (("--how", "anchor", "--point", "5,10,10", "--place", "2,0"), 2, "not within 0 to 1"),
        (("--how", "lock-off", "--reference", "99"), 1, "there is no frame 99"),
        (("--how", "float", "--spare", "30-60"), 2, "not a stretch of frames"),
    ],
)
def test_what_the_take_has_not_is_said(clevrin, tmp_path, words, code, says):
    film = numbered_film(tmp_path / "f.mp4", frames=40)
    got, _, err = clevrin("hold", film, "--out", tmp_path / "o.mp4", *words)
    assert got == code and says in " ".join(err.replace("│", " ").split())
    assert not (tmp_path / "o.mp4").exists()


def test_a_rig_writes_a_motion_that_can_be_lent(clevrin, tmp_path):
    code, _, _ = clevrin("rig", "--kind", "car", "--seconds", "4", "--seed", "7", "--out", tmp_path / "car.csv")
    assert code == 0
    course = np.array(read_motion(tmp_path / "car.csv").course)
    assert course == pytest.approx(rig_course("car", 7, 120, 30.0), abs=1e-3)
    code, _, err = clevrin(
        "lend", still_film(tmp_path), "--motion", tmp_path / "car.csv", "--out", tmp_path / "o.mp4", "--amount", "2"
    )
    assert (code, err) == (0, "")
    assert probe(tmp_path / "o.mp4").frames == 60


def test_a_take_lends_its_shake_to_a_still_one(clevrin, tmp_path, measured_demo):
    still = still_film(tmp_path)
    code, _, _ = clevrin("lend", still, "--motion", HILL, "--lent", "shake", "--out", tmp_path / "o.mp4")
    assert code == 0
    code, out, _ = clevrin("verdict", tmp_path / "o.mp4", "--json")
    assert code == 0 and json.loads(out)["shake"]["pan_px"] > 0.5  # it stood still before


def test_lending_names_one_lender(clevrin, tmp_path):
    code, _, err = clevrin("lend", TRIPOD, "--out", tmp_path / "o.mp4")
    assert code == 2 and "whose motion" in " ".join(err.split())
    (tmp_path / "bad.csv").write_text("frame,time_s\n1,2\n")
    code, _, err = clevrin("lend", TRIPOD, "--motion", tmp_path / "bad.csv", "--out", tmp_path / "o.mp4")
    assert code == 1 and "size" in err


def test_a_chart_gives_what_calm_costs(clevrin, measured_demo):
    code, out, _ = clevrin("chart", HILL, "--json")
    assert code == 0
    found = json.loads(out)
    assert found["shake_px"] > 4 and len(found["lines"]) == 4
    kept = [point["kept"] for point in found["lines"][2]]
    assert kept == sorted(kept, reverse=True) and set(found["enough"]) == {"settle_s", "blurred", "blurred_now"}


@long
def test_a_chart_says_it_in_words(clevrin, measured_demo):
    code, out, _ = clevrin("chart", HILL)
    assert code == 0 and out.startswith("as shot: ") and "settle 1.6 s" in out
