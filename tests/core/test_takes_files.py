"""Files of takes: folders of them, those that moved, proxies, packing."""

import shutil
import threading
from fractions import Fraction

import numpy as np
import pytest

from clevrin.core.document import Project, edits
from clevrin.core.document.files import load
from clevrin.core.document.packing import pack
from clevrin.core.errors import CancelledError, DocumentError, MediaError
from clevrin.core.media.finding import file_state, find_takes
from clevrin.core.media.index import index_frames
from clevrin.core.media.proxies import ProxyRequest, ProxyShelf, slow_to_seek, wants_proxy
from clevrin.core.media.taking_in import files_in, take_in
from clevrin.core.progress import Silent
from clevrin.core.render import Sources
from clevrin.core.render.pixels.executor import execute
from clevrin.core.render.planning.planner import plan_take
from tests.core.test_document import facts
from tests.core.test_motion import StopAfter
from tests.films import mean_error, moving_film, numbered_film, read_number, shift


@pytest.fixture
def films(tmp_path):
    """Three takes in a folder with one below it."""
    folder = tmp_path / "card"
    (folder / "more").mkdir(parents=True)
    paths = [folder / "b.mp4", folder / "a.mov", folder / "more" / "c.mkv"]
    for number, path in enumerate(paths):
        numbered_film(path, frames=10 + number)
    (folder / "notes.txt").write_text("bring string")
    (folder / ".hidden.mp4").write_bytes(paths[0].read_bytes())
    return folder


def test_of_a_folder_the_films_are_taken_and_nothing_else(films, tmp_path):
    (films / "more" / "again").symlink_to(films)  # a link that leads back
    assert [p.name for p in files_in([films])] == ["a.mov", "b.mp4", "c.mkv"]
    assert files_in([films / "notes.txt"]) == [films / "notes.txt"]  # named by itself: told, not passed over
    assert files_in([tmp_path / "nowhere"]) == [tmp_path / "nowhere"]


def test_a_name_that_is_no_text_is_told(tmp_path):
    import os

    bad = os.fsdecode(bytes(tmp_path) + b"/ki\xffte.mp4")
    shutil.copy(numbered_film(tmp_path / "a.mp4", frames=3), bad)
    from pathlib import Path

    with pytest.raises(MediaError, match="not readable text"):
        take_in(Path(bad))


def test_takes_that_moved_are_found_beside_one_of_them_whatever_their_names(films, tmp_path):
    takes = {t.id: t for t in map(take_in, files_in([films]))}
    place = tmp_path / "disk" / "archive"
    place.parent.mkdir()
    films.rename(place)
    (place / "b.mp4").rename(place / "renamed.mp4")
    (place / "more" / "c.mkv").rename(place / "more" / "other.mkv")
    numbered_film(place / "b.mp4", frames=33)  # another film under the old name
    assert all(file_state(tmp_path / "card" / n, "x") == "missing" for n in ("a.mov", "b.mp4"))
    found = find_takes(takes, place / "a.mov", Silent())
    assert found.left == 0
    by_name = {takes[take_id].name: path for take_id, path in found.places}
    assert by_name == {
        "a": str(place / "a.mov"),
        "b": str(place / "renamed.mp4"),
        "c": str(place / "more" / "other.mkv"),
    }


def test_pointing_at_another_film_finds_the_others_all_the_same(films, tmp_path):
    takes = {t.id: t for t in map(take_in, files_in([films]))}
    stranger = numbered_film(films / "stranger.mp4", frames=7)
    (films / "b.mp4").unlink()
    found = find_takes(takes, stranger, Silent())
    assert len(found.places) == 2 and found.left == 1
    with pytest.raises(CancelledError):
        find_takes(takes, stranger, StopAfter(0))


def test_a_file_that_was_replaced_is_noticed(films):
    take = take_in(films / "b.mp4")
    assert file_state(films / "b.mp4", take.fingerprint) == "there"
    numbered_film(films / "b.mp4", frames=10, size=(96, 54))
    assert file_state(films / "b.mp4", take.fingerprint) == "replaced"


