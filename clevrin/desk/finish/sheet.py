"""The sheet of the Finish bench: what is delivered, in which format, and what is not right yet."""

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QLineEdit, QSizePolicy

from clevrin.core.document import LANES, Project
from clevrin.core.document.model import Meant
from clevrin.core.media.formats import FORMATS, PURPOSES, Format, Purpose
from clevrin.core.pace.timecode import timecode
from clevrin.core.render.export.output_names import FIELDS as FIELD_NAMES
from clevrin.core.render.reports.quality_checks import LookedOver, ReelMark
from clevrin.desk.sound.fields import FIELDS
from clevrin.desk.sound.meters import Meters
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.plain_table import PlainRow, PlainTable
from clevrin.desk.widgets.sheet import (
    ChoiceSetting,
    OwnChoice,
    Pages,
    Setting,
    Trouble,
    beside,
    fill_combo,
    grey,
    named_combo,
    named_setting,
    plain_button,
    quiet_label,
)

DELIVER, LOOK, SOUND, WATCH = "deliver", "look over", "sound", "watch"
ALL_OF_THEM = "*"
_SIZES = (
    ("1", "all of it", "As large as the reel"),
    ("2", "half", "Half as wide and half as high"),
    ("4", "a quarter", "A quarter as wide"),
)
_MOST_WRONG, _MOST_CHOSEN = 5, 7
_LOUDNESS = (("", "as mixed", "As loud as it is"), ("-23", "-23", "For broadcast"), ("-16", "-16", "For the net"))


