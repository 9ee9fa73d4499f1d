"""The commands: the contract that scripts rely on, pressed as a script would."""

import csv
import json
import os
import re
import signal
import subprocess
import sys
import time
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from clevrin.core.document.files import load
from clevrin.core.media.picture import picture_from_rgb
from clevrin.core.media.probe import probe
from clevrin.core.media.writing import FilmWriter
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.measuring.measure import TraceRequest, trace_take
from clevrin.core.motion.trace.motion_reading import read_motion
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE, MUSIC
from tests.core.test_join import whip_there_and_back
from tests.core.test_media import bad_files
from tests.core.test_render import one_fast_stretch
from tests.films import moving_film, numbered_film, rotate_mp4, shift, texture
from tests.marks import long

WALK, HILL, PICNIC, BUNTING = (str(FOOTAGE / f"{n}.mp4") for n in ("walk-past", "hill", "picnic", "bunting"))


def test_probe_gives_one_json_object(clevrin, tmp_path):
    film = numbered_film(tmp_path / "phone.mp4", frames=20, sound=True)
    rotate_mp4(film, 270)
    code, out, err = clevrin("probe", film, "--json")
    assert (code, err) == (0, "")
    facts = json.loads(out)
    assert facts == {
        "width": 108,
        "height": 192,
        "rate": "30/1",
        "variable": False,
        "frames": 20,
        "seconds": facts["seconds"],
        "rotation": 270,
        "codec": "h264",
        "pixel_format": "yuv420p",
        "sound": True,
        "depth": 8,
        "colour": {"matrix": "bt709", "primaries": "bt709", "transfer": "sdr", "full_range": False},
        "tagged": True,
        "interlaced": False,
        "aspect": "1",
        "channels": 2,
        "meant": None,
        "special": [],
    }
    assert facts["seconds"] == pytest.approx(20 / 30, abs=0.01)


def test_trace_writes_a_motion_csv_and_uses_the_cache(clevrin, tmp_path, measured_demo):
    code, out, _ = clevrin("trace", HILL, "--out", tmp_path / "hill.csv")
    assert (code, out) == (0, "")
    lines = (tmp_path / "hill.csv").read_text().splitlines()
    assert lines[0] == "# clevrin-motion 1" and all(line.startswith("#") for line in lines[:4])
    rows = list(csv.DictReader(lines[4:]))
    assert len(rows) == 150 and list(rows[0]) == [
        "frame",
        "time_s",
        *(f"h{r}{c}" for r in range(3) for c in range(3)),
        "dx_px",
        "dy_px",
        "roll_deg",
        "scale",
        "speed_px",
        "angle_deg",
        "blur_px",
        "blur_angle_deg",
        "confidence",
        "sigma_centre_px",
        "sigma_corner_px",
    ]
    assert all(0 < float(row["sigma_centre_px"]) < float(row["sigma_corner_px"]) < 3 for row in rows[1:])
    assert float(rows[9]["dx_px"]) < -100 and abs(float(rows[9]["angle_deg"])) < 5


@pytest.mark.parametrize("model", ["translation", "similarity", "homography", "mesh"])
def test_trace_takes_a_model_and_areas_to_leave_out(clevrin, tmp_path, model):
    film = numbered_film(tmp_path / "film.mp4", frames=4, size=(320, 180))
    code, _, _ = clevrin("trace", film, "--out", tmp_path / "m.csv", "--model", model, "--leave-out", "0,0,40,40",
                         "--leave-out", "100,20,30,30", "--fresh")  # fmt: skip
    assert code == 0 and (tmp_path / "m.csv").exists()


def test_whips(clevrin, measured_demo):
    code, out, _ = clevrin("whips", WALK, "--json")
    found = json.loads(out)
    assert code == 0 and set(found) == {"whips", "shutter_deg"}
    (whip,) = found["whips"]
    assert list(whip) == ["start", "peak", "end", "angle_deg", "speed_px", "blur_px", "kind"]
    assert abs(whip["peak"] - 137) <= 1 and found["shutter_deg"] == pytest.approx(180, rel=0.1)


