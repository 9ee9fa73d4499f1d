"""The command that ranks where two takes can be cut to each other."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from clevrin.cli.options import Json
from clevrin.cli.terminal import plain, print_json, print_line, shown
from clevrin.core.join.cut_candidates import MOVES
from clevrin.core.media.taking_in import take_in

if TYPE_CHECKING:
    from clevrin.core.join.meeting import Meeting

MatchedMoves = Literal["whips", "all"]


def match(
    a: Annotated[Path, typer.Argument(help="The outgoing take.", show_default=False)],
    b: Annotated[Path, typer.Argument(help="The incoming take.", show_default=False)],
    json: Json = False,
    kinds: Annotated[MatchedMoves, typer.Option(help="What is matched: whips, or all that can be.")] = ("whips"),
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
        moves = MOVES if kinds == "all" else ("whip",)
        proposals = rank_pairs(
            sides[0], sides[1], mirror=not no_mirror, reverse=not no_reverse, turned=turned, moves=moves
        )
    meetings = [proposed_meeting(p, (traces[0], traces[1])) if ramps else None for p in proposals]
    if json:
        told = [{**plain(p), **_ramps_told(m)} if ramps else p for p, m in zip(proposals, meetings, strict=True)]
        print_json({"proposals": told})
        return
    if not proposals:
        print_line("no moves that agree" if kinds == "all" else "no whips that agree")
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
