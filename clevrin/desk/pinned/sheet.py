"""What is pinned to a shot, in a sheet beside the picture: made, chosen, set, and where in the scene it stands."""

from PySide6.QtCore import QSignalBlocker
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QPlainTextEdit, QPushButton, QVBoxLayout, QWidget

from clevrin.core.document import Pinned, Take, Words
from clevrin.desk.bench.context import Context
from clevrin.desk.bench.side_sheet import SideSheet
from clevrin.desk.pinned.drag_handles import PinnedHands
from clevrin.desk.pinned.edits import PinnedEdits
from clevrin.desk.pinned.fields import FIELDS
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.plain_table import PlainRow, PlainTable
from clevrin.desk.widgets.sheet import (
    Pages,
    ask_for_colour,
    beside,
    fill_combo,
    named_combo,
    named_setting,
    plain_button,
    quiet_label,
)

_MOST_ROWS = 4
_LINES = 2
_SCENE = "the scene"
_TYPING = "typing"
_PAGE_PX = 256
_PAGES = (
    ("what", "What it says, and how it is lettered"),
    ("where", "On what it stands, and what stands before it"),
    ("when", "When it is seen, and how it moves by itself"),
    ("look", "How it takes to the picture about it"),
)


class _Typed(QPlainTextEdit):
    """Words that are typed, in a few lines; keys stay with it while it has the focus."""

    def __init__(self) -> None:
        super().__init__()
        self.setTabChangesFocus(True)
        self.setAccessibleName("Words")
        self.setFixedHeight(self.fontMetrics().lineSpacing() * _LINES + 16)
        self.left = lambda: None

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.left()


