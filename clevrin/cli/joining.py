"""The command that joins two takes by one kind of join."""

import json as json_module
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from clevrin.cli.one_take import area_in, nine_each, numbers
from clevrin.cli.options import Json, meant, number, within
from clevrin.cli.terminal import print_json, print_line, shown
from clevrin.core.document import Join, Project, Shot, Span, Take
from clevrin.core.document.edits import AddTakes, SetLeaves
from clevrin.core.document.joining import LONGEST_DISSOLVE, WHIP, Setting
from clevrin.core.errors import ClevrinError
from clevrin.core.join.kinds import KINDS, Kind
from clevrin.core.media.taking_in import take_in
from clevrin.core.outputs import check_output, write_text

if TYPE_CHECKING:
    from clevrin.core.render.sources import Sources

_SIDES = ("out", "in")
_FIGURE = within(-1e6, 1e6)
"""The kind of join says what each of its settings may be."""
_SURFACE, _AREA, _LAID = "surface", "area", "laid"


def join(
    media: Annotated[list[Path] | None, typer.Argument(help="The outgoing take and the incoming one.")] = None,
    out: Annotated[Path | None, typer.Option("--out", help="The film to write.")] = None,
    kind: Annotated[str, typer.Option(help="The kind of join; --kinds lists them.")] = WHIP,
    length: Annotated[int | None, typer.Option(help="Frames of the film that the join lasts.")] = None,
    direction: Annotated[str | None, typer.Option(help="Degrees in which the camera goes, or auto.")] = None,
    distance: Annotated[
        float | None, typer.Option(parser=_FIGURE, help="How far a whip is thrown, in picture widths.")
    ] = None,
    turns: Annotated[float | None, typer.Option(parser=_FIGURE, help="Quarter turns of a roll-over.")] = None,
    centre: Annotated[str | None, typer.Option(help="X,Y of both sides that a push goes through, 0 to 1.")] = None,
    peak: Annotated[
        float | None, typer.Option(parser=_FIGURE, help="How much of the join lies before the cut, 0 to 1.")
    ] = None,
    dissolve: Annotated[int, typer.Option(help="Frames in which both sides are mixed, over any kind.")] = 0,
    shutter: Annotated[
        float | None, typer.Option(parser=_FIGURE, help="Degrees: the blur of what the join moves.")
    ] = None,
    balance: Annotated[bool, typer.Option("--balance", help="Bring the incoming colours near, and back.")] = False,
    seed: Annotated[int | None, typer.Option(help="The same seed breaks the picture in the same way.")] = None,
    surface: Annotated[Path | None, typer.Option(help="Track CSV of the surface that a doorway goes through.")] = None,
    area: Annotated[
        Path | None, typer.Option(help="Of the take with the edge or the surface: a film of grey, or a report of area.")
    ] = None,
    track_out: Annotated[Path | None, typer.Option(help="Track CSV that a match cut lays on the incoming one.")] = None,
    track_in: Annotated[Path | None, typer.Option(help="Track CSV of the incoming take, for a match cut.")] = None,
    by_pictures: Annotated[bool, typer.Option("--by-pictures", help="A match cut lays both as wholes.")] = False,
    set_: Annotated[list[str] | None, typer.Option("--set", help="NAME=VALUE of another setting of the kind.")] = None,
    at_out: Annotated[int | None, typer.Option(help="The last frame of the outgoing take.")] = None,
    at_in: Annotated[int | None, typer.Option(help="The first frame of the incoming take.")] = None,
    report: Annotated[Path | None, typer.Option(help="Write figures of each frame to this JSON file.")] = None,
    kinds: Annotated[bool, typer.Option("--kinds", help="List the kinds with their settings.")] = False,
    json: Json = False,
) -> None:
    """Joins two takes by one kind of join, and renders both."""
    if kinds:
        _list_kinds(json=json)
        return
    if media is None or len(media) != 2:
        raise typer.BadParameter("a join has an outgoing take and an incoming one", param_hint="MEDIA")
    if out is None:
        raise typer.BadParameter("say where the film is written", param_hint="--out")
    kind = meant(kind, KINDS)
    if kind not in KINDS:
        raise ClevrinError(f"There is no kind of join named {kind}: {', '.join(KINDS)} are.")
    if not 0 <= dissolve <= LONGEST_DISSOLVE:
        raise typer.BadParameter(f"{dissolve} is not within 0 to {LONGEST_DISSOLVE} frames", param_hint="--dissolve")
    check_output(out, media)
    given: dict[str, Setting | None] = {
        "length": length,
        "direction": None if direction is None else _number_or_word(direction),
        "distance": distance,
        "turns": turns,
        "peak": peak,
        "shutter": shutter,
        "seed": seed,
        **_centres(centre),
        **dict(_named(each) for each in set_ or ()),
    }
    takes = take_in(media[0]), take_in(media[1])
    if surface is not None:
        takes = _with_surface(takes, surface, str(given.get("way") or "in"))
        given["surface"] = _SURFACE
    if area is not None:
        takes = _with_area(takes, area, owns_first=given.get("side", given.get("way")) in (None, "this", "in"))
        given["area"] = _AREA
    if (track_out is None) != (track_in is None):
        raise ClevrinError("A match cut lays one track on another: it needs --track-out and --track-in.")
    if track_out is not None and track_in is not None:
        takes = _with_track(takes, 0, track_out), _with_track(takes, 1, track_in)
    lay = "tracks" if track_out is not None else "pictures" if by_pictures else ""
    if lay and not KINDS[kind].lays:
        raise ClevrinError(f"Only a match cut lays its sides on each other: {kind} does not.")
    leave = Join(kind=kind, dissolve_frames=dissolve).having(**_checked(KINDS[kind], given))
    _render(takes, leave, (at_out, at_in), out, report, balance=balance, lay=lay)


