"""The command that makes one move of several takes."""

from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from clevrin.cli.options import Out, within
from clevrin.cli.terminal import print_line, shown
from clevrin.core.document import Music, Project
from clevrin.core.document.edits import AddTakes
from clevrin.core.document.files import save
from clevrin.core.join.match import ENOUGH_S
from clevrin.core.media.taking_in import take_in
from clevrin.core.outputs import check_output
from clevrin.core.pace import Placed, placed_shots

if TYPE_CHECKING:
    from clevrin.core.join.assemble import Measured

LONGEST_S = 24 * 3600.0


class Order(StrEnum):
    given = "given"
    best = "best"


@dataclass(frozen=True, kw_only=True)
class _Made:
    """A project with its reel, and what is to be said of it: of each join, and of all of it."""

    project: Project
    joins: tuple[str, ...]
    remarks: tuple[str, ...] = ()


def assemble(
    media: Annotated[list[Path], typer.Argument(help="Footage files.", show_default=False)],
    out: Out,
    order: Annotated[Order, typer.Option(help="The order of the takes.")] = Order.given,
    made: Annotated[
        bool, typer.Option("--made", help="Make moves where none were shot, of the kind that fits.")
    ] = False,
    length: Annotated[
        float | None,
        typer.Option(parser=within(1, LONGEST_S), help="Seconds that all of it lasts at most, with --made."),
    ] = None,
    ramps: Annotated[bool, typer.Option("--ramps", help="Both sides of joins play so fast that they meet.")] = False,
    music: Annotated[Path | None, typer.Option(help="A sound file that lies under the reel.")] = None,
    beats: Annotated[bool, typer.Option("--beats", help="Cuts fall on the beats of the music.")] = False,
) -> None:
    """Makes a project whose reel joins the takes at their best matches."""
    from clevrin.core.join.assemble import Measured
    from clevrin.core.join.move_shelf import kept_moves
    from clevrin.core.render.sources import Sources
    from clevrin.core.sound.beats import find_beats
    from clevrin.core.sound.music_track import take_in_music

    if beats and music is None:
        raise typer.BadParameter("beats are those of the music: name it with --music", param_hint="--beats")
    if length is not None and not made:
        raise typer.BadParameter("a length is kept by what is made: say --made as well", param_hint="--length")
    if made and ramps:
        raise typer.BadParameter("ramps meet where moves were shot: leave out --made", param_hint="--ramps")
    check_output(out, [*media, *([] if music is None else [music])])
    laid, beats_s = None, None
    if music is not None:
        laid = take_in_music(music)
        with shown(f"Listening to {music.name}") as progress:
            beats_s = find_beats(music, progress).beats_s if beats else None
    with Sources.of() as sources:
        measured = []
        for path in media:
            take = take_in(path)
            with shown(f"Measuring {path.name}") as progress:
                found = sources.measured.measure(take, progress)
            film = sources.films.reader
            known = kept_moves(take, found, film, sources.measured.shelf)
            measured.append(Measured(take=take, trace=found, film=film, known=known))
        project = AddTakes(takes=tuple(each.take for each in measured)).apply(Project(name=out.stem))
        best = order is Order.best
        result = (
            _one_move(project, measured, laid, beats_s, length, best=best)
            if made
            else _matched(project, measured, laid, beats_s, best=best, ramps=ramps)
        )
    save(result.project, out)
    for said in result.remarks:
        print_line(said)
    for number, placed in enumerate(placed_shots(result.project)):
        if number:
            print_line(f"join {number}: {result.joins[number - 1]}")
        print_line(_kept_words(placed))


def _matched(
    project: Project,
    measured: "list[Measured]",
    laid: Music | None,
    beats_s: tuple[float, ...] | None,
    *,
    best: bool,
    ramps: bool,
) -> _Made:
    """Takes cut where their moves agree; the shots are paced so that cuts fall on beats."""
    from clevrin.core.join.assemble import assemble as assembled
    from clevrin.core.sound.music_track import on_the_beat

    made = assembled(project.reel, measured, best_order=best, ramps=ramps)
    project = project.changed(reel=made.reel, music=laid)
    remarks: tuple[str, ...] = ()
    if beats_s is not None and laid is not None:
        project, on = on_the_beat(project, beats_s)
        cuts = len(made.shots) - 1
        remarks = (f"{on} of {cuts} cuts fall on beats" if beats_s else f"{laid.name} has no beat to cut on",)
    said = "plain cut: no moves agree and leave enough of both takes"
    joins = tuple(f"score {join.score:.0f}" if join else said for join in made.joins)
    return _Made(project=project, joins=joins, remarks=remarks)


def _one_move(
    project: Project,
    measured: "list[Measured]",
    laid: Music | None,
    beats_s: tuple[float, ...] | None,
    length: float | None,
    *,
    best: bool,
) -> _Made:
    """Takes cut where their moves agree, else joined by moves that are made; cuts lie on beats where they can."""
    from clevrin.core.document.edits import SetBeats
    from clevrin.core.join.one_move import Wish, one_move
    from clevrin.core.sound.music_track import beat_markers

    rate = float(project.reel.rate)
    wish = Wish(length_s=length, beats=tuple(round(each * rate) for each in beats_s or ()), best_order=best)
    move = one_move(measured, project.reel, wish)
    project = project.changed(reel=project.reel.changed(shots=move.shots), music=laid)
    if beats_s:
        project = SetBeats(beats=beat_markers(beats_s, project)).apply(project)
    joins = tuple(f"{each.join.kind}, {each.score:.0f}: {each.why}" for each in move.passages)
    return _Made(project=project, joins=joins, remarks=move.remarks)


def _kept_words(placed: Placed) -> str:
    """What the reel shows of a take, and whether that is enough to be seen."""
    span = placed.shot.span
    seconds = float(placed.frames / placed.reel_rate)
    few = ", which is hardly seen" if seconds < ENOUGH_S else ""
    return f"{placed.take.name}: frames {span.first} to {span.end - 1}, {seconds:.2f} s{few}"
