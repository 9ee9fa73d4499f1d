"""The settings of the Pace bench as a table: a new one is a row here."""

from dataclasses import dataclass

from clevrin.core.document import Pace, PacePoint, Rush
from clevrin.core.document.pacing import FASTEST, MOST_SHUTTER_DEG
from clevrin.core.pace.shaping import READY
from clevrin.desk.pace.edits import USUAL_FAST, USUAL_FREEZE_S, USUAL_SLOW, PaceEdits
from clevrin.desk.widgets.fields import Choice, Field, Number, share_field

SPEED, FRAMES, BLUR = "Speed", "Frames", "Blur"

USUAL_FULL_AT = 4.0
_STEP = 0.05
_SLOWEST, _FASTEST = -4.0, 5.0


@dataclass(frozen=True, kw_only=True)
class PaceHere:
    """The pace that is looked at: its point at this frame (or one that would change nothing), and the figures."""

    pace: Pace
    point: PacePoint
    stands: bool
    frames: int
    slow: float
    fast: float
    frame: int = 0

    @property
    def rush(self) -> Rush | None:
        return self.pace.shutter.rush


def speed_words(speed: float) -> str:
    """A speed as it is said."""
    return "stands" if abs(speed) < 1e-9 else f"{speed:.3g}×"


def _set(name: str) -> object:
    return lambda edits, value, gesture: setattr(edits, name, value)


