"""Areas in a sheet beside the picture: the tools that make them, those there are, how they are seen and set."""

from pathlib import Path

from PySide6.QtWidgets import QWidget

from clevrin.core.document import Area, Shot, Take
from clevrin.core.matte.areas import share_at
from clevrin.core.matte.clinging_areas import where_lost
from clevrin.core.matte.cutting import CutFrames, how_sure
from clevrin.core.motion.movers import Mover
from clevrin.core.motion.tracks.both_ways import Followed
from clevrin.desk.areas.edits import coloured_part, cut_part, drawn_part
from clevrin.desk.areas.fields import FIELDS
from clevrin.desk.areas.stage import AreaStage
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.shot_movers import ShotMovers
from clevrin.desk.bench.side_sheet import SideSheet
from clevrin.desk.reframe.mover_row import MoverRow
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.file_dialogs import FILMS, FileDialogs
from clevrin.desk.widgets.plain_table import PlainRow, PlainTable
from clevrin.desk.widgets.sheet import (
    ChoiceSetting,
    Pages,
    SliderSetting,
    beside,
    fill_combo,
    named_combo,
    named_setting,
    plain_button,
    quiet_label,
)

_TOOLS = (
    ("half-plane", "edge", "Drag along an edge that passes: the area lies on its right as you drag"),
    ("box", "box", "Drag from corner to corner; corners are dragged afterwards"),
    ("disc", "disc", "Drag from the middle to the rim"),
    ("curve", "curve", "Click point after point; a click on the first one closes it"),
    ("colour", "colour", "Click a colour: all that is of it belongs; more clicks add to it"),
    ("cut-out", "cut-out", "Drag a box about a subject: it is cut out of the whole take"),
)
_CORRECTED = (
    ("belongs", "belongs too", "Paint over what was left out of the subject, on any frame"),
    ("apart", "does not", "Paint over what does not belong to the subject, on any frame"),
)
_SEEN = (
    ("tint", "tint", "The area is tinted"),
    ("grey", "grey", "White where it counts, black where it does not"),
    ("alone", "alone", "What is in it on a plain ground"),
)
_HINTS = {tool: help for tool, _, help in (*_TOOLS, *_CORRECTED)}
_MOST_ROWS = 5
_PAGE_PX = 196
_PAGES = (
    ("goes", "With what it goes from frame to frame"),
    ("mixed", "What is taken out of it, and whether it is all but that"),
    ("edge", "Whether it grows, and how soft its edge is"),
    ("colours", "How near to what was clicked a colour has to be"),
)
_SURE = "Its edge is sure on every frame."
_BUSY = {
    "cut-out": "It is being cut out.",
    "drawn": "Its edge is being followed.",
    "filmed": "The film is being read.",
}
_NOT_YET = {
    "cut-out": "It is cut out as soon as the take is measured.",
    "drawn": "Its edge is followed as soon as the take is measured.",
    "filmed": "The film is read as soon as the take is measured.",
}


