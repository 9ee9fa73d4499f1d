"""Whatever comes in from outside: it is used, or it gets one sentence. Nothing else is raised, and nothing hangs.

Each case is made by its number alone, which is in the message when it fails. In the suite there is a sample of them,
with `--soak` all.
"""

import random
import time
from collections.abc import Callable, Iterable
from pathlib import Path

import numpy as np
import pytest

from clevrin.cli.batching import check_results, jobs_for, read_jobs
from clevrin.core.document import Hold, Project, Shot
from clevrin.core.document.edits import AddTakes
from clevrin.core.document.files import load, save
from clevrin.core.document.journal import Journal, look_through
from clevrin.core.document.keeping import data_folder, last_project, remember_last
from clevrin.core.elements import drawings
from clevrin.core.errors import ClevrinError
from clevrin.core.exchange.take_list import take_list_csv, with_take_list
from clevrin.core.exchange.timeline_reading import read_timeline
from clevrin.core.exchange.timeline_writing import timeline_text
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.sound_reading import read_sound
from clevrin.core.media.taking_in import take_in
from clevrin.core.motion.measuring.measure import TraceRequest, stored_trace, trace_take
from clevrin.core.motion.trace.motion_csv import motion_csv
from clevrin.core.motion.trace.motion_reading import read_motion
from clevrin.core.motion.tracks.track_csv import read_track
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from clevrin.desk.state.settings import Settings
from tests.core.test_document import take, three_shots
from tests.core.test_exchange import rich_project
from tests.core.traces import trace_of, whip_course
from tests.damage import damaged, damaged_text, whole_films

_LONGEST_S = 20.0

pytestmark = pytest.mark.soak


def every(cases: Iterable[int], use: Callable[[random.Random], object]) -> None:
    """Uses each case; fails with the numbers of those that raised anything but a sentence, or took long."""
    failed = []
    for number in cases:
        begun = time.monotonic()
        try:
            use(random.Random(number))
        except ClevrinError as error:
            said = str(error)
            if "\n" in said or not said.endswith(".") or len(said) > 2000:
                failed.append(f"{number}: no sentence: {said[:200]!r}")
        except Exception as error:
            failed.append(f"{number}: {type(error).__name__}: {str(error)[:200]}")
        if time.monotonic() - begun > _LONGEST_S:
            failed.append(f"{number}: took {time.monotonic() - begun:.0f} s")
    assert not failed, f"{len(failed)} cases failed:\n" + "\n".join(failed[:20])


@pytest.fixture(scope="module")
def films(tmp_path_factory) -> list[bytes]:
    found = whole_films(tmp_path_factory.mktemp("films"))
    return [(path.suffix, path.read_bytes()) for path in found]


def test_damaged_films(tmp_path, films, times):
    sources = Sources.of(Shelf(tmp_path / "shelf"))

    def use(chance: random.Random) -> None:
        suffix, data = chance.choice(films)
        path = tmp_path / f"film{suffix}"
        path.write_bytes(damaged(data, chance))
        made = take_in(path)
        with FilmReader(path) as reader:
            for frame in chance.sample(range(made.facts.frames), min(4, made.facts.frames)):
                picture = reader.read(frame)
                assert (
                    picture.y.shape == picture.u.repeat(2, 0).repeat(2, 1)[: picture.size[1], : picture.size[0]].shape
                )
        sound = read_sound(path, chance.uniform(0, 1), 4800)
        assert np.isfinite(sound).all()
        if chance.random() < 0.2 and made.facts.frames < 100:
            rendered(made, chance)

    def rendered(made, chance: random.Random) -> None:
        how = chance.choice(("none", "float", "lock-off"))
        shot = Shot(
            take_id=made.id, span=made.whole, hold=Hold(how=how, edge=chance.choice(("fill", "borrow", "mirror")))
        )
        project = AddTakes(takes=(made,)).apply(Project())
        reel = project.reel.changed(shots=(shot,), width=64, height=36)
        request = ExportRequest(project=project.changed(reel=reel), path=tmp_path / "out.mp4")
        export_reel(request, sources, Silent(), set())
        assert take_in(tmp_path / "out.mp4").facts.frames > 0

    every(range(times(24, 2000)), use)
    sources.close()
    assert not list(tmp_path.glob(".clevrin*"))