class PinnedSheet(SideSheet):
    """Works on what is pinned to the chosen shot, which is dragged in the Reframe bench."""

    def __init__(self, context: Context, edits: PinnedEdits, hands: PinnedHands, parent: QWidget | None = None) -> None:
        super().__init__(FieldSheet("Pinned", FIELDS), context, edits, parent)
        self._hands = hands
        self.words_button = plain_button("words", "Sets words into the scene")
        self.picture_button = plain_button("a picture…", "Sets a PNG, a JPEG or an SVG into the scene")
        self.film = named_combo("A film", "Sets another take into the scene, with what of it is clear")
        self.elements = PlainTable("Pinned", "A click chooses one", columns=2, most_rows=_MOST_ROWS)
        self.text = _Typed()
        self.text_setting = named_setting("Words", "What they say; in several lines, if you like", self.text)
        self.colour_button = plain_button("Colour…", "The colour of the letters")
        self.line_button = plain_button("Line…", "The colour of the outline about them")
        self.font_button = plain_button("Font…", "Sets them in a font of your own, from a file")
        self.lettering = beside(self.colour_button, self.line_button, self.font_button)
        self.stands = named_combo("Goes with", "With what it goes: with the scene, a followed point or surface")
        self.stands_setting = named_setting("Goes with", self.stands.toolTip(), self.stands)
        self.fill_button = plain_button("Over all of it", "Lays it over the whole surface")
        self.pull_button = plain_button("pull corners", "A dragged corner goes by itself, into perspective")
        self.pull_button.setCheckable(True)
        self.before = QWidget()
        self.before_setting = named_setting("Behind", "Which areas of the take stand before it", self.before)
        self.area_buttons: dict[str, QPushButton] = {}
        self._area_names: tuple[tuple[str, str], ...] = ()
        self.begin_button = plain_button("From here", "It is seen from this frame on")
        self.end_button = plain_button("To here", "It is seen up to this frame")
        self.always_button = plain_button("Always", "It is seen as long as the shot is")
        self.pose_button = plain_button("moves by poses", "A drag sets a pose on this frame; between poses it moves")
        self.pose_button.setCheckable(True)
        self.forget_button = plain_button("Pose away", "Takes away the pose that stands on this frame")
        self.remove_button = plain_button("Take off", "The scene is without it")
        self.times = quiet_label("")
        self.hint = quiet_label("")
        self.hint.setWordWrap(True)
        self.laying = beside(self.pull_button, self.fill_button)
        self.timing = beside(self.begin_button, self.end_button, self.always_button)
        self.posing = beside(self.pose_button, self.forget_button)
        self.pages = Pages(_PAGES)
        self.pages.add("what", self.text_setting, self.lettering)
        self.pages.add("where", self.stands_setting, self.laying, self.before_setting)
        self.pages.add("when", self.timing, self.times, self.posing)
        for field in FIELDS:
            self.pages.add(field.page, self.sheet.controls[field.id])
        self.pages.add_stretch()
        self.pages.setFixedHeight(theme.scaled(_PAGE_PX))
        self.sheet.add(beside(self.words_button, self.picture_button), self.film, self.elements, self.hint)
        self.sheet.add(self.pages, beside(self.remove_button), self.trouble)
        self.sheet.add_stretch()
        self._connect(edits)
        self.refresh()

    def _connect(self, edits: PinnedEdits) -> None:
        self.let_run(
            (
                (self.words_button, self._on_words_clicked),
                (self.picture_button, edits.ask_for_drawing),
                (self.colour_button, lambda: self._ask_for_colour("colour", "The colour of the letters")),
                (self.line_button, lambda: self._ask_for_colour("outline_colour", "The colour of the outline")),
                (self.font_button, edits.ask_for_font),
                (self.fill_button, edits.fill_surface),
                (self.begin_button, edits.begin_here),
                (self.end_button, edits.end_here),
                (self.always_button, edits.always),
                (self.forget_button, edits.remove_pose),
                (self.remove_button, edits.remove),
                (self.pull_button, self._on_pull_clicked),
                (self.pose_button, self._on_pose_clicked),
            )
        )
        self.film.activated.connect(self._on_film_activated)
        self.stands.activated.connect(self._on_stands_activated)
        self.elements.row_chosen.connect(lambda id, _: edits.choose(id))
        self.text.textChanged.connect(lambda: edits.set_words(_TYPING, text=self.text.toPlainText()))
        self.text.left = self._on_text_left
        edits.told = self.trouble.tell
        edits.changed = self.refresh
        self._context.session.selection_changed.connect(self.refresh)
        self._context.player.shown.connect(lambda frame, _: self._show_here())

    def refresh(self) -> None:
        """Shows what is pinned to the shot as it is now."""
        shot, chosen, take = self._edits.shot, self._edits.chosen, self._edits.take
        pinned = () if shot is None else shot.pinned
        self.elements.show_rows(
            (PlainRow(id=each.id, words=(each.name, self._stands_words(each, take)), named=False) for each in pinned),
            None if chosen is None else chosen.id,
        )
        self.elements.setVisible(bool(pinned))
        for button in (self.words_button, self.picture_button, self.film):
            button.setEnabled(shot is not None)
        self._show_films(take)
        said = "Choose a shot to pin something into its scene." if shot is None else ""
        self.hint.setText(said or ("Drag it in the whole picture." if chosen is not None else ""))
        self.hint.setVisible(bool(self.hint.text()))
        self.pages.setVisible(chosen is not None)
        self.remove_button.setVisible(chosen is not None)
        words = None if chosen is None else chosen.of
        self.text_setting.setVisible(isinstance(words, Words))
        self.lettering.setVisible(isinstance(words, Words))
        self.before_setting.setVisible(chosen is not None and take is not None and bool(take.areas))
        if chosen is None or take is None:
            for control in self.sheet.controls.values():
                control.setVisible(False)
            self.sheet.set_about("none")
            return
        self.sheet.set_about("")
        self.sheet.show_fields(chosen)
        if isinstance(words, Words):
            self._show_words(words)
        self._show_stands(chosen, take)
        self._show_areas(chosen, take)
        self._show_here()

    def _show_words(self, words: Words) -> None:
        if self.text.toPlainText() != words.text and not self.text.hasFocus():
            with QSignalBlocker(self.text):
                self.text.setPlainText(words.text)
        for button, colour in ((self.colour_button, words.colour), (self.line_button, words.outline_colour)):
            button.setIcon(theme.swatch(colour))
        self.line_button.setEnabled(words.outline > 0)

    def _show_films(self, take: Take | None) -> None:
        others = [each for each in self._context.session.project.takes if take is None or each.id != take.id]
        self.film.clear()
        self.film.addItem("a film: choose a take")
        for each in others:
            self.film.addItem(each.name, each.id)
        self.film.setVisible(bool(others))

    def _show_stands(self, pinned: Pinned, take: Take) -> None:
        track_id = pinned.track_id if pinned.ground != "scene" else ""
        named = [(f"{track.name} ({track.kind})", track.id) for track in take.tracks]
        fill_combo(self.stands, [(_SCENE, ""), *named], track_id)
        at = self.stands.findData(track_id)
        lost = track_id and at < 0
        self.stands_setting.set_note("What it stood on is gone: it goes with the scene." if lost else "")
        surface = next((each for each in take.tracks if each.id == track_id and each.kind == "surface"), None)
        self.fill_button.setEnabled(surface is not None)

    def _show_areas(self, pinned: Pinned, take: Take) -> None:
        names = tuple((each.id, each.name) for each in take.areas)
        if names != self._area_names:
            self._area_names = names
            layout = self.before.layout()
            if layout is None:
                layout = QVBoxLayout(self.before)
                layout.setContentsMargins(0, 0, 0, 0)
                layout.setSpacing(4)
            for button in self.area_buttons.values():
                layout.removeWidget(button)
                button.deleteLater()
            self.area_buttons = {}
            for area_id, name in names:
                button = plain_button(name, "It stands before what is pinned")
                button.setCheckable(True)
                button.setAutoDefault(False)
                button.clicked.connect(lambda _=False, area_id=area_id: self._edits.toggle_behind(area_id))
                layout.addWidget(button)
                self.area_buttons[area_id] = button
        for area_id, button in self.area_buttons.items():
            button.setChecked(area_id in pinned.behind)

    def _show_here(self) -> None:
        """What stands on the frame that is looked at."""
        chosen = self._edits.chosen
        if chosen is None or not self.isVisible():
            return
        frame = self._edits.frame
        end = "the end" if chosen.end is None else f"frame {chosen.end - 1}"
        self.times.setText(f"Seen from frame {chosen.first} to {end} of the take.")
        self.forget_button.setEnabled(any(each.frame == frame for each in chosen.poses))
        self.pose_button.setChecked(self._edits.by_poses)
        pose = next((each for each in chosen.poses if each.frame == frame), None)
        count = len(chosen.poses)
        self.posing.setToolTip("")
        self.sheet.set_note("seen", "" if not count else f"{count} pose{'s' if count > 1 else ''}")
        if pose is not None:
            self.sheet.controls["seen"].set_number(pose.seen)  # type: ignore[attr-defined]

    def _stands_words(self, pinned: Pinned, take: Take | None) -> str:
        if pinned.ground == "scene" or take is None:
            return _SCENE
        return next((each.name for each in take.tracks if each.id == pinned.track_id), _SCENE)

    def _ask_for_colour(self, field: str, title: str) -> None:
        chosen = self._edits.chosen
        if chosen is not None and isinstance(chosen.of, Words):
            colour = getattr(chosen.of, field)
            ask_for_colour(self, title, colour, lambda each: self._edits.set_words(**{field: each}))

    def _on_words_clicked(self) -> None:
        self._edits.add_words()
        self.text.setFocus()
        self.text.selectAll()

    def _on_text_left(self) -> None:
        self._context.session.end_gesture()
        chosen = self._edits.chosen
        if chosen is not None and isinstance(chosen.of, Words) and chosen.of.text != self.text.toPlainText():
            with QSignalBlocker(self.text):
                self.text.setPlainText(chosen.of.text)  # what could not be set is not left standing

    def _on_film_activated(self, at: int) -> None:
        take_id = self.film.itemData(at)
        if take_id:
            self._edits.add_film(take_id)

    def _on_stands_activated(self, at: int) -> None:
        track_id, take = self.stands.itemData(at), self._edits.take
        track = None if take is None else next((each for each in take.tracks if each.id == track_id), None)
        self._edits.stand("scene" if track is None else track.kind, None if track is None else track.id)

    def _on_pull_clicked(self) -> None:
        self._hands.pulls = self.pull_button.isChecked()
        self._edits.changed()

    def _on_pose_clicked(self) -> None:
        self._edits.by_poses = self.pose_button.isChecked()
        self._edits.changed()
