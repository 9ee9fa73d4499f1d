"""`clevrin area`: how an area covers a take, as grey pictures without loss."""

import csv
import json
from fractions import Fraction

import av
import cv2
import numpy as np
import pytest

from clevrin.core.media.grey_writing import GreyWriter
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.writing import FilmWriter
from tests.films import moving_film, numbered_film, shift, texture
from tests.walking import AT, Walking

SIZE = (320, 180)


@pytest.fixture
def pan(tmp_path):
    """A take whose camera pans to the right by 4 px a frame."""
    path = tmp_path / "pan.mp4"
    moving_film(path, lambda t: shift(300 + 4.0 * t, 400), frames=20, size=SIZE, seed=5)
    return path


def greys(path) -> np.ndarray:
    """The pictures of a film of grey, 0 to 1."""
    with av.open(str(path)) as film:
        assert film.streams.video[0].codec_context.name == "ffv1"
        return np.array([frame.to_ndarray() for frame in film.decode(video=0)]) / 65535


def test_a_box_goes_with_the_picture_into_a_film_without_loss(clevrin, pan, tmp_path):
    out, report = tmp_path / "box.mkv", tmp_path / "box.json"
    code, _, err = clevrin("area", pan, "--out", out, "--box", "5,100,60,80,50", "--report", report)
    assert (code, err) == (0, "")
    seen = greys(out)
    assert len(seen) == 20
    for frame in (0, 5, 15):
        rows, columns = np.nonzero(seen[frame] > 0.5)
        left = 100 - 4 * (frame - 5)
        assert columns.min() == pytest.approx(left + 0.5, abs=1.5) and rows.min() == pytest.approx(60.5, abs=1.5)
        assert seen[frame].sum() == pytest.approx(80 * 50, rel=0.02)
    told = json.loads(report.read_text())
    assert told["covered"][5] == pytest.approx(80 * 50 / (320 * 180), rel=0.02)
    assert told["area"]["parts"][0]["of"]["shape"] == "box"


def test_the_trace_is_measured_without_what_an_area_holds(clevrin, tmp_path):
    """A cloth that fills most of the picture is left out: by a film of the area, and by its report."""
    path, film, report = tmp_path / "cloth.mp4", tmp_path / "a.mkv", tmp_path / "a.json"
    meadow, cloth = texture(4, 400), texture(8, 500)
    with FilmWriter(path, rate=Fraction(25), size=SIZE, quality=10) as writer:
        for k in range(12):
            seen = meadow[100 : 100 + SIZE[1], 40 + 2 * k : 40 + 2 * k + SIZE[0]].copy()
            seen[:, 90:310] = cloth[50 + 4 * k : 50 + 4 * k + SIZE[1], 20:240]
            writer.write(picture_from_rgb(seen))
    words = ("--box", "0,90,0,220,180", "--still", "--report", report)
    assert clevrin("area", path, "--out", film, *words)[0] == 0
    off = {}
    for name, more in (("all", ()), ("film", ("--leave-out-area", film)), ("report", ("--leave-out-area", report))):
        out = tmp_path / f"{name}.csv"
        code, _, err = clevrin("trace", path, "--out", out, "--model", "similarity", *more)
        assert (code, err) == (0, "")
        lines = (line for line in out.read_text().splitlines() if not line.startswith("#"))
        rows = list(csv.DictReader(lines))[1:]
        off[name] = max(abs(float(row["dx_px"]) + 2) + abs(float(row["dy_px"])) for row in rows)
    assert off["all"] > 2 and off["film"] < 0.3 and off["report"] < 0.3
    code, _, err = clevrin("trace", path, "--out", tmp_path / "m.csv", "--leave-out-area", tmp_path / "no.mkv")
    assert code != 0 and "is not a film of an area" in err


def test_a_box_clings_to_the_edge_that_it_lies_on(clevrin, tmp_path):
    path, out = tmp_path / "sign.mp4", tmp_path / "clings.mkv"
    ground = texture(4, 400)[:180, :320]
    with FilmWriter(path, rate=Fraction(25), size=SIZE, quality=10) as writer:
        for k in range(14):
            seen = ground.copy()
            seen[60:110, 80 + 4 * k : 160 + 4 * k] = (230, 60, 50)
            writer.write(picture_from_rgb(seen))
    code, _, err = clevrin("area", path, "--out", out, "--box", "6,104,60,80,50", "--clings")
    assert (code, err) == (0, "")
    seen = greys(out)
    for frame in (1, 6, 12):
        rows, columns = np.nonzero(seen[frame] > 0.5)
        assert (columns.min(), columns.max() + 1) == pytest.approx((80 + 4 * frame, 160 + 4 * frame), abs=2)
        assert (rows.min(), rows.max() + 1) == pytest.approx((60, 110), abs=2)


def test_an_edge_that_passes_stays_where_it_was_said_and_the_other_side_is_the_rest(clevrin, pan, tmp_path):
    words = ("--edge", "0,0,0,0,180", "--edge", "19,319,0,319,180", "--still")
    for name, more in (("a.mkv", ()), ("b.mkv", ("--inverted",))):
        assert clevrin("area", pan, "--out", tmp_path / name, *words, *more)[0] == 0
    one, other = greys(tmp_path / "a.mkv"), greys(tmp_path / "b.mkv")
    assert np.abs(one + other - 1).max() < 1e-4
    assert one[10].mean() == pytest.approx(10 / 19, abs=0.01)