def test_match(clevrin, measured_demo):
    code, out, _ = clevrin("match", WALK, BUNTING, "--json")
    best = json.loads(out)["proposals"][0]
    assert code == 0 and best["mirror"] == "horizontal"
    assert list(best) == [
        "out_frame",
        "in_frame",
        "mirror",
        "reverse_out",
        "reverse_in",
        "direction_diff_deg",
        "speed_ratio",
        "blur_ratio",
        "colour_delta_e",
        "score",
        "out_left_s",
        "in_left_s",
        "move",
        "turns",
    ]
    _, out, _ = clevrin("match", WALK, BUNTING, "--json", "--no-mirror", "--no-reverse")
    assert json.loads(out) == {"proposals": []}


def test_hold_renders_a_take_and_reports(clevrin, tmp_path):
    shaken = tmp_path / "shaken.mp4"
    moving_film(
        shaken, lambda k: shift(300 + 4 * np.sin(k / 2.9), 300 + 3 * np.cos(k / 2.1)), frames=90, rate=Fraction(60)
    )
    code, _, _ = clevrin("hold", shaken, "--out", tmp_path / "held.mp4", "--how", "float", "--keep", "0.9",
                         "--settle", "1.2", "--report", tmp_path / "r.json")  # fmt: skip
    assert code == 0
    facts = probe(tmp_path / "held.mp4")
    assert (facts.frames, facts.rate, facts.width, facts.height) == (90, 60, 640, 360)
    report = json.loads((tmp_path / "r.json").read_text())
    assert report["instant"] == list(range(90))
    assert len(report["keep"]) == 90 and min(report["keep"]) >= 0.9 - 1e-5
    maps = np.array(report["src_from_out"]).reshape(-1, 3, 3)
    corners = np.array([apply(each, np.array([[0.0, 0.0], [1279.0, 719.0]])) for each in maps])
    assert len(maps) == 90 and (corners >= -0.01).all() and (corners <= (1279.01, 719.01)).all()
    assert report["shake_after"]["pan"] < 0.15 * report["shake_before"]["pan"]


def test_assemble_and_render_give_one_move(clevrin, tmp_path, measured_demo):
    code, _, _ = clevrin("assemble", WALK, HILL, "--out", tmp_path / "P.clevrin")
    assert code == 0
    project = load(tmp_path / "P.clevrin")
    assert [s.leave.kind for s in project.reel.shots] == ["whip cut", "plain cut"]
    code, _, _ = clevrin("render", tmp_path / "P.clevrin", "--out", tmp_path / "F.mp4", "--size", "320x180")
    facts = probe(tmp_path / "F.mp4")
    assert code == 0 and (facts.width, facts.frames) == (320, sum(shot.span.frames for shot in project.reel.shots))


def test_assembled_to_music_the_cut_falls_on_a_beat(clevrin, tmp_path, measured_demo):
    project = tmp_path / "P.clevrin"
    code, said, _ = clevrin("assemble", WALK, HILL, "--ramps", "--music", MUSIC, "--beats", "--out", project)
    assert code == 0 and "1 of 1 cuts fall on beats" in said
    made = load(project)
    row, beats = placed_shots(made), {m.frame for m in made.reel.markers if m.kind == "beat"}
    assert made.music is not None and row[0].end in beats and len(beats) > 10
    code, _, _ = clevrin("assemble", WALK, HILL, "--beats", "--out", project)
    assert code == 2
    (tmp_path / "la.wav").write_text("la la la")
    code, _, err = clevrin("assemble", WALK, HILL, "--music", tmp_path / "la.wav", "--out", tmp_path / "Q.clevrin")
    assert code == 1 and len(err.strip().splitlines()) == 1 and not (tmp_path / "Q.clevrin").exists()


