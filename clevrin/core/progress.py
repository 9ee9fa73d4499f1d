"""How long work says where it is, and learns that it should stop."""

from typing import Protocol, runtime_checkable

from clevrin.core.errors import CancelledError


class Progress(Protocol):
    """What a job is handed; it may be called from any thread."""

    def report(self, done: int, total: int) -> None:
        """Says that `done` of `total` steps are finished."""

    def cancelled(self) -> bool:
        """Whether the work should stop; to be asked at least every 100 ms."""


@runtime_checkable
class Telling(Progress, Protocol):
    """Progress that also wants to know what is done between steps."""

    def doing(self, words: str) -> None:
        """Says what is done now, in one or two words."""


class Silent:
    """Progress that nobody watches."""

    def report(self, done: int, total: int) -> None:
        pass

    def cancelled(self) -> bool:
        return False


def tell(progress: Progress, words: str) -> None:
    """Says what is done now, to who wants to know that."""
    if isinstance(progress, Telling):
        progress.doing(words)


def step(progress: Progress, done: int, total: int) -> None:
    """Reports a step, and raises `CancelledError` when the work should stop."""
    progress.report(done, total)
    check(progress)


def check(progress: Progress) -> None:
    """Raises `CancelledError` when the work should stop."""
    if progress.cancelled():
        raise CancelledError("Stopped; what was finished is kept.")
