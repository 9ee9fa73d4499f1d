"""`join`: every kind between two takes, its report, the list of kinds, and what cannot be."""

import json

import numpy as np
import pytest

from clevrin.core.join.kinds import KINDS
from clevrin.core.media.probe import probe
from clevrin.core.media.reading import FilmReader
from tests.films import moving_film, numbered_film, shift


@pytest.fixture(scope="module")
def pair(tmp_path_factory):
    """Two takes whose camera turns to the right, of 24 frames each."""
    folder, paths = tmp_path_factory.mktemp("pair"), []
    for seed in (1, 2):
        paths.append(folder / f"{seed}.mp4")
        moving_film(paths[-1], lambda t: shift(300 + 3 * t, 300), frames=24, size=(192, 108), seed=seed)
    return paths


@pytest.mark.parametrize("kind", [name for name in KINDS if name != "whip cut"])
def test_takes_are_joined_by_every_kind(clevrin, pair, tmp_path, kind):
    out, report = tmp_path / "out.mp4", tmp_path / "report.json"
    code, _, err = clevrin("join", *pair, "--out", out, "--kind", kind, "--report", report)
    assert (code, err) == (0, "")
    frames = json.loads(report.read_text())["frames"]
    assert probe(out).frames == len(frames) == 48
    for each in frames:
        sides = each["sides"]
        assert 1 <= len(sides) <= 2 and all(len(side["src_from_out"]) == 9 for side in sides)
        assert set(sides[0]) >= {"take", "weight", "samples", "screen_speed_px", "frame"}
    assert [side["take"] for side in frames[0]["sides"]] == ["1"] and frames[-1]["sides"][-1]["take"] == "2"


def test_a_doorway_goes_through_the_surface_of_a_track_file(clevrin, pair, tmp_path):
    table, out, report = tmp_path / "sign.csv", tmp_path / "out.mp4", tmp_path / "report.json"
    corners = ("top_left", "top_right", "bottom_right", "bottom_left")
    names = ",".join(f"{corner}_{axis}_px" for corner in corners for axis in "xy")
    rows = [f"{frame},50,30,120,32,118,80,52,78" for frame in range(24)]
    table.write_text("\n".join(["# clevrin-track 1", "# name sign", "# kind surface", f"frame,{names}", *rows]))
    words = ("--kind", "doorway", "--surface", table, "--length", "12", "--set", "appears=0")
    code, _, err = clevrin("join", *pair, "--out", out, *words, "--report", report)
    assert (code, err) == (0, "")
    frames = json.loads(report.read_text())["frames"]
    assert [len(each["sides"]) for each in frames[10:26]] == [1, 1, *[2] * 12, 1, 1]
    last = np.array(frames[23]["sides"][1]["src_from_out"]).reshape(3, 3)
    assert np.abs(last - np.eye(3)).max() < 0.01  # what was seen in it fills the picture
    code, _, err = clevrin("join", *pair, "--out", out, "--kind", "doorway", "--surface", tmp_path / "none.csv")
    assert code != 0 and "none.csv" in err


def test_a_passing_edge_goes_by_a_film_of_an_area_or_by_a_report_of_one(clevrin, pair, tmp_path):
    film, told = tmp_path / "edge.mkv", tmp_path / "edge.json"
    words = ("--edge", "0,20,108,20,0", "--edge", "23,180,108,180,0", "--still")
    assert clevrin("area", pair[0], "--out", film, *words, "--report", told)[0] == 0
    seen = []
    for number, area in enumerate((film, told)):
        out = tmp_path / f"{number}.mp4"
        words = ("--kind", "passing edge", "--area", area, "--length", "16", "--set", "shows=beyond")
        code, _, err = clevrin("join", *pair, "--out", out, *words)
        assert (code, err) == (0, "")
        with FilmReader(out) as reader:
            seen.append(np.array([reader.read_luma(frame) for frame in (18, 22)]).astype(float))
    assert np.abs(seen[0] - seen[1]).mean() < 0.6  # the film has its coverage in 256 steps
    with FilmReader(pair[0]) as reader:
        before = reader.read_luma(18).astype(float)
    assert np.abs(seen[0][0][:, 160:] - before[:, 160:]).mean() < 4 < np.abs(seen[0][0][:, :60] - before[:, :60]).mean()
    (tmp_path / "none.json").write_text('{"covered": []}')
    for wrong, says in (("none.json", "makes no sense"), ("gone.mkv", "is not a film of an area")):
        code, _, err = clevrin("join", *pair, "--out", out, "--kind", "passing edge", "--area", tmp_path / wrong)
        assert code != 0 and says in err
    numbered_film(tmp_path / "tall.mp4", frames=24, size=(96, 160))
    words = ("--kind", "passing edge", "--area", tmp_path / "tall.mp4")
    code, _, err = clevrin("join", *pair, "--out", tmp_path / "tall-out.mp4", *words)
    assert code != 0 and "96x160" in err and not (tmp_path / "tall-out.mp4").exists()


