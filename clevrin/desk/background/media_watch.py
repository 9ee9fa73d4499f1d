"""Whether the files of the takes are where they were, and still the same; looked at on a worker, told by signal."""

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from clevrin.core.document import Take
from clevrin.core.media.finding import FileState, file_state
from clevrin.core.progress import Progress, step
from clevrin.desk.background.jobs import Job, JobRunner
from clevrin.desk.state.session import Session

_Key = tuple[str, str]  # path and fingerprint


class MediaWatch(QObject):
    """How the files of the project's takes stand. A take that has not been looked at yet counts as there."""

    changed = Signal()

    def __init__(self, session: Session, jobs: JobRunner) -> None:
        super().__init__(session)
        self._session, self._jobs = session, jobs
        self._states: dict[_Key, FileState] = {}
        session.takes_changed.connect(self._on_session_takes_changed)

    def of(self, take: Take) -> FileState:
        return self._states.get((take.path, take.fingerprint), "there")

    def sentence(self, take: Take) -> str | None:
        """What is wrong with a take's file, and what can be done; None when nothing is."""
        name = Path(take.path).name
        return {
            "there": None,
            "missing": f"{name} is not where it was. Use Find it and point at the file, or at its folder.",
            "replaced": f"{name} is another film than the one that was brought in. Use Find it, or add it as a take.",
        }[self.of(take)]

    def look(self, *, again: bool = False) -> None:
        """Looks at files that have not been looked at yet, or at all of them."""
        keys = dict.fromkeys((take.path, take.fingerprint) for take in self._session.project.takes)
        wanted = [key for key in keys if again or key not in self._states]
        if not wanted:
            return

        def work(progress: Progress) -> dict[_Key, FileState]:
            found = {}
            for number, (path, fingerprint) in enumerate(wanted):
                step(progress, number, len(wanted))
                found[path, fingerprint] = file_state(Path(path), fingerprint)
            return found

        def done(found: dict[_Key, FileState]) -> None:
            changed = any(self._states.get(key, "there") != value for key, value in found.items())
            self._states.update(found)
            if changed:
                self.changed.emit()
            self.look()  # takes may have come in meanwhile

        self._jobs.start(Job(key=("look at files",), what="Looking for the takes", work=work, done=done, quiet=True))

    def _on_session_takes_changed(self) -> None:
        self.look()
