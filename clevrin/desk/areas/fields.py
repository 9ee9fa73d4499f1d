"""The settings of an area as a table: a new one is a row here."""

from clevrin.core.document import Area
from clevrin.desk.areas.edits import AreaEdits, coloured_part, drawn_part
from clevrin.desk.widgets.fields import Choice, Field, Number, Switch, share_field


def _px(value: float) -> str:
    return f"{value:.0f} px"


def _is_drawn(area: Area) -> bool:
    return drawn_part(area) is not None


def _is_coloured(area: Area) -> bool:
    return coloured_part(area) is not None


def _of_colours(area: Area, name: str) -> float:
    part = coloured_part(area)
    return 0.0 if part is None else float(getattr(part, name))


def _along(area: Area) -> str:
    part = drawn_part(area)
    return "" if part is None else part.along


FIELDS: tuple[Field[Area, AreaEdits], ...] = (
    Choice(
        id="along",
        page="goes",
        title="Goes with",
        help="With what it is carried from the frames on which it was drawn to the others",
        options=(
            ("picture", "the picture", "It stays where it is in the scene"),
            ("nothing", "nothing", "It goes straight from where it was drawn to where it was drawn next"),
            ("edges", "its edge", "The curve clings to the edge that it lies on, from frame to frame"),
        ),
        columns=3,
        default="picture",
        shown=_is_drawn,
        value=_along,
        edit=lambda edits, value, gesture: edits.go_along(value),
    ),
    Number(
        id="tolerance",
        page="colours",
        title="Colours",
        help="How far a colour may be from those that were clicked, and belong in full",
        low=0.5,
        high=80,
        step=0.5,
        default=14,
        words=lambda value: f"{value:.1f} ΔE",
        shown=_is_coloured,
        value=lambda area: _of_colours(area, "tolerance"),
        edit=lambda edits, value, gesture: edits.set_colours(gesture, tolerance=value),
    ),
    Number(
        id="softness",
        page="colours",
        title="In part",
        help="Over how much more a colour belongs in part",
        low=0,
        high=80,
        step=0.5,
        default=10,
        words=lambda value: f"{value:.1f} ΔE",
        shown=_is_coloured,
        value=lambda area: _of_colours(area, "softness"),
        edit=lambda edits, value, gesture: edits.set_colours(gesture, softness=value),
    ),
    Number(
        id="specks",
        page="colours",
        title="Specks left out",
        help="Spots of these colours that are less across do not count",
        low=0,
        high=100,
        step=1,
        default=4,
        words=_px,
        shown=_is_coloured,
        value=lambda area: _of_colours(area, "specks_px"),
        edit=lambda edits, value, gesture: edits.set_colours(gesture, specks_px=value),
    ),
    Number(
        id="holes",
        page="colours",
        title="Holes filled",
        help="Holes that are less across count as filled",
        low=0,
        high=100,
        step=1,
        default=0,
        words=_px,
        shown=_is_coloured,
        value=lambda area: _of_colours(area, "holes_px"),
        edit=lambda edits, value, gesture: edits.set_colours(gesture, holes_px=value),
    ),
    share_field(
        id="spill",
        page="colours",
        title="Cast taken away",
        help="How much of the colours' cast is taken from what stays, where a join goes by the area",
        default=0,
        shown=_is_coloured,
        value=lambda area: _of_colours(area, "spill"),
        edit=lambda edits, value, gesture: edits.set_colours(gesture, spill=value),
    ),
    Number(
        id="grow",
        page="edge",
        title="Grows",
        help="By how much it is larger than it was drawn; below 0 smaller",
        low=-60,
        high=60,
        step=1,
        default=0,
        words=_px,
        value=lambda area: area.grow_px,
        edit=lambda edits, value, gesture: edits.set_area(gesture, grow_px=value),
    ),
    Number(
        id="inside",
        page="edge",
        title="Soft inside",
        help="Over how much within its edge it comes in",
        low=0,
        high=200,
        step=1,
        default=0,
        words=_px,
        bend=2.0,
        value=lambda area: area.inside_px,
        edit=lambda edits, value, gesture: edits.set_area(gesture, inside_px=value),
    ),
    Number(
        id="outside",
        page="edge",
        title="Soft outside",
        help="Over how much beyond its edge it goes out",
        low=0,
        high=200,
        step=1,
        default=0,
        words=_px,
        bend=2.0,
        value=lambda area: area.outside_px,
        edit=lambda edits, value, gesture: edits.set_area(gesture, outside_px=value),
    ),
    Switch(
        id="inverted",
        page="mixed",
        title="all but that",
        help="The area is all that was not drawn or chosen",
        value=lambda area: area.parts[0].inverted,
        edit=lambda edits, value, gesture: edits.turn_about(bool(value)),
    ),
    Switch(
        id="left-out",
        page="mixed",
        title="left out of measuring",
        help="How the camera moved is measured by the rest of the picture alone",
        value=lambda area: area.left_out,
        edit=lambda edits, value, gesture: edits.leave_out(bool(value)),
    ),
)
