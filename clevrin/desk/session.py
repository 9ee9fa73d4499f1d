"""What is open and what is chosen: the one state that all parts of the window look at."""

from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from clevrin.core.document import Project, Shot, Take
from clevrin.core.document.edits import Edit, Rename
from clevrin.core.document.files import load, save
from clevrin.core.document.history import History
from clevrin.core.document.keeping import remember_last, unnamed_file
from clevrin.core.errors import ClevrinError, DocumentError
from clevrin.core.pace import reel_frames

_SAVE_AFTER_MS = 250


class Session(QObject):
    """The project with its history and place, the chosen take and shot, and the playhead on the reel.

    Every edit is saved a moment later, to the project's file or, for one without a name, to the user's data
    folder.
    """

    project_changed = Signal()
    selection_changed = Signal()
    playhead_changed = Signal(int)
    saved_changed = Signal()
    trouble = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._history = History(Project())
        self._path = unnamed_file()
        self._take_id: str | None = None
        self._shot_id: str | None = None
        self._playhead = 0
        self._unsaved = False
        self._saver = QTimer(self, singleShot=True, interval=_SAVE_AFTER_MS)
        self._saver.timeout.connect(self.save_now)

    # The document

    @property
    def project(self) -> Project:
        return self._history.project

    @property
    def history(self) -> History:
        return self._history

    @property
    def path(self) -> Path:
        return self._path

    @property
    def has_name(self) -> bool:
        return self._path != unnamed_file()

    @property
    def saved(self) -> bool:
        return not self._unsaved

    def open(self, path: Path) -> None:
        """Opens a project file; raises `DocumentError`, and keeps what is open then."""
        project = load(path)
        self.save_now()
        self._begin(project, path)

    def begin_new(self) -> None:
        """An empty project without a name; the one that was open stays in its file."""
        self.save_now()
        self._begin(Project(), unnamed_file())

    def save_as(self, path: Path) -> None:
        """Gives the project a place and a name; raises `DocumentError`."""
        project = self.project.changed(name=path.stem)
        save(project, path)
        self._history.do(Rename(name=project.name))
        self._path = path
        self._unsaved = False
        remember_last(path)
        self.project_changed.emit()
        self.saved_changed.emit()

    def save_now(self) -> None:
        """Saves what is not saved yet; a place that cannot be written is told, and nothing is lost here."""
        self._saver.stop()
        if not self._unsaved:
            return
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            save(self.project, self._path)
        except OSError as error:
            self.trouble.emit(f"{self._path.parent} cannot be made: {error.strerror}.")
            return
        except DocumentError as error:
            self.trouble.emit(str(error))
            return
        self._unsaved = False
        remember_last(self._path)
        self.saved_changed.emit()

    def do(self, edit: Edit, *, gesture: str | None = None) -> None:
        """Applies an edit as one step; edits in a row with one `gesture` become one step together."""
        try:
            changed = self._history.do(edit, gesture=gesture)
        except (ClevrinError, ValueError, KeyError) as error:
            self.trouble.emit(f"{edit.label} is not possible: {error}")
            return
        if changed:
            self._after_change()

    def end_gesture(self) -> None:
        self._history.end_gesture()

    def cancel_gesture(self, gesture: str) -> None:
        """Puts back what a drag under way has changed."""
        if self._history.cancel_gesture(gesture):
            self._after_change()

    def undo(self) -> None:
        if self._history.undo():
            self._after_change()

    def redo(self) -> None:
        if self._history.redo():
            self._after_change()

    # What is chosen

    @property
    def take(self) -> Take | None:
        """The chosen take."""
        return next((t for t in self.project.takes if t.id == self._take_id), None)

    @property
    def shot(self) -> Shot | None:
        """The chosen shot; its join is the one by which it leaves."""
        return next((s for s in self.project.reel.shots if s.id == self._shot_id), None)

    @property
    def playhead(self) -> int:
        """The frame of the reel that is looked at."""
        return self._playhead

    def choose_take(self, take_id: str | None) -> None:
        if take_id != self._take_id:
            self._take_id = take_id
            self.selection_changed.emit()

    def choose_shot(self, shot_id: str | None) -> None:
        if shot_id != self._shot_id:
            self._shot_id = shot_id
            shot = self.shot
            if shot is not None:
                self._take_id = shot.take_id
            self.selection_changed.emit()

    def move_playhead(self, frame: int) -> None:
        frame = max(0, min(frame, reel_frames(self.project) - 1))
        if frame != self._playhead:
            self._playhead = frame
            self.playhead_changed.emit(frame)

    def _begin(self, project: Project, path: Path) -> None:
        self._history = History(project)
        self._path = path
        self._unsaved = False
        self._take_id = project.takes[0].id if project.takes else None
        self._shot_id = project.reel.shots[0].id if project.reel.shots else None
        self._playhead = 0
        if self.has_name:
            remember_last(path)
        self.project_changed.emit()
        self.selection_changed.emit()
        self.playhead_changed.emit(0)
        self.saved_changed.emit()

    def _after_change(self) -> None:
        self._unsaved = True
        self._saver.start()
        gone_take = self._take_id is not None and self.take is None
        gone_shot = self._shot_id is not None and self.shot is None
        if gone_take:
            self._take_id = self.project.takes[0].id if self.project.takes else None
        if gone_shot:
            self._shot_id = self.project.reel.shots[0].id if self.project.reel.shots else None
        self.project_changed.emit()
        self.saved_changed.emit()
        if gone_take or gone_shot:
            self.selection_changed.emit()
        self.move_playhead(self._playhead)