def test_one_move_is_made_of_takes_whose_moves_do_not_agree(clevrin, tmp_path, measured_demo):
    given = ("assemble", WALK, HILL, PICNIC, "--out", tmp_path / "P.clevrin")
    code, said, _ = clevrin(*given, "--made", "--length", "8", "--music", MUSIC, "--beats")
    made = load(tmp_path / "P.clevrin")
    row = placed_shots(made)
    assert code == 0 and [shot.leave.kind for shot in made.reel.shots] == ["whip cut", "thrown whip", "plain cut"]
    assert "join 1: whip cut" in said and "join 2: thrown whip, 62: Both shots stand still" in said
    assert row[-1].end / 30 == pytest.approx(8, abs=0.6) and "of 2 cuts fall on a beat" in said
    assert row[1].end in {marker.frame for marker in made.reel.markers}
    for wrong in (("--length", "8"), ("--made", "--length", "0"), ("--made", "--ramps")):
        assert clevrin(*given, *wrong)[0] == 2


@long
def test_assemble_mirrors_a_take_whose_whip_goes_the_other_way(clevrin, tmp_path, measured_demo):
    clevrin("assemble", WALK, BUNTING, "--out", tmp_path / "P.clevrin")
    assert load(tmp_path / "P.clevrin").reel.shots[1].mirror == "horizontal"
    code, _, _ = clevrin("render", tmp_path / "P.clevrin", "--out", tmp_path / "F.mp4", "--size", "320x180")
    assert code == 0
    one_fast_stretch(tmp_path / "F.mp4", tmp_path, angle=0)


def test_assemble_finds_the_best_order(clevrin, tmp_path, measured_demo):
    clevrin("assemble", HILL, WALK, "--out", tmp_path / "P.clevrin", "--order", "best")
    project = load(tmp_path / "P.clevrin")
    assert [project.take(s.take_id).name for s in project.reel.shots] == ["walk-past", "hill"]


@long
def test_more_takes_are_assembled_than_films_stay_open(clevrin, tmp_path):
    films = []
    for number in range(6):
        films.append(tmp_path / f"take {number}.mp4")
        way = 260 if number % 2 else -260
        course = lambda k, way=way: shift(500 + way * np.tanh((k - 14) / 3.0), 500)  # noqa: E731
        moving_film(films[-1], course, frames=28, size=(320, 180), shutter=0.5, seed=number)
    code, out, err = clevrin("assemble", *films, "--out", tmp_path / "P.clevrin")
    assert (code, err) == (0, "") and len(out.splitlines()) == 11
    assert all(f"take {number}: frames " in out for number in range(6)) and "join 5: " in out
    project = load(tmp_path / "P.clevrin")
    assert [project.take(shot.take_id).name for shot in project.reel.shots] == [film.stem for film in films]


@pytest.mark.parametrize("name", ["missing.mp4", "empty.mp4", "cut.mp4", "text.mp4", "noise.avi", "sound.m4a"])
@pytest.mark.parametrize("command", ["probe", "trace", "whips", "match", "hold", "assemble"])
def test_bad_input_gets_one_sentence_and_nothing_half_made(clevrin, tmp_path, command, name):
    bad_files(tmp_path)
    before = sorted(p.name for p in tmp_path.iterdir())
    bad = tmp_path / name
    words = {
        "probe": ("probe", bad, "--json"),
        "trace": ("trace", bad, "--out", tmp_path / "o.csv"),
        "whips": ("whips", bad, "--json"),
        "match": ("match", HILL, bad, "--json"),
        "hold": ("hold", bad, "--out", tmp_path / "o.mp4", "--how", "float"),
        "assemble": ("assemble", bad, HILL, "--out", tmp_path / "o.clevrin"),
    }[command]
    if command == "match":
        words = ("match", bad, bad, "--json")
    code, out, err = clevrin(*words)
    assert code == 1 and out == ""
    assert err.startswith("clevrin: ") and err.count("\n") == 1 and "Traceback" not in err
    assert sorted(p.name for p in tmp_path.iterdir() if p.name not in ("cache", "data")) == before


