"""Areas in a window beside the main one: the tools that make them, those there are, how they are seen and set."""

from PySide6.QtWidgets import QWidget

from clevrin.desk.areas.drawing import AreaDrawing
from clevrin.desk.areas.edits import AreaEdits, coloured_part, drawn_part
from clevrin.desk.areas.fields import FIELDS
from clevrin.desk.context import Context
from clevrin.desk.fields import FieldSheet
from clevrin.desk.plain_table import PlainRow, PlainTable
from clevrin.desk.sheet import ChoiceSetting, beside, plain_button, quiet_label
from clevrin.desk.side_sheet import SideSheet

_TOOLS = (
    ("half-plane", "edge", "Drag along an edge that passes: the area lies on its right as you drag"),
    ("box", "box", "Drag from corner to corner; corners are dragged afterwards"),
    ("disc", "disc", "Drag from the middle to the rim"),
    ("curve", "curve", "Click point after point; a click on the first one closes it"),
    ("colour", "colour", "Click a colour: all that is of it belongs; more clicks add to it"),
)
_SEEN = (
    ("tint", "tint", "The area is tinted"),
    ("grey", "grey", "White where it counts, black where it does not"),
    ("alone", "alone", "What is in it on a plain ground"),
)
_HINTS = {tool: help for tool, _, help in _TOOLS}
_MOST_ROWS = 5


class AreaSheet(SideSheet):
    """Works on the areas of the take that is looked at in Log."""

    def __init__(self, context: Context, edits: AreaEdits, drawing: AreaDrawing, parent: QWidget | None = None) -> None:
        super().__init__("Areas", FieldSheet("Areas", FIELDS, rolls=False), context, edits, parent)
        self._drawing = drawing
        self.tools = ChoiceSetting("New", "What the next click or drag in the picture makes", _TOOLS, columns=3)
        self.seen = ChoiceSetting("Seen as", "How the chosen area is seen over the picture", _SEEN, columns=3)
        self.areas = PlainTable("Areas", "A click chooses one", columns=2, most_rows=_MOST_ROWS)
        self.hint = quiet_label("")
        self.hint.setWordWrap(True)
        self.remove_button = plain_button("Remove", "What named it shows the picture without it")
        self.sheet.add(self.tools, self.hint, self.areas, self.seen, *self.sheet.controls.values())
        self.sheet.add(beside(self.remove_button), self.trouble)
        self.sheet.add_stretch()
        self.let_run(((self.remove_button, edits.remove),))
        self.tools.chosen.connect(lambda tool: drawing.set_tool("look" if drawing.tool == tool else tool))
        self.seen.chosen.connect(drawing.set_see)
        self.areas.row_chosen.connect(lambda id, _: edits.choose(id))
        drawing.changed.connect(self.refresh)
        context.session.selection_changed.connect(self.refresh)
        self.finished.connect(lambda _: drawing.set_active(False))
        self.refresh()

    def refresh(self) -> None:
        """Shows the areas of the take as they are now."""
        take, area = self._edits.take, self._edits.chosen
        areas = () if take is None else take.areas
        self.areas.show_rows(
            (PlainRow(id=each.id, words=(each.name, _words(each)), named=False) for each in areas),
            None if area is None else area.id,
        )
        self.tools.set_chosen(self._drawing.tool)
        self.seen.set_chosen(self._drawing.see)
        self.hint.setText(_HINTS.get(self._drawing.tool, "" if areas else "Choose what to draw, and draw it in Log."))
        self.hint.setVisible(bool(self.hint.text()))
        self.areas.setVisible(bool(areas))
        self.seen.setVisible(area is not None)
        self.remove_button.setVisible(area is not None)
        self.tools.setEnabled(take is not None)
        if area is None:
            for control in self.sheet.controls.values():
                control.setVisible(False)
            self.sheet.set_about("none")
            return
        self.sheet.set_about("")
        self.sheet.show_fields(area)


def _words(area: object) -> str:
    """What an area is made of, in a word or two."""
    drawn, coloured = drawn_part(area), coloured_part(area)  # type: ignore[arg-type]
    if drawn is not None:
        count = len(drawn.outlines)
        return f"{count} frame{'s' if count > 1 else ''}"
    return "" if coloured is None else f"{len(coloured.picks)} colour{'s' if len(coloured.picks) > 1 else ''}"
