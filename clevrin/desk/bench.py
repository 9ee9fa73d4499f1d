"""What a step's bench has in common: it is entered and left, and shows what the player brings."""

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel, QWidget

from clevrin.desk import theme
from clevrin.desk.context import Context
from clevrin.desk.header import tool_button
from clevrin.desk.playback import Programme
from clevrin.desk.sheet import quiet_label


@dataclass(frozen=True, kw_only=True, eq=False)
class Showing:
    """What a bench plays. While the `subject` stays the same, the frame looked at stays too; else `frame` is shown."""

    programme: Programme
    subject: tuple[object, ...]
    frame: int


class Bench(QWidget):
    """The middle of the window for one step. Only the bench that is entered uses the player."""

    def __init__(self, context: Context, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("bench")
        self.context = context
        self.entered = False
        self._subject: tuple[object, ...] | None = None
        # Several changes in a row, as while the window is sized, load one programme.
        self._reload = QTimer(self, singleShot=True, interval=0)
        self._reload.timeout.connect(self._load)
        context.player.shown.connect(self._on_player_shown)
        context.player.failed.connect(self._on_player_failed)
        context.session.project_changed.connect(self._on_session_project_changed)
        context.session.selection_changed.connect(self._on_session_selection_changed)
        context.measurements.measured.connect(self._on_measurements_changed)
        context.measurements.failed.connect(self._on_measurements_changed)
        context.measurements.held_changed.connect(self._on_measurements_changed)

    def enter(self) -> None:
        self.entered = True
        self._subject = None
        self.refresh()
        self.reload()

    def leave(self) -> None:
        self.entered = False

    def refresh(self) -> None:
        """Shows the document as it is now."""

    def showing(self) -> Showing | None:
        """What this bench plays now."""
        return None

    def show_frame(self, frame: int, pictures: tuple) -> None:
        """Shows what the player brings."""

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

    def reload(self) -> None:
        """Has the player take what `showing` says, once the present event is over."""
        if self.entered:
            self._reload.start()

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
            self.show_frame(frame, pictures)

    def _on_player_failed(self, sentence: str) -> None:
        if self.entered:
            self.show_trouble(sentence)

    def _on_session_project_changed(self) -> None:
        if self.entered:
            self.document_changed()

    def _on_session_selection_changed(self) -> None:
        if self.entered:
            self.selection_changed()

    def _on_measurements_changed(self) -> None:
        if self.entered:
            self.measurements_changed()

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self.reload()
        return super().event(event)


class Transport(QWidget):
    """Play, where the playhead is, and how playback goes."""

    def __init__(self, context: Context, parent: QWidget | None = None, *, narrow: bool = False) -> None:
        """`narrow` leaves the frame's number out, where there is no room for it."""
        super().__init__(parent)
        self._context = context
        self._rate = 30.0
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        self.play_button = tool_button("play", "Play or stop  (Space)")
        self.play_button.clicked.connect(context.player.toggle)
        self._time = QLabel()
        self._time.setFont(theme.font(theme.BODY_PX, strong=True))
        self._time.setMinimumWidth(64)
        self._frame = quiet_label("")
        self._figures = quiet_label("")
        row.addWidget(self.play_button)
        row.addWidget(self._time)
        row.addWidget(self._frame)
        self._frame.setVisible(not narrow)
        row.addStretch(1)
        row.addWidget(self._figures)
        context.player.playing_changed.connect(self._on_player_playing_changed)
        self._watch = QTimer(self, interval=250)
        self._watch.timeout.connect(self._show_figures)

    @property
    def figures(self) -> str:
        return self._figures.text()

    def show_frame(self, frame: int, frames: int, rate: float) -> None:
        self._rate = rate
        self._time.setText(theme.timecode(frame, rate))
        self._frame.setText(f"frame {frame} of {frames}")

    def _on_player_playing_changed(self, playing: bool) -> None:
        self.play_button.setIcon(theme.icon("square" if playing else "play"))
        if playing:
            self._watch.start()
        else:
            self._watch.stop()
            self._show_figures()

    def _show_figures(self) -> None:
        figures = self._context.player.figures
        if figures.shown < 2:
            return
        dropped = f" · {figures.dropped} dropped" if figures.dropped else ""
        if self._context.player.playing and figures.rate:
            self._figures.setText(f"{figures.rate:.1f} of {self._rate:g} frames/s{dropped}")
        elif dropped:
            self._figures.setText(f"{figures.shown} shown{dropped}")
        else:
            self._figures.setText("")