def test_one_frame_is_told(clevrin, tmp_path):
    film = numbered_film(tmp_path / "one.mp4", frames=1)
    code, _, err = clevrin("trace", film, "--out", tmp_path / "o.csv")
    assert code == 1 and "single frame" in err and not (tmp_path / "o.csv").exists()


def test_the_output_is_never_the_input(clevrin, tmp_path):
    film = numbered_film(tmp_path / "film.mp4", frames=4)
    before = film.read_bytes()
    for words in (("trace", film, "--out", film), ("hold", film, "--out", film, "--how", "float"),
                  ("assemble", film, "--out", film)):  # fmt: skip
        assert clevrin(*words)[0] == 1
    assert film.read_bytes() == before


@pytest.mark.parametrize(
    "words",
    [
        ("probe",),
        ("fly",),
        ("hold", "a.mp4", "--out", "b.mp4", "--how", "glue"),
        ("hold", "a.mp4", "--out", "b.mp4", "--how", "float", "--keep", "7"),
        ("hold", "a.mp4", "--out", "b.mp4", "--how", "float", "--axes", "pan,wobble"),
        ("trace", "a.mp4", "--out", "b.csv", "--model", "psychic"),
        ("render", "p.clevrin", "--out", "f.mp4", "--size", "wide"),
    ],
)
def test_wrong_usage_exits_2(clevrin, words):
    code, out, err = clevrin(*words)
    assert code == 2 and out == "" and err


def test_projects_that_cannot_be_rendered(clevrin, tmp_path):
    for text, says in (("{", "damaged"), ('{"schema_version": 9}', "newer"), ("", "not a Clevrin project")):
        (tmp_path / "p.clevrin").write_text(text)
        code, _, err = clevrin("render", tmp_path / "p.clevrin", "--out", tmp_path / "f.mp4")
        assert code == 1 and says in err and (tmp_path / "p.clevrin").read_text() == text
    code, _, err = clevrin("open", tmp_path / "p.clevrin")
    assert code == 1 and "not a Clevrin project" in err


def test_the_window_needs_a_screen_and_says_so(tmp_path):
    without = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    result = subprocess.run([sys.executable, "-m", "clevrin"], env=without, capture_output=True, text=True)
    assert result.returncode == 1
    assert result.stderr.startswith("clevrin: There is no screen") and result.stderr.count("\n") == 1


def test_ctrl_c_keeps_the_pieces_and_the_next_run_goes_on(tmp_path):
    long = tmp_path / "long.mp4"
    numbered_film(long, frames=260, size=(320, 180), keyframes=60)
    out = tmp_path / "out.csv"
    words = [sys.executable, "-m", "clevrin", "trace", str(long), "--out", str(out)]
    process = subprocess.Popen(words, stderr=subprocess.PIPE, text=True)
    folder = Path(os.environ["XDG_CACHE_HOME"]) / "clevrin" / "trace"
    until = time.monotonic() + 60
    while not list(folder.glob("*.npz")) and time.monotonic() < until:
        time.sleep(0.05)
    process.send_signal(signal.SIGINT)
    _, err = process.communicate(timeout=30)
    assert process.returncode == 130 and "kept" in err and not out.exists()
    kept = [len(np.load(piece)["confidence"]) for piece in folder.glob("*.npz")]
    assert 60 <= sum(kept) < 260

    class First:
        done = None

        def report(self, done: int, total: int) -> None:
            self.done = self.done or done

        def cancelled(self) -> bool:
            return False

    watch = First()
    trace_take(TraceRequest(path=long), Shelf(), watch)
    assert watch.done > 60
    assert np.array_equal(
        trace_take(TraceRequest(path=long), Shelf(), Silent()).motions,
        trace_take(TraceRequest(path=long), Shelf(tmp_path / "other"), Silent()).motions,
    )


