"""All commands; the contract that scripts rely on.

What is slow to import is imported by the command that needs it: the others start in half the time.
"""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from clevrin import __version__
from clevrin.cli import areas, assembling, finishing, joining, measuring, pacing, reframing, steadying
from clevrin.cli.options import Json, Media, Out, choices
from clevrin.cli.terminal import plain, print_json, print_line, shown
from clevrin.core.document.earlier_versions import last_good_copy
from clevrin.core.document.files import SUFFIX, load, read_text, save
from clevrin.core.errors import ClevrinError
from clevrin.core.exchange.take_list import take_list_csv, with_take_list
from clevrin.core.exchange.timeline_reading import read_timeline
from clevrin.core.exchange.timeline_writing import not_carried, timeline_text
from clevrin.core.join.cut_candidates import MOVES
from clevrin.core.media.probe import probe as probe_media
from clevrin.core.media.specials import specials
from clevrin.core.media.taking_in import take_in
from clevrin.core.outputs import check_output, write_text
from clevrin.core.paths import is_there

if TYPE_CHECKING:
    from clevrin.core.join.meeting import Meeting

app = typer.Typer(no_args_is_help=False, pretty_exceptions_enable=False)
measuring.add_to(app)
areas.add_to(app)
steadying.add_to(app)
app.command()(reframing.reframe)
app.command()(pacing.pace)
app.command()(joining.join)
app.command()(assembling.assemble)
finishing.add_to(app)


MatchedMoves = choices("MatchedMoves", ("whips", "all"))


def _say_version(wanted: bool) -> None:
    if wanted:
        print_line(f"clevrin {__version__}")
        raise typer.Exit


@app.callback(invoke_without_command=True)
def window(
    context: typer.Context,
    version: Annotated[
        bool, typer.Option("--version", help="Say which version this is.", is_eager=True, callback=_say_version)
    ] = False,
) -> None:
    """Camera motion for film-makers: measure it, calm it, and cut takes together where their whips agree."""
    if context.invoked_subcommand is None:
        from clevrin.desk.shell.application import run

        raise typer.Exit(run())


@app.command("open")
def open_files(
    files: Annotated[
        list[Path] | None, typer.Argument(help="A project, a timeline, takes or folders.", show_default=False)
    ] = None,
) -> None:
    """Opens the window with a project, with footage files and folders of them as takes, or as it was left."""
    from clevrin.desk.shell.application import run

    files = files or []  # the entry in a desktop's menu names none
    for file in files:
        if not is_there(file):
            raise ClevrinError(f"{file} is not there.")
        if file.suffix == SUFFIX and last_good_copy(file) is None:
            load(file)  # a file that cannot be opened is told here, before there is a window
    raise typer.Exit(run(files))


@app.command()
def demo(
    fresh: Annotated[bool, typer.Option(help="Forget earlier changes to the demo.")] = False,
    in_between: Annotated[bool, typer.Option("--in-between", help="The second one: words, edges, doors.")] = False,
) -> None:
    """Opens the window with the demo project, Kite day on Gable Hill, or with the one of what lies in between."""
    from clevrin.demo.project import demo_file, tricks_file
    from clevrin.desk.shell.application import run

    raise typer.Exit(run([(tricks_file if in_between else demo_file)(fresh=fresh)], play=True))


@app.command()
def probe(media: Media, json: Json = False) -> None:
    """Says what a footage file is."""
    facts = probe_media(media)
    rate = f"{facts.rate.numerator}/{facts.rate.denominator}"
    values = {**facts.model_dump(mode="json"), "rate": rate, "special": specials(facts)}
    if json:
        print_json(values)
        return
    for name, value in values.items():
        if name == "colour":
            value = ", ".join(str(part) for part in value.values() if not isinstance(part, bool))
        if name != "special":
            print_line(f"{name}: {value}")
    for sentence in specials(facts):
        print_line(sentence)