def test_colours_into_a_folder_of_pictures(clevrin, tmp_path):
    numbered_film(tmp_path / "n.mp4", frames=6, size=(192, 108))
    out = tmp_path / "cover"
    code, said, _ = clevrin("area", tmp_path / "n.mp4", "--out", out, "--colour", "0,20,20", "--tolerance", "8")
    assert code == 0, said
    files = sorted(out.iterdir())
    assert [file.name for file in files] == [f"{k:06d}.png" for k in range(6)]
    first = cv2.imread(str(files[0]), cv2.IMREAD_UNCHANGED)
    assert first.dtype == np.uint16 and first[20, 20] == 65535 and first.mean() < 60_000
    assert not [each for each in tmp_path.iterdir() if each.name.startswith(".clevrin")]


@pytest.mark.parametrize(
    ("words", "said"),
    [
        ((), "needs a --colour"),
        (("--box", "5,1,2,3"), "written as a frame and 4 numbers"),
        (("--box", "99,1,2,30,30"), "none numbered 99"),
        (("--box", "1,1,2,30,30", "--box", "1,1,2,30,30"), "once on a frame"),
        (("--colour", "0,999,5"), "outside of the picture"),
        (("--colour", "0,nan,5"), "written as a frame"),
        (("--cut-out",), "needs a --box"),
        (("--cut-out", "--box", "1,900,2,30,30"), "outside of the picture"),
        (("--cut-out", "--box", "1,9,2,0,30"), "is empty"),
        (("--cut-out", "--box", "1,1,2,30,30", "--box", "1,1,2,30,30"), "once on a frame"),
        (("--stroke", "1,5,5", "--box", "1,1,2,30,30"), "need --cut-out"),
        (("--cut-out", "--box", "1,1,2,30,30", "--stroke", "1,5"), "written as a frame"),
    ],
)
def test_what_cannot_be_is_one_sentence_and_nothing_is_written(clevrin, pan, tmp_path, words, said):
    code, _, err = clevrin("area", pan, "--out", tmp_path / "x.mkv", *words)
    assert code != 0 and said in err and err.count("\n") == 1
    assert not (tmp_path / "x.mkv").exists()


def test_a_subject_is_cut_out_and_corrected_and_its_unsure_stretches_are_told(clevrin, tmp_path):
    walk = Walking(tmp_path / "films", leaves_at=22)
    left, top, right, bottom = walk.around().box
    box = f"{AT},{left},{top},{right - left},{bottom - top}"
    report = tmp_path / "r.json"
    words = ("area", walk.path, "--box", box, "--cut-out")
    code, said, err = clevrin(*words, "--out", tmp_path / "cut.mkv", "--report", report)
    assert (code, err) == (0, "") and "frames" in said
    seen = greys(tmp_path / "cut.mkv")
    for frame in (2, AT, 20):
        found, true = seen[frame] > 0.5, walk.true[frame] > 0.5
        assert (found & true).sum() / (found | true).sum() > 0.85
    told = json.loads(report.read_text())
    assert len(told["sure"]) == len(walk.true) and told["sure"][2] > told["sure"][-1]
    assert told["area"]["parts"][0]["of"]["around"][0]["frame"] == AT
    beside = f"{AT},{right + 10},60,{right + 10},90"
    assert clevrin(*words, "--stroke", beside, "--out", tmp_path / "more.mkv")[0] == 0
    assert (
        greys(tmp_path / "more.mkv")[AT, 65:85, round(right) + 10].min()
        > 0.8
        > seen[AT, 65:85, round(right) + 10].max()
    )


def test_places_that_are_taken_are_left_as_they_are(clevrin, pan, tmp_path):
    folder = tmp_path / "mine"
    folder.mkdir()
    (folder / "note.txt").write_text("kept")
    elsewhere = tmp_path / "no" / "x"
    for out, said in ((folder, "there already"), (tmp_path / "x.mp4", "neither"), (elsewhere, "is not there")):
        code, _, err = clevrin("area", pan, "--out", out, "--box", "0,1,1,9,9")
        assert code != 0 and said in err
    assert (folder / "note.txt").read_text() == "kept"


def test_an_area_that_leaves_the_picture_is_told(clevrin, pan, tmp_path):
    code, said, _ = clevrin("area", pan, "--out", tmp_path / "x.mkv", "--box", "0,2,20,30,30")
    assert code == 0 and "covers nothing in" in said
    code, said, _ = clevrin("area", pan, "--out", tmp_path / "y.mkv", "--box", "0,-900,-900,2000,2000", "--still")
    assert code == 0 and "covers everything of pan." in said


def test_what_was_begun_and_failed_leaves_nothing(tmp_path):
    for name in ("x.mkv", "x"):
        with pytest.raises(RuntimeError), GreyWriter(tmp_path / name, rate=Fraction(30), size=(64, 36)) as writer:
            writer.write(np.zeros((36, 64), np.float32))
            raise RuntimeError
    assert list(tmp_path.iterdir()) == []
