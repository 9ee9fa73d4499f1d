"""The command that reframes one take.

What is slow to import is imported by the command that needs it: the others start in half the time.
"""

import re
from pathlib import Path
from typing import Annotated, Literal

import typer

from clevrin.cli.one_take import (
    OneTake,
    Rendered,
    nine_each,
    numbers,
    place_of,
    point_in,
    render_one,
    size_of,
    writable,
)
from clevrin.cli.options import HowSteady, Media, Out, within
from clevrin.cli.steadying import Keep
from clevrin.cli.terminal import print_line
from clevrin.core.document import CounterZoom, Follow, Gate, Hold, Pose, Shot, Take
from clevrin.core.document.gating import LEAST_GATE_PX, LONGEST_CALM_S, MOST_TURN_DEG, SOFT, STILL, STRAIGHT
from clevrin.core.errors import ClevrinError
from clevrin.core.media.taking_in import take_in
from clevrin.core.outputs import check_output

PoseEase = Literal["still", "soft", "straight"]
_EASINGS: dict[PoseEase, float] = {"still": STILL, "soft": SOFT, "straight": STRAIGHT}


def reframe(
    media: Media,
    out: Out,
    shape: Annotated[str, typer.Option(help="The shape of the output: 9:16, or its size as 1080x1920.")],
    size: Annotated[str | None, typer.Option(help="Width and height in pixels, as 1080x1920.")] = None,
    pose: Annotated[list[str] | None, typer.Option(help="Where the gate is: FRAME:X,Y,WIDTH[,TURN], pixels.")] = None,
    scene: Annotated[bool, typer.Option("--scene", help="Poses stay on their places in the scene.")] = False,
    ease: Annotated[PoseEase, typer.Option(help="How poses are left and arrived at.")] = "still",
    follow: Annotated[str | None, typer.Option(help="What the gate follows: frame,x,y in pixels.")] = None,
    place: Annotated[str | None, typer.Option(help="Where in the gate it is kept: x,y, each 0 to 1.")] = None,
    room: Annotated[
        float, typer.Option(parser=within(0, 1), help="Within what share of the gate it moves freely.")
    ] = 0.2,
    calm: Annotated[
        float, typer.Option(parser=within(0, LONGEST_CALM_S), help="Seconds: quicker is not followed.")
    ] = 1.0,
    counter_zoom: Annotated[
        float, typer.Option(parser=within(-2, 2), help="How much the size runs against the camera's push.")
    ] = 0.0,
    how: Annotated[HowSteady, typer.Option(help="Whether the take is held as well.")] = "none",
    keep: Keep = 0.85,
    report: Annotated[Path | None, typer.Option(help="Write figures of each frame to this JSON file.")] = None,
) -> None:
    """Renders one take in another shape: poses, following, counter-zoom."""
    check_output(out, [media])
    take = take_in(media)
    wanted = _size(shape, size, take)
    gate = Gate(
        poses=_poses(pose or [], take, wanted, scene=scene, flow=_EASINGS[ease]),
        counter_zoom=CounterZoom(amount=counter_zoom) if counter_zoom else None,
    )
    if follow is not None:
        track = point_in(follow, take, "--follow", "subject")
        take = take.changed(tracks=(*take.tracks, track))
        where = (0.5, 0.5) if place is None else place_of(place)
        gate = gate.changed(follows=(Follow(tracks=(track.id,), place=where, room=room, calm_s=calm),))
    elif place is not None:
        raise typer.BadParameter("say what is followed", param_hint="--follow")
    shot = Shot(take_id=take.id, span=take.whole, hold=Hold(how=how, keep=keep)).with_gate(gate)
    render_one(OneTake(take=take, shot=shot, size=wanted), out, f"Reframing {media.name}", report, _report, _say)


