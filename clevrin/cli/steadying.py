"""The commands that steady: a take held, what a hold costs, and motion for lending.

What is slow to import is imported by the command that needs it: the others start in half the time.
"""

import re
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, Literal

import typer

from clevrin.cli.one_take import OneTake, Rendered, nine_each, place_of, point_in, render_one
from clevrin.cli.options import Json, Media, Out, within
from clevrin.cli.terminal import print_json, print_line, shown
from clevrin.core.document import Anchor, Bounds, Hold, Loan, Motion, Shot, Span, Take
from clevrin.core.document.holding import (
    AXES,
    LEAST_KEEP,
    LONGEST_SETTLE_S,
    MOST_KEEP,
    Edge,
    Enlargement,
    Kernel,
)
from clevrin.core.document.loans import Lent, Rig
from clevrin.core.errors import ClevrinError
from clevrin.core.media.taking_in import take_in
from clevrin.core.media.writing import carries_alpha, what_is_not_carried
from clevrin.core.outputs import check_output, write_text

if TYPE_CHECKING:
    pass

_RATE = 30


HowHeld = Literal["float", "lock-off", "anchor"]
HeldOrNot = Literal["none", "float"]

Settle = Annotated[
    float, typer.Option(parser=within(0, LONGEST_SETTLE_S), help="Seconds: quicker motion is taken out.")
]
Keep = Annotated[
    float, typer.Option(parser=within(LEAST_KEEP, MOST_KEEP), help="The least share of the width to keep.")
]


def hold(
    media: Media,
    out: Out,
    how: Annotated[HowHeld, typer.Option(help="float keeps the move, lock-off stands still, anchor keeps a point.")],
    settle: Settle = 1.6,
    keep: Keep = 0.85,
    axes: Annotated[str, typer.Option(help="Which axes to hold.")] = ",".join(AXES),
    most: Annotated[str, typer.Option(help="How far the gate may go, as pan=0.1,roll=2.")] = "",
    edge: Annotated[Edge, typer.Option(help="What stands where the picture ends.")] = "fill",
    colour: Annotated[str, typer.Option(help="The colour of that edge, as #808080.")] = "#808080",
    enlargement: Annotated[Enlargement, typer.Option(help="One size for all frames, or slowly changing.")] = "constant",
    kernel: Annotated[Kernel, typer.Option(help="How pixels are resampled.")] = "bicubic",
    crispness: Annotated[float, typer.Option(parser=within(0.0, 1.0), help="How much to sharpen.")] = 0.0,
    returned: Annotated[
        float, typer.Option(parser=within(0.0, 1.0), help="How much of the motion is brought back.")
    ] = 0.0,
    spare: Annotated[list[str] | None, typer.Option(help="Frames FIRST-LAST of which no calm is demanded.")] = None,
    ease_blurred: Annotated[bool, typer.Option("--ease-blurred", help="Blurred frames keep more motion.")] = False,
    mesh: Annotated[bool, typer.Option("--mesh", help="Take out what a grid over the picture shows, too.")] = False,
    reference: Annotated[int | None, typer.Option(min=0, help="The frame a lock-off stands on.")] = None,
    point: Annotated[str | None, typer.Option(help="Where the point to anchor is: frame,x,y in pixels.")] = None,
    place: Annotated[str | None, typer.Option(help="Where in the gate it stands: x,y, each 0 to 1.")] = None,
    slowly: Annotated[bool, typer.Option("--slowly", help="The point goes on a slow path of its own.")] = False,
    report: Annotated[Path | None, typer.Option(help="Write figures of each frame to this JSON file.")] = None,
) -> None:
    """Renders one take held."""
    chosen, bounds, edge_colour = _axes(axes), _bounds(most), _colour(colour)
    check_output(out, [media])
    take = take_in(media)
    anchor = None
    if how == "anchor":
        take, anchor = _anchored(take, point, place, slowly=slowly)
    settings = Hold(
        how=how,
        settle_s=settle,
        keep=keep,
        axes=chosen,
        bounds=bounds,
        edge=edge,
        colour=edge_colour,
        enlargement=enlargement,
        kernel=kernel,
        crispness=crispness,
        returned=returned,
        spared=tuple(_frames(text, take) for text in spare or ()),
        ease_blurred=ease_blurred,
        mesh=mesh,
        reference=_reference(reference, take),
        anchor=anchor,
    )
    if settings.edge == "clear" and not carries_alpha(out):
        print_line(what_is_not_carried(out))
    one = OneTake(take=take, shot=Shot(take_id=take.id, span=take.whole, hold=settings))
    render_one(one, out, f"Holding {media.name}", report, _report)


