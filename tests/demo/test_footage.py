"""The demo is what its truth says, and can be made again, the same."""

import json
from pathlib import Path

import numpy as np
import pytest

from clevrin.core.document.files import load, save
from clevrin.core.join.match import Side, best_pair
from clevrin.core.join.meeting import CutSide
from clevrin.core.media.picture import rgb_from_picture
from clevrin.core.media.probe import probe
from clevrin.core.media.reading import FilmReader
from clevrin.core.pace import placed_shots
from clevrin.core.progress import Silent
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.sound.beats import find_beats
from clevrin.demo import film as filming
from clevrin.demo.camera import Lens
from clevrin.demo.film import developed, film, frame_light, truth
from clevrin.demo.footage_maker import FILMED, FOOTAGE
from clevrin.demo.music import agreement, kite_day
from clevrin.demo.project import demo_file, demo_project
from clevrin.demo.scene import Scene
from clevrin.demo.scenes import SCENES
from tests.conftest import TAKES
from tests.marks import later, long


@pytest.mark.parametrize("name", FILMED)
def test_the_shipped_truth_is_that_of_the_scene(name):
    shipped = json.loads((FOOTAGE / f"{name}.truth.json").read_text())
    made = json.loads(json.dumps(truth(FILMED[name])))
    assert {k: v for k, v in shipped.items() if k != "frames"} == {k: v for k, v in made.items() if k != "frames"}
    for a, b in zip(shipped["frames"], made["frames"], strict=True):
        assert a["H"] == pytest.approx(b["H"], abs=1e-9) and a["blur_px"] == pytest.approx(b["blur_px"], abs=1e-3)


@pytest.mark.parametrize("name", FILMED)
def test_the_shipped_films_are_what_was_asked_for(name):
    facts, each = probe(FOOTAGE / f"{name}.mp4"), FILMED[name]
    assert (facts.width, facts.height, facts.rate, facts.frames) == (1280, 720, each.rate, each.frames)
    assert 2.4 <= facts.seconds <= 6
    assert (FOOTAGE / f"{name}.mp4").stat().st_size < 4_000_000


def test_all_films_together_are_small_enough():
    assert sum(p.stat().st_size for p in FOOTAGE.iterdir()) < 36_000_000


@pytest.mark.parametrize(("name", "frame"), [later("hill", 90), later("bunting", 4)])
def test_a_frame_drawn_again_is_the_shipped_one(name, frame):
    drawn = rgb_from_picture(developed(frame_light(FILMED[name], frame), frame)).astype(float)
    with FilmReader(FOOTAGE / f"{name}.mp4") as reader:
        shipped = rgb_from_picture(reader.read(frame)).astype(float)
    assert 10 * np.log10(255**2 / ((drawn - shipped) ** 2).mean()) > 30  # dB: only what H.264 took


def small(each: Scene) -> Scene:
    return Scene(**{**vars(each), "frames": 4, "lens": Lens(width=160, height=90, focal_px=144.0)})


@long
def test_the_same_scene_gives_the_same_bytes(tmp_path):
    for folder in ("a", "b"):
        (tmp_path / folder).mkdir()
        film(small(FILMED["hill"]), tmp_path / folder)
    for name in ("hill.mp4", "hill.truth.json"):
        assert (tmp_path / "a" / name).read_bytes() == (tmp_path / "b" / name).read_bytes()


@pytest.mark.parametrize("each", [s for s in SCENES if s.whips], ids=lambda s: s.name)
def test_the_stated_peaks_are_the_fastest_instants(each):
    speed = [each.blur_px(k) for k in range(each.frames)]
    (whip,) = each.whips
    assert abs(int(np.argmax(speed)) - whip.peak) <= 1
    assert max(speed[: whip.start] or [0]) < 0.1 * max(speed)


@long
def test_a_whip_shows_no_ghost_copies(monkeypatch):
    """Twice as many samples of the shutter change nothing that can be seen."""
    each = Scene(**{**vars(FILMED["hill"]), "lens": Lens(width=320, height=180, focal_px=288.0)})
    plain = rgb_from_picture(developed(frame_light(each, 9), 1)).astype(float)
    monkeypatch.setattr(filming, "_SAMPLE_EVERY_PX", 1.0)
    finer = rgb_from_picture(developed(frame_light(each, 9), 1)).astype(float)
    assert np.abs(plain - finer).mean() < 1.0


def test_the_demo_project_opens_and_keeps_changes_until_told_otherwise():
    path = demo_file()
    project = load(path)
    assert [t.name for t in project.takes][: len(TAKES)] == list(TAKES) and len(project.reel.shots) == 10
    save(project.changed(name="Windy day on Gable Hill"), path)
    assert load(demo_file()).name.startswith("Windy day")
    assert load(demo_file(fresh=True)).name.startswith("Kite day")


@pytest.mark.soak
def test_the_demo_runs_into_its_whip_to_music_of_its_own(measured_demo, times):
    project = demo_project()
    row = placed_shots(project)
    music = project.music
    true_s = [music.start_s + at for at in kite_day()[1]]
    for placed in row[:-1]:  # cuts, the whip's peaks among them, fall on beats
        assert min(abs(at - placed.end / project.reel.rate) for at in true_s) < 0.5 / project.reel.rate
    store = MeasurementStore(measured_demo)
    out, in_ = (
        CutSide.of(store.measure(placed.take, Silent()), placed.shot, leaving=leaving)
        for placed, leaving in zip(row, (True, False), strict=False)
    )
    speeds = float(row[0].speed_at(row[0].end - 1)), float(row[1].speed_at(row[1].start))
    assert min(speeds) > 1.7
    assert out.widths_per_s * speeds[0] == pytest.approx(in_.widths_per_s * speeds[1], rel=0.01)
    assert len({placed.shot.leave.kind for placed in row[:-1]}) == 6  # each cut is joined in a way of its own
    slow = row[2]
    matched = ((3, "even"), (5, "roll"), (7, "push"))  # to be measured first, which takes longest
    for number, move in matched[: times(0, 3)]:  # what agrees is cut where it agrees best
        before, after = row[number], row[number + 1]
        sides = []
        for placed in (before, after):
            with FilmReader(Path(placed.take.path)) as film:
                sides.append(Side.of(film, store.measure(placed.take, Silent())))
        best = best_pair(*sides)
        assert best.move == move and best.score > 80
        assert abs(before.shot.last_shown - best.out_frame) <= 1 and abs(after.shot.first_shown - best.in_frame) <= 1
    assert slow.take.facts.rate == 60 and float(slow.speed_at(slow.start + 60)) == 0.5
    found = find_beats(Path(music.path), Silent())
    assert agreement(found.beats_s, kite_day()[1]) > 0.95


def test_a_damaged_demo_project_is_put_aside_not_overwritten():
    path = demo_file()
    path.write_text("{ nonsense")
    assert load(demo_file()).name.startswith("Kite day")
    assert path.with_suffix(".damaged").read_text() == "{ nonsense"
