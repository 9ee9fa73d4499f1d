"""The demo project: the takes of kite day, and a reel on which they already read as one move."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from clevrin.core.document import (
    Follow,
    Gate,
    Hold,
    Join,
    Lane,
    Mix,
    Output,
    Pace,
    PacePoint,
    Placement,
    Pose,
    Project,
    Reel,
    Shot,
    Span,
    Take,
    Track,
)
from clevrin.core.document.edits import AddTakes, LayMusic
from clevrin.core.document.files import load, save
from clevrin.core.document.gating import SOFT
from clevrin.core.document.keeping import data_folder
from clevrin.core.errors import DocumentError
from clevrin.core.media.taking_in import take_in
from clevrin.core.pace import placed_shots, shot_frames
from clevrin.core.sound.music_track import beat_markers, take_in_music
from clevrin.demo.footage_maker import FOOTAGE, MUSIC
from clevrin.demo.music import kite_day
from clevrin.demo.scenes import SCENES
from clevrin.demo.tricks import tricks_project

NAME = "Kite day on Gable Hill"
_WHIP = 1.8
"""How fast the whip goes by, against how it was shot."""
_MOST_CUT = 40
_MAKES_ROOM_DB = 6.0
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


def _join(kind: str, **settings: float) -> Join:
    return Join(kind=kind).having(**settings)


_CUT = Join(kind="whip cut", dissolve_frames=2)
_MATCHED: tuple[tuple[str, int, int, Join], ...] = (
    ("look-up", -60, 4, _CUT),
    ("look-down", 16, 3, _join("roll-over", turns=-2.0)),
    ("somersault", -45, 3, _CUT),
    ("cartwheel", 45, 3, _join("flash")),
    ("burst", -41, 2, _CUT),
    ("doorstep", 40, 2, _join("fracture", seed=3.0)),
)
"""Takes whose moves agree, two and two: where each is cut (below 0: it ends with that frame), for how many beats."""


def _gate(*poses: Pose, follows: tuple[Follow, ...] = ()) -> tuple[Gate, ...]:
    return (Gate(output=UPRIGHT.id, poses=poses, follows=follows),)


def demo_project() -> Project:
    """The takes, and a reel to music: the walk past the workshop runs into a whip over to the hill; then the picnic.

    Both sides of the whip are ramps that meet, the picnic goes by slowly from 60 frames a second, cuts fall on beats,
    a tilt into the sky, a roll and a push each go on in another take, and where no move was shot one is made. An
    upright output tells the same: its gate goes from door to door, follows somebody over the hill, ends on a kite.
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
    """The demo with its speeds, its music, and more shots: pairs whose moves agree, joined by moves that were not shot.

    Each shot is as long as beats say.
    """
    takes = {take.name: take for take in project.takes}
    walk, hill, picnic = project.reel.shots
    _, beats_s = kite_day()
    beat = round((beats_s[1] - beats_s[0]) * project.reel.rate)
    on_beat = partial(_on_beat, project, beat)
    walk = walk.changed(pace=_speeds((98, 1.0), (walk.last_shown, _WHIP * _LEAVES)))
    hill = hill.changed(
        pace=_speeds((hill.first_shown, _WHIP * _ARRIVES), (48, 1.0)),
        leave=_join("push-through", out_x=0.42, out_y=0.2, sound_length=15.0),
    )
    picnic = picnic.changed(
        pace=_speeds((38, 1.0), (68, 0.5), (130, 0.5), (160, 1.0)),
        leave=_join("thrown whip", direction=180.0, swish=0.4),
    )
    for name, *_ in _MATCHED:
        takes[name] = take_in(FOOTAGE / f"{name}.mp4")
    project = AddTakes(takes=tuple(takes[name] for name, *_ in _MATCHED)).apply(project)
    more = [_matched(takes[name], beat, cut, beats, leave) for name, cut, beats, leave in _MATCHED]
    last = on_beat(_shot(takes["picnic"], 60, Join()))
    shots = walk, on_beat(hill), on_beat(picnic), *more, last
    mix = Mix(music=Lane(level_db=-3.0), lowered_db=_MAKES_ROOM_DB)
    project = project.changed(reel=project.reel.changed(shots=shots), mix=mix)
    whip_s = float(placed_shots(project)[0].end / project.reel.rate)
    start_s = whip_s - min(beats_s, key=lambda at: abs(at - whip_s))
    music = take_in_music(MUSIC).changed(start_s=start_s)
    return LayMusic(music=music, beats=beat_markers(beats_s, project, start_s)).apply(project)


def _shot(take: Take, first: int, leave: Join) -> Shot:
    """Two seconds of a take, or a little less, from a frame on."""
    end = first + int(2 * take.facts.rate)
    return Shot(take_id=take.id, span=Span(first=first, end=end), hold=Hold(how="float"), leave=leave)


def _matched(take: Take, beat: int, cut: int, beats: int, leave: Join) -> Shot:
    """A shot of so many beats that ends, or begins, with a frame."""
    first = cut if cut > 0 else 1 - cut - beats * beat
    span = Span(first=first, end=first + beats * beat)
    return Shot(take_id=take.id, span=span, hold=Hold(how="float"), leave=leave)


def _on_beat(project: Project, beat: int, shot: Shot) -> Shot:
    """A shot that ends a little earlier, or later, so that it lasts a whole number of beats of so many frames."""
    take = project.take(shot.take_id)
    spans = (
        Span(first=shot.span.first, end=shot.span.end + by) for by in sorted(range(-_MOST_CUT, _MOST_CUT + 1), key=abs)
    )
    fitting = (shot.changed(span=span) for span in spans if span.end <= take.facts.frames)
    return next(each for each in fitting if shot_frames(each, take, project.reel.rate) % beat == 0)


def _speeds(*speeds: tuple[int, float]) -> Pace:
    return Pace(points=tuple(PacePoint(frame=frame, speed=speed) for frame, speed in speeds))


def demo_file(*, fresh: bool = False) -> Path:
    """The project file of the demo in the user's data folder; made anew if it is not there, or damaged, or `fresh`."""
    return _kept("kite-day.clevrin", demo_project, fresh=fresh)


def tricks_file(*, fresh: bool = False) -> Path:
    """The same of the second one, which shows what hangs on areas."""
    return _kept("kite-day-in-between.clevrin", tricks_project, fresh=fresh)


def _kept(name: str, make: Callable[[], Project], *, fresh: bool) -> Path:
    folder = data_folder()
    path = folder / name
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
    save(make(), path)
    return path
