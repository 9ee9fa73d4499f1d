"""The commands that read what other tools wrote, and write what they read: timelines, lists of takes."""

from pathlib import Path
from typing import Annotated

import typer

from clevrin.cli.options import Out
from clevrin.cli.terminal import print_line
from clevrin.core.document.files import load, read_text, save
from clevrin.core.exchange.take_list import take_list_csv, with_take_list
from clevrin.core.exchange.timeline_reading import read_timeline
from clevrin.core.exchange.timeline_writing import not_carried, timeline_text
from clevrin.core.outputs import check_output, write_text


def export_otio(
    project: Annotated[Path, typer.Argument(help="A project.", show_default=False)],
    out: Out,
) -> None:
    """Hands the reel of a project on as an OpenTimelineIO timeline."""
    loaded = load(project)
    write_text(out, timeline_text(loaded), [project, *loaded.media])
    for sentence in not_carried(loaded):
        print_line(sentence)


def import_otio(
    timeline: Annotated[Path, typer.Argument(help="An .otio file.", show_default=False)],
    out: Out,
) -> None:
    """Makes a project of an OpenTimelineIO timeline, and lists what of it a reel has not."""
    check_output(out, [timeline])
    imported = read_timeline(timeline)
    save(imported.project, out)
    for sentence in imported.left_out:
        print_line(sentence)


def export_takes(
    project: Annotated[Path, typer.Argument(help="A project.", show_default=False)],
    out: Out,
) -> None:
    """Writes the take list with its spans as CSV."""
    loaded = load(project)
    write_text(out, take_list_csv(loaded.takes), [project, *loaded.media])


def import_takes(
    project: Annotated[Path, typer.Argument(help="A project.", show_default=False)],
    table: Annotated[Path, typer.Argument(help="A take list as CSV.", show_default=False)],
    out: Out,
) -> None:
    """Gives the takes of a project the marks, notes and spans of a list."""
    check_output(out, [table])
    save(with_take_list(load(project), read_text(table, "a table")), out)
