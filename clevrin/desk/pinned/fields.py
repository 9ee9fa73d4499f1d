"""The settings of what is pinned as a table: a new one is a row here."""

from clevrin.core.document import Pinned, Words
from clevrin.desk.pinned.edits import PinnedEdits
from clevrin.desk.widgets.fields import Field, Number, Switch, share_field


def _is_words(pinned: Pinned) -> bool:
    return isinstance(pinned.of, Words)


def _of_words(pinned: Pinned, name: str) -> float:
    return float(getattr(pinned.of, name)) if isinstance(pinned.of, Words) else 0.0


def _frames(value: float) -> str:
    return f"{value:.0f} frame{'' if value == 1 else 's'}"


FIELDS: tuple[Field[Pinned, PinnedEdits], ...] = (
    share_field(
        id="outline",
        page="what",
        title="Outline",
        help="How thick the line about each letter is, as a share of its height",
        high=0.3,
        default=0,
        shown=_is_words,
        value=lambda pinned: _of_words(pinned, "outline"),
        edit=lambda edits, value, gesture: edits.set_words(gesture, outline=value),
    ),
    share_field(
        id="shadow",
        page="what",
        title="Shadow",
        help="How far the letters throw a soft shadow behind them, as a share of their height",
        high=0.5,
        default=0,
        shown=_is_words,
        value=lambda pinned: _of_words(pinned, "shadow"),
        edit=lambda edits, value, gesture: edits.set_words(gesture, shadow=value),
    ),
    share_field(
        id="seen",
        page="look",
        title="Seen",
        help="How much of it is seen; where a pose stands on this frame, of that pose",
        default=1,
        value=lambda pinned: pinned.opacity,
        edit=lambda edits, value, gesture: edits.set_seen_here(value, gesture),
    ),
    Number(
        id="comes",
        page="when",
        title="Comes over",
        help="Over how many frames of the take it comes in",
        low=0,
        high=100,
        step=1,
        default=0,
        words=_frames,
        bend=2.0,
        value=lambda pinned: pinned.comes,
        edit=lambda edits, value, gesture: edits.set(gesture, comes=round(value)),
    ),
    Number(
        id="goes",
        page="when",
        title="Goes over",
        help="Over how many frames of the take it goes, before it ends",
        low=0,
        high=100,
        step=1,
        default=0,
        words=_frames,
        bend=2.0,
        enabled=lambda pinned: pinned.end is not None,
        why_not="It has no end: set one first.",
        value=lambda pinned: pinned.goes,
        edit=lambda edits, value, gesture: edits.set(gesture, goes=round(value)),
    ),
    share_field(
        id="wrap",
        page="look",
        title="Light over its edge",
        help="How much of the light about it comes over its edge",
        default=0.15,
        value=lambda pinned: pinned.wrap,
        edit=lambda edits, value, gesture: edits.set(gesture, wrap=value),
    ),
    share_field(
        id="grain",
        page="look",
        title="Grain",
        help="How much of the take's grain it has",
        default=1,
        value=lambda pinned: pinned.grain,
        edit=lambda edits, value, gesture: edits.set(gesture, grain=value),
    ),
    Switch(
        id="blurs",
        page="look",
        title="blurred as the scene is",
        help="It is blurred as long as the shutter was open that blurs what is about it",
        value=lambda pinned: pinned.blurs,
        edit=lambda edits, value, gesture: edits.set(blurs=bool(value)),
    ),
)
