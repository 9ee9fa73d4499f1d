"""Reading a motion CSV, whoever wrote it, as motion that can be lent to shots."""

import csv
import math
import re
from fractions import Fraction
from itertools import islice
from pathlib import Path

import numpy as np

from clevrin.core.document.files import making_sense, read_text
from clevrin.core.document.loans import Motion
from clevrin.core.errors import DocumentError

_NEEDED = ("dx_px", "dy_px", "roll_deg", "scale")
_MOST_ROWS = 1_000_000
_MOST_WIDTHS = 900.0


def read_motion(path: Path) -> Motion:
    """The motion of a file, named after it. Raises `DocumentError`, which says in which line and column."""
    text = read_text(path, "a motion table")
    with making_sense(path.name):
        return motion_of_csv(text, path.stem[:500])


def motion_of_csv(text: str, name: str) -> Motion:
    """The motion of a table as `trace` writes it, of any rate and picture size, summed up from its steps.

    Only the size, the rate and the columns dx_px, dy_px, roll_deg and scale are needed. Raises `DocumentError`.
    """
    lines = text.lstrip("\ufeff").splitlines()
    facts = _facts(lines, name)
    at = next((k for k, line in enumerate(lines) if line.strip() and not line.startswith("#")), None)
    if at is None:
        raise DocumentError(f"{name} has no table: a row with the names of its columns is missing.")
    header = [each.strip() for each in next(csv.reader([lines[at]]))]
    missing = [each for each in _NEEDED if each not in header]
    if missing:
        raise DocumentError(f"{name}, line {at + 1}: there is no column {missing[0]}.")
    columns = [header.index(each) for each in _NEEDED]
    steps = []
    for number, row in enumerate(islice(csv.reader(lines[at + 1 :]), _MOST_ROWS), start=at + 2):
        if not row:
            continue
        steps.append([_number(row, column, header[column], number, name) for column in columns])
        if steps[-1][3] <= 0:
            raise DocumentError(f"{name}, line {number}, column scale: a picture has to keep a size above 0.")
    if not steps:
        raise DocumentError(f"{name} has no rows.")
    table = np.array(steps)
    table[0] = 0, 0, 0, 1
    course = np.cumsum(np.column_stack([-table[:, 0], table[:, 1], -table[:, 2], np.log(table[:, 3])]), axis=0)
    course[:, :2] /= facts[0]
    if not np.isfinite(course).all() or np.abs(course).max() > _MOST_WIDTHS:
        raise DocumentError(f"{name} goes further than any camera: its figures are not what their columns say.")
    return Motion(name=name, rate=facts[1], course=tuple(tuple(float(v) for v in row) for row in course))  # type: ignore[misc]


def _facts(lines: list[str], name: str) -> tuple[int, Fraction]:
    """The picture's width and the rate that the lines above the table say."""
    head = "\n".join(line for line in lines[:50] if line.startswith("#"))
    size = re.search(r"^#\s*size\s+(\d{1,5})x(\d{1,5})\s*$", head, re.MULTILINE)
    rate = re.search(r"^#\s*rate\s+(\d{1,9})(?:/(\d{1,9}))?\s*$", head, re.MULTILINE)
    if size is None or int(size[1]) == 0:
        raise DocumentError(f"{name} does not say its picture's size: a line as '# size 1280x720' is missing.")
    if rate is None or int(rate[1]) == 0 or int(rate[2] or 1) == 0:
        raise DocumentError(f"{name} does not say its rate: a line as '# rate 30/1' is missing.")
    return int(size[1]), Fraction(int(rate[1]), int(rate[2] or 1))


def _number(row: list[str], column: int, heading: str, line: int, name: str) -> float:
    where = f"{name}, line {line}, column {heading}"
    if column >= len(row):
        raise DocumentError(f"{where}: the line ends before it.")
    try:
        value = float(row[column])
    except ValueError:
        raise DocumentError(f"{where}: '{row[column][:40]}' is not a number.") from None
    if not math.isfinite(value):
        raise DocumentError(f"{where}: '{row[column][:40]}' is not a number.")
    return value
