"""What commands have in common: progress on the terminal, Ctrl+C, and how results are printed."""

import json
import signal
import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import asdict, is_dataclass
from types import FrameType
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from rich.progress import Progress


class Shown:
    """Progress as a bar on standard error; it stops at Ctrl+C."""

    def __init__(self, bar: "Progress | None", what: str) -> None:
        self._bar = bar
        self._task = None if bar is None else bar.add_task(what, total=None)
        self._stop = False

    def report(self, done: int, total: int) -> None:
        if self._bar is not None and self._task is not None:
            self._bar.update(self._task, completed=done, total=total)

    def cancelled(self) -> bool:
        return self._stop

    def interrupt(self, number: int, frame: FrameType | None) -> None:
        self._stop = True


@contextmanager
def shown(what: str) -> Iterator[Shown]:
    """A progress bar while a block runs; none where standard error is not a terminal."""
    with ExitStack() as stack:
        progress = Shown(stack.enter_context(_bar()) if sys.stderr.isatty() else None, what)
        before = signal.signal(signal.SIGINT, progress.interrupt)
        stack.callback(signal.signal, signal.SIGINT, before)
        yield progress


def _bar() -> "Progress":
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn()
    return Progress(*columns, console=Console(stderr=True), transient=True)


def print_json(value: Any) -> None:
    sys.stdout.write(json.dumps(plain(value)) + "\n")


def print_line(text: str) -> None:
    sys.stdout.write(text + "\n")


def plain(value: Any) -> Any:
    """Values as JSON has them."""
    if is_dataclass(value) and not isinstance(value, type):
        return plain(asdict(value))
    if isinstance(value, dict):
        return {key: plain(item) for key, item in value.items()}
    if isinstance(value, list | tuple):
        return [plain(item) for item in value]
    return value
