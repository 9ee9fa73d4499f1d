"""The command that makes areas: how an area of a take covers its picture, frame by frame, as grey."""

import json as json_module
from pathlib import Path
from typing import Annotated

import typer

from clevrin.cli.one_take import numbers
from clevrin.cli.options import Media, within
from clevrin.cli.terminal import print_line, shown
from clevrin.core.document import Area, AreaPart, Around, Coloured, CutOut, Drawn, Outline, Pick, Stroke, Take
from clevrin.core.document.areas import Shape
from clevrin.core.errors import ClevrinError
from clevrin.core.media.reading import FilmReader
from clevrin.core.media.taking_in import take_in
from clevrin.core.outputs import check_output, write_text
from clevrin.core.progress import step

_NOTHING = 0.002


def area(
    media: Media,
    out: Annotated[Path, typer.Option("--out", help="A film of grey (.mkv), or a new folder for PNG files.")],
    colour: Annotated[list[str] | None, typer.Option(help="FRAME,X,Y of a colour that belongs, in pixels.")] = None,
    box: Annotated[list[str] | None, typer.Option(help="FRAME,X,Y,W,H that belongs; several: it moves.")] = None,
    edge: Annotated[
        list[str] | None, typer.Option(help="FRAME,X1,Y1,X2,Y2 of an edge: what lies on its right belongs.")
    ] = None,
    cutting: Annotated[
        bool, typer.Option("--cut-out", help="The subject in the --box is cut out, not the box itself.")
    ] = False,
    stroke: Annotated[
        list[str] | None,
        typer.Option(
            help="FRAME,X,Y,X,Y,... painted over what belongs to the subject as well; --not-stroke: does not."
        ),
    ] = None,
    not_stroke: Annotated[list[str] | None, typer.Option(help="FRAME,X,Y,X,Y,... painted over what does not.")] = None,
    stroke_width: Annotated[float, typer.Option(parser=within(1, 500), help="How wide strokes are, in pixels.")] = 8.0,
    tolerance: Annotated[
        float, typer.Option(parser=within(0.5, 150), help="How far colours may be from those clicked, in CIELAB.")
    ] = 14.0,
    softness: Annotated[
        float, typer.Option(parser=within(0, 150), help="Over how much more they belong in part.")
    ] = 10.0,
    grow: Annotated[
        float, typer.Option(parser=within(-500, 500), help="Pixels by which it grows, below 0 shrinks.")
    ] = 0.0,
    soft: Annotated[
        float, typer.Option(parser=within(0, 1000), help="Pixels to either side of its edge over which it is soft.")
    ] = 0.0,
    inverted: Annotated[bool, typer.Option("--inverted", help="All but that.")] = False,
    still: Annotated[bool, typer.Option("--still", help="Shapes stay where they are; else they go with it.")] = False,
    clings: Annotated[bool, typer.Option("--clings", help="The box clings to the edge that it lies on.")] = False,
    report: Annotated[Path | None, typer.Option(help="Write how much is covered on each frame to this JSON.")] = None,
) -> None:
    """Writes how an area covers a take's picture, as grey without loss; colours count within shapes that are given."""
    from clevrin.core.matte import coverage, matte_at
    from clevrin.core.matte.areas import Cuts
    from clevrin.core.matte.clinging_areas import where_lost
    from clevrin.core.matte.cutting import how_sure
    from clevrin.core.media.grey_writing import GreyWriter, check_grey_output
    from clevrin.core.render.measured.measurement_needs import ClingNeed, CutNeed
    from clevrin.core.render.sources import Sources

    check_grey_output(out, [media])
    if report is not None:
        check_output(report, [media, out])
    take = take_in(media)
    size = take.facts.width, take.facts.height
    with Sources.of() as sources:
        film = sources.films.reader(take)
        along = "edges" if clings else "nothing" if still else "picture"
        parts: list[Drawn | Coloured | CutOut] = []
        if cutting:
            strokes = (stroke or [], True), (not_stroke or [], False)
            parts.append(_cut_out(box or [], strokes, stroke_width, take))
        elif stroke or not_stroke:
            raise ClevrinError("Strokes correct what is cut out: they need --cut-out and a --box.")
        shapes: tuple[tuple[Shape, list[str] | None], ...] = ("box", None if cutting else box), ("half-plane", edge)
        parts += [_drawn(shape, texts, take, along) for shape, texts in shapes if texts]
        if colour:
            parts.append(Coloured(picks=_picks(colour, take, film), tolerance=tolerance, softness=softness))
        if not parts:
            raise ClevrinError("An area needs a --colour, a --box or an --edge.")
        made = Area(
            name="area",
            parts=tuple(AreaPart(of=part, mode="add" if k == 0 else "common") for k, part in enumerate(parts)),
            grow_px=grow,
            inside_px=soft,
            outside_px=soft,
        )
        chain = None
        if made.goes_with_picture:
            with shown(f"Measuring {media.name}") as progress:
                chain = sources.measured.chain(take, sources.measured.measure(take, progress))
        cuts = {}
        for cut in made.cut_outs:
            with shown(f"Cutting out of {media.name}") as progress:
                cuts[cut] = sources.measured.cut(CutNeed(take=take, cut=cut), progress)
        clung = {}
        for curve in made.clinging:
            with shown(f"Following an edge in {media.name}") as progress:
                clung[curve] = sources.measured.cling(ClingNeed(take=take, drawn=curve), progress)
        covers: Cuts = {cut: each.covers for cut, each in cuts.items()}
        covered = []
        with (
            shown(f"Writing {out.name}") as progress,
            GreyWriter(out, rate=take.facts.rate, size=size, never=[media]) as writer,
        ):
            for frame in range(take.facts.frames):
                matte = matte_at(made, frame, chain, cuts=covers, clung=clung)
                grey = coverage(matte, size, size, film.read(frame) if matte.of_picture else None)
                grey = 1 - grey if inverted else grey
                writer.write(grey)
                covered.append(float(grey.mean()))
                step(progress, frame + 1, take.facts.frames)
    sure = next((each.sure for each in cuts.values()), None)
    lost = [where_lost(each) for each in clung.values()]
    for sentence in [*_remarks(covered, take), "" if sure is None else how_sure(sure), *lost]:
        if sentence:
            print_line(sentence)
    if report is not None:
        told = {"area": made.model_dump(mode="json"), "covered": [round(each, 6) for each in covered]}
        if sure is not None:
            told["sure"] = [round(float(each), 3) for each in sure]
        write_text(report, json_module.dumps(told, indent=1) + "\n", [media, out])


