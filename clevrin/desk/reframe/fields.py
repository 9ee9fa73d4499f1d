"""The settings of the Reframe bench as a table: a new one is a row here."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from clevrin.core.document import Follow, Gate, Pose, Reel, Shot
from clevrin.core.document.gating import LONGEST_CALM_S, SOFT, STILL, STRAIGHT
from clevrin.core.gate.pose_presets import READY
from clevrin.desk.reframe.edits import GateEdits
from clevrin.desk.widgets.fields import Choice, Field, Number, Switch, share_field
from clevrin.desk.widgets.sheet import percent

POSES, FOLLOW, LAID, SHAPE = "Poses", "Follow", "Picture", "Outputs"

_EASINGS = (
    ("still", "still", "The gate comes to rest here"),
    ("soft", "soft", "It slows down, and goes through"),
    ("straight", "straight", "It hardly slows down"),
)
_FLOWS = {"still": STILL, "soft": SOFT, "straight": STRAIGHT}
_PLACES: dict[str, tuple[float, float]] = {
    "middle": (0.5, 0.5),
    "left": (1 / 3, 0.5),
    "right": (2 / 3, 0.5),
    "above": (0.5, 1 / 3),
}
_NOTHING_FOLLOWED = "Nothing is followed: choose a subject first."


@dataclass(frozen=True, kw_only=True)
class GateHere:
    """The gate that is looked at: its pose at this frame, how large the whole gate is, and what it follows now."""

    gate: Gate
    pose: Pose
    stands: bool
    whole: float
    amount: float
    frames: int
    follow: Follow | None
    shot: Shot
    reel: Reel


def _pose(field: str, of: Callable[[Any], Any] = lambda value: value) -> Callable[[GateEdits, Any, str], object]:
    return lambda edits, value, gesture: edits.change_pose({field: of(value)}, gesture)


def _follow(field: str) -> Callable[[GateEdits, Any, str], object]:
    return lambda edits, value, gesture: edits.change_follow({field: value}, gesture)


def _flow_of(value: float) -> str | tuple[str, ...]:
    return next((name for name, flow in _FLOWS.items() if abs(flow - value) < 0.005), ())


def _follows(here: GateHere) -> bool:
    return here.follow is not None


def _terms(here: GateHere) -> Follow:
    return here.follow or Follow(tracks=("none",))


def _set_amount(edits: GateEdits, value: float, gesture: str) -> None:
    edits.amount = value


def _set_frames(edits: GateEdits, value: float, gesture: str) -> None:
    edits.frames = round(value)


FIELDS: tuple[Field[GateHere, GateEdits], ...] = (
    Number(
        id="size",
        page=POSES,
        title="Size",
        help="How much of the whole gate is seen: less comes nearer",
        low=0.05,
        high=1.0,
        step=0.005,
        default=1.0,
        words=lambda value: f"{value * 100:.1f} %",
        typed=0.01,
        value=lambda here: here.pose.width / here.whole,
        edit=lambda edits, value, gesture: edits.size_to(value, gesture),
    ),
    Number(
        id="turn",
        page=POSES,
        title="Turn",
        help="How the gate is turned, anticlockwise",
        low=-45.0,
        high=45.0,
        step=0.1,
        default=0.0,
        words=lambda value: f"{value:.1f}°",
        value=lambda here: here.pose.turn_deg,
        edit=_pose("turn_deg"),
    ),
    Choice(
        id="belongs",
        page=POSES,
        title="Belongs to",
        help="Whether the pose stays on its place in the frame, or on its place in the world",
        options=(
            ("frame", "the frame", "It stays where it is in the picture"),
            ("scene", "the scene", "It stays on its place in the world while the camera moves"),
        ),
        columns=2,
        default="frame",
        value=lambda here: here.pose.belongs,
        edit=_pose("belongs"),
    ),
    Choice(
        id="arrive",
        page=POSES,
        title="Arrives",
        help="How the gate comes here; the bars in the lanes say it finer",
        options=_EASINGS,
        default="still",
        value=lambda here: _flow_of(here.pose.arrive),
        edit=_pose("arrive", lambda key: _FLOWS[key]),
    ),
    Choice(
        id="leave",
        page=POSES,
        title="Leaves",
        help="How the gate goes on from here; the bars in the lanes say it finer",
        options=_EASINGS,
        default="still",
        value=lambda here: _flow_of(here.pose.leave),
        edit=_pose("leave", lambda key: _FLOWS[key]),
    ),
    Number(
        id="stays",
        page=POSES,
        title="Stays",
        help="For how many frames the gate rests here",
        low=0,
        high=240,
        step=1,
        default=0,
        words=lambda value: f"{value:.0f} frames",
        bend=2.0,
        value=lambda here: here.pose.stays,
        edit=_pose("stays", round),
    ),
    Choice(
        id="ready",
        page=POSES,
        title="Ready moves",
        help="Replaces the poses of this shot; every one can be changed afterwards",
        options=tuple((key, words, tip) for key, words, tip, _ in READY),
        columns=2,
        several=True,
        value=lambda here: (),
        edit=lambda edits, key, gesture: edits.take_ready(key),
    ),
    Number(
        id="amount",
        page=POSES,
        title="How far",
        help="How much nearer a ready move comes, or how far it drifts",
        low=0.02,
        high=0.8,
        step=0.01,
        default=0.2,
        words=percent,
        typed=0.01,
        value=lambda here: here.amount,
        edit=_set_amount,
    ),
    Number(
        id="frames",
        page=POSES,
        title="How quickly",
        help="Over how many frames a punch-in goes",
        low=1,
        high=120,
        step=1,
        default=12,
        words=lambda value: f"{value:.0f} frames",
        bend=2.0,
        value=lambda here: here.frames,
        edit=_set_frames,
    ),
    Choice(
        id="place",
        page=FOLLOW,
        title="Place in the gate",
        help="Where in the gate the subject is kept",
        options=(
            ("middle", "middle", "In the middle"),
            ("left", "left third", "On the left third"),
            ("right", "right third", "On the right third"),
            ("above", "upper third", "On the upper third"),
        ),
        columns=2,
        default="middle",
        value=lambda here: tuple(key for key, place in _PLACES.items() if place == _terms(here).place),
        edit=lambda edits, key, gesture: edits.change_follow({"place": _PLACES[key]}, gesture),
        enabled=_follows,
        why_not=_NOTHING_FOLLOWED,
    ),
    share_field(
        id="room",
        page=FOLLOW,
        title="Room",
        help="Within what share of the gate the subject may move freely",
        default=0.2,
        value=lambda here: _terms(here).room,
        edit=_follow("room"),
        enabled=_follows,
        why_not=_NOTHING_FOLLOWED,
    ),
    Number(
        id="calm",
        page=FOLLOW,
        title="Calmness",
        help="Motion of the subject quicker than this is not followed",
        low=0.0,
        high=LONGEST_CALM_S,
        step=0.1,
        default=1.0,
        words=lambda value: f"{value:.1f} s",
        bend=3.0,
        value=lambda here: _terms(here).calm_s,
        edit=_follow("calm_s"),
        enabled=_follows,
        why_not=_NOTHING_FOLLOWED,
    ),
    Number(
        id="handover",
        page=FOLLOW,
        title="Handover",
        help="How long the gate takes to come over from what was followed before",
        low=0.0,
        high=10.0,
        step=0.1,
        default=1.0,
        words=lambda value: f"{value:.1f} s",
        bend=2.0,
        value=lambda here: _terms(here).handover_s,
        edit=_follow("handover_s"),
        shown=lambda here: len(here.gate.follows) > 1,
    ),
    Switch(
        id="size_too",
        page=FOLLOW,
        title="Its size, too",
        help="The subject stays as large in the gate; needs a surface or several subjects",
        value=lambda here: _terms(here).size,
        edit=_follow("size"),
        enabled=_follows,
        why_not=_NOTHING_FOLLOWED,
    ),
    Number(
        id="counter",
        page=FOLLOW,
        title="Counter-zoom",
        help="The size runs against the push of the camera, or against a surface: the rest grows or shrinks",
        low=-2.0,
        high=2.0,
        step=0.05,
        default=0.0,
        words=lambda value: f"{value:.2f} ×",
        value=lambda here: 0.0 if here.gate.counter_zoom is None else here.gate.counter_zoom.amount,
        edit=lambda edits, value, gesture: edits.counter(value, gesture),
    ),
    Choice(
        id="turns",
        page=LAID,
        title="Turned",
        help="The picture of the chosen shots in quarter turns, anticlockwise",
        options=(
            ("0", "as shot", "As the camera stood"),
            ("1", "¼", "A quarter turn anticlockwise"),
            ("2", "½", "Upside down"),
            ("3", "¾", "A quarter turn clockwise"),
        ),
        columns=4,
        default="0",
        value=lambda here: str(here.shot.turns),
        edit=lambda edits, key, gesture: edits.turn_picture(int(key)),
    ),
    Choice(
        id="fit",
        page=LAID,
        title="Of another shape",
        help="How the chosen shots stand on the reel where their takes have another shape",
        options=(
            ("reel", "as the reel", "As the reel says below"),
            ("fill", "fill", "Cut to the shape of the output"),
            ("bars", "bars", "Whole, with bars of a colour"),
            ("blurred", "blurred", "Whole, with its own blurred picture around"),
        ),
        columns=2,
        default="reel",
        value=lambda here: here.shot.fit or "reel",
        edit=lambda edits, key, gesture: edits.fit(key),
    ),
    Choice(
        id="fit_all",
        page=LAID,
        title="On the whole reel",
        help="How takes of another shape stand on the reel where their shots say nothing",
        options=(
            ("fill", "fill", "Cut to the shape of the output"),
            ("bars", "bars", "Whole, with bars of a colour"),
            ("blurred", "blurred", "Whole, with their own blurred picture around"),
        ),
        columns=3,
        default="fill",
        value=lambda here: here.reel.fit,
        edit=lambda edits, key, gesture: edits.fit_all(key),
    ),
)