@pytest.mark.parametrize(
    ("other", "wanted"),
    [
        ({}, False),
        ({"width": 3840, "height": 2160}, True),
        ({"width": 1080, "height": 1920}, False),
        ({"width": 2160, "height": 3840}, True),
        ({"width": 1920, "height": 1080, "pixel_format": "yuv420p10le"}, True),
        ({"width": 1920, "height": 1080, "codec": "hevc"}, True),
        ({"width": 640, "height": 360, "codec": "hevc"}, False),
    ],
)
def test_which_takes_want_a_proxy(other, wanted):
    assert wants_proxy(facts(**other)) == wanted
    if wanted and other.get("width", 0) > 2000:
        assert not wants_proxy(facts(**other), 4000)


@pytest.mark.parametrize(
    ("size", "keyframes", "slow"),
    [((1920, 1080), 30, True), ((1920, 1080), 8, False), ((1280, 720), 120, True), ((640, 360), 120, False)],
)
def test_a_take_whose_entries_lie_far_apart_is_slow_to_seek(tmp_path, size, keyframes, slow):
    film = numbered_film(tmp_path / "a.mp4", frames=120, size=(192, 108), keyframes=keyframes)
    assert slow_to_seek(facts(width=size[0], height=size[1]), index_frames(film)) == slow


def test_a_proxy_has_the_frames_of_its_film_and_each_can_be_read_by_itself(tmp_path):
    """Also of a film of variable rate, where times and numbers disagree."""
    stamps = np.cumsum([0, *([33, 50, 20] * 9)]).tolist()
    film = numbered_film(tmp_path / "a.mkv", frames=28, size=(1920, 1080), stamps=stamps)
    take = take_in(film)
    shelf = ProxyShelf(tmp_path / "proxies")
    request = ProxyRequest(path=film, fingerprint=take.fingerprint, frames=28)
    path = shelf.make(request, Silent())
    index = index_frames(path)
    assert index.frames == 28 and index.entries.all()
    reader = shelf.open(take.fingerprint, 28)
    assert reader.read(0).size == (960, 540)
    assert [read_number(reader.read(k).y) for k in (27, 3, 14, 0)] == [27, 3, 14, 0]
    reader.close()
    assert shelf.make(request, StopAfter(0)) == path  # there already: nothing is made


def test_a_proxy_that_was_stopped_or_damaged_leaves_nothing(tmp_path):
    take = take_in(numbered_film(tmp_path / "a.mp4", frames=30, size=(1280, 720)))
    shelf = ProxyShelf(tmp_path / "proxies")
    request = ProxyRequest(path=tmp_path / "a.mp4", fingerprint=take.fingerprint, frames=30)
    with pytest.raises(CancelledError):
        shelf.make(request, StopAfter(5))
    assert not list(shelf.folder.iterdir()) and shelf.open(take.fingerprint, 30) is None
    path = shelf.make(request, Silent())
    path.write_bytes(path.read_bytes()[:2000])
    assert shelf.open(take.fingerprint, 30) is None and not path.exists()


def test_scrubbing_shows_the_same_picture_from_the_proxy_and_nothing_else_does(tmp_path):
    film = tmp_path / "film.mp4"
    moving_film(film, lambda t: shift(3.0 * t, 20), frames=6, size=(1280, 720), noise=0)
    take = take_in(film)
    shelf = ProxyShelf(tmp_path / "proxies")
    shelf.make(ProxyRequest(path=film, fingerprint=take.fingerprint, frames=6), Silent())
    plan = plan_take(take, 4, (640, 360))
    with Sources.of(proxies=shelf) as sources:
        seen = execute(plan, lambda _, frame: sources.films.read(take, frame), "draft")
        assert not sources.films.used_proxy
        sources.films.scrubbing = True
        scrubbed = execute(plan, lambda _, frame: sources.films.read(take, frame), "draft")
        assert sources.films.used_proxy and sources.films.read(take, 4).size == (960, 540)
    assert scrubbed.size == seen.size and mean_error(seen.y, scrubbed.y) < 2.5
    # Not moved by as much as half a pixel:
    best = min(range(-2, 3), key=lambda d: mean_error(np.roll(scrubbed.y, d, axis=1)[:, 8:-8], seen.y[:, 8:-8]))
    assert best == 0