def _remarks(covered: list[float], take: Take) -> list[str]:
    """What is to be said of an area that is nothing, or everything."""
    nothing = sum(each < _NOTHING for each in covered)
    everything = sum(each > 1 - _NOTHING for each in covered)
    found = []
    for count, words in ((nothing, "covers nothing"), (everything, "covers everything")):
        if count == take.facts.frames:
            found.append(f"The area {words} of {take.name}.")
        elif count:
            found.append(f"The area {words} in {count} of {take.facts.frames} frames.")
    return found


def _cut_out(
    boxes: list[str], strokes: tuple[tuple[list[str], bool], tuple[list[str], bool]], width: float, take: Take
) -> CutOut:
    if not boxes:
        raise ClevrinError("What is to be cut out needs a --box about it on a frame.")
    around = []
    for text in boxes:
        frame, x, y, w, h = _numbers(text, take, "--box", 5)
        if w < 1 or h < 1 or x >= take.facts.width or y >= take.facts.height or x + w <= 0 or y + h <= 0:
            raise ClevrinError(f"--box {text} is empty, or lies outside of the picture.")
        around.append(Around(frame=int(frame), box=(x, y, x + w, y + h)))
    painted = []
    for texts, belongs in strokes:
        for text in texts:
            count = text.count(",") // 2 * 2 + 1
            frame, *at = _numbers(text, take, "--stroke" if belongs else "--not-stroke", max(3, count))
            places = tuple(zip(at[::2], at[1::2], strict=True))
            painted.append(Stroke(frame=int(frame), places=places, width_px=width, belongs=belongs))
    around.sort(key=lambda each: each.frame)
    try:
        return CutOut(around=tuple(around), strokes=tuple(painted))
    except ValueError as error:
        raise ClevrinError("A box about the subject is drawn once on a frame.") from error


def _drawn(shape: Shape, texts: list[str], take: Take, along: str) -> Drawn:
    outlines = []
    for text in texts:
        frame, a, b, c, d = _numbers(text, take, f"--{'box' if shape == 'box' else 'edge'}", 5)
        places = ((a, b), (a + c, b), (a + c, b + d), (a, b + d)) if shape == "box" else ((a, b), (c, d))
        outlines.append(Outline(frame=int(frame), places=places))
    outlines.sort(key=lambda each: each.frame)
    try:
        return Drawn.model_validate({"shape": shape, "outlines": tuple(outlines), "along": along})
    except ValueError as error:
        raise ClevrinError("An area is drawn once on a frame.") from error


def _picks(texts: list[str], take: Take, film: FilmReader) -> tuple[Pick, ...]:
    from clevrin.core.matte.colours import colour_at

    found = []
    for text in texts:
        frame, x, y = _numbers(text, take, "--colour", 3)
        if not (0 <= x < take.facts.width and 0 <= y < take.facts.height):
            raise ClevrinError(f"--colour {text} lies outside of the picture: {take.facts.width}x{take.facts.height}.")
        found.append(Pick(frame=int(frame), place=(x, y), lab=colour_at(film.read(int(frame)), (x, y))))
    return tuple(found)


def _numbers(text: str, take: Take, option: str, count: int) -> list[float]:
    """The numbers of an option, the first one a frame of the take. Raises `ClevrinError`."""
    try:
        found = numbers(text, count, "", option)
        if found[0] != int(found[0]):
            raise ValueError
    except (ValueError, typer.BadParameter) as error:
        raise ClevrinError(f"{option} is written as a frame and {count - 1} numbers of pixels, not {text}.") from error
    if not 0 <= found[0] < take.facts.frames:
        raise ClevrinError(f"{take.name} has {take.facts.frames} frames: there is none numbered {text.split(',')[0]}.")
    return found