FIELDS: tuple[Field[PaceHere, PaceEdits], ...] = (
    Number(
        id="speed",
        page=SPEED,
        title="Speed here",
        help="How fast the shot plays at this frame: 1 as it was shot, 0 stands still, below 0 backward",
        low=-32.0,
        high=32.0,
        step=0.01,
        default=1.0,
        words=speed_words,
        value=lambda here: here.point.speed,
        edit=lambda edits, value, gesture: edits.change_here({"speed": value}, gesture),
    ),
    Number(
        id="ease",
        page=SPEED,
        title="On to the next speed",
        help="How this speed goes over into the next one: 0 straight, 1 soft",
        low=0.0,
        high=1.0,
        step=_STEP,
        default=1.0,
        words=lambda value: "straight" if value <= 0 else "soft" if value >= 1 else f"{value:.2f}",
        value=lambda here: here.point.ease,
        edit=lambda edits, value, gesture: edits.change_here({"ease": value}, gesture),
        enabled=lambda here: here.stands,
        why_not="No speed is set at this frame: set one first.",
    ),
    Number(
        id="stays",
        page=SPEED,
        title="Stands for",
        help="How long the picture stands still here",
        low=0.0,
        high=10.0,
        step=0.1,
        default=USUAL_FREEZE_S,
        words=lambda value: f"{value:.1f} s",
        value=lambda here: here.point.stays_s,
        edit=lambda edits, value, gesture: edits.change_here({"stays_s": value}, gesture),
        shown=lambda here: here.stands and not here.point.speed,
    ),
    Choice(
        id="ready",
        page=SPEED,
        title="Ready ramps",
        help="Speeds for all of the shot, or of the shots that are chosen",
        options=tuple((name, ready.words, ready.help) for name, ready in READY.items()),
        columns=2,
        value=lambda here: (),
        edit=lambda edits, value, gesture: edits.take_ready(value),
    ),
    Number(
        id="slow",
        page=SPEED,
        title="Slow is",
        help="The slow speed of ready ramps",
        low=1 / 16,
        high=2.0,
        step=0.01,
        default=USUAL_SLOW,
        words=speed_words,
        value=lambda here: here.slow,
        edit=_set("slow"),  # type: ignore[arg-type]
    ),
    Number(
        id="fast",
        page=SPEED,
        title="Fast is",
        help="The fast speed of ready ramps",
        low=1.0,
        high=32.0,
        step=0.1,
        default=USUAL_FAST,
        words=speed_words,
        bend=2.0,
        value=lambda here: here.fast,
        edit=_set("fast"),  # type: ignore[arg-type]
    ),
    Number(
        id="length",
        page=SPEED,
        title="Lasts",
        help="How many frames of the reel the shot lasts; setting it locks it",
        low=1,
        high=6000,
        step=1,
        default=60,
        words=lambda value: f"{value:.0f} frames",
        bend=3.0,
        value=lambda here: here.frames,
        edit=lambda edits, value, gesture: edits.last(round(value)),
    ),
    Choice(
        id="in_between",
        page=FRAMES,
        title="Between frames",
        help="How moments are made that were not shot",
        options=(
            ("self", "by itself", "The nearest frame while no speed is set, else the best"),
            ("nearest", "nearest", "Only frames that were shot"),
            ("mix", "mix", "Both neighbours on each other"),
            ("flow", "flow", "Both neighbours, moved along what moves in them"),
            ("best", "best", "Shot frames where the rates fit, else flow; never across a cut"),
        ),
        columns=3,
        default="self",
        value=lambda here: here.pace.in_between or "self",
        edit=lambda edits, value, gesture: edits.change(
            {"in_between": None if value == "self" else value}, "Change in-betweens"
        ),
    ),
    Choice(
        id="pitch",
        page=FRAMES,
        title="Sound",
        help="What becomes of the take's sound at other speeds",
        options=(
            ("along", "goes along", "Slow is low, fast is high"),
            ("kept", "keeps its pitch", "Slow and fast sound as high as it was recorded"),
            ("silent", "silent", "The shot has no sound"),
        ),
        columns=3,
        default="along",
        value=lambda here: here.pace.pitch,
        edit=lambda edits, value, gesture: edits.change({"pitch": value}, "Change sound"),
    ),
    Number(
        id="shutter",
        page=BLUR,
        title="Shutter",
        help="Blur as if the reel had been shot with this shutter angle; what the take has of it counts",
        low=0.0,
        high=MOST_SHUTTER_DEG,
        step=5.0,
        default=0.0,
        words=lambda value: "as shot" if value <= 0 else f"{value:.0f}°",
        bend=1.5,
        value=lambda here: here.pace.shutter.angle_deg,
        edit=lambda edits, value, gesture: edits.shutter({"angle_deg": value}, gesture),
    ),
    Choice(
        id="where",
        page=BLUR,
        title="Where",
        help="Whether blur is added wherever the shot plays, or only where it plays faster than it was shot",
        options=(
            ("everywhere", "everywhere", "At any speed"),
            ("fast", "where it is fast", "None at 1x, and more the faster it plays"),
        ),
        columns=2,
        default="everywhere",
        value=lambda here: "everywhere" if here.pace.shutter.full_at is None else "fast",
        edit=lambda edits, value, gesture: edits.shutter({"full_at": USUAL_FULL_AT if value == "fast" else None}),
        enabled=lambda here: here.pace.shutter.angle_deg > 0,
        why_not="No blur is added: open the shutter first.",
    ),
    Number(
        id="full_at",
        page=BLUR,
        title="All of it from",
        help="How fast it plays where all of the shutter counts",
        low=1.1,
        high=FASTEST,
        step=0.1,
        default=USUAL_FULL_AT,
        words=speed_words,
        bend=2.0,
        shown=lambda here: here.pace.shutter.full_at is not None,
        value=lambda here: here.pace.shutter.full_at or USUAL_FULL_AT,
        edit=lambda edits, value, gesture: edits.shutter({"full_at": value}, gesture),
    ),
    Choice(
        id="blurs",
        page=BLUR,
        title="What blurs",
        help="Whether added blur follows the camera alone, or whatever moves",
        options=(
            ("everything", "everything", "Each thing along its own motion"),
            ("camera", "camera", "The camera's motion alone: who moves by themselves stays as shot"),
        ),
        columns=2,
        default="everything",
        value=lambda here: here.pace.shutter.blurs,
        edit=lambda edits, value, gesture: edits.shutter({"blurs": value}),
        enabled=lambda here: here.pace.shutter.angle_deg > 0,
        why_not="No blur is added: open the shutter first.",
    ),
    Choice(
        id="rush",
        page=BLUR,
        title="Rush",
        help="Blur that no camera made, about what stays sharp",
        options=(
            ("none", "none", "The shot as it is"),
            ("out", "outward", "Out from the middle of what stays sharp, or of the picture"),
            ("along", "along", "Along a direction"),
        ),
        columns=3,
        default="none",
        value=lambda here: "none" if here.rush is None else here.rush.how,
        edit=lambda edits, value, gesture: edits.rush_by(value),
    ),
    Number(
        id="rush_amount",
        page=BLUR,
        title="How long",
        help="How long that blur is, in picture widths; outward, at half a width from the middle",
        low=0.0,
        high=1.0,
        step=0.005,
        default=0.1,
        words=lambda value: f"{value:.3f} widths",
        bend=2.0,
        shown=lambda here: here.rush is not None,
        value=lambda here: 0.1 if here.rush is None else here.rush.amount,
        edit=lambda edits, value, gesture: edits.rush({"amount": value}, gesture),
    ),
    Number(
        id="rush_direction",
        page=BLUR,
        title="Direction",
        help="Along which direction, in degrees anticlockwise from the right",
        low=-180.0,
        high=180.0,
        step=1.0,
        default=0.0,
        words=lambda value: f"{value:.0f}°",
        shown=lambda here: here.rush is not None and here.rush.how == "along",
        value=lambda here: 0.0 if here.rush is None else here.rush.direction_deg,
        edit=lambda edits, value, gesture: edits.rush({"direction_deg": value}, gesture),
    ),
    Choice(
        id="rush_by",
        page=BLUR,
        title="It is there",
        help="Always, as much as the camera is fast, or as much as you say on frames",
        options=(
            ("always", "always", "On every frame of the shot"),
            ("speed", "with speed", "As much as the camera is fast"),
            ("points", "as set", "As much as is set on frames, straight in between"),
        ),
        columns=3,
        default="always",
        shown=lambda here: here.rush is not None,
        value=lambda here: "always" if here.rush is None else here.rush.by,
        edit=lambda edits, value, gesture: edits.rush({"by": value}),
    ),
    share_field(
        id="rush_share",
        page=BLUR,
        title="Of it here",
        help="How much of it there is on the frame that is looked at",
        default=1.0,
        shown=lambda here: here.rush is not None and here.rush.by == "points",
        value=lambda here: 1.0 if here.rush is None else here.rush.share_at(here.frame),
        edit=lambda edits, value, gesture: edits.rush_here(value, gesture),
    ),
)