def test_damaged_projects(tmp_path, times):
    whole = tmp_path / "whole.clevrin"
    save(rich_project(), whole)
    # Without its checksum what is damaged is looked at, not refused at once.
    lines = [line for line in whole.read_bytes().split(b"\n") if b'"checksum"' not in line]
    data, path, again = b"\n".join(lines), tmp_path / "day.clevrin", tmp_path / "again.clevrin"

    def use(chance: random.Random) -> None:
        path.write_bytes(damaged_text(data, chance))
        project = load(path)
        save(project, again)
        assert load(again) == project
        (tmp_path / "day.otio").write_text(timeline_text(project))
        read_timeline(tmp_path / "day.otio")

    every(range(times(60, 4000)), use)


def test_damaged_timelines(tmp_path, times):
    data = timeline_text(rich_project()).encode()

    def use(chance: random.Random) -> None:
        (tmp_path / "day.otio").write_bytes(damaged_text(data, chance))
        save(read_timeline(tmp_path / "day.otio").project, tmp_path / "day.clevrin")

    every(range(times(40, 2000)), use)


def test_damaged_take_lists(times):
    project = rich_project()
    data = take_list_csv(project.takes).encode()

    def use(chance: random.Random) -> None:
        with_take_list(project, damaged_text(data, chance).decode(errors="replace"))

    every(range(times(60, 2000)), use)


def test_damaged_motions_and_tracks(tmp_path, times):
    motion = motion_csv(trace_of(whip_course(20, 9, 300)), "kites").encode()
    header = "# clevrin-track 1\n# name flag\n# kind point\n# size 1280x720\n# rate 30/1\n"
    table = "frame,time_s,x_px,y_px,confidence,placed\n" + "".join(f"{k},{k / 30},{k},{k},1,0\n" for k in range(20))
    track = (header + table).encode()

    def use(chance: random.Random) -> None:
        data, read = chance.choice(((motion, read_motion), (track, lambda path: read_track(path, take("t1")))))
        (tmp_path / "table.csv").write_bytes(damaged_text(data, chance))
        read(tmp_path / "table.csv")

    every(range(times(60, 2000)), use)


def test_damaged_journals(tmp_path, times):
    """What is whole behind the damage is offered or kept aside; nothing is ever just thrown away."""
    folder = tmp_path / "journals"
    project = three_shots()
    journal = Journal(folder, project, place=tmp_path / "day.clevrin", saved=False)
    for name in ("a", "b", "c"):
        project = project.changed(name=name)
        journal.record(project)
    journal.abandon()
    data = journal.file.read_bytes()
    journal.file.unlink()

    def use(chance: random.Random) -> None:
        made = damaged(data, chance)
        (folder / "x.journal").write_bytes(made)
        found = look_through(folder)
        kept = [path.read_bytes() for path in folder.rglob("*.journal")]
        assert made in kept or not made.strip() or made.strip() == b"clevrin-journal 1"
        for left in found.left:
            left.forget()
        for path in folder.rglob("*.journal"):
            path.unlink()

    every(range(times(60, 2000)), use)


def test_damaged_settings_and_notes_of_the_last_project(tmp_path, qtbot, times):
    settings = Settings(file=tmp_path / "settings.json")
    settings.set("cache_folder", str(tmp_path / "cache"))
    settings.set("scale", 120)
    settings.set_keys({"undo": ("Ctrl+Z",)})
    settings.set_window_place("AdnQywADAAAAAAAA")
    data = (tmp_path / "settings.json").read_bytes()
    remember_last(tmp_path / "day.clevrin")
    note = (data_folder() / "last.json").read_bytes()

    def use(chance: random.Random) -> None:
        (tmp_path / "settings.json").write_bytes(damaged_text(data, chance))
        made = Settings(file=tmp_path / "settings.json")
        assert 80 <= made.value("scale") <= 200 and str(made.cache_folder) and str(made.journal_folder)
        made.set("scale", 110 if made.value("scale") != 110 else 100)  # and can be kept again
        (data_folder() / "last.json").write_bytes(damaged_text(note, chance))
        last_project()  # or a sentence

    every(range(times(60, 1500)), use)


