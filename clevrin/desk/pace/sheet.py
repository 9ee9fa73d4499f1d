"""The sheet of the Pace bench: its table of fields, and beside them what acts on points and on the length."""

from dataclasses import replace

from PySide6.QtCore import Signal

from clevrin.core.document import PacePoint, Shot, Take
from clevrin.desk.pace.fields import BLUR, FIELDS, FRAMES, SPEED, PaceHere
from clevrin.desk.widgets.fields import FieldSheet
from clevrin.desk.widgets.sheet import (
    Pages,
    Trouble,
    about,
    beside,
    fill_combo,
    named_combo,
    named_setting,
    plain_button,
    quiet_label,
)

_NOTHING = ""


class PaceSheet(FieldSheet):
    """Shows the pace of the chosen shot, and says what the user wants of it."""

    music_requested = Signal()
    spared_chosen = Signal(str)
    """The id of a track that added blur spares; "" for none."""

    def __init__(self) -> None:
        super().__init__("Pace", FIELDS, rolls=False)
        self.pages = Pages(
            (
                (SPEED, "How fast the shot plays, and how long it lasts"),
                (FRAMES, "What is made of moments that were not shot, and of the sound"),
                (BLUR, "Blur that belongs to the speed"),
            )
        )
        self.trouble = Trouble()
        self.refused.connect(self.trouble.tell)
        self.add(self.pages, self.trouble)
        self._make_speed()
        self._make_frames()
        self._make_blur()
        self.pages.add_stretch()

    def _make_speed(self) -> None:
        self.before_button = plain_button("‹", "To the speed before")
        self.after_button = plain_button("›", "To the speed after")
        for button in (self.before_button, self.after_button):
            button.setFixedWidth(34)
        self.set_button = plain_button("Set a speed", "Sets a point at this frame; the curve stays as it is")
        self.remove_button = plain_button("Remove", "Takes the speed at this frame away")
        self.freeze_button = plain_button("Freeze here", "The picture stands still at this frame for a second")
        self.loop_button = plain_button("Put on again", "Puts the shot on the reel again, behind itself")
        self.lock_button = plain_button("Lock length", "Keeps the length: the other speeds give way")
        self.lock_button.setCheckable(True)
        self.marker_button = plain_button("To marker", "Ends the shot at the next marker or beat")
        self.whip_button = plain_button("To the whip", "Lasts until the whip in the next shot, which begins with it")
        self.clear_button = plain_button("As shot", "Takes all speeds away")
        self.land_button = plain_button("Land on the beat", "Each cut of the reel falls on the nearest beat")
        self.music_button = plain_button("Music…", "The music under the reel, and its beats")
        self.music_button.clicked.connect(lambda _=False: self.music_requested.emit())
        field = self.controls
        self.pages.add(
            SPEED,
            beside(self.before_button, self.set_button, self.remove_button, self.after_button),
            *(field[name] for name in ("speed", "ease", "stays")),
            beside(self.freeze_button, self.loop_button),
            *(field[name] for name in ("ready", "slow", "fast", "length")),
            beside(self.lock_button, self.clear_button),
            beside(self.marker_button, self.whip_button),
            beside(self.land_button, self.music_button),
        )

    def _make_frames(self) -> None:
        self.made_note = quiet_label("")
        self.made_note.setWordWrap(True)
        self.pages.add(FRAMES, self.controls["in_between"], self.made_note, self.controls["pitch"])

    def _make_blur(self) -> None:
        self.blur_note = quiet_label("")
        self.blur_note.setWordWrap(True)
        self.spared = named_combo("Keep sharp", "What added blur spares")
        self.spared.activated.connect(lambda index: self.spared_chosen.emit(self.spared.itemData(index)))
        spared = named_setting("Keep sharp", "An area or a track of the take that added blur leaves alone", self.spared)
        self.pages.add(BLUR, self.controls["shutter"], self.blur_note)
        self.pages.add(BLUR, *(self.controls[name] for name in ("where", "full_at", "blurs")), spared)
        self.pages.add(BLUR, *(each for name, each in self.controls.items() if name.startswith("rush")))

    def show_pace(self, here: PaceHere, take: Take, others: tuple[Shot, ...]) -> None:
        """Shows the pace at the frame that is looked at; `others` are set with it."""
        self.set_about(about(take.name, others))
        usual = PacePoint(frame=0, speed=1.0)
        self.show_fields(here, [replace(here, pace=s.pace, point=next(iter(s.pace.points), usual)) for s in others])
        self.remove_button.setEnabled(here.stands)
        self.set_button.setEnabled(not here.stands)
        self.lock_button.setChecked(here.pace.length_frames is not None)
        self.clear_button.setEnabled(bool(here.pace.points or here.pace.length_frames))
        sharp = here.pace.shutter.sharp
        chosen = _NOTHING if sharp is None else sharp.area or sharp.track
        named = [(area.name, area.id) for area in take.areas] + [(track.name, track.id) for track in take.tracks]
        fill_combo(self.spared, [("nothing", _NOTHING), *named], chosen)
