"""The demo project: the takes of kite day, and a reel on which they already read as one move."""

from pathlib import Path

from clevrin.core.document import (
    Follow,
    Gate,
    Hold,
    Join,
    Output,
    Pace,
    PacePoint,
    Placement,
    Pose,
    Project,
    Reel,
    Shot,
    Span,
    Track,
)
from clevrin.core.document.edits import AddTakes, LayMusic
from clevrin.core.document.files import load, save
from clevrin.core.document.gating import SOFT
from clevrin.core.document.keeping import data_folder
from clevrin.core.errors import DocumentError
from clevrin.core.media.taking_in import take_in
from clevrin.core.pace import placed_shots
from clevrin.core.sound.bed import beat_markers, take_in_music
from clevrin.demo.footage_maker import FOOTAGE, MUSIC
from clevrin.demo.music import kite_day
from clevrin.demo.scenes import SCENES

NAME = "Kite day on Gable Hill"
_WHIP = 1.8
"""How fast the whip goes by, against how it was shot."""
_LEAVES, _ARRIVES = 0.9917, 1.0083
"""How the walk and the hill share that, so that the picture is as fast on either side: as the ramps are solved."""

UPRIGHT = Output(id="upright", name="upright", width=540, height=960)
_STROLLER = Track(
    id="stroller",
    name="stroller",
    kind="point",
    placed=(Placement(frame=80, places=((880.7, 478.3),)),),
    reach_px=16.0,
)
"""Somebody who walks over the hill."""


def _gate(*poses: Pose, follows: tuple[Follow, ...] = ()) -> tuple[Gate, ...]:
    return (Gate(output=UPRIGHT.id, poses=poses, follows=follows),)


def demo_project() -> Project:
    """The takes, and a reel to music: the walk past the workshop runs into a whip over to the hill; then the picnic.

    Both sides of the whip are ramps that meet, the picnic goes by slowly from 60 frames a second, and cuts fall on
    beats. An upright output tells the same: its gate goes from door to door, follows somebody over the hill, ends on a
    kite.
    """
    return _to_music(plain_demo())


def plain_demo() -> Project:
    """The demo at the speeds at which it was shot, without music."""
    takes = {each.name: take_in(FOOTAGE / f"{each.name}.mp4") for each in SCENES}
    takes["hill"] = takes["hill"].changed(tracks=(_STROLLER,))
    project = AddTakes(takes=tuple(takes.values())).apply(Project(name=NAME))
    walk, hill = (next(s for s in SCENES if s.name == name) for name in ("walk-past", "hill"))
    shots = (
        Shot(
            take_id=takes["walk-past"].id,
            span=Span(first=0, end=walk.whips[0].peak + 1),
            hold=Hold(how="float"),
            leave=Join(kind="whip cut", dissolve_frames=2),
            gates=_gate(
                Pose(frame=12, x=480, y=360, width=380, leave=SOFT),
                Pose(frame=60, x=760, y=360, width=380, arrive=SOFT, leave=SOFT),
                Pose(frame=118, x=640, y=360, width=380),
            ),
        ),
        Shot(
            take_id=takes["hill"].id,
            span=Span(first=hill.whips[0].peak, end=hill.frames),
            hold=Hold(how="float"),
            gates=_gate(follows=(Follow(tracks=(_STROLLER.id,), room=0.3),)),
        ),
        Shot(
            take_id=takes["picnic"].id,
            span=Span(first=20, end=170),
            hold=Hold(how="float"),
            gates=_gate(
                Pose(frame=40, x=620, y=370, width=380),
                Pose(frame=150, x=660, y=230, width=230, belongs="scene"),
            ),
        ),
    )
    return project.changed(outputs=(UPRIGHT,), reel=Reel(rate=walk.rate, width=1280, height=720, shots=shots))


def _to_music(project: Project) -> Project:
    """The demo with its speeds and its music. Of the hill as much is shown as ends on a beat."""
    walk, hill, picnic = project.reel.shots
    walk = walk.changed(pace=_speeds((98, 1.0), (walk.last_shown, _WHIP * _LEAVES)))
    hill = hill.changed(pace=_speeds((hill.first_shown, _WHIP * _ARRIVES), (48, 1.0)))
    picnic = picnic.changed(pace=_speeds((38, 1.0), (68, 0.5), (130, 0.5), (160, 1.0)))
    _, beats_s = kite_day()
    rate = project.reel.rate
    beat = round((beats_s[1] - beats_s[0]) * rate)
    row = placed_shots(project.changed(reel=project.reel.changed(shots=(walk, hill, picnic))))
    hill = hill.changed(span=Span(first=hill.span.first, end=hill.span.end - row[1].frames % beat))
    project = project.changed(reel=project.reel.changed(shots=(walk, hill, picnic)))
    whip_s = float(row[0].end / rate)
    start_s = whip_s - min(beats_s, key=lambda at: abs(at - whip_s))
    music = take_in_music(MUSIC).changed(start_s=start_s)
    return LayMusic(music=music, beats=beat_markers(beats_s, project, start_s)).apply(project)


def _speeds(*speeds: tuple[int, float]) -> Pace:
    return Pace(points=tuple(PacePoint(frame=frame, speed=speed) for frame, speed in speeds))


def demo_file(*, fresh: bool = False) -> Path:
    """The project file of the demo in the user's data folder; made anew if it is not there, or damaged, or `fresh`."""
    folder = data_folder()
    path = folder / "kite-day.clevrin"
    if not fresh and path.exists():
        try:
            project = load(path)
            if all(Path(take.path).exists() for take in project.takes):
                return path
        except DocumentError:
            path.replace(path.with_suffix(".damaged"))
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise DocumentError(f"{folder} cannot be made for the demo: {error.strerror}.") from error
    save(demo_project(), path)
    return path