class FinishSheet(FieldSheet):
    """Shows what is chosen, and says what the user wants."""

    output_chosen = Signal(object)
    """The id of an output; None: the reel."""
    frame_requested = Signal(int)
    name_given = Signal(str)
    """What renders are to be called, with fields."""
    asked_changed = Signal()
    """Something else is to be rendered, or otherwise."""
    meant = Signal(str)
    """All of this kind of what comes of choices is as it is wanted."""
    meant_forgotten = Signal()
    """What was said to be meant is to be listed again."""
    watched_changed = Signal()
    """The reel is to be watched otherwise."""

    def __init__(self) -> None:
        super().__init__("Finish", FIELDS, rolls=False)
        self.pages = Pages(
            (
                (DELIVER, "What is rendered, and how"),
                (LOOK, "What of the reel is not right, or may not be"),
                (WATCH, "How the reel is watched: on all of a screen, with its outputs, with scopes"),
                (SOUND, "How loud takes, music and swishes are: their lanes are under the reel"),
            )
        )
        self.add(self.pages)
        self._make_deliver()
        self._make_look()
        self._make_watch()
        self._make_sound()
        self.pages.add_stretch()
        self.trouble = Trouble()
        self.add(self.trouble)

        self.render_button = plain_button(
            "Render   Enter", "Puts it on the queue, to the place of last time", main=True
        )
        self.place_button = plain_button("Elsewhere…  Ctrl+R", "Asks where to, and puts it on the queue")
        self.place_note = quiet_label("")
        self.place_note.setWordWrap(True)
        self.hand_on_button = plain_button("Hand on…", "The reel with films and motion for others, or on a page")
        self.set_foot(self.place_note, self.render_button, beside(self.place_button, self.hand_on_button))
        self._show_format()

    def _make_deliver(self) -> None:
        self.output = named_combo("What is rendered", "The reel, or an output of it in another shape")
        self.output.activated.connect(self._on_output_activated)
        self.format = named_combo("Format", "In which format it is written")
        for each in FORMATS.values():
            self.format.addItem(each.title, each.id)
        self.format.activated.connect(lambda _: self._show_format())
        self.format.activated.connect(lambda _: self.asked_changed.emit())
        self.purpose = OwnChoice(
            "Good for",
            "What it is to be good for: how large the file becomes, and how true it stays",
            [(id, words.removeprefix("to "), words.capitalize()) for id, words in PURPOSES.items()],
            columns=2,
            default="net",
        )
        self.part = OwnChoice(
            "Part",
            "How much of the reel",
            [
                ("all", "all of it", "The whole reel"),
                ("chosen", "the chosen", "From the first chosen shot to the last"),
            ],
            columns=2,
            default="all",
        )
        self.picture_size = OwnChoice("Size", "How large the pictures are", _SIZES, default="1")
        self.picture_size.chosen.connect(lambda _: self.asked_changed.emit())
        self.loudness = OwnChoice("Loudness, LUFS", "How loud the sound is made (EBU R 128)", _LOUDNESS, default="")
        self.name = QLineEdit()
        self.name.setPlaceholderText("by the project")
        self.name.setToolTip(
            f"What renders are called; {', '.join(f'{{{each}}}' for each in FIELD_NAMES)} are filled in"
        )
        self.name.setAccessibleName("name of renders")
        self.name.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.name.editingFinished.connect(lambda: self.name_given.emit(self.name.text().strip()))
        named = named_setting("Name", self.name.toolTip(), self.name)
        named.set_note(" ".join(f"{{{each}}}" for each in FIELD_NAMES))
        self.format_note = quiet_label("")
        self.format_note.setWordWrap(True)
        what = named_setting("What", self.output.toolTip(), self.output)
        written = named_setting("Format", self.format.toolTip(), self.format)
        self.pages.add(DELIVER, what, written, self.format_note, named, self.purpose)
        self.pages.add(DELIVER, self.picture_size, self.part, self.loudness)

    def _make_look(self) -> None:
        self.marks = PlainTable("Not right yet", "A click looks at it", columns=2, most_rows=_MOST_WRONG, wraps=True)
        self.marks.row_chosen.connect(self._on_marks_row_chosen)
        self.marks_note = quiet_label("")
        self.marks_note.setWordWrap(True)
        self.choices = PlainTable(
            "As it was chosen", "A click looks at it", columns=2, most_rows=_MOST_CHOSEN, wraps=True
        )
        self.choices.row_chosen.connect(self._on_choices_row_chosen)
        self.choices_note = quiet_label("")
        self.choices_note.setWordWrap(True)
        self.mark_note = quiet_label("")
        self.mark_note.setWordWrap(True)
        self.meant_button = plain_button("All of this kind are meant", "They are not listed any more")
        self.meant_button.clicked.connect(self._on_meant_button_clicked)
        self.again_button = plain_button("List what is meant", "Lists again what was said to be meant")
        self.again_button.clicked.connect(lambda: self.meant_forgotten.emit())
        self.pages.add(LOOK, self.marks_note, self.marks, self.choices_note, self.choices)
        self.pages.add(LOOK, self.mark_note, self.meant_button, self.again_button)
        self._found: tuple[ReelMark, ...] = ()
        self._chosen_so: tuple[ReelMark, ...] = ()
        self._choice: Meant | None = None
        self._looked: LookedOver | None = None
        self._listed_of: tuple[object, ...] = ()

    def _make_watch(self) -> None:
        self.beside = OwnChoice(
            "Beside the reel",
            "Whether its outputs are watched at once",
            [
                ("alone", "nothing", "What is chosen to be delivered, alone"),
                ("all", "all outputs", "The reel and its outputs in step, beside each other"),
            ],
            columns=2,
            default="alone",
        )
        self.drawn = ChoiceSetting(
            "With it",
            "What is drawn over the picture or beside it",
            [
                ("safe", "safe areas", "Lines within which every screen shows what happens, and words (EBU R 95)"),
                ("light", "light", "A scope of how bright the picture is, from its left to its right edge"),
                ("colour", "colour", "A scope of its colours about grey"),
            ],
            exclusive=False,
        )
        self.screen_combo = named_combo("Screen", "On which screen the picture is large")
        self.screen_button = plain_button("Fill the screen   F11", "The picture on all of a screen; Escape ends it")
        self.beside.chosen.connect(lambda _: self.watched_changed.emit())
        self.drawn.chosen.connect(lambda _: self.watched_changed.emit())
        self.pages.add(WATCH, self.beside, self.drawn, self.screen_combo, self.screen_button)
        self.show_screens()

    def show_screens(self) -> None:
        """Which screens there are to be filled; with one alone there is nothing to choose."""
        screens = QGuiApplication.screens()
        fill_combo(self.screen_combo, [("another screen", ""), *((each.name(), each.name()) for each in screens)], "")
        self.screen_combo.setVisible(len(screens) > 1)

    @property
    def shows_all(self) -> bool:
        """Whether all outputs are watched beside each other."""
        return self.beside.key == "all"

    @property
    def shows_safe_areas(self) -> bool:
        return self.drawn.buttons["safe"].isChecked()

    @property
    def scopes_shown(self) -> frozenset[str]:
        return frozenset(kind for kind in ("light", "colour") if self.drawn.buttons[kind].isChecked())

    def _make_sound(self) -> None:
        self.meters = Meters()
        self.pages.add(SOUND, self.meters)
        for lane in LANES:
            level, heard = self.controls[f"{lane} level"], self.controls[f"{lane} heard"]
            assert isinstance(level, Setting) and isinstance(heard, ChoiceSetting)
            for at, button in enumerate(heard.buttons.values()):  # beside the name: they belong to the same lane
                button.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Fixed)
                level.head.insertWidget(1 + at, button)
            heard.setParent(self)
            self.pages.add(SOUND, level)
        rest = ("lowered", "shot level", "shot comes", "shot goes", "music comes", "music goes")
        self.pages.add(SOUND, *(self.controls[name] for name in rest))

    def show_place(self, path: Path | None, name: str, size: tuple[int, int]) -> None:
        """Where the next render goes (None: that is asked for), what renders are called, and how large it will be."""
        folder = "" if path is None else str(path.parent)
        pictures = f"{size[0]} × {size[1]}" if self.kind.kind != "sound" else "sound"
        place = "where to is asked for" if path is None else f"{path.name} in {folder}"
        self.place_note.setText(f"{pictures} · {place}")
        self.place_note.setToolTip("" if path is None else str(path))
        self.render_button.setText("Render…   Enter" if path is None else "Render   Enter")
        self.place_button.setVisible(path is not None)
        if not self.name.hasFocus():
            self.name.setText(name)

    @property
    def kind(self) -> Format:
        """The format that is chosen."""
        return FORMATS[self.format.currentData()]

    def size_of(self, whole: tuple[int, int]) -> tuple[int, int] | None:
        """How large pictures of a reel of a size are to be; None: as large as that."""
        share = int(self.picture_size.key)
        if share == 1:
            return None
        width, height = (max(2, round(side / share / 2) * 2) for side in whole)
        return width, height

    @property
    def chosen_purpose(self) -> Purpose:
        return self.purpose.key  # type: ignore[return-value]

    def show_outputs(self, project: Project, output_id: str | None) -> None:
        """What of a project can be rendered."""
        named = [(each.name, each.id) for each in project.outputs]
        together = [("the reel and all outputs", ALL_OF_THEM)] if named else []
        chosen = ALL_OF_THEM if self.renders_all else output_id or ""
        fill_combo(self.output, [("the reel", ""), *named, *together], chosen)

    @property
    def renders_all(self) -> bool:
        """Whether the reel and all its outputs are rendered."""
        return self.output.currentData() == ALL_OF_THEM

    def show_marks(self, looked: LookedOver | None, why: str = "", project: Project | None = None) -> None:
        """What is not right with a project's reel, and what of it was chosen; None: it is not known, and why."""
        of = why, None if project is None else (project.reel.rate, project.meant)
        if looked is not None and looked is self._looked and of == self._listed_of:
            return  # what is chosen of it stays chosen
        self._looked, self._listed_of = looked, of
        rate = 25.0 if project is None else float(project.reel.rate)
        self._found = () if looked is None else looked.faults()
        self._chosen_so = () if looked is None or project is None else looked.choices(project)
        for table, marks in ((self.marks, self._found), (self.choices, self._chosen_so)):
            table.show_rows(
                (
                    PlainRow(id=str(number), words=(each.sentence, timecode(each.frame, rate)), named=False)
                    for number, each in enumerate(marks)
                ),
                None,
            )
        words = how_many(len(self._found), "thing") + " not right:" if self._found else "Nothing is wrong."
        self.marks_note.setText(why or words if looked is not None else why or "The reel is being looked over.")
        self.choices_note.setText(f"{how_many(len(self._chosen_so), 'thing')} that may be meant:")
        self.choices_note.setVisible(bool(self._chosen_so))
        self.again_button.setVisible(project is not None and bool(project.meant))
        self._say_of_mark("")

    def _say_of_mark(self, sentence: str) -> None:
        self.mark_note.setText(sentence)
        self.mark_note.setVisible(bool(sentence))
        self._choice = None
        self.meant_button.setVisible(False)

    def _show_format(self) -> None:
        kind = self.kind
        for id, button in self.purpose.buttons.items():
            there = id in kind.purposes
            grey(button, there, f"{kind.title} is not made for that.")
        if self.purpose.key not in kind.purposes:
            self.purpose.keep(kind.usual)
        self.format_note.setText(f"{kind.help}.")
        self.purpose.setVisible(kind.kind in ("film", "pictures"))
        self.picture_size.setVisible(kind.kind != "sound")
        self.loudness.setVisible(bool(kind.sound))

    def _on_output_activated(self, at: int) -> None:
        chosen = self.output.itemData(at)
        self.output_chosen.emit(None if chosen == ALL_OF_THEM else chosen or None)

    def _on_marks_row_chosen(self, number: str, _: int) -> None:
        self.choices.clearSelection()
        self._look_at(self._found[int(number)])

    def _on_choices_row_chosen(self, number: str, _: int) -> None:
        self.marks.clearSelection()
        mark = self._chosen_so[int(number)]
        self._look_at(mark)
        self._choice = mark.choice
        self.meant_button.setVisible(True)

    def _look_at(self, mark: ReelMark) -> None:
        self._say_of_mark(mark.sentence)
        self.frame_requested.emit(mark.frame)

    def _on_meant_button_clicked(self) -> None:
        if self._choice is not None:
            self.meant.emit(self._choice)


def how_many(count: int, word: str) -> str:
    """A number of things in words: 1 thing, 3 things."""
    return f"{count} {word}{'' if count == 1 else 's'}"