def _with_surface(takes: tuple[Take, Take], path: Path, way: str) -> tuple[Take, Take]:
    """The takes with a surface of the one that a doorway goes through, read from a track file."""
    from clevrin.core.motion.tracks.track_csv import read_track

    number = 0 if way == "in" else 1
    track = read_track(path, takes[number]).changed(id=_SURFACE)
    if track.kind != "surface":
        raise ClevrinError(f"{path.name} holds a point: a doorway goes through a surface, with its four corners.")
    found = takes[number].changed(tracks=(track,))
    return (found, takes[1]) if number == 0 else (takes[0], found)


def _with_area(takes: tuple[Take, Take], path: Path, *, owns_first: bool) -> tuple[Take, Take]:
    """The takes with an area of one of them: as a film shows it, or as a report of the command area has it."""
    number = 0 if owns_first else 1
    area = area_in(path, _AREA)
    found = takes[number].changed(areas=(area,))
    return (found, takes[1]) if number == 0 else (takes[0], found)


def _with_track(takes: tuple[Take, Take], number: int, path: Path) -> Take:
    from clevrin.core.motion.tracks.track_csv import read_track

    take = takes[number]
    return take.changed(tracks=(*take.tracks, read_track(path, take).changed(id=_LAID)))


def _laid(project: Project, lay: str, sources: "Sources") -> Project:
    """The project with its match cut laid: by what is followed in both takes, or by the pictures as wholes."""
    from clevrin.core.render.measured.measurement_needs import TrackNeed
    from clevrin.core.render.reports.cut_alignment import lay_by_pictures, lay_by_tracks
    from clevrin.core.render.resolving.hold_request import HoldRequest
    from clevrin.core.render.resolving.resolving import complete

    shot = project.reel.shots[0]
    for each in project.reel.shots:
        with shown(f"Measuring {project.take(each.take_id).name}") as progress:
            complete(HoldRequest.of(project, each), sources.measured, progress)
            for track in project.take(each.take_id).tracks:
                sources.measured.follow(TrackNeed(take=project.take(each.take_id), track=track), progress)
    if lay == "tracks":
        found = lay_by_tracks(project, shot.id, (_LAID, _LAID), sources)
    else:
        found = lay_by_pictures(project, shot.id, sources)
    print_line(f"laid on each other by {found.points} places: {found.residual * project.reel.width:.2f} px are left")
    return SetLeaves(leaves=((shot.id, shot.leave.having(**found.settings)),)).apply(project)


