"""Keeping what is open safe: its place and the claim on it, the journal of changes, and saving on a thread."""

import logging
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Qt, QTimer, Signal

from clevrin.core.document import Project
from clevrin.core.document.claim import Claim, claim
from clevrin.core.document.earlier_versions import keep_copy
from clevrin.core.document.files import reason_of, save
from clevrin.core.document.journal import Journal
from clevrin.core.document.keeping import data_folder, is_unnamed, journal_folder, remember_last, unnamed_file
from clevrin.core.errors import DocumentError
from clevrin.core.paths import is_there

log = logging.getLogger(__name__)

_SYNC_AFTER_MS = 1000
Signature = tuple[int, int, int]


@dataclass(frozen=True, kw_only=True)
class _Saving:
    """A save under way: what is written where, and how many changes the journal had then."""

    project: Project
    place: Path
    changes: int
    expected: Signature | None


_Ended = tuple[bool, str]
"""Whether a file had been changed by something else, and why it could not be saved (empty: it was)."""
_UnderWay = tuple[_Saving, "Future[_Ended]"]


class Autosave(QObject):
    """Writes every change into a journal at once, and the project into its file when asked to.

    A change is in the journal before anybody sees it; a disk that is full or cannot be written is told with the
    first change, or when the project is opened.
    """

    saved = Signal(object)
    """The project that is in its file now."""
    trouble = Signal(str)
    _ended = Signal(object, object, str)

    def __init__(self, parent: QObject | None = None, *, folder: Callable[[], Path] = journal_folder) -> None:
        """`folder` says where journals lie, each time that one is begun."""
        super().__init__(parent)
        self._folder = folder
        self._place = Path()
        self._claim: Claim | None = None
        self.journal: Journal | None = None
        self._signature: Signature | None = None
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="autosave")
        self._saving: _UnderWay | None = None
        self._again: Project | None = None
        self._sync = QTimer(self, singleShot=True, interval=_SYNC_AFTER_MS)
        self._sync.timeout.connect(self._on_sync_timeout)
        self._ended.connect(self._on_save_ended, Qt.ConnectionType.QueuedConnection)

    @property
    def place(self) -> Path:
        """The file of the project; it need not be there yet."""
        return self._place

    @property
    def holds_everything(self) -> bool:
        """Whether every change is in the journal."""
        return self.journal is not None and self.journal.whole

    @property
    def saving(self) -> bool:
        return self._saving is not None

    def claim(self, place: Path) -> Claim | None:
        """Claims a file before it is opened; None: another window has it open. The one that is open stays claimed."""
        if place == self._place and self._claim is not None:
            return self._claim
        return claim(place, data_folder() / "open")

    def claim_fresh(self) -> tuple[Path, Claim | None]:
        """A place for a project that has no name, which no other window has."""
        number = 1
        while True:
            place = unnamed_file(number)
            if not is_there(place):
                held = claim(place, data_folder() / "open")
                if held is not None:
                    return place, held
            number += 1

    def begin(self, project: Project, place: Path, held: Claim | None, *, saved: bool) -> None:
        """Takes over a project that was opened; `saved`: its file holds it as it is. The old one is let go of."""
        self.finish()
        if held is not self._claim:
            self._release()
        self._place, self._claim = place, held
        self._signature = _signature(place)
        self.journal = None
        with self._telling():
            self.journal = Journal(self._folder(), project, place=place, saved=saved)

    def record(self, project: Project) -> None:
        """Writes a change into the journal."""
        with self._telling():
            if self.journal is None:
                self.journal = Journal(self._folder(), project, place=self._place, saved=False)
            else:
                self.journal.record(project)
        if not self._sync.isActive():
            self._sync.start()

    def save(self, project: Project) -> None:
        """Saves on a thread; `saved` or `trouble` says how it ended. One that is under way is followed by this one."""
        if self._saving is not None:
            self._again = project
            return
        saving = self._what_to_save(project)
        self._saving = saving, self._pool.submit(self._save, saving)

    def save_and_wait(self, project: Project) -> bool:
        """Saves before it returns; False when that was not possible, which is told."""
        self.finish()
        meddled, sentence = _written(self._what_to_save(project))
        if sentence:
            self.trouble.emit(sentence)
            return False
        self._note_saved(project, self._changes, meddled)
        return True

    def save_elsewhere(self, project: Project, place: Path, held: Claim) -> None:
        """Saves in another place, which is the project's own from now on. Raises `DocumentError`."""
        self.finish()
        _write(_Saving(project=project, place=place, changes=self._changes, expected=None))
        if held is not self._claim:
            self._release()
        self._place, self._claim, self._signature = place, held, _signature(place)
        if self.journal is not None:
            with self._telling():
                self.journal.rewrite(project, place=place, saved=True)

    def finish(self) -> None:
        """Waits until nothing is being saved any more; nothing follows it. What could not be saved is not told."""
        self._again = None
        if self._saving is None:
            return
        (saving, future), self._saving = self._saving, None
        meddled, sentence = future.result()
        if not sentence:
            self._note_saved(saving.project, saving.changes, meddled)

    def close_journal(self, *, safe: bool) -> None:
        """Ends the journal: thrown away when what it holds is safe elsewhere, else left to be found."""
        if self.journal is not None:
            if safe:
                self.journal.close()
            else:
                self.journal.abandon()
            self.journal = None

    def close(self) -> None:
        """Lets go of everything."""
        self._sync.stop()
        self.finish()
        self._release()
        self._pool.shutdown()

    @contextmanager
    def _telling(self) -> Iterator[None]:
        """Tells what the journal cannot do; the work goes on."""
        try:
            yield
        except DocumentError as error:
            self.trouble.emit(str(error))

    @property
    def _changes(self) -> int:
        return self.journal.changes if self.journal is not None else 0

    def _what_to_save(self, project: Project) -> _Saving:
        return _Saving(project=project, place=self._place, changes=self._changes, expected=self._signature)

    def _release(self) -> None:
        if self._claim is not None:
            self._claim.release()
            self._claim = None

    def _save(self, saving: _Saving) -> _Ended:
        """On the autosave's thread: whatever goes wrong there is told."""
        ended = _written(saving)
        self._ended.emit(saving, *ended)
        return ended

    def _on_save_ended(self, saving: _Saving, meddled: bool, sentence: str) -> None:
        if self._saving is None or self._saving[0] is not saving:
            return  # somebody waited for it, and has gone on since, perhaps with another project
        self._saving = None
        if sentence:
            self.trouble.emit(sentence)
        else:
            self._note_saved(saving.project, saving.changes, meddled)
        if self._again is not None:
            again, self._again = self._again, None
            self.save(again)

    def _note_saved(self, project: Project, changes: int, meddled: bool) -> None:
        self._signature = _signature(self._place)
        if self.journal is not None:
            with self._telling():
                self.journal.note_saved(changes)
        remember_last(self._place)
        if meddled:
            self.trouble.emit(
                f"{self._place.name} had been changed by something else meanwhile. That version is kept beside it, as "
                f"{self._place.stem}.earlier-1."
            )
        self.saved.emit(project)

    def _on_sync_timeout(self) -> None:
        if self.journal is not None:
            self._pool.submit(self.journal.sync)


def _written(saving: _Saving) -> _Ended:
    """Saves, and says how that ended: no error gets lost, not even one that nobody foresaw."""
    try:
        return _write(saving), ""
    except DocumentError as error:
        return False, str(error)
    except Exception:
        log.exception("saving %s", saving.place)
        return False, (
            f"{saving.place.name} could not be saved, for a reason that was not foreseen; the log file has it. "
            "What you made is kept in the journal."
        )


def _write(saving: _Saving) -> bool:
    """Saves, keeping a copy of what was there; whether that was something that we did not know of."""
    place = saving.place
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise DocumentError(f"{place.parent} cannot be made: {reason_of(error)}; choose another place.") from error
    there = _signature(place)
    meddled = there is not None and there != saving.expected
    if there is not None and not is_unnamed(place):
        keep_copy(place, known_good=not meddled)
    save(saving.project, place)
    return meddled


def _signature(place: Path) -> Signature | None:
    """What tells whether a file is still the one that was read or written; None when it is not there."""
    try:
        stat = place.stat()
    except OSError:
        return None
    return stat.st_mtime_ns, stat.st_size, stat.st_ino