def lend(
    media: Media,
    out: Out,
    motion: Annotated[Path | None, typer.Option(help="A motion CSV, or a footage file that lends its own.")] = None,
    rig: Annotated[Rig | None, typer.Option(help="A simulated hand.")] = None,
    seed: Annotated[int, typer.Option(min=0, max=1_000_000, help="Which of its many courses.")] = 1,
    lent: Annotated[Lent, typer.Option(help="Its shake, all of its course, or what a hold would take out.")] = (
        "course"
    ),
    amount: Annotated[float, typer.Option(parser=within(-5.0, 5.0), help="How much of its pan, tilt and roll.")] = 1.0,
    size: Annotated[float, typer.Option(parser=within(-5.0, 5.0), help="How much of its zoom.")] = 1.0,
    how: Annotated[HeldOrNot, typer.Option(help="Whether the take itself is held first.")] = "none",
    settle: Settle = 1.6,
    keep: Keep = 0.85,
    edge: Annotated[Edge, typer.Option(help="What stands where the picture ends.")] = "fill",
) -> None:
    """Renders one take with motion lent to it: that of another take, of a motion CSV, or of a simulated hand."""
    if (motion is None) == (rig is None):
        raise typer.BadParameter("say whose motion is lent, a file's or a rig's", param_hint="--motion / --rig")
    check_output(out, [media, *([motion] if motion is not None else [])])
    take = take_in(media)
    lender: Take | Motion | None = None
    terms = {"lent": lent, "amount": amount, "size": size}
    if rig is not None:
        loan = Loan.model_validate({"lender": "rig", "rig": rig, "seed": seed, **terms})
    else:
        assert motion is not None
        lender = _lender(motion)
        kind = "take" if isinstance(lender, Take) else "motion"
        loan = Loan.model_validate({"lender": kind, "lender_id": lender.id, **terms})
    held = Hold(how=how, settle_s=settle, keep=keep, edge=edge)
    shot = Shot(take_id=take.id, span=take.whole, hold=held, loan=loan)
    render_one(OneTake(take=take, shot=shot, lender=lender), out, f"Rendering {out.name}")


def chart(media: Media, settle: Settle = 1.6, keep: Keep = 0.85, json: Json = False) -> None:
    """What floating a take would cost: picture kept against remaining shake, and the frames that set the price."""
    from clevrin.core.hold import proposals
    from clevrin.core.motion import find_whips
    from clevrin.core.progress import Silent
    from clevrin.core.render.measured.measurement_store import MeasurementStore

    take = take_in(media)
    with shown(f"Measuring {media.name}") as progress:
        measured = MeasurementStore().measure(take, progress)
    whips, settings = find_whips(measured), Hold(how="float", settle_s=settle, keep=keep)
    drawn = proposals.chart(measured, take.whole, settings, whips, Silent())
    jolts = proposals.price_setters(measured, take.whole, settings)
    enough = proposals.least_hold(measured, take.whole, settings, whips)
    if json:
        dear = [{"first": j.span.first, "last": j.span.end - 1, "gain": j.gain} for j in jolts]
        print_json({"shake_px": drawn.shake_px, "lines": drawn.lines, "price_setters": dear, "enough": enough})
        return
    print_line(f"as shot: {drawn.shake_px:.1f} px of shake over 1 Hz")
    for line in drawn.lines:
        figures = ", ".join(f"{p.kept * 100:.0f} % keeps {p.shake_px:.2f} px" for p in dict.fromkeys(line))
        print_line(f"settle {line[0].settle_s:g} s: {figures}")
    for jolt in jolts:
        print_line(f"frames {jolt.span.first} to {jolt.span.end - 1} cost {jolt.gain * 100:.0f} % of the width")


def rig(
    out: Out,
    kind: Annotated[Rig, typer.Option(help="Which hand.")],
    seconds: Annotated[float, typer.Option(parser=within(0.1, 3600.0), help="How long.")] = 10.0,
    rate: Annotated[int, typer.Option(min=1, max=1000, help="Frames per second.")] = _RATE,
    seed: Annotated[int, typer.Option(min=0, max=1_000_000, help="Which of its many courses.")] = 1,
) -> None:
    """Writes the motion of a simulated hand as a motion CSV."""
    from clevrin.core.hold.lending import as_trace
    from clevrin.core.motion.rig import rig_course
    from clevrin.core.motion.trace.motion_csv import motion_csv

    check_output(out, [])
    course = rig_course(kind, seed, max(2, round(seconds * rate)), rate)
    write_text(out, motion_csv(as_trace(course, rate), f"{kind} {seed}"))


