"""Colour bars through a render: how far every coding is off what it should be."""

import tempfile
from pathlib import Path

import numpy as np

from bench.rows import Row
from clevrin.core.document import Project, Shot
from clevrin.core.document.edits import AddTakes
from clevrin.core.media.taking_in import take_in
from clevrin.core.progress import Silent
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.sources import Sources
from clevrin.demo.colour_bars import CODINGS, SIZE, Coding, comparable, expected, film_bars, read_bars


def worst_difference(coding: Coding, folder: Path) -> tuple[float, int]:
    """The largest difference of a bar's luma or chroma from what it should be, in code values of the output's depth."""
    source, made = folder / f"bars{coding.suffix}", folder / "made.mp4"
    values = film_bars(source, coding)
    take = take_in(source)
    project = AddTakes(takes=(take,)).apply(Project())
    reel = project.reel.changed(shots=(Shot(take_id=take.id, span=take.whole),), width=SIZE[0], height=SIZE[1])
    with Sources.of() as sources:
        export_reel(ExportRequest(project=project.changed(reel=reel), path=made), sources, Silent())
    found, depth = read_bars(made)
    high = coding.transfer != "sdr"
    should = expected(values, coding, high=high, depth=depth)
    counts = comparable(values, coding, high=high)
    return float(np.abs(found - should)[counts].max()), depth


def colour_rows() -> list[Row]:
    """A row for each coding: worst difference in code values of what comes out."""
    rows = []
    for coding in CODINGS:
        with tempfile.TemporaryDirectory() as folder:
            worst, depth = worst_difference(coding, Path(folder))
        aim = 1 if depth == 8 else 2
        rows.append(Row(coding.name, f"{aim} of {depth} bit", f"{worst:.2f}", worst <= aim))
    return rows