@pytest.fixture
def packable(films):
    takes = tuple(map(take_in, files_in([films])))
    project = edits.AddTakes(takes=takes).apply(Project(name="Kite day"))
    return edits.JudgeTakes(take_ids=(takes[2].id,), worth="drop").apply(project)


def test_packing_copies_the_media_and_names_them_relative(packable, tmp_path):
    path = pack(packable, tmp_path / "packed", Silent())
    assert path == tmp_path / "packed" / "packed.clevrin"
    assert sorted(p.name for p in (tmp_path / "packed" / "media").iterdir()) == ["a.mov", "b.mp4"]
    assert '"path": "media/a.mov"' in path.read_text()
    (tmp_path / "packed").rename(tmp_path / "carried away")
    moved = load(tmp_path / "carried away" / "packed.clevrin")
    for take in moved.takes[:2]:
        assert file_state(tmp_path / "carried away" / "media" / take.path.split("/")[-1], take.fingerprint) == "there"
    assert moved.takes[2].path == packable.takes[2].path  # dropped and unused: left where it is


def test_two_takes_of_one_name_are_both_packed(packable, tmp_path):
    other = numbered_film(tmp_path / "a.mov", frames=21)
    project = edits.AddTakes(takes=(take_in(other),)).apply(packable)
    path = pack(project, tmp_path / "packed", Silent())
    names = {t.path.split("/")[-1] for t in load(path).takes if "packed" in t.path}
    assert names == {"a.mov", "b.mp4", "a 2.mov"}


def test_packing_is_whole_or_absent(packable, tmp_path, monkeypatch):
    with pytest.raises(CancelledError):
        pack(packable, tmp_path / "packed", StopAfter(0))
    assert not list(tmp_path.glob("packed*"))
    (tmp_path / "taken").mkdir()
    with pytest.raises(DocumentError, match="is there already"):
        pack(packable, tmp_path / "taken", Silent())
    with pytest.raises(DocumentError, match="cannot be packed into"):
        pack(packable, tmp_path / "nowhere" / "packed", Silent())
    usage = shutil.disk_usage(tmp_path)
    monkeypatch.setattr(shutil, "disk_usage", lambda _: usage._replace(free=1000))
    with pytest.raises(DocumentError, match="no room"):
        pack(packable, tmp_path / "packed", Silent())
    monkeypatch.undo()
    (tmp_path / "card" / "a.mov").unlink()
    with pytest.raises(DocumentError, match=r"a\.mov cannot be packed"):
        pack(packable, tmp_path / "packed", Silent())


@pytest.mark.parametrize("rate", [24, 120, 240])
@pytest.mark.parametrize("pixel_format", ["yuv420p", "yuv420p10le"])
def test_takes_of_any_rate_and_depth_come_in(tmp_path, rate, pixel_format):
    film = numbered_film(tmp_path / "a.mkv", frames=12, rate=Fraction(rate), pixel_format=pixel_format, size=(322, 182))
    take = take_in(film)
    assert take.facts.rate == rate and take.facts.pixel_format == pixel_format and take.facts.frames == 12
    with Sources.of() as sources:
        assert read_number(sources.films.read(take, 7).y) == 7


def test_a_proxy_that_many_make_at_once_is_made_once_and_whole(tmp_path):
    film = numbered_film(tmp_path / "film.mp4", frames=30, size=(1000, 562))
    request = ProxyRequest(path=film, fingerprint="ab" * 16, frames=30)
    shelf, failed = ProxyShelf(tmp_path / "cache" / "proxies"), []

    def make() -> None:
        try:
            shelf.make(request, Silent())
        except Exception as error:
            failed.append(error)

    threads = [threading.Thread(target=make) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not failed
    with shelf.open("ab" * 16, 30) as reader:
        assert [read_number(reader.read(k).y) for k in range(30)] == list(range(30))
    assert len(list(shelf.folder.iterdir())) == 1
