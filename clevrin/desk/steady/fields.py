"""The settings of the Steady bench as a table: a new one is a row here."""

from collections.abc import Callable
from typing import Any

from clevrin.core.document import Anchor, Hold, Loan, Shot
from clevrin.core.document.holding import AXES, LEAST_KEEP, LONGEST_SETTLE_S, MOST_KEEP
from clevrin.desk.steady.edits import HoldEdits
from clevrin.desk.widgets.fields import Choice, Field, Number, Switch, share_field
from clevrin.desk.widgets.sheet import percent

CALM, EDGE, LENT = "Calm", "Edge", "Lent motion"

Edit = Callable[[HoldEdits, Any, str], object]

_PLACES: dict[str, tuple[float, float] | None] = {
    "mean": None,
    "centre": (0.5, 0.5),
    "left": (1 / 3, 1 / 3),
    "right": (2 / 3, 1 / 3),
}
_PLAIN = Hold()
_NOTHING_HELD = "Nothing is held: choose Float, Lock-off or Anchor first."
_NOTHING_LENT = "Nobody lends motion: choose one first."


def _times(value: float) -> str:
    return f"{value:.2f} ×"


def _hold(field: str) -> Edit:
    """Gives the hold another value in one of its fields."""
    return lambda edits, value, gesture: edits.change({field: value}, gesture)


def _loan(field: str) -> Edit:
    """Changes a term of the loan."""
    return lambda edits, value, gesture: edits.change_terms({field: value}, gesture)


def _held(shot: Shot) -> bool:
    return shot.hold.how != "none"


def _floats(shot: Shot) -> bool:
    return shot.hold.how == "float"


def _moved(shot: Shot) -> bool:
    return _held(shot) or shot.loan is not None


def _lent(shot: Shot) -> bool:
    return shot.loan is not None


def _anchored(shot: Shot) -> bool:
    return shot.hold.how == "anchor"


def _settles(shot: Shot) -> bool:
    """Whether the settle counts; it is shown as well where nothing is held, to be seen beforehand."""
    slowly = shot.hold.anchor is not None and shot.hold.anchor.slowly
    return _floats(shot) or not _held(shot) or (_anchored(shot) and slowly)


def _anchor(shot: Shot) -> Anchor:
    return shot.hold.anchor or Anchor(track_id="none")


def _terms(shot: Shot) -> Loan:
    return shot.loan or Loan(lender="rig")


def _besides(shot: Shot) -> tuple[str, ...]:
    return tuple(key for key in ("slowly", "turn", "size") if getattr(_anchor(shot), key))