def _size(shape: str, size: str | None, take: Take) -> tuple[int, int]:
    """The size of the output: the largest of the shape that the source fills, where it is not said."""
    ratio = re.fullmatch(r"(\d{1,5}(?:\.\d{1,4})?):(\d{1,5}(?:\.\d{1,4})?)", shape)
    if ratio is None:
        given = size_of(shape, "--shape")
        if size is not None and size_of(size) != given:
            raise typer.BadParameter(f"{size} is not {shape}", param_hint="--size")
        return given
    across, down = float(ratio[1]), float(ratio[2])
    if min(across, down) <= 0:
        raise ClevrinError(f"There is no shape {shape}: both sides are more than 0.")
    if size is not None:
        given = size_of(size)
        if abs(given[0] / given[1] * down / across - 1) > 0.02:
            raise ClevrinError(f"{size} is not of the shape {shape}.")
        return given
    scale = min(take.facts.width / across, take.facts.height / down)
    return writable(2 * int(across * scale / 2 + 1e-6), 2 * int(down * scale / 2 + 1e-6))


def _poses(given: list[str], take: Take, size: tuple[int, int], *, scene: bool, flow: float) -> tuple[Pose, ...]:
    poses: dict[int, Pose] = {}
    facts = take.facts
    widest = min(facts.width, facts.height * size[0] / size[1])
    for text in given:
        frame_text, _, rest = text.partition(":")
        if not re.fullmatch(r"\d{1,7}", frame_text):
            raise typer.BadParameter(f"'{text}' is not FRAME:X,Y,WIDTH or FRAME:X,Y,WIDTH,TURN", param_hint="--pose")
        count = 4 if rest.count(",") == 3 else 3
        x, y, width, *turn = numbers(rest, count, "FRAME:X,Y,WIDTH[,TURN]", "--pose")
        frame = int(frame_text)
        if frame >= facts.frames:
            raise ClevrinError(f"{take.name} has {facts.frames} frames: there is no frame {frame} for a pose.")
        if frame in poses:
            raise ClevrinError(f"There are two poses on frame {frame}.")
        if not LEAST_GATE_PX <= width <= widest + 0.5:
            raise ClevrinError(
                f"A gate of {width:g} px cannot be: {take.name} has room for {LEAST_GATE_PX:g} to {widest:.0f} px."
            )
        if turn and abs(turn[0]) > MOST_TURN_DEG:
            raise ClevrinError(f"A gate turned by {turn[0]:g} degrees cannot be: {MOST_TURN_DEG} to either side can.")
        if not (0 <= x < facts.width and 0 <= y < facts.height):
            raise ClevrinError(f"{take.name} is {facts.width}x{facts.height}: no gate has its middle at {x:g},{y:g}.")
        poses[frame] = Pose(
            frame=frame,
            x=x,
            y=y,
            width=width,
            turn_deg=turn[0] if turn else 0.0,
            belongs="scene" if scene else "frame",
            arrive=flow,
            leave=flow,
        )
    return tuple(poses[frame] for frame in sorted(poses))


def _say(rendered: Rendered) -> None:
    """Where the subject was not to be had, and what became soft."""
    figures, shot = rendered.figures, rendered.resolved.shot
    for lost in figures.lost(shot.span):
        print_line(f"What is followed is out of the gate from frame {lost.first} to {lost.end - 1}.")
    unseen = int((~figures.known).sum())
    if shot.gate().follows and unseen:
        print_line(f"What is followed is not seen in {unseen} frames: they are bridged.")
    if figures.softest < 0.995:
        print_line(f"The gate is enlarged {1 / figures.softest:.2f} times where it is smallest.")


def _report(rendered: Rendered) -> str:
    """Figures of each frame of the output."""
    import json

    figures, span = rendered.figures, rendered.resolved.shot.span

    def rounded(values: object, digits: int) -> list:
        return [round(float(v), digits) for v in values]  # type: ignore[attr-defined]

    values = {
        "shape": list(rendered.size),
        "how": rendered.resolved.shot.hold.how,
        "instant": list(range(span.first, span.end)),
        "src_from_out": nine_each(figures.src_from_out.reshape(-1, 9)),
        "gate_corners": [[rounded(corner, 4) for corner in each] for each in figures.corners],
        "subject_place": [
            rounded(place, 5) if seen else None for place, seen in zip(figures.place, figures.known, strict=True)
        ],
        "source_px_per_output_px": rounded(figures.source_px, 5),
    }
    return json.dumps(values, indent=1) + "\n"
