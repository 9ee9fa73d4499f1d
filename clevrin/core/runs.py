"""Flags in a row: from where to where they are set."""

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray


def runs_of(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """The first and the end of each run of flags (n,) that are set, in order."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]]))).reshape(-1, 2)
    return [(int(first), int(end)) for first, end in edges]


def runs_of_numbers(numbers: NDArray[np.int64]) -> list[tuple[int, int]]:
    """The first and the end of each run of rising numbers (n,) without a gap, as places among them."""
    breaks = np.flatnonzero(np.diff(numbers) != 1) + 1
    places = [0, *breaks.tolist(), len(numbers)]
    return [(first, end) for first, end in pairwise(places) if end > first]