def test_a_match_cut_lays_tracks_or_whole_pictures_on_each_other(clevrin, pair, tmp_path):
    tables = []
    for name, x, y in (("out", 100.0, 50.0), ("in", 80.0, 58.0)):
        rows = [f"{frame},{x},{y}" for frame in range(24)]
        tables.append(tmp_path / f"{name}.csv")
        tables[-1].write_text("\n".join(["# clevrin-track 1", "# name kite", "# kind point", "frame,x_px,y_px", *rows]))
    words = ("--kind", "match cut", "--length", "8", "--track-out", tables[0], "--track-in", tables[1])
    report = tmp_path / "report.json"
    code, out, err = clevrin("join", *pair, "--out", tmp_path / "out.mp4", *words, "--report", report)
    assert (code, err) == (0, "") and "0.00 px are left" in out
    frames = json.loads(report.read_text())["frames"]
    maps = [np.array(frames[k]["sides"][0]["src_from_out"]).reshape(3, 3) for k in (23, 24)]
    places = [np.linalg.inv(m) @ (*place, 1) for m, place in zip(maps, ((100.0, 50.0), (80.0, 58.0)), strict=True)]
    assert places[0][:2] / places[0][2] == pytest.approx(places[1][:2] / places[1][2], abs=2.0)
    moving_film(tmp_path / "large.mp4", lambda t: shift(300 + 2 * t, 300), frames=16, size=(640, 360), seed=3)
    words = ("--kind", "match cut", "--by-pictures", "--at-out", "10", "--at-in", "6")
    large = tmp_path / "large.mp4"
    code, out, err = clevrin("join", large, large, "--out", tmp_path / "own.mp4", *words)
    assert (code, err) == (0, "") and "px are left" in out
    for wrong, says in (
        (("--kind", "match cut", "--track-out", tables[0]), "needs --track-out and --track-in"),
        (("--kind", "flash", "--by-pictures"), "Only a match cut"),
    ):
        code, _, err = clevrin("join", *pair, "--out", tmp_path / "no.mp4", *wrong)
        assert code != 0 and says in err


def test_a_thrown_whip_goes_on_as_fast_across_the_cut(clevrin, pair, tmp_path):
    report = tmp_path / "report.json"
    words = ("--kind", "thrown-whip", "--length", "12", "--direction", "90", "--distance", "2", "--shutter", "90")
    clevrin("join", *pair, "--out", tmp_path / "out.mp4", *words, "--report", report)
    speeds = [each["sides"][-1]["screen_speed_px"] for each in json.loads(report.read_text())["frames"]]
    assert speeds[23] == pytest.approx(speeds[24], rel=0.02) and np.argmax(speeds) in (23, 24)
    assert sum(speeds) == pytest.approx(2 * 192, rel=0.03)  # two widths in all
    assert speeds[:17] == [0.0] * 17 and speeds[31:] == [0.0] * 17


def test_the_cut_is_where_it_was_said(clevrin, pair, tmp_path):
    out = tmp_path / "out.mp4"
    code, _, _ = clevrin("join", *pair, "--out", out, "--kind", "plain cut", "--at-out", "9", "--at-in", "20")
    assert code == 0 and probe(out).frames == 14


def test_the_kinds_are_listed_with_their_settings(clevrin):
    code, said, _ = clevrin("join", "--kinds", "--json")
    kinds = {each["id"]: each for each in json.loads(said)["kinds"]}
    assert code == 0 and list(kinds) == list(KINDS)
    thrown = {each["id"]: each for each in kinds["thrown whip"]["settings"]}
    assert thrown["distance"]["unit"] == "widths" and thrown["distance"]["low"] == 0.25
    assert thrown["direction"]["auto"] is True and kinds["push-through"]["settings"][1]["options"] == ["in", "out"]
    code, said, _ = clevrin("join", "--kinds")
    assert code == 0 and "thrown whip: " in said and "0.25 to 6 widths" in said


@pytest.mark.parametrize(
    ("options", "code", "says"),
    [
        (("--kind", "paper crane"), 1, "There is no kind of join named paper crane"),
        (("--kind", "flash", "--turns", "2"), 1, "A flash has no setting turns"),
        (("--kind", "roll-over", "--turns", "99"), 1, "goes from -8 to 8"),
        (("--kind", "thrown whip", "--direction", "north"), 1, "Direction is a number"),
        (("--kind", "dip", "--set", "colour=red"), 1, "#rrggbb"),
        (("--kind", "flash", "--at-out", "99"), 1, "it cannot be cut out at 99"),
        (("--kind", "whip cut"), 1, "No moves of these takes agree"),
        (("--kind", "flash", "--set", "strength"), 2, "NAME=VALUE"),
        (("--kind", "flash", "--dissolve", "40"), 2, "0 to 6 frames"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_is_written(clevrin, pair, tmp_path, options, code, says):
    out = tmp_path / "out.mp4"
    got, _, err = clevrin("join", *pair, "--out", out, *options)
    assert got == code and says in " ".join(err.split()) and not out.exists()
    if code == 1:
        assert len(err.strip().splitlines()) == 1


def test_short_takes_shorten_the_join_and_say_so(clevrin, pair, tmp_path):
    words = ("--kind", "soft dissolve", "--at-out", "3", "--length", "20")
    code, said, _ = clevrin("join", *pair, "--out", tmp_path / "out.mp4", *words)
    assert code == 0 and "instead of 20" in said and "stands still there" in said
