"""The sheet of the Reframe bench: its table of fields, and beside them subjects, outputs and what acts on all poses."""

import re

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QWidget

from clevrin.core.document import Output, Project, Reel, Shot, Take, Track
from clevrin.desk.reframe.edits import SHAPES
from clevrin.desk.reframe.fields import FIELDS, FOLLOW, LAID, POSES, SHAPE, GateHere
from clevrin.desk.reframe.guides import GUIDES, OVERLAYS, USUAL_SAFE
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.sheet import (
    ChoiceSetting,
    Pages,
    SliderSetting,
    Trouble,
    about,
    ask_for_colour,
    beside,
    fill_combo,
    grey,
    named_combo,
    named_setting,
    percent,
    plain_button,
    quiet_label,
)


class ReframeSheet(FieldSheet):
    """Shows the gate that is looked at, and says what the user wants of it."""

    output_chosen = Signal(object)
    """The id of an output; None: the reel's own."""
    beside_chosen = Signal(object)
    """The output that is seen beside; "" for none, None for the reel's own."""
    output_added = Signal(str, int, int)
    output_renamed = Signal(str)
    output_sized = Signal(int, int)
    output_removed = Signal()
    render_requested = Signal(object)
    subject_chosen = Signal(str)
    """The id of a track; "" for nothing."""
    counter_chosen = Signal(object)
    bars_chosen = Signal(str)
    guides_changed = Signal(str)
    overlay_chosen = Signal(str)

    def __init__(self, offers: QWidget) -> None:
        """`offers`: the row of what moves by itself."""
        super().__init__("Reframe", FIELDS, rolls=False)
        self._offers = offers
        self._output: Output | None = None
        self._bars = Reel().bars
        self.pages = Pages(
            (
                (POSES, "Where the gate is, and how it goes there"),
                (FOLLOW, "What the gate follows, and how its size runs against a motion"),
                (LAID, "How the picture is turned, and how a take of another shape stands on the reel"),
                (SHAPE, "The shapes in which the reel is rendered, and lines to compose by"),
            )
        )
        self.trouble = Trouble()
        self.refused.connect(self.trouble.tell)
        self.add(self.pages, self.trouble)
        self._make_poses()
        self._make_follow()
        self._make_laid()
        self._make_outputs()
        self.pages.add_stretch()

    # How it is put together

    def _make_poses(self) -> None:
        self.set_button = plain_button("Set a pose", "Sets a pose where the gate is at this frame")
        self.remove_button = plain_button("Remove", "Takes the pose on this frame away")
        self.before_button = plain_button("‹", "To the pose before")
        self.after_button = plain_button("›", "To the pose after")
        for button in (self.before_button, self.after_button):
            button.setFixedWidth(34)
        self.rest_button = plain_button("Rest where most is", "Puts the gate where most of the detail and motion is")
        self.level_button = plain_button("Level a line", "Draw a line in the picture that should be level or upright")
        self.level_button.setCheckable(True)
        self.unlevel_button = plain_button("As shot", "Takes the levelling back")
        self.mirror_button = plain_button("Mirror", "Puts all poses on the other side of the picture")
        self.round_button = plain_button("Turn round", "What came first comes last")
        self.others_button = plain_button("To the others", "Gives the other chosen shots these poses")
        self.clear_button = plain_button("Remove all", "Takes all poses of this shot away")
        field = self.controls
        self.pages.add(
            POSES,
            beside(self.before_button, self.set_button, self.remove_button, self.after_button),
            *(field[name] for name in ("size", "turn", "belongs", "arrive", "leave", "stays")),
            *(field[name] for name in ("ready", "amount", "frames")),
            self.rest_button,
            beside(self.level_button, self.unlevel_button),
            beside(self.mirror_button, self.round_button),
            beside(self.others_button, self.clear_button),
        )

    def _make_follow(self) -> None:
        self.subjects = named_combo("What of the take the gate follows")
        self.subjects.activated.connect(lambda index: self.subject_chosen.emit(self.subjects.itemData(index)))
        self.pick_button = plain_button("Click it", "Click the subject in the whole picture, on this frame")
        self.pick_button.setCheckable(True)
        self.stop_button = plain_button("Follow nothing", "The gate stays with its poses")
        self.follow_note = quiet_label("")
        self.follow_note.setWordWrap(True)
        self.offers_note = quiet_label("")
        self.offers_note.setWordWrap(True)
        self.against = named_combo("What the size runs against")
        self.against.activated.connect(lambda index: self.counter_chosen.emit(self.against.itemData(index)))
        field = self.controls
        self.pages.add(
            FOLLOW,
            named_setting("Subject", "What of the take the gate follows", self.subjects),
            beside(self.pick_button, self.stop_button),
            self.follow_note,
            self.offers_note,
            self._offers,
            *(field[name] for name in ("place", "room", "calm", "handover", "size_too", "counter")),
            named_setting("Against", "What the size runs against", self.against),
        )

    def _make_laid(self) -> None:
        self.bars_button = plain_button("Colour of the bars…", "Chooses the colour of bars on this reel")
        self.bars_button.clicked.connect(self._choose_bars)
        self.laid_note = quiet_label("")
        self.laid_note.setWordWrap(True)
        field = self.controls
        self.pages.add(LAID, field["turns"], field["fit"], field["fit_all"], self.bars_button, self.laid_note)

    def _make_outputs(self) -> None:
        self.outputs = named_combo("Which output is looked at")
        self.outputs.activated.connect(lambda index: self.output_chosen.emit(self.outputs.itemData(index)))
        self.beside = named_combo("Which other output is seen beside it")
        self.beside.activated.connect(lambda index: self.beside_chosen.emit(self.beside.itemData(index)))
        self.shapes = ChoiceSetting(
            "Add",
            "Another shape in which the reel is rendered",
            [(name, words, f"Adds an output of this shape, {w}x{h}") for name, words, w, h in SHAPES],
            columns=5,
            exclusive=False,
        )
        self.shapes.chosen.connect(self._on_shape_chosen)
        self.name_entry = QLineEdit()
        self.name_entry.setAccessibleName("Name of the output")
        self.name_entry.returnPressed.connect(self._on_name_entered)
        self.size_entry = QLineEdit()
        self.size_entry.setAccessibleName("Size of the output")
        self.size_entry.setToolTip("Width and height in pixels, as 1080x1920.")
        self.size_entry.returnPressed.connect(self._on_size_entered)
        self.render_button = plain_button("Render this output…", "Renders the reel in this shape")
        self.render_button.clicked.connect(
            lambda: self.render_requested.emit(None if self._output is None else self._output.id)
        )
        self.drop_button = plain_button("Remove it", "Takes this output away, and its gates")
        self.drop_button.clicked.connect(lambda: self.output_removed.emit())
        self.guides = ChoiceSetting(
            "Guides", "Lines over the result, which never render", GUIDES, columns=2, exclusive=False
        )
        self.guides.chosen.connect(self.guides_changed)
        self.safe = SliderSetting(
            "Safe area",
            "How much of each side no screen cuts off, for this output",
            low=0.5,
            high=1.0,
            step=0.01,
            default=USUAL_SAFE,
            words=percent,
            typed=0.01,
        )
        self.safe.refused.connect(self.trouble.tell)
        self.overlays = ChoiceSetting(
            "Laid over it",
            "A neighbour on the reel over the result, to lay subject on subject",
            OVERLAYS,
            columns=2,
        )
        self.overlays.set_chosen("")
        self.overlays.chosen.connect(self.overlay_chosen)
        self.sharp = quiet_label("")
        self.sharp.setWordWrap(True)
        self.pages.add(
            SHAPE,
            named_setting("Output", "Which output is looked at", self.outputs),
            named_setting("Beside it", "Which other output is seen at the same time", self.beside),
            self.shapes,
            named_setting("Name", "What the output is called", self.name_entry),
            named_setting("Size", "Its width and height in pixels", self.size_entry),
            beside(self.render_button, self.drop_button),
            self.sharp,
            self.guides,
            self.safe,
            self.overlays,
        )

    # What it shows

    def show_gate(self, here: GateHere, take: Take, others: tuple[Shot, ...]) -> None:
        """Shows the pose at the frame that is looked at, and what is followed; of `others` all but that is set too."""
        self.show_fields(here)
        self.set_about(about(take.name, others))
        self.remove_button.setEnabled(here.stands)
        self.set_button.setText("Pose set" if here.stands else "Set a pose")
        self.unlevel_button.setEnabled(bool(here.gate.level_deg))
        grey(self.mirror_button, bool(here.gate.poses), "There is no pose yet.")
        grey(self.round_button, bool(here.gate.poses), "There is no pose yet.")
        grey(self.clear_button, bool(here.gate.poses), "There is no pose yet.")
        followed = here.follow.tracks[0] if here.follow is not None else ""
        fill_combo(self.subjects, [("nothing", ""), *_tracks(take.tracks)], followed)
        zoom = here.gate.counter_zoom
        surfaces = [track for track in take.tracks if track.kind == "surface"]
        against = None if zoom is None else zoom.track
        fill_combo(self.against, [("the camera's push", None), *_tracks(surfaces)], against)
        self.stop_button.setEnabled(here.follow is not None)
        self._bars = here.reel.bars
        fit = here.reel.fit_of(here.shot)
        self.laid_note.setText("" if fit == "fill" else "Poses move the picture within its frame; the bars stay.")

    def show_outputs(self, project: Project, output_id: str | None, beside: object) -> None:
        """Shows which outputs there are, which is looked at, and which beside it ("" for none)."""
        self._output = project.output(output_id)
        reel = f"the reel, {project.reel.width}x{project.reel.height}"
        each = [(reel, None), *((f"{o.name}, {o.width}x{o.height}", o.id) for o in project.outputs)]
        fill_combo(self.outputs, each, output_id)
        fill_combo(self.beside, [("nothing", ""), *(one for one in each if one[1] != output_id)], beside)
        for edit, words in (
            (self.name_entry, self._output.name if self._output else "the reel"),
            (self.size_entry, "{}x{}".format(*project.size_of(output_id))),
        ):
            if not (edit.hasFocus() and edit.isModified()):
                edit.setText(words)
        for control in (self.name_entry, self.drop_button):
            grey(control, self._output is not None, "This is the reel itself.")
        grey(self.size_entry, self._output is not None, "The reel's size is set by 'Size and rate of the reel'.")

    def show_guides(self, on: set[str]) -> None:
        self.guides.set_chosen(*on)

    # What is done

    def _choose_bars(self) -> None:
        ask_for_colour(self, "Colour of the bars", self._bars, self.bars_chosen.emit)

    def _on_shape_chosen(self, key: str) -> None:
        self.shapes.set_chosen()
        name, _, width, height = next(shape for shape in SHAPES if shape[0] == key)
        self.output_added.emit(name, width, height)

    def _on_name_entered(self) -> None:
        name = self.name_entry.text().strip()
        self.name_entry.setModified(False)
        self.name_entry.clearFocus()
        self.output_renamed.emit(name)

    def _on_size_entered(self) -> None:
        found = re.fullmatch(r"\s*(\d{1,5})\s*[x×]\s*(\d{1,5})\s*", self.size_entry.text())
        self.size_entry.setModified(False)
        self.size_entry.clearFocus()
        if found is None:
            self.trouble.tell("A size is width and height in pixels, as 1080x1920.")
            return
        self.output_sized.emit(int(found[1]), int(found[2]))


def _tracks(tracks: tuple[Track, ...] | list[Track]) -> list[tuple[str, str]]:
    return [(f"{track.name} ({track.kind})", track.id) for track in tracks]
