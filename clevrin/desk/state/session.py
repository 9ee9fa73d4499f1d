"""What is open and what is chosen: the one state that all parts of the window look at."""

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import QObject, Signal

from clevrin.core.document import NamedSpan, Project, Shot, Take
from clevrin.core.document.claim import Claim
from clevrin.core.document.edits import Alike, Edit, Rename
from clevrin.core.document.files import load
from clevrin.core.document.history import History
from clevrin.core.document.journal import LeftBehind
from clevrin.core.document.keeping import is_unnamed, journal_folder, remember_last
from clevrin.core.errors import ClevrinError, DocumentError
from clevrin.core.pace import reel_frames
from clevrin.desk.state.autosave import Autosave


class Session(QObject):
    """The project with its history and place, the chosen take, span and shots, and the playhead on the reel.

    Every change is written into a journal before it is shown. Saving puts the project into its file; one without
    a name goes to the user's data folder when it is closed.
    """

    opened = Signal()
    """Another project is open now."""
    project_changed = Signal()
    takes_changed = Signal()
    """The takes are others than before, or one of them is; comes before `project_changed`."""
    selection_changed = Signal()
    playhead_changed = Signal(int)
    saved_changed = Signal()
    trouble = Signal(str)

    def __init__(self, parent: QObject | None = None, *, folder: Callable[[], Path] = journal_folder) -> None:
        super().__init__(parent)
        self._history = History(Project())
        self._told_takes = self.project.takes
        self._take_id: str | None = None
        self._span_id: str | None = None
        self._shot_ids: tuple[str, ...] = ()
        self._playhead = 0
        self._together: str | None = None
        self.autosave = Autosave(self, folder=folder)
        self.autosave.trouble.connect(self.trouble)
        self.autosave.saved.connect(self._on_autosave_saved)
        self.autosave.begin(self.project, *self.autosave.claim_fresh(), saved=True)

    # The document

    @property
    def project(self) -> Project:
        return self._history.project

    @property
    def history(self) -> History:
        return self._history

    @property
    def path(self) -> Path:
        return self.autosave.place

    @property
    def has_name(self) -> bool:
        return not is_unnamed(self.path)

    @property
    def saved(self) -> bool:
        """Whether the project's file holds it as it is."""
        return self._history.at_save_point

    def open(self, path: Path) -> None:
        """Opens a project file; raises `DocumentError`, and keeps what is open then.

        A file that another window has open is opened as a copy without a name, which is told.
        """
        path = path.absolute()
        if path == self.path and not self.saved:
            self.save_and_wait()
        project = load(path)
        held = self.autosave.claim(path)
        if held is None:
            self._put_away()
            self._begin(project, *self.autosave.claim_fresh(), saved=False)
            self.trouble.emit(
                f"{path.name} is open in another window. This is a copy of it without a name: save it with a name "
                "to keep both."
            )
            return
        self._put_away()
        self._begin(project, path, held, saved=True)

    def recover(self, left: LeftBehind) -> None:
        """Goes on with what a process that was killed had open, in its place."""
        held = self.autosave.claim(left.place) if left.place is not None else None
        place = left.place
        if place is None or held is None:
            place, held = self.autosave.claim_fresh()
        if place == self.path:
            self.autosave.close_journal(safe=self.saved)  # it is this file's other state that is wanted
        else:
            self._put_away()
        self._begin(left.project, place, held, saved=False)
        if self.autosave.holds_everything:  # else the old journal is all that there is
            left.forget()

    def open_copy(self, project: Project, place: Path) -> None:
        """Opens an earlier copy of a project in the project's place; nothing is written until it is saved."""
        held = self.autosave.claim(place)
        if held is None:
            place, held = self.autosave.claim_fresh()
        self._put_away()
        self._begin(project, place, held, saved=False)

    def begin_new(self) -> None:
        """An empty project without a name; the one that was open stays in its file."""
        self._put_away()
        self._begin(Project(), *self.autosave.claim_fresh(), saved=True)

    def begin_of(self, project: Project) -> None:
        """A project that was made elsewhere, without a name of its own yet."""
        self._put_away()
        self._begin(project, *self.autosave.claim_fresh(), saved=False)

    def save_as(self, path: Path) -> None:
        """Gives the project a place and a name; raises `DocumentError`."""
        path = path.absolute()
        held = self.autosave.claim(path)
        if held is None:
            raise DocumentError(f"{path.name} is open in another window: choose another name.")
        before, was_unnamed = self.path, not self.has_name
        renamed = self.project.changed(name=path.stem)
        try:
            self.autosave.save_elsewhere(renamed, path, held)
        except DocumentError:
            if path != before:
                held.release()
            raise
        if was_unnamed:
            before.unlink(missing_ok=True)
        self._history.do(Rename(name=path.stem))
        self._history.mark_saved(self.project)
        remember_last(path)
        self.project_changed.emit()
        self.saved_changed.emit()

    def save(self) -> None:
        """Saves on a thread; `saved_changed` or `trouble` says how it ended."""
        self.autosave.save(self.project)

    def save_and_wait(self) -> bool:
        """Saves what is not saved yet; False when that is not possible, which is told."""
        return self.saved or self.autosave.save_and_wait(self.project)

    def safe_to_close(self) -> bool:
        """Saves, and says whether everything is in the file then, or at least in the journal."""
        nothing_made = not self.has_name and not self.project.takes
        return nothing_made or self.save_and_wait() or self.autosave.holds_everything

    def close(self) -> None:
        """Puts away what is open: into its file, or where that cannot be written, into the journal."""
        self._put_away()
        self.autosave.close()

    def do(self, edit: Edit, *, gesture: str | None = None) -> bool:
        """Applies an edit as one step; edits in a row with one `gesture` become one step together.

        False: it changed nothing, or was not possible, which is told.
        """
        try:
            changed = self._history.do(edit, gesture=self._together or gesture)
        except (ClevrinError, ValueError, KeyError) as error:
            self.trouble.emit(f"{edit.label} is not possible: {_why(error)}")
            return False
        if changed:
            self._after_change()
        return changed

    def do_for_chosen(self, edit: Edit, *, gesture: str | None = None) -> bool:
        """The same of an edit of the chosen shot: the other chosen ones get what it changes of that one."""
        shot, others = self.shot, self.others
        if shot is not None and others:
            edit = Alike(edit=edit, lead=shot.id, others=tuple(each.id for each in others))
        return self.do(edit, gesture=gesture)

    @contextmanager
    def together(self, label: str) -> Iterator[None]:
        """All that is done in here is one step, under these words; within another one it is a part of that."""
        if self._together is not None:
            yield
            return
        self.end_gesture()
        before, self._together = self.project, "together"
        try:
            yield
        finally:
            self._together = None
            if self.project is not before:
                self._history.end_gesture(label)
                self._after_change()

    def end_gesture(self) -> None:
        if self._together is not None:
            return
        before = self.project
        self._history.end_gesture()
        if self.project is not before:
            self._after_change()

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
    def span(self) -> NamedSpan | None:
        """The chosen span of the chosen take: the one that was clicked, else the first."""
        take = self.take
        if take is None or not take.spans:
            return None
        return next((each for each in take.spans if each.id == self._span_id), take.spans[0])

    @property
    def shot(self) -> Shot | None:
        """The chosen shot, of several the one that was chosen last; its join is the one by which it leaves."""
        wanted = self._shot_ids[-1] if self._shot_ids else None
        return next((s for s in self.project.reel.shots if s.id == wanted), None)

    @property
    def shot_ids(self) -> tuple[str, ...]:
        """All chosen shots."""
        return self._shot_ids

    @property
    def chosen(self) -> tuple[Shot, ...]:
        """All chosen shots, in the order of the reel."""
        return tuple(shot for shot in self.project.reel.shots if shot.id in self._shot_ids)

    @property
    def others(self) -> tuple[Shot, ...]:
        """The same without the one that is shown."""
        shown = self.shot
        return tuple(shot for shot in self.chosen if shot is not shown)

    @property
    def playhead(self) -> int:
        """The frame of the reel that is looked at."""
        return self._playhead

    def choose_take(self, take_id: str | None) -> None:
        if take_id != self._take_id:
            self._take_id, self._span_id = take_id, None
            self.selection_changed.emit()

    def choose_span(self, span_id: str | None) -> None:
        """Chooses one of the chosen take's spans."""
        if span_id != self._span_id:
            self._span_id = span_id
            self.selection_changed.emit()

    def choose_shot(self, shot_id: str | None) -> None:
        """Chooses one shot alone."""
        self.choose_shots(() if shot_id is None else (shot_id,))

    def choose_shots(self, shot_ids: Iterable[str]) -> None:
        """Chooses several shots; the last of them is the one that the benches show."""
        chosen = tuple(shot_ids)
        if chosen != self._shot_ids:
            self._shot_ids = chosen
            shot = self.shot
            if shot is not None and shot.take_id != self._take_id:
                self._take_id, self._span_id = shot.take_id, None
            self.selection_changed.emit()

    def move_playhead(self, frame: int) -> None:
        frame = max(0, min(frame, reel_frames(self.project) - 1))
        if frame != self._playhead:
            self._playhead = frame
            self.playhead_changed.emit(frame)

    def _put_away(self) -> None:
        """Saves the project that is open; one that cannot be saved stays in its journal, and is offered later."""
        if self.has_name or self.project.takes:
            safe = self.save_and_wait()
        else:
            safe = True  # nothing was made
        self.autosave.close_journal(safe=safe)

    def _begin(self, project: Project, path: Path, held: Claim | None, *, saved: bool) -> None:
        self.autosave.begin(project, path, held, saved=saved)
        self._history = History(project, saved=saved)
        self._take_id = project.takes[0].id if project.takes else None
        self._span_id = None
        self._shot_ids = (project.reel.shots[0].id,) if project.reel.shots else ()
        self._playhead = 0
        if self.has_name:
            remember_last(path)
        self.opened.emit()
        self._tell_project()
        self.selection_changed.emit()
        self.playhead_changed.emit(0)
        self.saved_changed.emit()

    def _after_change(self) -> None:
        self.autosave.record(self.project)
        selection = self._take_id, self._shot_ids
        if self._take_id is not None and self.take is None:
            self._take_id = self.project.takes[0].id if self.project.takes else None
        there = {shot.id for shot in self.project.reel.shots}
        if not there.issuperset(self._shot_ids):
            left = tuple(id for id in self._shot_ids if id in there)
            self._shot_ids = left or tuple(shot.id for shot in self.project.reel.shots[:1])
        self._tell_project()
        self.saved_changed.emit()
        if (self._take_id, self._shot_ids) != selection:
            self.selection_changed.emit()
        self.move_playhead(self._playhead)

    def _tell_project(self) -> None:
        """Takes are values that are shared: a trim of a shot leaves the row of them the same one."""
        takes = self.project.takes
        if takes is not self._told_takes:
            self._told_takes = takes
            self.takes_changed.emit()
        self.project_changed.emit()

    def _on_autosave_saved(self, project: Project) -> None:
        self._history.mark_saved(project)
        self.saved_changed.emit()


def _why(error: Exception) -> str:
    """The reason in an exception, on one line."""
    if isinstance(error, KeyError):
        return "what it concerns is not there any more."
    reason = str(error)
    if isinstance(error, ValidationError):
        reason = error.errors(include_url=False)[0]["msg"].removeprefix("Value error, ")
    return reason if reason.endswith(".") else f"{reason}."
