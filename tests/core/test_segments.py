"""Renders in segments: the same film in one go and in pieces, stopped and resumed, and no more than has changed."""

import contextlib
import errno
import hashlib
import subprocess
import sys
import threading
import time
from datetime import date
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from clevrin.core.digest import digest
from clevrin.core.document import Hold, Join, Pace, PacePoint, Project, Reel, Shot, Span
from clevrin.core.document.files import save
from clevrin.core.document.pacing import Shutter
from clevrin.core.errors import CancelledError, ClevrinError, MediaError
from clevrin.core.media.coding import fewer_bits
from clevrin.core.media.formats import FORMATS, PURPOSES, format_of
from clevrin.core.media.picture import Picture, picture_from_rgb, rgb_from_picture
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.sound_reading import read_sound
from clevrin.core.media.taking_in import take_in
from clevrin.core.outputs import BusyError, writing_error
from clevrin.core.progress import Silent
from clevrin.core.render.export import segment_maker, segments
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.export.output_names import with_fields
from clevrin.core.render.export.segments import stretches
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf
from tests.films import numbered_film, read_number
from tests.marks import later

SIZE = (192, 108)
RATE = Fraction(30000, 1001)


@pytest.fixture(scope="module")
def takes(tmp_path_factory):
    folder = tmp_path_factory.mktemp("takes")
    return tuple(
        take_in(numbered_film(folder / f"{name}.mp4", frames=70, size=SIZE, rate=RATE, sound=name == "a"))
        for name in ("a", "b", "c")
    )


@pytest.fixture
def sources(tmp_path):
    with Sources.of(Shelf(tmp_path / "shelf")) as made:
        yield made


def project_of(takes, *spans: tuple[int, int], **reel) -> Project:
    shots = tuple(
        Shot(id=f"s{k}", take_id=take.id, span=Span(first=first, end=end), leave=Join())
        for k, (take, (first, end)) in enumerate(zip(takes, spans, strict=True))
    )
    return Project(takes=takes, reel=Reel(width=SIZE[0], height=SIZE[1], rate=RATE, shots=shots, **reel))


@pytest.fixture
def project(takes):
    return project_of(takes, (0, 60), (10, 40), (5, 55))


def packets(path: Path) -> list[str]:
    """What is coded of each picture of a film, in order."""
    with av.open(str(path)) as film:
        stream = film.streams.video[0]
        return [hashlib.sha256(bytes(p)).hexdigest() for p in film.demux(stream) if p.dts is not None and p.size]


class Stops:
    """Progress that is stopped after so many reports."""

    def __init__(self, after: int) -> None:
        self.left = after

    def report(self, done: int, total: int) -> None:
        self.left -= 1

    def cancelled(self) -> bool:
        return self.left < 0


@pytest.fixture
def made(monkeypatch):
    """The numbers of pictures that are made, segment by segment."""
    found: list[int] = []
    write = segment_maker.SegmentWriter.__exit__

    def counting(self, *error):
        found.append(self._frames)
        return write(self, *error)

    monkeypatch.setattr(segment_maker.SegmentWriter, "__exit__", counting)
    return found


def test_stretches_begin_at_cuts_and_are_four_seconds_at_most(takes):
    project = project_of(takes, (0, 70), (0, 3), (10, 60))
    found = stretches(project, 0, 123)
    assert [(each.first, each.end) for each in found] == [(0, 70), (70, 73), (73, 123)]
    assert [(each.first, each.end) for each in stretches(project, 60, 80)] == [(60, 70), (70, 73), (73, 80)]
    fast = project.changed(reel=project.reel.changed(rate=Fraction(10)))
    assert max(each.frames for each in stretches(fast, 0, 60)) <= 40


def test_what_is_much_work_is_shared_out_so_that_little_is_lost(takes, sources, tmp_path, made, monkeypatch):
    paced = Pace(points=(PacePoint(frame=0, speed=0.25),), in_between="mix", shutter=Shutter(angle_deg=360))
    slow = project_of(takes[:1], (0, 5))
    shot = slow.reel.shots[0].changed(pace=paced)
    project = slow.changed(reel=slow.reel.changed(shots=(shot,)))
    for most_work_s, parts in ((8.0, 1), (0.05, 2)):
        monkeypatch.setattr(segments, "_MOST_WORK_S", most_work_s)
        made.clear()
        export_reel(ExportRequest(project=project, path=tmp_path / "a.mp4"), sources, Silent())
        assert len(made) >= parts and sum(made) == 20 and max(made) - min(made) <= 1
        with FilmReader(tmp_path / "a.mp4") as film:
            assert film.frames == 20