def test_verdict_says_what_holding_would_cost(clevrin, measured_demo):
    code, out, err = clevrin("verdict", PICNIC, "--json")
    verdict = json.loads(out)
    assert (code, err) == (0, "") and verdict["verdict"] == "easy"
    assert set(verdict) == {
        "verdict",
        "sentence",
        "shake",
        "idle_axes",
        "keep_float",
        "keep_lock_off",
        "blurred_frames",
    }
    assert set(verdict["shake"]) == {"pan_px", "tilt_px", "roll_deg", "zoom_percent"}
    assert 0.85 < verdict["keep_lock_off"] < verdict["keep_float"] < 1
    assert clevrin("verdict", PICNIC) == (0, verdict["sentence"] + "\n", "")


def test_whips_are_told_in_words(clevrin, measured_demo):
    for name, words in (("somersault", "° a frame anticlockwise"), ("burst", "% a frame"), ("picnic", "no whips")):
        code, out, _ = clevrin("whips", FOOTAGE / f"{name}.mp4")
        assert code == 0 and words in out


def test_track_writes_where_a_point_is(clevrin, tmp_path):
    out_file = tmp_path / "p.csv"
    code, out, _ = clevrin("track", PICNIC, "--point", "100,640,360", "--out", out_file)
    lines = out_file.read_text().splitlines()
    assert code == 0 and lines[0] == "# clevrin-track 1" and "# kind point" in lines
    rows = list(csv.DictReader(line for line in lines if not line.startswith("#")))
    there = next(row for row in rows if row["frame"] == "100")
    assert (float(there["x_px"]), float(there["y_px"]), there["placed"]) == (640.0, 360.0, "1")
    assert len(rows) > 20 and ("lost at frame" in out) == (len(rows) < 210)


@pytest.mark.parametrize(
    "words",
    [(), ("--point", "1,2"), ("--point", "a,b,c"), ("--surface", "1,2,3"), ("--point", "1,2,3", "--surface", "1,2")],
)
def test_a_mistyped_track_is_wrong_usage(clevrin, tmp_path, words):
    code, _, err = clevrin("track", PICNIC, "--out", tmp_path / "p.csv", *words)
    assert code == 2 and err and not (tmp_path / "p.csv").exists()


def test_a_track_beyond_the_take_says_so(clevrin, tmp_path):
    code, _, err = clevrin("track", PICNIC, "--point", "900,1,1", "--out", tmp_path / "p.csv")
    assert code == 1 and "no frame 900" in err


def test_the_cache_is_counted_and_emptied(clevrin, tmp_path):
    film = numbered_film(tmp_path / "film.mp4", frames=4, size=(320, 180))
    clevrin("trace", film, "--out", tmp_path / "m.csv")
    _, out, _ = clevrin("cache", "--json")
    full = json.loads(out)
    other = Path(full["folder"]) / "mine.txt"
    other.write_text("not of the cache")
    assert full["files"] >= 1 and full["bytes"] > 500
    code, out, _ = clevrin("cache", "--empty")
    assert code == 0 and out.startswith("0 files, 0.0 MB") and other.exists()
    assert clevrin("trace", film, "--out", tmp_path / "again.csv")[0] == 0
    assert (tmp_path / "again.csv").read_bytes() == (tmp_path / "m.csv").read_bytes()


def test_an_output_that_cannot_be_written_is_one_sentence(tmp_path):
    film = numbered_film(tmp_path / "film.mp4", frames=5)
    with open("/dev/full", "w") as full:  # noqa: PTH123  # a device
        ended = subprocess.run(
            [sys.executable, "-m", "clevrin", "probe", str(film), "--json"],
            stdout=full, stderr=subprocess.PIPE, text=True, timeout=60,
        )  # fmt: skip
    assert ended.returncode == 1 and ended.stderr.count("\n") == 1 and "no space" in ended.stderr.lower()


