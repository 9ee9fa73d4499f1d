"""Where takes can be cut, from the shelf."""

import numpy as np
import pytest

from clevrin.core.document import Take
from clevrin.core.join.cut_candidates import Moves
from clevrin.core.join.move_shelf import kept_moves
from clevrin.core.media.cache_room import own_files
from clevrin.core.media.reading import FilmReader
from clevrin.core.shelf import Shelf
from clevrin.demo.footage_maker import FOOTAGE


def opened(take: Take) -> FilmReader:
    return FilmReader(FOOTAGE / f"{take.name}.mp4")


def not_opened(take: Take) -> FilmReader:
    raise AssertionError(f"{take.name} was opened")


@pytest.mark.parametrize("name", ["hill", "picnic"])
def test_a_take_is_looked_at_once_for_good(tmp_path, demo_take, demo_trace, name):
    shelf, take, trace = Shelf(tmp_path), demo_take(name), demo_trace(name)
    first = kept_moves(take, trace, opened, shelf)
    again = kept_moves(take, trace, not_opened, shelf)
    with opened(take) as film:
        plain = Moves.of(film, trace)
    assert len(first.looked) == len(again.looked) == len(plain.looked) and bool(plain.looked) == (name == "hill")
    for one, other in zip(plain.looked, again.looked, strict=True):
        assert (one.move, one.peak) == (other.move, other.peak)
        for field in ("numbers", "lab", "evenness"):
            np.testing.assert_array_equal(getattr(one, field), getattr(other, field))
    assert own_files(tmp_path)  # what is kept is counted, and cleared when there is no room


def test_what_is_kept_of_another_trace_or_damaged_is_not_used(tmp_path, demo_take, demo_trace):
    shelf, take = Shelf(tmp_path), demo_take("hill")
    kept_moves(take, demo_trace("hill"), opened, shelf)
    with pytest.raises(AssertionError, match="was opened"):
        kept_moves(take, demo_trace("bunting"), not_opened, shelf)
    (kept,) = own_files(tmp_path)
    kept.write_bytes(kept.read_bytes()[:200])
    with pytest.raises(AssertionError, match="was opened"):
        kept_moves(take, demo_trace("hill"), not_opened, shelf)
    np.savez(kept, moves=np.zeros(1))
    assert kept_moves(take, demo_trace("hill"), opened, shelf).looked