def _render(
    takes: tuple[Take, Take],
    leave: Join,
    at: tuple[int | None, int | None],
    out: Path,
    report: Path | None,
    *,
    balance: bool,
    lay: str,
) -> None:
    from clevrin.core.render.export.export import ExportRequest, export_reel
    from clevrin.core.render.sources import Sources

    troubles: set[str] = set()
    with Sources.of() as sources:
        shots = _cut(takes, leave, at, sources)
        if balance:
            shots = _balanced(takes, shots, sources)
        project = AddTakes(takes=tuple({take.id: take for take in takes}.values())).apply(Project(name=out.stem))
        project = project.changed(reel=project.reel.changed(shots=shots))
        if lay:
            project = _laid(project, lay, sources)
        for sentence in _short(project):
            print_line(sentence)
        with shown(f"Rendering {out.name}") as progress:
            export_reel(ExportRequest(project=project, path=out), sources, progress, troubles)
        for sentence in sorted(troubles):
            print_line(sentence)
        if report is not None:
            write_text(report, _report(project, sources), [*project.media, out])


def _cut(
    takes: tuple[Take, Take], leave: Join, at: tuple[int | None, int | None], sources: "Sources"
) -> tuple[Shot, Shot]:
    """Both shots: cut where it was said, a whip cut at its best pair by itself, others at the end and the start."""
    from clevrin.core.join import Side, joined, rank_pairs
    from clevrin.core.join.move_shelf import kept_moves

    first, second = (Shot(take_id=take.id, span=take.whole) for take in takes)
    if leave.kind == WHIP and at == (None, None):
        sides = []
        for take in takes:
            with shown(f"Measuring {take.name}") as progress:
                trace = sources.measured.measure(take, progress)
            sides.append(Side.having(kept_moves(take, trace, sources.films.reader, sources.measured.shelf)))
        proposals = rank_pairs(sides[0], sides[1])
        if not proposals:
            raise ClevrinError("No moves of these takes agree: another kind of join makes a move of its own.")
        frames = takes[0].facts.frames, takes[1].facts.frames
        return joined(first, second, proposals[0], frames, leave.dissolve_frames)
    ends: list[int] = []
    for take, frame, side, usual in zip(takes, at, _SIDES, (takes[0].facts.frames - 1, 0), strict=True):
        if frame is not None and not 0 <= frame < take.facts.frames:
            raise ClevrinError(f"{take.name} has {take.facts.frames} frames: it cannot be cut {side} at {frame}.")
        ends.append(usual if frame is None else frame)
    return (
        first.changed(span=Span(first=0, end=ends[0] + 1), leave=leave),
        second.changed(span=Span(first=ends[1], end=takes[1].facts.frames)),
    )


def _balanced(takes: tuple[Take, Take], shots: tuple[Shot, Shot], sources: "Sources") -> tuple[Shot, Shot]:
    from clevrin.core.join.balancing import balance as found_balance

    frames = shots[0].last_shown, shots[1].first_shown
    readers = [sources.films.reader(take) for take in takes]
    found = found_balance((readers[0], frames[0]), (readers[1], frames[1]))
    words = f"ΔE {found.before_de:.1f}, balanced {found.after_de:.1f}, over {found.frames} frames"
    print_line(f"colours at the cut: {words}")
    return shots[0].changed(leave=found.on(shots[0].leave)), shots[1]


