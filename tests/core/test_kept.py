"""What is kept is bounded in bytes: decoded frames, and thumbnails that are damaged are made again."""

import numpy as np
import pytest

from clevrin.core.media.frame_memory import FrameMemory
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.thumbnail_shelf import ThumbnailShelf
from clevrin.core.shelf import Shelf
from tests.films import numbered_film, read_number

FRAME = 192 * 108 * 3 // 2


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    return numbered_film(tmp_path_factory.mktemp("kept") / "f.mp4", frames=40)


def test_readers_share_a_memory_that_is_never_larger_than_it_may_be(film):
    memory = FrameMemory(12 * 40_000, 8 * 40_000)
    with FilmReader(film, None, memory) as one, FilmReader(film, None, memory) as other:
        for frame in range(40):
            for reader in (one, other):
                assert read_number(reader.read(frame).y) == frame
                assert memory.kept_bytes <= 12 * 40_000
    assert memory.kept_bytes == 0  # a reader that is closed keeps nothing


def test_one_reader_has_no_more_than_its_part(film):
    memory = FrameMemory(10**9, 6 * FRAME + 10_000)
    with FilmReader(film, None, memory) as reader:
        for frame in range(40):
            reader.read(frame)
        assert memory.kept_bytes <= 6 * FRAME + 10_000


def test_a_reader_gives_back_what_it_has_just_decoded_with_no_memory_at_all(film):
    with FilmReader(film, None, FrameMemory(0), one_thread=True) as reader:
        for frame in (5, 5, 4, 30, 0, 39):
            assert read_number(reader.read(frame).y) == frame
            assert reader.read_whole_luma(frame) is not None


def test_deep_and_finely_sampled_frames_count_as_what_they_are(tmp_path):
    sizes = []
    for name, pixel_format in (("a", "yuv420p"), ("b", "yuv422p10le")):
        memory = FrameMemory()
        path = numbered_film(tmp_path / f"{name}.mkv", frames=4, pixel_format=pixel_format)
        with FilmReader(path, None, memory) as reader:
            reader.read(0)
            sizes.append(memory.kept_bytes)
    assert sizes[1] >= 2 * sizes[0]


def test_a_thumbnail_is_kept_as_it_was(tmp_path):
    shelf = ThumbnailShelf(tmp_path)
    ramp = np.linspace(0, 255, 96)[None, :, None] * np.ones((54, 1, 4))
    ramp[..., 3] = 255
    shelf.put("film", 7, "take 96x54", ramp.astype(np.uint8))
    found = shelf.get("film", 7, "take 96x54")
    assert found.shape == (54, 96, 4) and (found[..., 3] == 255).all()
    assert np.abs(found.astype(int) - ramp).max() <= 6
    assert shelf.get("film", 8, "take 96x54") is None and shelf.get("film", 7, "take 48x27") is None
    assert shelf.get("other", 7, "take 96x54") is None


@pytest.mark.parametrize("damage", [b"", b"no picture", None])
def test_a_damaged_thumbnail_counts_as_none_and_goes(tmp_path, damage):
    shelf = ThumbnailShelf(tmp_path)
    shelf.put("film", 7, "x", np.full((54, 96, 4), 100, np.uint8))
    (path,) = tmp_path.rglob("*.jpg")
    path.write_bytes(path.read_bytes()[:40] if damage is None else damage)
    assert shelf.get("film", 7, "x") is None and shelf.get("film", 7, "x") is None
    shelf.put("film", 7, "x", np.full((54, 96, 4), 100, np.uint8))
    assert shelf.get("film", 7, "x") is not None


def test_a_place_that_cannot_be_written_is_no_trouble(tmp_path):
    (tmp_path / "file").write_text("")
    shelf = ThumbnailShelf(tmp_path / "file")
    shelf.put("film", 7, "x", np.zeros((4, 4, 4), np.uint8))
    assert shelf.get("film", 7, "x") is None


def test_thumbnails_are_emptied_with_the_cache(tmp_path):
    ThumbnailShelf(tmp_path / "thumbnails").put("film", 7, "x", np.zeros((4, 4, 4), np.uint8))
    shelf = Shelf(tmp_path)
    assert shelf.size()[0] == 1
    shelf.clear()
    assert shelf.size() == (0, 0)
