"""Nothing but what we put into a cache ourselves is ever counted or deleted."""

import os

import numpy as np
import pytest

from clevrin.core.media.cache_room import CACHE_NAME, MARKER, cache_in, claim, clear_room, own_files
from clevrin.core.media.thumbnail_shelf import ThumbnailShelf
from clevrin.core.shelf import Shelf

FOREIGN = ("diary.txt", "trace/diary.txt", "proxies/holiday.mp4", "thumbnails/me.jpg", "films/day one.mp4")


@pytest.fixture
def cache(tmp_path):
    """A cache of ours in which files of the user's lie as well."""
    for name in FOREIGN:
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_bytes(b"x" * 5000)
        os.utime(tmp_path / name, (1, 1))  # not used for the longest time of all
    shelf = Shelf(tmp_path)
    for number in range(4):
        shelf.put({"a": np.arange(1000)}, "trace", f"film {number}")
    ThumbnailShelf(tmp_path / "thumbnails").put("film", 3, "x", np.zeros((8, 8, 4), np.uint8))
    return tmp_path


def test_room_is_made_of_our_files_alone_oldest_first(cache):
    ours = own_files(cache)
    assert len(ours) == 5
    for age, path in enumerate(ours):
        os.utime(path, (1_000_000 - age, 1_000_000 - age))
    size = ours[0].stat().st_size
    left = clear_room(cache, size + 1)
    assert left <= size + 1 and all((cache / name).exists() for name in FOREIGN)
    assert clear_room(cache, 0) == 0 and own_files(cache) == []
    assert all((cache / name).exists() for name in FOREIGN)


def test_emptying_a_cache_deletes_nothing_else(cache):
    Shelf(cache).clear()
    assert all((cache / name).exists() for name in FOREIGN) and Shelf(cache).size() == (0, 0)


def test_a_folder_without_our_marker_is_not_ours(tmp_path):
    name = "0" * 40
    (tmp_path / "trace").mkdir()
    (tmp_path / "trace" / f"{name}.npz").write_bytes(b"x")
    assert own_files(tmp_path) == [] and clear_room(tmp_path, 0) == 0
    Shelf(tmp_path).clear()
    assert (tmp_path / "trace" / f"{name}.npz").exists()


def test_links_are_not_followed(cache, tmp_path_factory):
    other = tmp_path_factory.mktemp("other") / "film.npz"
    other.write_bytes(b"x")
    (cache / "trace" / f"{'a' * 40}.npz").symlink_to(other)
    Shelf(cache).clear()
    assert other.exists() and (cache / "trace" / f"{'a' * 40}.npz").is_symlink()


def test_a_chosen_place_gets_a_folder_of_ours(tmp_path):
    assert cache_in(tmp_path) == tmp_path / CACHE_NAME
    claim(tmp_path / CACHE_NAME)
    assert (tmp_path / CACHE_NAME / MARKER).exists() and cache_in(tmp_path) == tmp_path / CACHE_NAME
    assert cache_in(tmp_path / CACHE_NAME) == tmp_path / CACHE_NAME  # named itself


def test_the_command_empties_nothing_of_the_users(clevrin_command, cache):
    code, out = clevrin_command("cache", "--folder", cache, "--empty")
    assert code == 0 and "0 files" in out and all((cache / name).exists() for name in FOREIGN)


@pytest.fixture
def clevrin_command(monkeypatch, capsys):
    import sys

    from clevrin.cli import main

    def run(*words: object) -> tuple[int, str]:
        monkeypatch.setattr(sys, "argv", ["clevrin", *map(str, words)])
        with pytest.raises(SystemExit) as ended:
            main()
        return ended.value.code or 0, capsys.readouterr().out

    return run
