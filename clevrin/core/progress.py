"""How long work says where it is, and learns that it should stop."""

from typing import Protocol

from clevrin.core.errors import CancelledError


class Progress(Protocol):
    """What a job is handed; it may be called from any thread."""

    def report(self, done: int, total: int) -> None:
        """Says that `done` of `total` steps are finished."""

    def cancelled(self) -> bool:
        """Whether the work should stop; to be asked at least every 100 ms."""


class Silent:
    """Progress that nobody watches."""

    def report(self, done: int, total: int) -> None:
        pass

    def cancelled(self) -> bool:
        return False


def step(progress: Progress, done: int, total: int) -> None:
    """Reports a step, and raises `CancelledError` when the work should stop."""
    progress.report(done, total)
    check(progress)


def check(progress: Progress) -> None:
    """Raises `CancelledError` when the work should stop."""
    if progress.cancelled():
        raise CancelledError("Stopped; what was finished is kept.")
