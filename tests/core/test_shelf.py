"""The shelf of measurements and what is remembered of it."""

import threading

import numpy as np
import pytest

from clevrin.core.byte_cache import ByteCache
from clevrin.core.media.cache_room import MARKER
from clevrin.core.shelf import Shelf


def test_what_is_put_is_got(tmp_path):
    shelf = Shelf(tmp_path)
    shelf.put({"a": np.arange(5), "b": np.eye(3)}, "trace", "film", "1")
    got = shelf.get("trace", "film", "1")
    assert got is not None and np.array_equal(got["a"], np.arange(5)) and np.array_equal(got["b"], np.eye(3))
    assert shelf.get("trace", "film", "2") is None and shelf.get("track", "film", "1") is None
    shelf.drop("trace", "film", "1")
    assert shelf.get("trace", "film", "1") is None


@pytest.mark.parametrize("damage", [b"", b"PK\x03\x04", b"x" * 400])
def test_a_damaged_file_counts_as_absent_and_goes(tmp_path, damage):
    shelf = Shelf(tmp_path)
    shelf.put({"a": np.arange(5)}, "trace", "film")
    (file,) = tmp_path.rglob("*.npz")
    file.write_bytes(damage)
    assert shelf.get("trace", "film") is None and not file.exists()


def test_objects_that_would_run_code_are_not_read(tmp_path):
    shelf = Shelf(tmp_path)
    shelf.put({"a": np.arange(5)}, "trace", "film")
    (file,) = tmp_path.rglob("*.npz")
    np.savez(file, a=np.array([{"x": 1}], dtype=object))
    got = None
    try:
        got = shelf.get("trace", "film")
    except ValueError:
        pytest.fail("a damaged file must not raise")
    assert got is None


def test_a_folder_that_cannot_be_made_keeps_nothing_and_says_nothing(tmp_path):
    (tmp_path / "in the way").write_text("")
    shelf = Shelf(tmp_path / "in the way" / "cache")
    shelf.put({"a": np.arange(5)}, "trace", "film")
    assert shelf.get("trace", "film") is None


def test_nothing_half_written_stays(tmp_path):
    Shelf(tmp_path).put({"a": np.arange(5)}, "trace", "film")
    assert sorted(p.name for p in tmp_path.rglob("*") if p.is_file() and p.suffix != ".npz") == [MARKER]


def test_values_are_made_once_and_none_is_asked_for_again():
    known, made = ByteCache(), []

    def make(value):
        made.append(value)
        return value

    assert known.once("a", lambda: make(1)) == 1 and known.once("a", lambda: make(2)) == 1
    assert known.once("b", lambda: make(None)) is None and known.once("b", lambda: make(3)) == 3
    assert made == [1, None, 3]


def test_values_are_kept_within_a_number_of_bytes():
    known = ByteCache(most_bytes=10_000)
    for number in range(40):
        known.put(number, np.full(125, float(number)))  # 1,000 bytes each
        known.get(3)
    assert known.kept_bytes <= 10_000
    assert known.get(39) is not None and known.get(3) is not None, "the newest and the last used stay"
    assert known.get(0) is None and known.get(20) is None
    known.put("large", np.zeros(5_000))
    assert known.get("large") is not None and known.get(39) is None, "the newest is kept, however large it is"
    known.put("large", np.zeros(10))
    assert known.kept_bytes < 500
    known.clear()
    assert known.kept_bytes == 0 and known.get("large") is None


def test_what_is_remembered_may_be_shared_by_threads():
    known, results = ByteCache(), []

    def work(start: int) -> None:
        for k in range(300):
            results.append(known.once((start + k) % 50, lambda k=k: (start + k) % 50) == (start + k) % 50)

    threads = [threading.Thread(target=work, args=(n,)) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(results) == 1200 and all(results)