@app.command()
def match(
    a: Annotated[Path, typer.Argument(help="The outgoing take.", show_default=False)],
    b: Annotated[Path, typer.Argument(help="The incoming take.", show_default=False)],
    json: Json = False,
    kinds: Annotated[MatchedMoves, typer.Option(help="What is matched: whips, or all that can be.")] = (
        MatchedMoves.whips
    ),
    no_mirror: Annotated[bool, typer.Option("--no-mirror", help="Do not try mirrored variants.")] = False,
    no_reverse: Annotated[bool, typer.Option("--no-reverse", help="Do not try backward playing.")] = False,
    turned: Annotated[bool, typer.Option("--turned", help="Try the incoming take turned by a quarter, too.")] = False,
    ramps: Annotated[bool, typer.Option("--ramps", help="Say at which speeds both sides meet.")] = False,
) -> None:
    """Ranks the pairs of frames at which one take can be cut to another within their whips."""
    from clevrin.core.join import Side, rank_pairs
    from clevrin.core.join.meeting import proposed_meeting
    from clevrin.core.join.move_shelf import kept_moves
    from clevrin.core.render.sources import Sources

    with Sources.of() as sources:
        sides, traces = [], []
        for path in (a, b):
            take = take_in(path)
            with shown(f"Measuring {path.name}") as progress:
                measured = sources.measured.measure(take, progress)
            sides.append(Side.having(kept_moves(take, measured, sources.films.reader, sources.measured.shelf)))
            traces.append(measured)
        moves = MOVES if kinds is MatchedMoves.all else ("whip",)
        proposals = rank_pairs(
            sides[0], sides[1], mirror=not no_mirror, reverse=not no_reverse, turned=turned, moves=moves
        )
    meetings = [proposed_meeting(p, (traces[0], traces[1])) if ramps else None for p in proposals]
    if json:
        told = [{**plain(p), **_ramps_told(m)} if ramps else p for p, m in zip(proposals, meetings, strict=True)]
        print_json({"proposals": told})
        return
    if not proposals:
        print_line("no moves that agree" if kinds is MatchedMoves.all else "no whips that agree")
    for p, meeting in zip(proposals, meetings, strict=True):
        print_line(
            f"{p.score:5.1f}  {p.move}  out {p.out_frame}  in {p.in_frame}  {p.direction_diff_deg:.0f}°  "
            f"speed ×{p.speed_ratio:.2f}  blur ×{p.blur_ratio:.2f}  ΔE {p.colour_delta_e:.0f}  "
            f"leaves {p.out_left_s:.2f} s and {p.in_left_s:.2f} s"
            f"{f'  turned by {90 * p.turns}°' if p.turns else ''}{'  mirrored ' + p.mirror if p.mirror else ''}"
            f"{'  out backwards' if p.reverse_out else ''}{'  in backwards' if p.reverse_in else ''}"
            f"{'  ' + meeting.words if meeting is not None else ''}"
        )


def _ramps_told(meeting: "Meeting | None") -> dict[str, float | None]:
    """The solved speeds of a proposal; None where one of its sides does not move."""
    if meeting is None:
        return {"leave_speed": None, "arrive_speed": None}
    return {"leave_speed": meeting.leave, "arrive_speed": meeting.arrive}


@app.command("export-otio")
def export_otio(
    project: Annotated[Path, typer.Argument(help="A project.", show_default=False)],
    out: Out,
) -> None:
    """Hands the reel of a project on as an OpenTimelineIO timeline."""
    loaded = load(project)
    write_text(out, timeline_text(loaded), [project, *loaded.media])
    for sentence in not_carried(loaded):
        print_line(sentence)


@app.command("import-otio")
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


@app.command("export-takes")
def export_takes(
    project: Annotated[Path, typer.Argument(help="A project.", show_default=False)],
    out: Out,
) -> None:
    """Writes the take list with its spans as CSV."""
    loaded = load(project)
    write_text(out, take_list_csv(loaded.takes), [project, *loaded.media])


@app.command("import-takes")
def import_takes(
    project: Annotated[Path, typer.Argument(help="A project.", show_default=False)],
    table: Annotated[Path, typer.Argument(help="A take list as CSV.", show_default=False)],
    out: Out,
) -> None:
    """Gives the takes of a project the marks, notes and spans of a list."""
    check_output(out, [table])
    save(with_take_list(load(project), read_text(table, "a table")), out)