FIELDS: tuple[Field[Shot, HoldEdits], ...] = (
    Choice(
        id="how",
        page=CALM,
        title="Hold",
        help="How the shot is steadied",
        options=(
            ("none", "As shot", "Nothing is taken out"),
            ("float", "Float", "Takes the shake out and keeps the move"),
            ("lock-off", "Lock-off", "Makes the shot stand still, like on a tripod"),
            ("anchor", "Anchor", "Keeps a point of the subject in place: click it in the picture as shot"),
        ),
        columns=4,
        default="none",
        value=lambda shot: shot.hold.how,
        edit=_hold("how"),
    ),
    Choice(
        id="place",
        page=CALM,
        title="Place in the gate",
        help="Where the point stands in the held picture; it can be dragged there, too",
        options=(
            ("mean", "as it is", "Where it is on the average"),
            ("centre", "middle", "In the middle"),
            ("left", "left third", "Where the left and the upper thirds meet"),
            ("right", "right third", "Where the right and the upper thirds meet"),
        ),
        columns=4,
        value=lambda shot: tuple(key for key, place in _PLACES.items() if place == _anchor(shot).place),
        edit=lambda edits, key, gesture: edits.change_anchor({"place": _PLACES[key]}, gesture),
        shown=_anchored,
    ),
    Choice(
        id="besides",
        page=CALM,
        title="Besides",
        help="What else of the subject is kept",
        options=(
            ("slowly", "slow path", "It goes on a slow path of its own instead of standing still"),
            ("turn", "its turn", "Its turn is taken out, too; needs a surface"),
            ("size", "its size", "Its change of size is taken out, too; needs a surface"),
        ),
        several=True,
        value=_besides,
        edit=lambda edits, key, gesture: edits.toggle_besides(key),
        shown=_anchored,
    ),
    Choice(
        id="reference",
        page=CALM,
        title="As it stood on",
        help="Which frame the lock-off is made to agree with",
        options=(
            ("auto", "by itself", "A sharp frame that sees most of what the others see"),
            ("here", "this frame", "The frame that is looked at"),
        ),
        columns=2,
        value=lambda shot: "auto" if shot.hold.reference is None else "here",
        edit=lambda edits, key, gesture: edits.set_reference(key == "here"),
        shown=lambda shot: shot.hold.how == "lock-off",
    ),
    Number(
        id="settle",
        page=CALM,
        title="Settle",
        help="Motion quicker than this is taken out: more makes the move calmer and slower to change",
        low=0.0,
        high=LONGEST_SETTLE_S,
        step=0.1,
        default=_PLAIN.settle_s,
        words=lambda value: f"{value:.1f} s",
        bend=3.0,
        value=lambda shot: shot.hold.settle_s,
        edit=_hold("settle_s"),
        shown=_settles,
        enabled=_held,
        why_not=_NOTHING_HELD,
    ),
    Number(
        id="keep",
        note_lines=1,
        page=CALM,
        title="Keep at least",
        help="The least share of the picture's width that must stay: less gives the hold more room",
        low=LEAST_KEEP,
        high=MOST_KEEP,
        step=0.01,
        default=_PLAIN.keep,
        words=percent,
        typed=0.01,
        value=lambda shot: shot.hold.keep,
        edit=_hold("keep"),
        enabled=_held,
        why_not=_NOTHING_HELD,
    ),
    Choice(
        id="axes",
        note_lines=1,
        page=CALM,
        title="Axes",
        help="Which motions are taken out; an axis that was never shaken is better left alone",
        options=tuple((axis, axis, f"Take out the shake in {axis}") for axis in AXES),
        columns=4,
        several=True,
        value=lambda shot: shot.hold.axes,
        edit=lambda edits, axis, gesture: edits.toggle_axis(axis),
        shown=lambda shot: not _anchored(shot),
        enabled=_held,
        why_not=_NOTHING_HELD,
    ),
    share_field(
        id="returned",
        page=CALM,
        title="Brought back",
        help="How much of the motion as shot stays: a little keeps it from looking lifeless",
        default=_PLAIN.returned,
        value=lambda shot: shot.hold.returned,
        edit=_hold("returned"),
        enabled=_held,
        why_not=_NOTHING_HELD,
    ),
    Switch(
        id="ease_blurred",
        page=CALM,
        title="Let blur move",
        help="Lets some of the motion back where blur shows",
        value=lambda shot: shot.hold.ease_blurred,
        edit=_hold("ease_blurred"),
        shown=_floats,
        why_not="No blur will show: there is nothing to let back.",
    ),
    Choice(
        id="edge",
        note_lines=2,
        page=EDGE,
        title="Edge",
        help="What stands where the gate leaves the picture",
        options=(
            ("fill", "fill", "Enlarges the picture so that its edge never shows"),
            ("trim", "trim", "Makes the gate smaller instead: nothing is enlarged, and a steady frame is left"),
            ("borrow", "borrow", "Keeps the size; missing parts come from frames that saw them"),
            ("mirror", "mirror", "Keeps the size; the picture goes on mirrored beyond its edge"),
            ("smear", "smear", "Keeps the size; the outermost pixels are drawn on"),
            ("colour", "colour", "Keeps the size; a plain colour stands there"),
            ("clear", "clear", "Keeps the size; nothing stands there, in a MOV film"),
            ("bare", "bare", "Keeps the size and shows black: the picture dances in its frame"),
        ),
        columns=4,
        default=_PLAIN.edge,
        value=lambda shot: shot.hold.edge,
        edit=_hold("edge"),
        enabled=_moved,
        why_not=_NOTHING_HELD,
    ),
    Choice(
        id="enlargement",
        page=EDGE,
        title="Enlargement",
        help="Whether the picture keeps one size, or breathes slowly with what each moment needs",
        options=(
            ("constant", "one size", "The same for all frames"),
            ("varying", "slowly varying", "Less where the picture was calm"),
        ),
        columns=2,
        default=_PLAIN.enlargement,
        value=lambda shot: shot.hold.enlargement,
        edit=_hold("enlargement"),
        shown=lambda shot: shot.hold.edge == "fill",
        enabled=_moved,
        why_not=_NOTHING_HELD,
    ),
    Choice(
        id="kernel",
        page=EDGE,
        title="Resampling",
        help="How the picture is laid on new pixels; shows in the render",
        options=(
            ("bicubic", "bicubic", "Quick, and nearly as sharp"),
            ("lanczos", "Lanczos", "Sharpest; renders more slowly"),
        ),
        columns=2,
        default=_PLAIN.kernel,
        value=lambda shot: shot.hold.kernel,
        edit=_hold("kernel"),
        enabled=_moved,
        why_not=_NOTHING_HELD,
    ),
    Number(
        id="crispness",
        page=EDGE,
        title="Crispness",
        help="Sharpens what the enlargement made soft, more where it was enlarged more; shows in the render",
        low=0.0,
        high=1.0,
        step=0.05,
        default=_PLAIN.crispness,
        words=percent,
        typed=0.01,
        value=lambda shot: shot.hold.crispness,
        edit=_hold("crispness"),
        enabled=_moved,
        why_not=_NOTHING_HELD,
    ),
    Choice(
        id="mesh",
        page=EDGE,
        title="Model",
        help="What is taken out of the picture",
        options=(
            ("whole", "whole picture", "One map for all of it"),
            ("mesh", "and a mesh", "What is left of parallax and rolling shutter, within bounds: nothing bends"),
        ),
        columns=2,
        default="whole",
        value=lambda shot: "mesh" if shot.hold.mesh else "whole",
        edit=lambda edits, key, gesture: edits.change({"mesh": key == "mesh"}, gesture),
        enabled=_held,
        why_not=_NOTHING_HELD,
    ),
    Choice(
        id="lent",
        page=LENT,
        title="What of it",
        help="Which part of its motion",
        options=(
            ("course", "all of it", "The whole course"),
            ("shake", "its shake", "Only what is quicker than 1 Hz"),
            ("difference", "unrest", "What a float with this settle would take out of it"),
        ),
        value=lambda shot: _terms(shot).lent if shot.loan is not None else (),
        edit=_loan("lent"),
        enabled=_lent,
        why_not=_NOTHING_LENT,
    ),
    Number(
        id="amount",
        page=LENT,
        title="Amount",
        help="How much of its pan, tilt and roll",
        low=0.0,
        high=3.0,
        step=0.05,
        default=1.0,
        words=_times,
        value=lambda shot: _terms(shot).amount,
        edit=_loan("amount"),
        enabled=_lent,
        why_not=_NOTHING_LENT,
    ),
    Number(
        id="size",
        page=LENT,
        title="Size",
        help="How much of its zoom",
        low=0.0,
        high=3.0,
        step=0.05,
        default=1.0,
        words=_times,
        value=lambda shot: _terms(shot).size,
        edit=_loan("size"),
        enabled=_lent,
        why_not=_NOTHING_LENT,
    ),
)
