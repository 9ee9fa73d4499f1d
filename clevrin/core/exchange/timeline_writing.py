"""The reel as an OpenTimelineIO timeline.

One video track holds a clip for each shot. A clip's source range is the shot's span, in frames at the take's own
rate; speed and backward playing are a linear time warp; joins other than hard cuts are transitions, markers are
markers of the track. What has no place in a timeline goes along as metadata under `clevrin`, so that reading it
back gives the same project.
"""

from fractions import Fraction
from pathlib import Path
from typing import Any

import opentimelineio as otio
from pydantic import BaseModel

from clevrin.core.document import Marker, Project
from clevrin.core.document.model import Join
from clevrin.core.join.kinds import kind_of
from clevrin.core.pace import Placed, placed_shots, speed

FORMAT = 1
DISSOLVE = otio.schema.TransitionTypes.SMPTE_Dissolve
OTHER_JOIN = otio.schema.TransitionTypes.Custom


def timeline_text(project: Project) -> str:
    """The reel as the text of an `.otio` file; media are named by their absolute paths."""
    timeline = otio.schema.Timeline(name=project.name)
    timeline.global_start_time = _time(0, project.reel.rate)
    used = {shot.take_id for shot in project.reel.shots}
    timeline.metadata["clevrin"] = {
        "format": FORMAT,
        "project": {"id": project.id, "name": project.name},
        "reel": _data(project.reel, {"shots", "markers"}),
        "takes": [_data(take) for take in project.takes if take.id not in used],
        "order": [take.id for take in project.takes],
        "motions": [_data(motion) for motion in project.motions],
        "outputs": [_data(output) for output in project.outputs],
        "music": None if project.music is None else _data(project.music),
    }
    track = otio.schema.Track(name="reel", kind=otio.schema.TrackKind.Video)
    row = placed_shots(project)
    for placed in row:
        track.append(_clip(placed, project))
        leave = placed.shot.leave
        if placed is not row[-1] and (leave.kind != "plain cut" or leave.dissolve_frames):
            track.append(_transition(leave, project.reel.rate))
    track.markers.extend(_marker(marker, project.reel.rate) for marker in project.reel.markers)
    timeline.tracks.append(track)
    return str(timeline.to_json_string(indent=1))


def not_carried(project: Project) -> tuple[str, ...]:
    """What other programmes do not show of a reel that is handed on, in sentences."""
    sentences = []
    if project.reel.over:
        sentences.append("Motion over the reel is for Clevrin alone: elsewhere the reel lies still.")
    made = sum(kind_of(shot.leave).long for shot in project.reel.shots[:-1])
    if made:
        words = "1 made join is a transition" if made == 1 else f"{made} made joins are transitions"
        sentences.append(f"{words} that other programmes show in a way of their own.")
    shots = project.reel.shots
    for count, one, more in (
        (sum(shot.hold.how != "none" for shot in shots), "1 held shot is", "{} held shots are"),
        (sum(not shot.gate().rests for shot in shots), "1 moving gate is", "{} moving gates are"),
    ):
        if count:
            sentences.append(f"{one if count == 1 else more.format(count)} not seen elsewhere: hand on films.")
    paced = sum(bool(shot.pace.points) for shot in shots)
    if paced:
        sentences.append(
            "1 shot has its mean speed elsewhere." if paced == 1 else f"{paced} shots have their mean speeds elsewhere."
        )
    pinned = sum(len(shot.pinned) for shot in shots)
    if pinned:
        words = "1 pinned element is" if pinned == 1 else f"{pinned} pinned elements are"
        sentences.append(f"{words} left out elsewhere.")
    return tuple(sentences)


def _clip(placed: Placed, project: Project) -> otio.schema.Clip:
    take, shot = placed.take, placed.shot
    rate = take.facts.rate
    reference = otio.schema.ExternalReference(
        target_url=Path(take.path).as_posix(), available_range=_range(0, take.facts.frames, rate)
    )
    reference.name = take.name
    reference.metadata["clevrin"] = _data(take)
    clip = otio.schema.Clip(
        name=take.name,
        media_reference=reference,
        source_range=_range(shot.span.first, shot.span.frames, rate),
    )
    clip.metadata["clevrin"] = _data(shot, {"span"})
    pace = speed(take, project.reel.rate)
    if not placed.even:  # what other tools read has one speed: the mean
        pace = shot.span.frames / take.facts.rate / (placed.frames / project.reel.rate)
    if pace != 1 or shot.reverse:
        scalar = float(-pace if shot.reverse else pace)
        clip.effects.append(otio.schema.LinearTimeWarp(name="pace", time_scalar=scalar))
    return clip


def _transition(leave: Join, rate: Fraction) -> otio.schema.Transition:
    before = leave.dissolve_frames // 2
    made = otio.schema.Transition(
        name=leave.kind,
        transition_type=DISSOLVE if leave.dissolve_frames else OTHER_JOIN,
        in_offset=_time(before, rate),
        out_offset=_time(leave.dissolve_frames - before, rate),
    )
    made.metadata["clevrin"] = _data(leave)
    return made


def _marker(marker: Marker, rate: Fraction) -> otio.schema.Marker:
    made = otio.schema.Marker(name=marker.name or marker.kind, marked_range=_range(marker.frame, 1, rate))
    made.metadata["clevrin"] = _data(marker)
    return made


def _data(value: BaseModel, without: set[str] | None = None) -> dict[str, Any]:
    """A value of the document as metadata; OpenTimelineIO 0.18 rounds numbers with a point, but no text."""
    return {name: _exact(each) for name, each in value.model_dump(mode="json", exclude=without).items()}


def _exact(value: Any) -> Any:
    if isinstance(value, float):
        return repr(value)
    if isinstance(value, dict):
        return {name: _exact(each) for name, each in value.items()}
    return [_exact(each) for each in value] if isinstance(value, list) else value


def _time(frame: int, rate: Fraction) -> otio.opentime.RationalTime:
    return otio.opentime.RationalTime(frame, float(rate))


def _range(first: int, frames: int, rate: Fraction) -> otio.opentime.TimeRange:
    return otio.opentime.TimeRange(_time(first, rate), _time(frames, rate))