@pytest.mark.parametrize("after", [3, 58, 64, 95, 139])
def test_stopped_anywhere_it_goes_on_to_the_same_film(project, sources, tmp_path, made, after):
    whole, again = tmp_path / "whole.mp4", tmp_path / "again.mp4"
    export_reel(ExportRequest(project=project, path=whole), sources, Silent())
    assert made == [60, 30, 50]
    made.clear()
    with pytest.raises(CancelledError):
        export_reel(ExportRequest(project=project, path=again), sources, Stops(after))
    assert not again.exists()
    done = sum(made[:-1]) if after < 139 else 140
    made.clear()
    export_reel(ExportRequest(project=project, path=again, resume=True), sources, Silent())
    assert sum(made) <= 140 - min(done, 140) + 60  # one segment at most is lost
    assert again.read_bytes() == whole.read_bytes()
    assert sorted(each.name for each in tmp_path.iterdir()) == ["again.mp4", "shelf", "whole.mp4"]


def test_without_resume_it_is_made_anew(project, sources, tmp_path, made):
    path = tmp_path / "film.mp4"
    with pytest.raises(CancelledError):
        export_reel(ExportRequest(project=project, path=path), sources, Stops(100))
    made.clear()
    export_reel(ExportRequest(project=project, path=path), sources, Silent())
    assert sum(made) == 140