def _report(rendered: Rendered) -> str:
    """Figures of each frame of an output of this size, and what became of the shake."""
    import json

    from clevrin.core.hold.blurred import blurred_frames
    from clevrin.core.hold.report import calm_frames, course, measures, residual_px, shake
    from clevrin.core.motion import find_whips
    from clevrin.core.render.planning.layers import plan_shot

    resolved, measured, size = rendered.resolved, rendered.trace, rendered.size
    shot, take, path = resolved.shot, resolved.take, rendered.path
    if measured is None or path is None:
        raise ClevrinError(f"{take.name} could not be measured again for the report.")
    whips = find_whips(measured)
    calm = calm_frames(measured, shot.span, whips)
    rate = float(measured.rate)
    before, after = course(measured, shot.span), course(measured, shot.span, path)
    field = measures(measured, shot.span, path)
    frames = range(shot.span.first, shot.span.end)
    values: dict[str, Any] = {
        "how": shot.hold.how,
        "edge": shot.hold.edge,
        "instant": list(frames),
        "keep": [round(path.kept_at(k), 5) for k in frames],
        "least_keep": round(path.least_kept_in(shot.span), 5),
        "shake_before": {axis: round(v, 4) for axis, v in shake(before, rate, calm).items()},
        "shake_after": {axis: round(v, 4) for axis, v in shake(after, rate, calm).items()},
        "residual_px": [round(float(v), 4) for v in residual_px(after)],
        "blurred_frames": blurred_frames(measured, shot.span, path, whips),
        "bridged_frames": path.bridged_in(shot.span),
        "cropping": round(field.cropping, 4),
        "distortion": round(field.distortion, 4),
        "stability": round(field.stability, 4),
        # What was done, for anyone to check: from output pixels to source pixels, row by row, and the mesh's knots.
        "src_from_out": nine_each(plan_shot(resolved, k, size, size).src_from_out for k in frames),
    }
    bends = [path.bend_at(k) for k in frames]
    if path.bend is not None:
        values["mesh_px"] = [
            [[round(float(v), 4) for v in knot] for knot in bend.reshape(-1, 2)] for bend in bends if bend is not None
        ]
    return json.dumps(values, indent=1) + "\n"


def _lender(path: Path) -> Take | Motion:
    from clevrin.core.motion.trace.motion_reading import read_motion

    return read_motion(path) if path.suffix.lower() == ".csv" else take_in(path)


def _anchored(take: Take, point: str | None, place: str | None, *, slowly: bool) -> tuple[Take, Anchor]:
    """The take with a track of the point, and the anchor on it."""
    if point is None:
        raise typer.BadParameter("an anchor needs a point to hold: frame,x,y", param_hint="--point")
    track = point_in(point, take, "--point", "anchor")
    where = None if place is None else place_of(place)
    return take.changed(tracks=(*take.tracks, track)), Anchor(track_id=track.id, place=where, slowly=slowly)


def _axes(text: str) -> tuple:
    given = text.split(",")
    if not text or set(given) - set(AXES):
        raise typer.BadParameter(f"'{text}' is not a list of {', '.join(AXES)}", param_hint="--axes")
    return tuple(axis for axis in AXES if axis in given)


def _bounds(text: str) -> Bounds:
    given = dict(part.partition("=")[::2] for part in text.split(",") if part)
    try:
        if set(given) - set(AXES):
            raise ValueError
        return Bounds.model_validate({axis: float(value) for axis, value in given.items()})
    except ValueError as error:
        hint = "as pan=0.1,roll=2: shares of the width, degrees, a share of the size"
        raise typer.BadParameter(f"'{text}' is not a list of bounds {hint}", param_hint="--most") from error


def _colour(text: str) -> str:
    if not re.fullmatch("#[0-9a-fA-F]{6}", text):
        raise typer.BadParameter(f"'{text}' is not a colour as #808080", param_hint="--colour")
    return text


def _frames(text: str, take: Take) -> Span:
    found = re.fullmatch(r"(\d{1,7})-(\d{1,7})", text)
    if found is None or int(found[1]) > int(found[2]) or int(found[2]) >= take.facts.frames:
        raise typer.BadParameter(f"'{text}' is not a stretch of frames of the take, as 45-52", param_hint="--spare")
    return Span(first=int(found[1]), end=int(found[2]) + 1)


def _reference(frame: int | None, take: Take) -> int | None:
    if frame is not None and frame >= take.facts.frames:
        raise ClevrinError(f"{take.name} has {take.facts.frames} frames: there is no frame {frame}.")
    return frame