@long
def test_six_whip_takes_are_assembled_and_each_keeps_its_span(clevrin, tmp_path):
    films = [tmp_path / f"{number}.mp4" for number in range(6)]
    for number, film in enumerate(films):
        whip_there_and_back(film, number + 1)
    code, out, err = clevrin("assemble", *films, "--out", tmp_path / "P.clevrin")
    assert (code, err) == (0, "")
    kept = [float(seconds) for seconds in re.findall(r"^\d: frames \d+ to \d+, (\d+\.\d+) s$", out, re.MULTILINE)]
    assert len(kept) == 6 and min(kept) > 1.2 and out.count("score") == 5


def test_what_stands_still_is_chosen_by_a_place(clevrin, tmp_path):
    """The near texture goes its own way: pointed at, it is what the trace follows."""
    film = tmp_path / "f.mp4"
    far, near = texture(3), texture(5)
    with FilmWriter(film, rate=Fraction(30), size=(320, 180), quality=14) as writer:
        for k in range(24):
            rgb = far[300:480, 300 + k : 620 + k].copy()
            rgb[:, 200:] = near[300:480, 300 + 4 * k : 420 + 4 * k]
            writer.write(picture_from_rgb(rgb))
    steps = {}
    for name, options in (("far", ()), ("near", ("--standing", "4,260,90"))):
        code, _, err = clevrin("trace", film, "--out", tmp_path / f"{name}.csv", *options)
        assert (code, err) == (0, "")
        steps[name] = read_motion(tmp_path / f"{name}.csv").course[-1][0] * 320 / 23
    assert steps["far"] == pytest.approx(1, abs=0.1) and steps["near"] == pytest.approx(4, abs=0.3)
    code, _, err = clevrin("trace", film, "--out", tmp_path / "x.csv", "--standing", "90,1,1")
    assert code == 1 and "there is no frame 90" in err


@pytest.mark.parametrize("value", ["nan", "inf", "-inf", "1e9", "-1e9", "", "two", "0x1", "1,5"])
@pytest.mark.parametrize(
    "words",
    [
        ("area", "a.mp4", "--out", "a.mkv", "--box", "0,1,1,9,9", "--grow"),
        ("area", "a.mp4", "--out", "a.mkv", "--box", "0,1,1,9,9", "--soft"),
        ("area", "a.mp4", "--out", "a.mkv", "--box", "0,1,1,9,9", "--tolerance"),
        ("area", "a.mp4", "--out", "a.mkv", "--box", "0,1,1,9,9", "--softness"),
        ("area", "a.mp4", "--out", "a.mkv", "--box", "0,1,1,9,9", "--stroke-width"),
        ("area", "a.mp4", "--out", "a.mkv", "--box"),
        ("reframe", "a.mp4", "--out", "r.mp4", "--shape", "9:16", "--pose"),
        ("hold", "a.mp4", "--out", "r.mp4", "--how", "float", "--keep"),
        ("hold", "a.mp4", "--out", "r.mp4", "--how", "float", "--crispness"),
        ("pace", "a.mp4", "--out", "r.mp4", "--shutter"),
        ("track", "a.mp4", "--out", "t.csv", "--point"),
        ("trace", "a.mp4", "--out", "t.csv", "--leave-out"),
        ("render", "a.clevrin", "--out", "r.mp4", "--loudness"),
    ],
    ids=lambda words: f"{words[0]} {words[-1]}",
)
def test_what_is_no_number_or_out_of_its_range_is_told_in_a_sentence(clevrin, tmp_path, monkeypatch, words, value):
    monkeypatch.chdir(tmp_path)
    numbered_film(tmp_path / "a.mp4", frames=3)
    text = f"0,{value},1,9,9" if words[-1] == "--box" else f"0:{value},1,9" if words[-1] == "--pose" else value
    code, _, err = clevrin(*words, f"0,{value},1" if words[-1] == "--point" else text)
    assert code in (1, 2) and "Traceback" not in err and err.strip()
    assert sorted(each.name for each in tmp_path.iterdir() if each.is_file()) == ["a.mp4"]
