"""What a step's bench has in common: it is entered and left, and shows what the player brings."""

from dataclasses import dataclass

from PySide6.QtCore import QEvent, Qt, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from clevrin.core.errors import ClevrinError
from clevrin.core.pace.timecode import frame_of, timecode
from clevrin.desk.bench.context import Context
from clevrin.desk.playback.player import Programme
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import Sheet, Trouble, quiet_label, tool_button
from clevrin.desk.widgets.typing import watch_number
from clevrin.desk.widgets.viewer import Viewer

_SPACING_PX = 10
"""Between the parts of the transport."""


@dataclass(frozen=True, kw_only=True, eq=False)
class Showing:
    """What a bench plays. While the `subject` stays the same, the frame looked at stays too; else `frame` is shown."""

    programme: Programme
    subject: tuple[object, ...]
    frame: int


class Bench(QWidget):
    """The middle of the window for one step. Only the bench that is entered uses the player."""

    transport: "Transport"
    sheet: Sheet

    def __init__(self, context: Context, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("bench")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.context = context
        self.entered = False
        self._subject: tuple[object, ...] | None = None
        self._shown_as: tuple[object, ...] | None = None
        self._seen: tuple[object, ...] | None = None  # the subject of the picture that is seen
        # Several changes in a row, as while the window is sized, load one programme.
        self._reload = QTimer(self, singleShot=True, interval=0)
        self._reload.timeout.connect(self._load)
        context.player.shown.connect(self._on_player_shown)
        context.player.late.connect(self._on_player_late)
        context.player.failed.connect(self._on_player_failed)
        context.session.project_changed.connect(self._on_session_project_changed)
        context.session.selection_changed.connect(self._on_session_selection_changed)
        context.measurements.measured.connect(self._on_measurements_changed)
        context.measurements.failed.connect(self._on_measurements_changed)
        context.measurements.held_changed.connect(self._on_measurements_changed)
        context.mask_jobs.changed.connect(self._on_measurements_changed)

    def enter(self) -> None:
        self.entered = True
        self._subject = self._seen = None
        self.refresh()
        self.reload()

    def leave(self) -> None:
        self.entered, self._shown_as = False, None
        self._forget_troubles()

    def _forget_troubles(self) -> None:
        """What went wrong is over when something else is done; what is still wrong is told again."""
        for trouble in self.findChildren(Trouble):
            trouble.hide()

    def refresh(self) -> None:
        """Shows the document as it is now."""

    def look_again(self) -> None:
        """Shows the document as it is now while another bench is entered, unless it did that already."""
        session = self.context.session
        now = session.project, session.shot_ids, session.take
        if self._shown_as is None or any(one is not other for one, other in zip(now, self._shown_as, strict=True)):
            self._shown_as = now
            self.refresh()

    def showing(self) -> Showing | None:
        """What this bench plays now."""
        return None

    def show_frame(self, frame: int, pictures: tuple) -> None:
        """Shows what the player brings."""

    def viewers(self) -> tuple[Viewer, ...]:
        """The viewers that show what the player brings."""
        return ()

    def seek_reel(self, frame: int) -> None:
        """Somebody looks for a frame of the reel, perhaps dragging through it; called while the bench is entered."""

    @property
    def reloading(self) -> bool:
        """Whether what is played is about to be loaded anew."""
        return self._reload.isActive()

    def show_trouble(self, sentence: str) -> None:
        """Says beside the picture why it cannot be shown."""

    def document_changed(self) -> None:
        """The project is another one than before; called while the bench is entered."""
        self.refresh()
        self.reload()

    def selection_changed(self) -> None:
        """Another take or shot is chosen; called while the bench is entered."""
        self.refresh()
        self.reload()

    def measurements_changed(self) -> None:
        """Something was measured or held, or could not be; called while the bench is entered."""
        self.refresh()
        self.reload()

    def take_focus(self) -> None:
        """Gives the keys to where the bench's work is: to its pictures, never to a button."""
        self.setFocus()

    def take_what_is_proposed(self) -> None:
        """Enter: does what the bench's main button says."""

    def put_here(self) -> None:
        """Sets a pose, a speed or whatever the bench is about at the frame that is looked at."""

    def remove_here(self) -> None:
        """Takes it away again."""

    def go_to_neighbour(self, way: int) -> None:
        """Goes to the next one that is set before (-1) or behind (1) the frame that is looked at."""

    def put_back(self) -> bool:
        """Escape: drops what is being dragged or drawn; whether there was any."""
        return False

    def type_instant(self) -> None:
        """The next keys say where to go."""
        self.transport.entry.begin()

    def show_before(self, before: bool) -> None:
        """Shows the picture as shot for as long as a key is held, where there is another one."""

    def reload(self) -> None:
        """Has the player take what `showing` says, once the present event is over."""
        if self.entered:
            self._reload.start()

    def load_now(self) -> None:
        """The same at once."""
        self._reload.stop()
        self._load()

    def _load(self) -> None:
        if not self.entered:
            return
        showing = self.showing()
        if showing is None:
            self._subject = None
            self.context.player.load(None)
            return
        same = showing.subject == self._subject
        self._subject = showing.subject
        self.context.player.load(showing.programme, None if same else showing.frame)

    def _on_player_shown(self, frame: int, pictures: tuple) -> None:
        if self.entered:
            self._seen = self._subject
            self.show_frame(frame, pictures)
            player = self.context.player
            note = "proxy, while you scrub" if player.shows_proxy else "plainer picture" if player.shows_plainer else ""
            for viewer in self.viewers():
                viewer.show_note(note)

    def _on_player_late(self) -> None:
        """Says that what is seen is not what is looked for; a picture of something else goes."""
        if self.entered:
            for viewer in self.viewers():
                if viewer.pixels and self._seen == self._subject:
                    viewer.show_note("older picture: this one is being made")
                elif viewer.pixels or not viewer.words:  # words say why there is none
                    viewer.show_words("This picture is being made.")

    def _on_player_failed(self, sentence: str) -> None:
        if self.entered:
            self.show_trouble(sentence)

    def _on_session_project_changed(self) -> None:
        if self.entered:
            self._forget_troubles()
            self.document_changed()

    def _on_session_selection_changed(self) -> None:
        if self.entered:
            self._forget_troubles()
            self.selection_changed()

    def _on_measurements_changed(self) -> None:
        if self.entered:
            self.measurements_changed()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self.reload()
        return super().event(event)


def bench_row(bench: QWidget) -> QHBoxLayout:
    """The parts of a bench beside each other, without gaps."""
    row = QHBoxLayout(bench)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(0)
    return row


def bench_column(spacing: int = 6) -> QVBoxLayout:
    """The middle of a bench, its parts under each other."""
    column = QVBoxLayout()
    column.setContentsMargins(12, 8, 12, 8)
    column.setSpacing(spacing)
    return column


class Transport(QWidget):
    """Play, where the playhead is, which can be typed, and how playback goes."""

    def __init__(self, context: Context, parent: QWidget | None = None, *, narrow: bool = False) -> None:
        """`narrow` leaves the frame's number out, where there is no room for it."""
        super().__init__(parent)
        self._context = context
        self._unit = "/s" if narrow else " frames/s"
        self._rate = 30.0
        self._frame_number = 0
        self._offset = 0
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(_SPACING_PX)
        self.play_button = tool_button("play", "Play or stop  (Space)")
        self.play_button.clicked.connect(context.player.toggle)
        self.entry = InstantEntry()
        self.entry.typed.connect(self._on_entry_typed)
        self._frame = quiet_label("")
        self._figures = quiet_label("")
        row.addWidget(self.play_button)
        row.addWidget(self.entry)
        row.addWidget(self._frame)
        self._narrow = narrow
        self._frame.setMinimumWidth(1)
        self._figures.setMinimumWidth(1)
        self._frame.setVisible(not narrow)
        row.addStretch(1)
        row.addWidget(self._figures)
        context.player.playing_changed.connect(self._on_player_playing_changed)
        context.session.opened.connect(self._begin_anew)
        watch_number(self.entry)
        self._watch = QTimer(self, interval=250)
        self._watch.timeout.connect(self._show_figures)

    @property
    def figures(self) -> str:
        return self._figures.text()

    @property
    def frame_words(self) -> str:
        return self._frame.text()

    def show_frame(self, frame: int, frames: int, rate: float, *, offset: int = 0) -> None:
        """The instant: `frame` of `frames`; what is typed is counted from the player's frame `offset`."""
        self._rate, self._frame_number, self._offset = rate, frame, offset
        self.entry.show_instant(timecode(frame, rate))
        self._frame.setText(f"frame {frame} of {frames}")
        self._show_what_fits()

    def _begin_anew(self) -> None:
        """Nothing of another project stays, until something is shown of this one."""
        self._context.player.forget_figures()
        self._frame_number = self._offset = 0
        self.entry.show_instant(timecode(0, self._rate))
        self._frame.setText("")
        self._show_figures()

    def _show_what_fits(self) -> None:
        """The number of the frame gives way where there is no room for it; the instant says the same."""
        others = (self.play_button, self.entry, self._figures)
        taken = sum(part.sizeHint().width() for part in others) + 4 * _SPACING_PX
        self._frame.setVisible(not self._narrow and self.width() >= taken + self._frame.sizeHint().width())

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._show_what_fits()
        super().resizeEvent(event)

    def _on_entry_typed(self, text: str) -> None:
        try:
            frame = frame_of(text, self._rate, self._frame_number)
        except ClevrinError as error:
            self._context.session.trouble.emit(str(error))
        else:
            self._context.player.stop()
            self._context.player.seek(frame + self._offset)
        self.entry.show_instant(timecode(self._frame_number, self._rate))

    def _on_player_playing_changed(self, playing: bool) -> None:
        self.play_button.setIcon(theme.icon("square" if playing else "play"))
        if playing:
            self._watch.start()
        else:
            self._watch.stop()
            self._show_figures()

    def _show_figures(self) -> None:
        player = self._context.player
        figures = player.figures
        speed = f"{player.speed:+d}× · " if player.playing and player.speed != 1 else ""
        dropped = f" · {figures.dropped} dropped" if figures.dropped else ""
        if self._narrow:  # beside the button and the instant
            lost = dropped.removeprefix(" · ")
            words = f"{figures.rate:.1f}{self._unit}" if player.playing and figures.rate and not lost else lost
        elif figures.shown < 2:
            words = speed
        elif player.playing and figures.rate:
            sound = " · with sound" if player.sound.running else ""
            words = f"{speed}{figures.rate:.1f} of {self._rate:g}{self._unit}{dropped}{sound}"
        else:
            words = f"{figures.shown} shown{dropped}" if dropped else ""
        self._figures.setToolTip(words)
        self._figures.setText(words)


class InstantEntry(QLineEdit):
    """The instant as minutes, seconds and frames; another one can be typed over it."""

    typed = Signal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("instant")
        self.setFont(theme.font(theme.BODY_PX, strong=True))
        self.setFixedWidth(theme.scaled(88))
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("instant")
        self.setToolTip(
            "Click and type where to go: 1:04.12 is minutes, seconds and frames, 128 a frame, +10 ten frames on"
        )
        self.returnPressed.connect(self._on_return_pressed)

    def show_instant(self, words: str) -> None:
        """Shows where the playhead is, unless somebody is typing."""
        if not (self.hasFocus() and self.isModified()) and self.text() != words:
            self.setText(words)
            if self.hasFocus():
                self.selectAll()

    def begin(self) -> None:
        """Takes what is typed next."""
        self.setFocus()
        self.selectAll()

    def _on_return_pressed(self) -> None:
        text = self.text()
        self.setModified(False)
        self.clearFocus()
        self.typed.emit(text)