def test_of_renders_to_one_name_one_is_whole_and_the_others_are_told(project, sources, tmp_path, times):
    whole, path = tmp_path / "whole.mp4", tmp_path / "film.mp4"
    export_reel(ExportRequest(project=project, path=whole), sources, Silent())
    for _ in range(times(3, 50)):
        told: list[str] = []

        def render(told=told) -> None:
            with Sources.of(sources.measured.shelf) as own:
                try:
                    export_reel(ExportRequest(project=project, path=path), own, Silent())
                except BusyError as error:
                    told.append(str(error))

        threads = [threading.Thread(target=render) for _ in range(3)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert len(told) == 2 and all("film.mp4 is being written by process" in each for each in told)
        assert path.read_bytes() == whole.read_bytes()
        assert sorted(each.name for each in tmp_path.iterdir()) == ["film.mp4", "shelf", "whole.mp4"]
        path.unlink()


def test_only_what_has_changed_is_made_again_wherever_it_lies_now(takes, project, sources, tmp_path, made):
    """The first shot is shorter: the two behind it lie earlier, and are taken from the film that was there before."""
    path = tmp_path / "film.mp4"
    export_reel(ExportRequest(project=project, path=path), sources, Silent())
    made.clear()
    export_reel(ExportRequest(project=project, path=path, resume=True), sources, Silent())
    assert made == []
    shorter = project_of(takes, (0, 50), (10, 40), (5, 55))
    export_reel(ExportRequest(project=shorter, path=path, resume=True), sources, Silent())
    assert made == [50]
    fresh = tmp_path / "fresh.mp4"
    export_reel(ExportRequest(project=shorter, path=fresh), sources, Silent())
    assert packets(path) == packets(fresh)
    with FilmReader(path) as film:
        assert [read_number(film.read(k).y) for k in (0, 49, 50, 79, 80, 129)] == [0, 49, 10, 39, 5, 54]


def test_a_film_that_somebody_else_changed_is_not_taken_from(project, sources, tmp_path, made):
    path = tmp_path / "film.mp4"
    export_reel(ExportRequest(project=project, path=path), sources, Silent())
    path.write_bytes(path.read_bytes()[:-200])
    made.clear()
    export_reel(ExportRequest(project=project, path=path, resume=True), sources, Silent())
    assert sum(made) == 140
    with FilmReader(path) as film:
        assert film.frames == 140


def test_a_damaged_part_is_made_again(project, sources, tmp_path, made):
    path = tmp_path / "film.mp4"
    with pytest.raises(CancelledError):
        export_reel(ExportRequest(project=project, path=path), sources, Stops(100))
    (folder,) = tmp_path.glob(".clevrin-*-parts")
    for part in folder.iterdir():
        part.write_bytes(part.read_bytes()[: part.stat().st_size // 2])
    made.clear()
    export_reel(ExportRequest(project=project, path=path, resume=True), sources, Silent())
    assert sum(made) == 140


def test_a_part_of_the_reel_with_its_sound(project, sources, tmp_path):
    path = tmp_path / "part.mp4"
    export_reel(ExportRequest(project=project, path=path, span=(50, 70)), sources, Silent())
    with FilmReader(path) as film:
        assert [read_number(film.read(k).y) for k in range(film.frames)] == [*range(50, 60), *range(10, 20)]
    heard = read_sound(path, 0.0, round(48000 * 20 / RATE))
    assert np.abs(heard[: round(48000 * 9 / RATE)]).max() > 0.2  # of the first shot, and silence of the second
    assert np.abs(heard[round(48000 * 11 / RATE) :]).max() < 0.02
    with pytest.raises(ClevrinError, match="has the frames 0 to 139"):
        export_reel(ExportRequest(project=project, path=path, span=(50, 170)), sources, Silent())


FILMS = [(each.id, purpose) for each in FORMATS.values() for purpose in each.purposes if each.kind == "film"]


@pytest.mark.parametrize(("kind", "purpose"), FILMS)
def test_every_format_is_read_back_frame_by_frame_with_its_sound(takes, sources, tmp_path, kind, purpose):
    project = project_of(takes, (0, 12), (20, 26), (40, 41))
    path = tmp_path / f"film{FORMATS[kind].suffix}"
    export_reel(ExportRequest(project=project, path=path, kind=kind, purpose=purpose), sources, Silent())
    with FilmReader(path) as film:
        assert [read_number(film.read(k).y) for k in range(film.frames)] == [*range(12), *range(20, 26), 40]
        assert film.index.rate == RATE and film.read(0).colour == project.takes[0].facts.colour
        if purpose == "lossless":
            with FilmReader(Path(takes[0].path)) as source:
                assert np.array_equal(film.read(5).y, source.read(5).y)
    heard = read_sound(path, 0.0, round(48000 * 12 / RATE) - 2000)
    assert 0.2 < np.abs(heard).max() < 0.6


@pytest.mark.parametrize("kind", ["png", "tiff"])
def test_pictures_are_a_new_folder_of_sixteen_bit_files(takes, sources, tmp_path, kind):
    import cv2

    project = project_of(takes, (0, 12), (20, 26), (40, 41))
    folder = tmp_path / "pictures"
    export_reel(ExportRequest(project=project, path=folder, kind=kind), sources, Silent())
    files = sorted(folder.iterdir())
    assert [each.name for each in files] == [f"{k:06d}{FORMATS[kind].suffix}" for k in range(19)]
    bgr = cv2.imread(str(files[13]), cv2.IMREAD_UNCHANGED)
    assert bgr.dtype == np.uint16 and bgr.shape == (SIZE[1], SIZE[0], 3)
    with FilmReader(Path(takes[1].path)) as source:
        should = rgb_from_picture(source.read(21))[..., ::-1].astype(float)
    assert np.abs(bgr / 257.0 - should).max() < 1.01
    with pytest.raises(ClevrinError, match="is there already"):
        export_reel(ExportRequest(project=project, path=folder, kind=kind), sources, Silent())


@pytest.mark.parametrize("suffix", [".webp", ".gif"])
def test_loops_last_as_long_as_the_reel(takes, sources, tmp_path, suffix):
    from PIL import Image

    project = project_of(takes, (0, 30), (20, 26), (40, 41))
    path = tmp_path / f"loop{suffix}"
    export_reel(ExportRequest(project=project, path=path), sources, Silent())
    with Image.open(path) as image:
        shown = 0
        for k in range(image.n_frames):
            image.seek(k)
            image.load()
            shown += image.info["duration"]
        assert image.size == SIZE and image.info.get("loop") == 0
    assert shown == pytest.approx(37 / float(RATE) * 1000, abs=70)
    shots = tuple(Shot(take_id=takes[0].id, span=Span(first=0, end=70)) for _ in range(27))
    long = project.changed(reel=project.reel.changed(shots=shots))
    with pytest.raises(ClevrinError, match="60 s at most"):
        export_reel(ExportRequest(project=long, path=path), sources, Silent())


@pytest.mark.parametrize("suffix", [".wav", ".flac"])
def test_the_sound_alone_is_that_of_the_reel(project, sources, tmp_path, suffix):
    path = tmp_path / f"sound{suffix}"
    export_reel(ExportRequest(project=project, path=path), sources, Silent())
    with av.open(str(path)) as film:
        heard = np.concatenate([f.to_ndarray().reshape(-1, 2) for f in film.decode(audio=0)])
    from clevrin.core.sound.mix import ReelSound

    should = ReelSound(project).read(0, len(heard))
    assert len(heard) == round(140 * 48000 / RATE)
    assert np.abs(heard / 2.0**31 - should).max() < 2.0**-22
    silent = project_of(project.takes[1:], (0, 10), (0, 10))
    with pytest.raises(ClevrinError, match="has no sound"):
        export_reel(ExportRequest(project=silent, path=path), sources, Silent())


@pytest.mark.parametrize(
    ("name", "kind", "says"),
    [
        ("film.avi", None, "the name of no format"),
        ("film.mp4", "flv", "There is no format flv"),
        ("film.mov", "h264", "H.264 is named .mp4"),
        ("film.png", "png", "PNG pictures is a folder"),
    ],
)
def test_what_a_format_is_not_is_said(name, kind, says):
    with pytest.raises(ClevrinError, match=says):
        format_of(Path(name), kind)


def test_a_purpose_that_a_format_has_not_is_said(project, sources, tmp_path):
    for kind, purpose in (("h264", "lossless"), ("ffv1", "net")):
        path = tmp_path / f"film{FORMATS[kind].suffix}"
        with pytest.raises(ClevrinError, match=f"not {PURPOSES[purpose]}"):
            export_reel(ExportRequest(project=project, path=path, kind=kind, purpose=purpose), sources, Silent())
    with pytest.raises(ClevrinError, match=r"preset of H\.264 is one of ultrafast, superfast, .*, not no such"):
        request = ExportRequest(project=project, path=tmp_path / "film.mp4", given=(("preset", "no such"),))
        export_reel(request, sources, Silent())
    assert not list(tmp_path.iterdir())


def test_a_full_disk_is_told_by_the_name_of_the_film(project, sources, tmp_path, monkeypatch):
    def full(task, place, *_) -> None:
        raise writing_error(place, OSError(errno.ENOSPC, "No space left on device"))

    monkeypatch.setattr(segment_maker, "make_segment", full)
    with pytest.raises(MediaError, match=r"^There is no room on the disk to write film\.mp4"):
        export_reel(ExportRequest(project=project, path=tmp_path / "film.mp4"), sources, Silent())


def test_a_part_without_frames_and_an_option_of_no_use_are_told(project, sources, tmp_path):
    for wrong, says in (
        ({"span": (0, 0)}, "There is no frame from 0 up to 0"),
        ({"given": (("crf", "52"),)}, "crf of H.264 is one of 0 to 51, not 52"),
        ({"path": tmp_path / "a.wav", "given": (("crf", "18"),)}, "WAV has no options"),
        ({"path": tmp_path / "a.gif", "given": (("quality", "no"),)}, "GIF loop has no options"),
    ):
        with pytest.raises(ClevrinError, match=says):
            export_reel(ExportRequest(**{"project": project, "path": tmp_path / "a.mp4", **wrong}), sources, Silent())
    assert not list(tmp_path.glob("a.*")) and not list(tmp_path.glob(".clevrin*"))


def test_what_is_clear_stays_clear_where_the_format_carries_it(takes, sources, tmp_path):
    held = project_of(takes[:1], (0, 4))
    shot = held.reel.shots[0].changed(hold=Hold(how="none", edge="clear"))
    project = held.changed(reel=held.reel.changed(shots=(shot,)))
    for kind in ("prores-4444", "ffv1"):
        path = tmp_path / f"film{FORMATS[kind].suffix}"
        export_reel(ExportRequest(project=project, path=path, kind=kind), sources, Silent())
        with av.open(str(path)) as film:
            assert "yuva" in film.streams.video[0].codec_context.pix_fmt


def test_fewer_bits_keep_what_is_exact_and_dither_the_rest():
    exact = (np.arange(64, dtype=np.uint16) << 8).reshape(8, 8)
    assert np.array_equal(fewer_bits(exact, 8), np.arange(64).reshape(8, 8))
    assert np.array_equal(fewer_bits(exact, 10), np.arange(64).reshape(8, 8) * 4)
    between = np.full((64, 64), (100 << 8) + 64, np.uint16)  # a quarter of the way to the next code
    found = fewer_bits(between, 8)
    assert set(np.unique(found)) == {100, 101} and found.mean() == pytest.approx(100.25, abs=0.01)
    assert fewer_bits(np.full((8, 8), 65535, np.uint16), 8).max() == 255


def test_the_same_value_has_the_same_digest_and_another_one_another():
    picture = picture_from_rgb(np.zeros((4, 4, 3), np.uint8))
    one = digest((1, "a", Fraction(1, 3), picture, {"b": 2, "a": 1}))
    assert one == digest((1, "a", Fraction(1, 3), picture, {"a": 1, "b": 2}))
    others = [(1, "a"), (1.0, "a"), ("1", "a"), ((1,), "a"), (True, "a"), (np.zeros(2), "a"), (np.ones(2), "a")]
    assert len({digest(each) for each in others}) == len(others)
    assert isinstance(picture, Picture)
    with pytest.raises(TypeError):
        digest(object())


@pytest.mark.parametrize("kind", ["mp4", later("mkv")])
def test_killed_at_any_instant_it_goes_on_to_the_same_film(takes, tmp_path, times, kind):
    """A process that is killed, not asked to stop: half-made segments count for nothing."""
    shots = tuple(Shot(take_id=take.id, span=Span(first=k, end=60 + k)) for k in range(2) for take in takes)
    project = Project(takes=takes, reel=Reel(width=SIZE[0], height=SIZE[1], rate=RATE, shots=shots))
    save(project, tmp_path / "day.clevrin")
    command = [sys.executable, "-m", "clevrin", "render", str(tmp_path / "day.clevrin"), "--out"]
    whole = tmp_path / f"whole.{kind}"
    began = time.monotonic()
    subprocess.run([*command, str(whole)], check=True, capture_output=True)
    lasts, rng = time.monotonic() - began, np.random.default_rng(len(kind) + 1)
    for number in range(times(1, 50)):
        path = tmp_path / f"{number}.{kind}"
        process = subprocess.Popen([*command, str(path)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        with contextlib.suppress(subprocess.TimeoutExpired):
            process.wait(rng.uniform(0.5, 0.95) * lasts)
        process.kill()
        process.wait()
        parts = len(list(tmp_path.glob(".clevrin-*-parts/*.segment")))
        done = subprocess.run([*command, str(path), "--resume"], check=True, capture_output=True)
        assert path.read_bytes() == whole.read_bytes(), (number, parts, done.stderr)
        assert not list(tmp_path.glob(".clevrin-*"))


def test_a_name_says_what_it_is_of(takes, tmp_path):
    project = project_of(takes, (0, 20), (0, 10), (0, 10)).changed(name="Kite/day")
    request = ExportRequest(project=project, path=tmp_path / "{project} {output} {size} {format} {date}.mp4")
    named = with_fields(request, "upright", date(2026, 11, 28)).path
    assert named == tmp_path / "Kite-day upright 192x108 h264 2026-11-28.mp4"
    part = ExportRequest(project=project, path=tmp_path / "{output}-{part}.mov", span=(5, 15))
    assert with_fields(part, None, date(2026, 1, 2)).path.name == "reel-5-14.mov"
    plain = ExportRequest(project=project, path=tmp_path / "plain.mp4")
    assert with_fields(plain, None, date(2026, 1, 2)) is plain
    with pytest.raises(ClevrinError, match=r"\{nonsense\} is no field of a name; there are project"):
        with_fields(ExportRequest(project=project, path=tmp_path / "{nonsense}.mp4"), None, date(2026, 1, 2))
    for unnamed in ("", ".", ".."):
        request = ExportRequest(project=project.changed(name=unnamed), path=tmp_path / "{project}")
        with pytest.raises(ClevrinError, match=r"\{project\} would be named"):
            with_fields(request, None, date(2026, 1, 2))