class AreaSheet(SideSheet):
    """Works on the areas of the take that is looked at, in the bench whose stage that is."""

    def __init__(self, context: Context, stage: AreaStage, parent: QWidget | None = None) -> None:
        edits, drawing = stage.edits, stage.drawing
        super().__init__(FieldSheet("Areas", FIELDS), context, edits, parent)
        self._stage, self._drawing, self._context = stage, drawing, context
        self.of_take = named_combo("Of the take", "In whose picture areas are made")
        self.of_take_setting = named_setting("Of the take", self.of_take.toolTip(), self.of_take)
        self.of_take.activated.connect(lambda at: stage.choose_take(self.of_take.itemData(at)))
        self.tools = ChoiceSetting("New", "What the next click or drag in the picture makes", _TOOLS, columns=3)
        self.corrected = ChoiceSetting("Corrected by", "What the next stroke says", _CORRECTED, columns=2)
        self.told = quiet_label("")
        self.told.setWordWrap(True)
        self.strokes_button = plain_button("Strokes away", "Takes away what was painted over on this frame")
        self.follow_button = plain_button("Follow its middle", "A hold can be anchored to it, and a gate go with it")
        self.resume_button = plain_button("Resume", "Goes on cutting out where it was stopped")
        self.seen = ChoiceSetting("Seen as", "How the chosen area is seen over the picture", _SEEN, columns=3)
        self.areas = PlainTable("Areas", "A click chooses one", columns=2, most_rows=_MOST_ROWS)
        self.shot_movers, self.movers = ShotMovers(context, self), MoverRow(context, "Cut this out")
        self.movers_setting = named_setting("What moves by itself", "A click cuts it out of the take", self.movers)
        self.hint = quiet_label("")
        self.hint.setWordWrap(True)
        self.film_button = plain_button("A film of an area…", "What another film shows in white, frame by frame")
        self.remove_button = plain_button("Remove", "What named it shows the picture without it")
        self.sheet.add(
            self.of_take_setting, self.tools, beside(self.film_button), self.hint, self.movers_setting, self.areas
        )
        self.sheet.add(self.corrected, self.told)
        self.sheet.add(beside(self.follow_button, self.strokes_button, self.resume_button))
        self.track = named_combo("Or with", "A point or a surface that is followed: the area goes as that does")
        self.track_setting = named_setting("Or with", self.track.toolTip(), self.track)
        self.combined = {
            "without": named_combo("Without", "Another area that is taken out of this one, however that changes"),
            "common": named_combo("Only within", "Another area: what is not in it as well does not count"),
        }
        self.combining = [named_setting(each.accessibleName(), each.toolTip(), each) for each in self.combined.values()]
        self.pages = Pages(_PAGES)
        self.pages.add("goes", self.sheet.controls["along"], self.track_setting)
        self.pages.add("mixed", *self.combining)
        for field in FIELDS:
            if field.id != "along":
                self.pages.add(field.page, self.sheet.controls[field.id])
        self.counts = SliderSetting(
            "Counts here",
            "How much of it counts at this frame; from there it changes evenly to the next frame where that is said",
            low=0,
            high=1,
            step=0.01,
            default=1,
            words=lambda share: f"{share:.0%}",
            typed=0.01,
        )
        self.counts.refused.connect(self.trouble.tell)
        self.counts.value_changing.connect(lambda share: edits.count_here(drawing.frame, share))
        self.counts.value_changed.connect(lambda _: context.session.end_gesture())
        self.alike_button = plain_button("Throughout", "It counts in full on every frame again")
        self.pages.add("edge", self.counts, beside(self.alike_button))
        self.pages.add_stretch()
        self.pages.setFixedHeight(theme.scaled(_PAGE_PX))
        self.sheet.add(self.seen, self.pages)
        self.sheet.add(beside(self.remove_button), self.trouble)
        self.sheet.add_stretch()
        self.let_run(
            (
                (self.remove_button, edits.remove),
                (self.film_button, self._ask_for_film),
                (self.strokes_button, lambda: edits.forget_strokes(drawing.frame)),
                (self.follow_button, edits.follow_middle),
                (self.resume_button, self._resume),
                (self.alike_button, edits.count_throughout),
            )
        )
        self.corrected.chosen.connect(lambda tool: drawing.set_tool("look" if drawing.tool == tool else tool))
        self.movers.chosen.connect(self._on_mover_chosen)
        self.shot_movers.changed.connect(lambda _: self.refresh())
        self.tools.chosen.connect(lambda tool: drawing.set_tool("look" if drawing.tool == tool else tool))
        self.seen.chosen.connect(drawing.set_see)
        self.track.activated.connect(self._on_track_activated)
        for mode, combo in self.combined.items():
            combo.activated.connect(lambda at, mode=mode, combo=combo: edits.combine(mode, combo.itemData(at)))
        self.areas.row_chosen.connect(lambda id, _: edits.choose(id))
        drawing.changed.connect(self.refresh)
        drawing.moved_on.connect(self._on_drawing_moved_on)
        context.session.selection_changed.connect(self.refresh)
        self.closed.connect(lambda: stage.set_active(False))
        stage.changed.connect(self._on_stage_changed)
        stage.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Shows the areas of the take as they are now."""
        take, area = self._edits.take, self._edits.chosen
        areas = () if take is None else take.areas
        self._show_takes(take)
        self.areas.show_rows(
            (PlainRow(id=each.id, words=(each.name, area_words(each)), named=False) for each in areas),
            None if area is None else area.id,
        )
        self.tools.set_chosen(self._drawing.tool)
        self.corrected.set_chosen(self._drawing.tool)
        self.seen.set_chosen(self._drawing.see)
        self._show_cut(take, area)
        self.hint.setText(_HINTS.get(self._drawing.tool, "" if areas else "Choose what to draw, and draw it."))
        self.hint.setVisible(bool(self.hint.text()))
        self.areas.setVisible(bool(areas))
        self.seen.setVisible(area is not None)
        self.pages.setVisible(area is not None)
        coloured = area is not None and coloured_part(area) is not None
        self.pages.buttons["colours"].setVisible(coloured)
        if not coloured and self.pages.buttons["colours"].isChecked():
            self.pages.show_page("goes")
        self.remove_button.setVisible(area is not None)
        self._show_movers(take)
        self._show_combined(area, areas)
        self._show_tracks(take, area)
        self._show_counts(area)
        self.tools.setEnabled(take is not None)
        self.film_button.setEnabled(take is not None)
        if area is None:
            for control in self.sheet.controls.values():
                control.setVisible(False)
            self.sheet.set_about("none")
            return
        self.sheet.set_about("")
        self.sheet.show_fields(area)

    def _show_takes(self, take: Take | None) -> None:
        """On which takes areas can be made here."""
        takes = self._stage.takes
        self.of_take_setting.setVisible(len(takes) > 1)
        fill_combo(self.of_take, [(each.name, each.id) for each in takes], None if take is None else take.id)

    def _show_counts(self, area: Area | None) -> None:
        """How much of the chosen area counts at the frame that is looked at."""
        self.alike_button.setVisible(area is not None and bool(area.seen))
        if area is not None:
            self.counts.set_number(share_at(area, self._drawing.frame))

    def _show_movers(self, take: Take | None) -> None:
        """What moves by itself in the take, while something is to be cut out."""
        wanted = take is not None and self._drawing.tool == "cut-out"
        found = None
        if take is not None and wanted:
            found = self.shot_movers.of(Shot(id=f"all of {take.id}"[:64], take_id=take.id, span=take.whole))
        movers = () if found is None else found.movers
        self.movers_setting.setVisible(bool(movers))
        if take is not None and movers:
            self.movers.show_movers(take, movers)

    def _on_stage_changed(self) -> None:
        """Something else is worked on in the picture: the sheet has nothing to work on any more."""
        if self.isVisible() and not self._drawing.active:
            self.close()

    def _on_mover_chosen(self, mover: Mover) -> None:
        self._edits.cut_out_mover(mover)
        self._drawing.set_tool("look")
        self._context.player.seek(mover.frame, scrubbing=False)

    def _on_track_activated(self, at: int) -> None:
        track_id = self.track.itemData(at)
        self._edits.go_along("track" if track_id else "picture", track_id or None)

    def _show_tracks(self, take: Take | None, area: Area | None) -> None:
        """With which tracks the chosen drawn area can go."""
        drawn = None if area is None else drawn_part(area)
        tracks = () if take is None or drawn is None else take.tracks
        self.track_setting.setVisible(bool(tracks))
        chosen = drawn.track_id if drawn is not None and drawn.along == "track" else ""
        rows = [("nothing that is followed", ""), *((each.name, each.id) for each in tracks)]
        fill_combo(self.track, rows, chosen)

    def _show_combined(self, area: Area | None, areas: tuple[Area, ...]) -> None:
        """With which areas the chosen one can be combined, and is."""
        others = [] if area is None else [each for each in areas if each.id != area.id]
        for setting in self.combining:
            setting.setVisible(bool(others))
        for mode, combo in self.combined.items():
            none = "nothing" if mode == "without" else "all"
            fill_combo(combo, [(none, ""), *((o.name, o.id) for o in others)], self._edits.combined(mode))

    def _show_cut(self, take: Take | None, area: Area | None) -> None:
        """How a chosen cut-out stands."""
        cut = None if area is None else cut_part(area)
        curve = next(iter(area.clinging), None) if area is not None and cut is None else None
        filmed = next(iter(area.filmed), None) if area is not None else None
        self.corrected.setVisible(cut is not None)
        self.told.setVisible(cut is not None or curve is not None or filmed is not None)
        self.strokes_button.setVisible(False)
        self.resume_button.setVisible(False)
        self.follow_button.setVisible(cut is not None and not self._edits.followed)
        measured = cut or curve or filmed
        if take is None or area is None or measured is None:
            return
        mask_jobs, here = self._context.mask_jobs, self._drawing.frame
        found = mask_jobs.of(take, area.id, measured)
        self.resume_button.setVisible(mask_jobs.is_stopped(take, area.id, measured))
        if cut is not None:
            self.strokes_button.setVisible(here in {each.frame for each in cut.strokes})
        trouble = mask_jobs.trouble(take, area.id, measured)
        if trouble is not None:
            self.told.setText(trouble)
        elif mask_jobs.is_cutting(take, area.id, measured):
            self.told.setText(_BUSY[measured.how])
        elif mask_jobs.is_stopped(take, area.id, measured):
            self.told.setText("Stopped. What was found is kept.")
        elif isinstance(found, CutFrames):
            self.told.setText((how_sure(found.sure) or _SURE) if cut is not None else "It is as the film shows it.")
        elif isinstance(found, Followed):
            self.told.setText(where_lost(found) or _SURE)
        else:
            self.told.setText(_NOT_YET[measured.how])

    def _on_drawing_moved_on(self) -> None:
        self._show_cut(self._edits.take, self._edits.chosen)
        self._show_counts(self._edits.chosen)

    def _ask_for_film(self) -> None:
        FileDialogs(self).ask_for_one("A film of an area", self.add_film, FILMS)

    def add_film(self, path: Path) -> None:
        self.trouble.tell(self._edits.add_film(path))

    def _resume(self) -> None:
        if self._edits.take is not None:
            self._context.mask_jobs.resume(self._edits.take)
            self.refresh()


def area_words(area: Area) -> str:
    """What an area is made of, in a word or two, and whether it is left out of measuring."""
    return ", ".join(filter(None, (_made_words(area), "left out" if area.left_out else "")))


def _made_words(area: Area) -> str:
    drawn, coloured = drawn_part(area), coloured_part(area)
    if drawn is not None:
        count = len(drawn.outlines)
        return f"{count} frame{'s' if count > 1 else ''}"
    cut = cut_part(area)
    if cut is not None:
        count = len(cut.strokes)
        return "cut out" if not count else f"{count} stroke{'s' if count > 1 else ''}"
    if area.filmed:
        return "a film"
    return "" if coloured is None else f"{len(coloured.picks)} colour{'s' if len(coloured.picks) > 1 else ''}"
