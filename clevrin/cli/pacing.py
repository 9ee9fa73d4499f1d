"""The command that plays one take at other speeds."""

import re
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Literal

import typer

from clevrin.cli.one_take import OneTake, Rendered, nine_each, render_one
from clevrin.cli.options import HowSteady, Media, Out, within
from clevrin.cli.steadying import Keep
from clevrin.cli.terminal import print_line
from clevrin.core.document import Hold, Pace, PacePoint, Shot, Shutter, Take
from clevrin.core.document.pacing import FASTEST, MOST_SHUTTER_DEG, SLOWEST, Blurs, InBetween, Pitch
from clevrin.core.document.value import MOST_FRAMES
from clevrin.core.errors import ClevrinError
from clevrin.core.media.taking_in import take_in
from clevrin.core.outputs import check_output

RampEase = Literal["straight", "soft"]
_EASES: dict[RampEase, float] = {"straight": 0.0, "soft": 1.0}


def pace(
    media: Media,
    out: Out,
    rate: Annotated[str | None, typer.Option(help="Frames a second of the film that is written.")] = None,
    speed: Annotated[
        str | None, typer.Option(help="Speeds at frames of the take: FRAME:SPEED,FRAME:SPEED; 1 is as shot.")
    ] = None,
    ease: Annotated[RampEase, typer.Option(help="How one speed goes over into the next.")] = "soft",
    frames: Annotated[int | None, typer.Option(help="So many frames long, whatever the speeds say.")] = None,
    reverse: Annotated[bool, typer.Option("--reverse", help="Play it backward.")] = False,
    in_between: Annotated[InBetween, typer.Option(help="How moments between frames are made.")] = "best",
    shutter: Annotated[
        float, typer.Option(parser=within(0, MOST_SHUTTER_DEG), help="Degrees: blur as of such a shutter.")
    ] = 0.0,
    full_at: Annotated[
        float | None,
        typer.Option(
            parser=within(1.01, FASTEST), help="How fast it plays where all of that blur counts: none does at 1x."
        ),
    ] = None,
    blur: Annotated[Blurs, typer.Option(help="What the added blur follows.")] = "everything",
    sound: Annotated[Pitch, typer.Option(help="What becomes of its sound at other speeds.")] = "along",
    how: Annotated[HowSteady, typer.Option(help="Whether the take is held as well.")] = "none",
    keep: Keep = 0.85,
    report: Annotated[Path | None, typer.Option(help="Write figures of each frame to this JSON file.")] = None,
) -> None:
    """Renders one take at other speeds: ramps, moments that were not shot, blur that belongs to the speed."""
    check_output(out, [media])
    take = take_in(media)
    wanted = Pace(
        points=_points(speed, take, _EASES[ease]),
        in_between=in_between,
        shutter=Shutter(angle_deg=shutter, blurs=blur, full_at=full_at),
        pitch=sound,
        length_frames=_length(frames),
    )
    shot = Shot(take_id=take.id, span=take.whole, hold=Hold(how=how, keep=keep), pace=wanted)
    one = OneTake(take=take, shot=shot.played(reverse=reverse), rate=_rate(rate))
    render_one(one, out, f"Pacing {media.name}", report, _report, _say)


def _points(text: str | None, take: Take, ease: float) -> tuple[PacePoint, ...]:
    points: list[PacePoint] = []
    for part in text.split(",") if text is not None else ():
        found = re.fullmatch(r"\s*(\d{1,8})\s*:\s*([+-]?\d{1,12}(?:\.\d{1,9})?(?:e[+-]?\d{1,3})?)\s*", part)
        if found is None:
            raise typer.BadParameter(f"'{part}' is not FRAME:SPEED, as 40:0.5", param_hint="--speed")
        frame, speed = int(found[1]), float(found[2])
        if frame >= take.facts.frames:
            raise ClevrinError(f"{take.name} has {take.facts.frames} frames: there is no frame {frame} for a speed.")
        if speed and not SLOWEST <= speed <= FASTEST:
            raise ClevrinError(
                f"A speed of {speed:g} cannot be: from a sixteenth ({SLOWEST:g}) to {FASTEST:g} times as fast can."
            )
        if points and frame < points[-1].frame:
            raise ClevrinError("The speeds stand in the order of their frames.")
        points.append(PacePoint(frame=frame, speed=speed, ease=ease))
    if points and all(not point.speed for point in points):
        raise ClevrinError("A speed of 0 over the whole take shows nothing that moves: give it a speed somewhere.")
    if points and (not points[0].speed or not points[-1].speed):
        raise ClevrinError("A take that stands still at its start or its end never gets on: give it a speed there.")
    return tuple(points)


def _length(frames: int | None) -> int | None:
    if frames is not None and not 1 <= frames <= MOST_FRAMES:
        raise ClevrinError(f"A film of {frames} frames cannot be: 1 to {MOST_FRAMES} can.")
    return frames


def _rate(text: str | None) -> Fraction | None:
    if text is None:
        return None
    try:
        rate = Fraction(text) if re.fullmatch(r"\d{1,6}(/\d{1,6}|\.\d{1,6})?", text) else None
    except ZeroDivisionError:
        rate = None
    if rate is None:
        raise typer.BadParameter(f"'{text}' is not a rate as 30 or 30000/1001", param_hint="--rate")
    if not 1 <= rate <= 1000:
        raise ClevrinError(f"{text} frames a second cannot be written: 1 to 1000 can.")
    return rate


def _say(rendered: Rendered) -> None:
    """What was invented, and where that could not be trusted."""
    figures = rendered.pace
    invented = [each for each in figures if each.made_of in ("mix", "flow")]
    if invented:
        print_line(f"{len(invented)} of {len(figures)} frames were not shot: they are made between others.")
    few = sum(each.trust is not None and each.trust < 0.5 for each in figures)
    if few:
        print_line(f"In {few} frames less than half of the picture could be followed: they are mixed there.")


def _report(rendered: Rendered) -> str:
    """Figures of each frame of the output."""
    import json

    figures = rendered.pace
    values = {
        "how": rendered.resolved.shot.hold.how,
        "instant": [round(each.instant, 6) for each in figures],
        "made_of": [each.made_of for each in figures],
        "trust": [None if each.trust is None else round(each.trust, 4) for each in figures],
        "samples": [each.samples for each in figures],
        "added_blur_px": [round(each.added_blur_px, 3) for each in figures],
        "src_from_out": nine_each(each.src_from_out for each in figures),
    }
    return json.dumps(values, indent=1) + "\n"
