"""Measurements that begin by themselves, one for each thing of the document that needs one; dropped with it."""

from collections.abc import Callable, Container
from typing import Generic, TypeVar

from PySide6.QtCore import QObject, Signal

from clevrin.core.progress import Progress
from clevrin.desk.background.jobs import Job, JobRunner

Key = TypeVar("Key")
Found = TypeVar("Found")


class KeyedJobs(QObject, Generic[Key, Found]):
    """What was found by key; while something is measured anew, what was known of it stays.

    A key is what stands in the document, and `asked` all of it that a result depends on: where that changes, the
    measurement begins again, and where the key goes, the job stops and what it found is forgotten.
    """

    changed = Signal(str, str)
    """Something was found, or could not be: two ids that say what of."""

    def __init__(self, jobs: JobRunner, name: Callable[[Key], tuple], parent: QObject) -> None:
        super().__init__(parent)
        self._jobs, self._name = jobs, name
        self._found: dict[Key, Found] = {}
        self._found_for: dict[Key, object] = {}
        self._begun: dict[Key, object] = {}
        self._troubles: dict[Key, str] = {}

    def found(self, key: Key) -> Found | None:
        """What was found last; None: nothing yet."""
        return self._found.get(key)

    def why_not(self, key: Key) -> str | None:
        """The sentence that says why there can be nothing."""
        return self._troubles.get(key)

    def runs(self, key: Key) -> bool:
        return self._jobs.is_running(self._name(key))

    def was_stopped(self, key: Key) -> bool:
        """Whether it was begun, and somebody stopped it; what was found is kept."""
        waits = key in self._begun and self._found_for.get(key) != self._begun[key] and key not in self._troubles
        return waits and not self.runs(key)

    def _is_begun(self, key: Key, asked: object) -> bool:
        return self._begun.get(key) == asked

    def _begin(
        self, key: Key, asked: object, what: str, work: Callable[[Progress], Found], told: tuple[str, str]
    ) -> None:
        """Starts a measurement in place of the one of the same key; `told` goes out with `changed`."""

        def done(found: Found) -> None:
            self._found[key], self._found_for[key] = found, asked
            self.changed.emit(*told)

        def failed(sentence: str) -> None:
            self._troubles[key] = sentence
            self.changed.emit(*told)

        self._begun[key] = asked
        self._troubles.pop(key, None)
        self._jobs.restart(Job(key=self._name(key), what=what, work=work, done=done, failed=failed))

    def _begin_again(self, key: Key) -> None:
        """Forgets that something was begun: it begins at the next look."""
        self._begun.pop(key, None)

    def _keep_only(self, there: Container[Key]) -> None:
        """Stops and forgets all that no longer stands in the document."""
        for key in [key for key in self._begun if key not in there]:
            self._jobs.stop(self._name(key))
            for kept in (self._begun, self._found, self._found_for, self._troubles):
                kept.pop(key, None)
