"""The music under the reel, in a sheet beside the picture: level, start, beats; what is changed is heard at once."""

from PySide6.QtWidgets import QWidget

from clevrin.desk.bench.context import Context
from clevrin.desk.bench.side_sheet import SideSheet
from clevrin.desk.music.edits import MusicEdits, beats_of
from clevrin.desk.music.fields import FIELDS, MusicHere
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.sheet import beside, plain_button, quiet_label

_TAPPING = "Shift+M sets one while it plays"


class MusicSheet(SideSheet):
    """Shows the music and its beats, and says what the user wants of them."""

    def __init__(self, context: Context, edits: MusicEdits, parent: QWidget | None = None) -> None:
        super().__init__(FieldSheet("Music", FIELDS), context, edits, parent)
        self.lay_button = plain_button("Lay music…", "A sound file, or the sound of a film, under the whole reel")
        self.remove_button = plain_button("Take away", "The reel has no music then; its beats stay")
        self.find_button = plain_button("Find its beats", "Marks the beats of the music, in the place of those there")
        self.even_button = plain_button(
            "Set even beats", "Beats of this tempo over the reel, in the place of those there"
        )
        self.clear_button = plain_button("Remove beats", "Takes all beats off the reel")
        self.beats_note = quiet_label("")
        self.beats_note.setWordWrap(True)
        controls = self.sheet.controls
        self.sheet.add(
            beside(self.lay_button, self.remove_button),
            controls["level"],
            controls["start"],
            self.beats_note,
            beside(self.find_button, self.clear_button),
            controls["tempo"],
            controls["first"],
            beside(self.even_button),
            self.trouble,
        )
        self.sheet.add_stretch()
        self.let_run(
            (
                (self.lay_button, edits.ask_for_music),
                (self.remove_button, edits.remove),
                (self.find_button, edits.find_its_beats),
                (self.even_button, edits.set_even_beats),
                (self.clear_button, edits.clear_beats),
            )
        )
        edits.noted = self.refresh
        self.refresh()

    def refresh(self) -> None:
        """Shows the music and the beats as they are now."""
        project = self._context.session.project
        music, count = project.music, beats_of(project.reel.markers)
        tempo_bpm, first_s = self._edits.tempo
        self.sheet.set_about("none" if music is None else music.name)
        if music is not None:
            self.sheet.show_fields(MusicHere(music=music, tempo_bpm=tempo_bpm, first_s=first_s))
        for name in ("level", "start"):
            self.sheet.controls[name].setVisible(music is not None)
        for button in (self.remove_button, self.find_button):
            button.setEnabled(music is not None)
        self.clear_button.setEnabled(count > 0)
        self.beats_note.setText(
            f"{count} beats on the reel, {tempo_bpm:.1f} a minute. {_TAPPING}; they can be dragged."
            if count
            else f"No beats on the reel. {_TAPPING}."
        )