def _short(project: Project) -> list[str]:
    """What the join has to do without, in sentences."""
    from clevrin.core.join.between import made_join, what_is_short
    from clevrin.core.pace import placed_shots

    row = placed_shots(project)
    made = made_join(row, 0, project.reel.aspect, lambda _: None)
    return [] if made is None else what_is_short(row, 0, made)


def _report(project: Project, sources: "Sources") -> str:
    """Figures of each frame: both sides' shares and maps, how fast the join moves them, and of how many samples."""
    from clevrin.core.pace import reel_frames
    from clevrin.core.render.picture import plan_at

    size = project.reel.size
    frames = []
    for frame in range(reel_frames(project)):
        plan = plan_at(project, frame, size, sources.measured)
        sides: list[dict[str, Any]] = [
            {
                "take": project.take(layer.take_id).name,
                "weight": round(layer.weight, 6),
                "frame": layer.frame,
                "src_from_out": nine_each([layer.src_from_out])[0],
                "samples": len(layer.samples),
                "blur_px": round(layer.added_blur_px, 3),
                "screen_speed_px": round(layer.made_speed_px, 3),
            }
            for layer in plan.layers
        ]
        effects = [type(each).__name__.lower() for each in plan.effects]
        frames.append({"frame": frame, "sides": sides, "effects": effects})
    return json_module.dumps({"frames": frames}, indent=1) + "\n"


def _list_kinds(*, json: bool) -> None:
    if json:
        print_json({"kinds": [_told(kind) for kind in KINDS.values()]})
        return
    for kind in KINDS.values():
        print_line(f"{kind.id}: {kind.help}")
        for each in kind.settings:
            if each.options:
                can_be = ", ".join(each.options)
            elif each.colour:
                can_be = "#rrggbb"
            elif each.names:
                can_be = f"a {each.names}, by --{each.names}"
            else:
                can_be = f"{each.low:g} to {each.high:g} {each.unit}".rstrip() + (", auto" if each.auto else "")
            print_line(f"  {each.id}: {can_be}; usually {each.default}")


def _told(kind: Kind) -> dict[str, Any]:
    return {
        "id": kind.id,
        "help": kind.help,
        "overlaps": kind.overlaps,
        "settings": [
            {
                "id": each.id,
                "title": each.title,
                "help": each.help,
                "unit": each.unit,
                "default": each.default,
                **({"options": list(each.options)} if each.options else {}),
                **({} if each.options or each.colour else {"low": each.low, "high": each.high, "auto": each.auto}),
            }
            for each in kind.settings
        ],
    }


def _checked(kind: Kind, given: dict[str, Setting | None]) -> dict[str, Setting]:
    """The settings that were given, as its kind has them; raises for one that it has not, or that cannot be."""
    known = {each.id: each for each in kind.settings}
    found: dict[str, Setting] = {}
    for name, value in given.items():
        if value is None:
            continue
        name = meant(name, known)
        if name not in known:
            has = ", ".join(known) or "none"
            raise ClevrinError(f"A {kind.id} has no setting {name}: it has {has}.")
        if isinstance(value, str):
            value = meant(value, known[name].options)
        found[name] = known[name].checked(value)
    return found


def _centres(text: str | None) -> dict[str, Setting | None]:
    if text is None:
        return {}
    x, y = numbers(text, 2, "X,Y with numbers from 0 to 1", "--centre")
    return {"out_x": x, "out_y": y, "in_x": x, "in_y": y}


def _named(text: str) -> tuple[str, Setting]:
    name, found, value = text.partition("=")
    if not found:
        raise typer.BadParameter(f"'{text}' is not NAME=VALUE", param_hint="--set")
    return name.strip(), _number_or_word(value.strip())


def _number_or_word(text: str) -> Setting:
    try:
        return number(text, -1e6, 1e6)
    except typer.BadParameter:
        return text