def test_damaged_measurements_are_made_again(tmp_path, times):
    film = whole_films(tmp_path / "films")[0]
    shelf = Shelf(tmp_path / "shelf")
    request = TraceRequest(path=film)
    true = trace_take(request, shelf, Silent()).motions
    kept = {path: path.read_bytes() for path in sorted((tmp_path / "shelf").rglob("*.npz"))}
    assert len(kept) == 2  # what was tracked, and the course

    def use(chance: random.Random) -> None:
        for path, data in kept.items():
            path.write_bytes(damaged(data, chance) if chance.random() < 0.7 else data)
        found = stored_trace(request, shelf)
        assert found is None or np.array_equal(found.motions, true)
        again = trace_take(request, shelf, Silent())
        assert np.allclose(again.motions, true)

    every(range(times(8, 400)), use)


def test_paths_of_any_kind(tmp_path, times):
    """Names that are too long, barred, odd or no text at all, wherever a path is taken."""
    names = ["x" * 300, "a\0b", "\ud800", ".", "..", "/dev/zero", "/dev/null", "/proc/self/mem", "no/where", "~", " "]

    def use(chance: random.Random) -> None:
        path = Path(chance.choice(names))
        path = path if path.is_absolute() else tmp_path / path
        way = chance.choice(
            (
                take_in,
                load,
                read_timeline,
                read_motion,
                lambda p: save(three_shots(), p),
                lambda p: read_track(p, take("t1")),
            )
        )
        way(path)

    every(range(times(80, 400)), use)


_TABLE = b"command,arguments,out,json\nprobe,'a b.mp4',,yes\nrender,day.clevrin --option crf=20,film.mp4,\ndemo,,,\n"
_DRAWING = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="40px"
 height="20px" viewBox="0 0 40 20"><defs>
 <linearGradient id="g"><stop stop-color="#f00"/></linearGradient><pattern id="p" width="4"
 height="4"><rect width="2" height="2" fill="url(#g)"/></pattern></defs><filter id="f"><feTurbulence numOctaves="2"
 baseFrequency="0.1"/></filter><g id="k" transform="scale(0.5)"><rect x="10" width="20" height="20" fill="url(#p)"/>
 <path d="M0 0 L10 10 C1 2 3 4 5 6 Z" filter="url(#f)"/><text x="14" y="15" font-size="12">Kite</text></g>
 <use xlink:href="#k" x="5"/></svg>"""


def test_damaged_tables_of_jobs(tmp_path, times):
    path = tmp_path / "jobs.csv"

    def use(chance: random.Random) -> None:
        path.write_bytes(damaged_text(_TABLE, chance))
        jobs = read_jobs(path)
        check_results(tmp_path / "results.csv", path, jobs)
        assert all(each.line > 1 and "\n" not in each.wrong for each in jobs)
        assert all("{file}" not in word for each in jobs_for(jobs, path, tmp_path) for word in each.words)

    every(range(times(60, 5000)), use)


def test_damaged_drawings(tmp_path, monkeypatch, times):
    monkeypatch.setattr(drawings, "MOST_S", 3)
    path = tmp_path / "drawn.svg"

    def use(chance: random.Random) -> None:
        path.write_bytes(damaged_text(_DRAWING, chance))
        rgba = drawings.read_drawing(path)
        assert rgba.ndim == 3 and rgba.shape[2] == 4 and max(rgba.shape) <= drawings.LONGEST_PX

    every(range(times(12, 1500)), use)
