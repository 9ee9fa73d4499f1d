"""The head of the window: the project's name, undo and redo, what is offered, and the job strip."""

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, QTimer, QUrl, Signal
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QProgressBar, QToolButton, QWidget

from clevrin.desk.background.jobs import JobRunner, JobState
from clevrin.desk.shell.offer_strip import OfferStrip
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.sheet import plain_button, quiet_label, tool_button

_TOLD_MS = 15_000
_TOLD_PX = 420


class Header(QFrame):
    """Name of the project, undo and redo with what they would do, and the job strip at the right."""

    undo_requested = Signal()
    redo_requested = Signal()

    def __init__(self, jobs: JobRunner, menu: QMenu, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("header")
        self.setFixedHeight(theme.scaled(theme.HEADER_HEIGHT))
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 0, 16, 0)
        row.setSpacing(8)
        self.menu_button = tool_button("menu", "All that Clevrin can do, with its keys")
        self.menu_button.setMenu(menu)
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._name = QLabel()
        self._name.setFont(theme.font(theme.TITLE_PX, strong=True))
        self._saved = quiet_label("")
        self.undo_button = tool_button("undo-2", "Undo")
        self.redo_button = tool_button("redo-2", "Redo")
        self.undo_button.clicked.connect(self.undo_requested)
        self.redo_button.clicked.connect(self.redo_requested)
        self.offers = OfferStrip()
        self.strip = JobStrip(jobs)
        row.addWidget(self.menu_button)
        row.addSpacing(8)
        row.addWidget(self._name)
        row.addWidget(self._saved)
        row.addSpacing(8)
        row.addWidget(self.undo_button)
        row.addWidget(self.redo_button)
        row.addWidget(self.offers, 1)
        row.addWidget(self.strip)

    def show_project(self, name: str, saved: bool, has_name: bool) -> None:
        self._name.setText(name)
        if has_name:
            self._saved.setText("saved" if saved else "changed since it was saved")
        else:
            self._saved.setText("kept, without a name yet")

    def show_history(self, undo: str | None, redo: str | None) -> None:
        for button, verb, label in ((self.undo_button, "Undo", undo), (self.redo_button, "Redo", redo)):
            button.setEnabled(label is not None)
            button.setToolTip(f"{verb}: {label}" if label else f"Nothing to {verb.lower()}")


class JobStrip(QFrame):
    """What is being computed: its name, how far it is, the time left, and a button to stop it."""

    def __init__(self, jobs: JobRunner, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._jobs = jobs
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(10)
        self._what = QLabel()
        self._bar = QProgressBar()
        self._bar.setFixedSize(150, 4)
        self._bar.setTextVisible(False)
        self._figures = quiet_label("")
        for label in (self._what, self._figures):
            label.setMinimumWidth(1)  # the window is not made wider by what is computed
        self.stop_button = tool_button("square", "Stop; what is finished is kept")
        self.stop_button.clicked.connect(jobs.stop_shown)
        for widget in (self._what, self._bar, self._figures, self.stop_button):
            row.addWidget(widget)
        self._parts = (self._bar, self.stop_button)
        self.show_button = plain_button("Show it", "Opens the folder in which it lies")
        self.show_button.clicked.connect(self._on_show_button_clicked)
        self.show_button.hide()
        row.addWidget(self.show_button)
        self._told = ""
        self._file: Path | None = None
        self._forget = QTimer(self, singleShot=True, interval=_TOLD_MS)
        self._forget.timeout.connect(self._on_forget_timeout)
        jobs.states_changed.connect(self._on_jobs_states_changed)
        self._on_jobs_states_changed()

    def tell(self, words: str, file: Path | None = None) -> None:
        """Says for a while how something ended, when nothing else has to be said; `file` can be looked at."""
        self._told, self._file = words, file
        self._forget.start()
        self._on_jobs_states_changed()

    def _on_show_button_clicked(self) -> None:
        if self._file is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._file.parent)))

    def _on_forget_timeout(self) -> None:
        self._told, self._file = "", None
        self._on_jobs_states_changed()

    def _shortened(self, words: str) -> str:
        """Words as far as there is room for them; the tooltip has all of them."""
        return self._what.fontMetrics().elidedText(words, Qt.TextElideMode.ElideMiddle, theme.widened(_TOLD_PX))

    @property
    def words(self) -> str:
        """All that is said."""
        said = self._what.toolTip() or self._what.text()
        return f"{said} {self._figures.text()}".strip()

    def _on_jobs_states_changed(self) -> None:
        states = self._jobs.states
        for part in self._parts:
            part.setVisible(bool(states))
        self._figures.setVisible(bool(states))
        self.show_button.setVisible(not states and self._file is not None)
        self._what.setToolTip("" if states else self._told)
        if not states:
            self._what.setText(self._shortened(self._told))
            self._figures.setText("")
            return
        state = max(states, key=lambda each: (bool(each.total), each.begun))  # of several, the oldest
        more = f" and {len(states) - 1} more" if len(states) > 1 else ""
        self._what.setText(state.what + more)
        self._bar.setRange(0, max(2, state.total))
        self._bar.setValue(state.done)
        self._figures.setText(figures(state, [each for each in states if each is not state]))


def figures(state: JobState, others: Sequence[JobState] = ()) -> str:
    """How far a job is, in words; the time left is for it and for all `others` that wait, as far as they are known."""
    if state.doing:
        return state.doing
    if not state.total:
        return "begins" if state.begun else "waiting"
    text = f"{state.done} / {state.total}"
    if state.per_s is not None:
        text += f" · {state.per_s:.0f}/s" if state.per_s >= 1 else f" · {1 / state.per_s:.0f} s each"
    left_s, waiting = state.left_s, sum(each.expected for each in others if not each.total)
    if state.expected and state.per_s is not None and left_s is not None:
        left_s += waiting / state.per_s
    if left_s is not None and (state.done < state.total or waiting):
        text += f" · {left_s:.0f} s left" if left_s < 90 else f" · {left_s / 60:.0f} min left"
    return text
