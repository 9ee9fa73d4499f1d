"""Long work in the window: one job type, run on worker threads, delivered to the interface thread by signals."""

import heapq
import itertools
import logging
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from threading import Event, Lock
from typing import Any

from PySide6.QtCore import QObject, Qt, QTimer, Signal

from clevrin.core.errors import CancelledError, ClevrinError
from clevrin.core.media.door import stopped_by
from clevrin.core.progress import Progress
from clevrin.desk.background.precedence import Precedence
from clevrin.desk.background.priority import give_way

log = logging.getLogger(__name__)

_REPORT_EVERY_S = 0.05
_LOOK_AGAIN_S = 0.05
_BEFORE_ALL = -1


@dataclass(frozen=True, kw_only=True, eq=False)
class Job:
    """What is to be done. Of two jobs with one `key` only one runs at a time.

    `work` runs on a worker thread with a `Progress`; `done` takes its result, and `failed` a sentence, both on
    the interface thread. `quiet` jobs are quick and do not show in the job strip. Of jobs in the `background` only
    one runs at a time, those of a lower `turn` first, and they wait while somebody is pressed for pictures, as those do
    that give way. `steps`: about how many it takes, where that is known before it begins.
    """

    key: tuple[Any, ...]
    what: str
    work: Callable[[Progress], Any]
    done: Callable[[Any], None]
    failed: Callable[[str], None] | None = None
    quiet: bool = False
    background: bool = False
    gives_way: bool = False
    turn: int = 0
    steps: int = 0


MEASURING, CHARTING, MAKING_PROXIES = range(3)
"""Turns of jobs in the background: nothing can be done without a trace, and all but scrubbing without a proxy."""


@dataclass(frozen=True, kw_only=True)
class JobState:
    """How a running job stands; `left_s` and `per_s`, its steps per second, None while they cannot be told.

    `doing`: what it is at, where that is no step; `begun`: it does not wait for its turn any more; `expected`: about
    how many steps it takes, 0 where nobody knows.
    """

    what: str
    done: int
    total: int
    left_s: float | None = None
    per_s: float | None = None
    doing: str = ""
    begun: bool = False
    expected: int = 0

    @property
    def share(self) -> float:
        """How far it is, 0 to 1."""
        return self.done / self.total if self.total else 0.0


class _Running:
    """A job on its way; its `Progress` side is called on the worker thread."""

    def __init__(self, job: Job, runner: "JobRunner") -> None:
        self.job = job
        self.stop = Event()
        self.begun, self.ended = Event(), Event()
        self.before: tuple[_Running, ...] = ()
        """The jobs with this key that may be at work still although they were stopped."""
        self.state = JobState(what=job.what, done=0, total=0, expected=job.steps)
        self._runner = runner
        self._begun: tuple[float, int] | None = None
        self._told = 0.0

    def report(self, done: int, total: int) -> None:
        now = time.monotonic()
        if self._begun is None:
            self._begun = now, done
        if now - self._told < _REPORT_EVERY_S and done < total:
            return
        self._told = now
        steps, spent = done - self._begun[1], now - self._begun[0]
        per_s = steps / spent if steps > 0 and spent > 0.3 else None
        left = (total - done) / per_s if per_s else None
        self.state = replace(self.state, done=done, total=total, left_s=left, per_s=per_s, doing="")
        self._runner.progressed.emit(self)

    def doing(self, words: str) -> None:
        self.state = replace(self.state, doing=words)
        self._runner.progressed.emit(self)

    def begin(self) -> None:
        self.begun.set()
        self.state = replace(self.state, begun=True)
        self._runner.progressed.emit(self)

    def cancelled(self) -> bool:
        if self.job.background or self.job.gives_way:
            self._runner.precedence.give_way(self.stop.is_set)
        return self.stop.is_set()


class JobRunner(QObject):
    """Runs jobs in the order in which they come; `states_changed` says that the strip should show something else.

    It says so from the event loop, once for all that has changed: jobs are also started while something is painted,
    and stopped while a project is changed, when nothing that listens may paint.
    """

    states_changed = Signal()
    progressed = Signal(object)
    _finished = Signal(object, object, object)

    def __init__(
        self, parent: QObject | None = None, *, workers: int = 2, precedence: Precedence | None = None
    ) -> None:
        super().__init__(parent)
        self.precedence = precedence or Precedence()
        self._pool = ThreadPoolExecutor(workers, thread_name_prefix="job", initializer=give_way)
        self._background = ThreadPoolExecutor(1, thread_name_prefix="background", initializer=give_way)
        self._waiting: list[tuple[int, int, _Running]] = []  # a heap: by turn, then as they came
        self._numbers = itertools.count()
        self._lock = Lock()
        self._at_work = 0
        self._running: dict[tuple[Any, ...], _Running] = {}
        self._stopped: dict[tuple[Any, ...], _Running] = {}
        self._closed = False
        self._tell = QTimer(self, singleShot=True, interval=0)
        self._tell.timeout.connect(self.states_changed)
        self._finished.connect(self._on_job_finished, Qt.ConnectionType.QueuedConnection)
        self.progressed.connect(self._on_job_progressed, Qt.ConnectionType.QueuedConnection)

    @property
    def states(self) -> list[JobState]:
        """The jobs that show in the strip, oldest first."""
        return [running.state for running in self._running.values() if not running.job.quiet]

    @property
    def busy(self) -> bool:
        return bool(self._running)

    @property
    def idle(self) -> bool:
        """Whether no thread works any more, not even on what was stopped."""
        with self._lock:
            return self._at_work == 0 and not self._running

    def start(self, job: Job) -> bool:
        """Queues a job; False when one with its key is under way."""
        if self._closed or job.key in self._running:
            return False
        running = _Running(job, self)
        stopped = self._stopped.pop(job.key, None)
        if stopped is not None:
            running.before = tuple(each for each in (*stopped.before, stopped) if not each.ended.is_set())
        self._running[job.key] = running
        if job.background:
            with self._lock:
                heapq.heappush(self._waiting, (job.turn, next(self._numbers), running))
            self._background.submit(self._run_next)
        else:
            self._pool.submit(self._run, running)
        self._tell.start()
        return True

    def restart(self, job: Job) -> None:
        """Newest wins: stops a job with this key and drops its answer, and queues this one."""
        self.stop(job.key)
        self.start(job)

    def stop(self, key: tuple[Any, ...]) -> None:
        """Stops a job; what it has finished is kept where it keeps pieces.

        The next one with its key begins when this one has ended, so that no two of them write one file.
        """
        running = self._running.pop(key, None)
        if running is not None:
            running.stop.set()
            self._stopped = {each: kept for each, kept in self._stopped.items() if not kept.ended.is_set()}
            self._stopped[key] = running
            self._tell.start()

    def put_first(self, key: tuple[Any, ...]) -> None:
        """Has a job in the background that waits for its turn made before all others that wait."""
        with self._lock:
            for at, (_, _, running) in enumerate(self._waiting):
                if running.job.key == key:
                    self._waiting[at] = _BEFORE_ALL, -next(self._numbers), running  # before those put so earlier
                    heapq.heapify(self._waiting)
                    return

    def stop_shown(self) -> None:
        """Stops the jobs that the strip shows."""
        for key in [key for key, running in self._running.items() if not running.job.quiet]:
            self.stop(key)

    def is_running(self, key: tuple[Any, ...]) -> bool:
        return key in self._running

    def state_of(self, key: tuple[Any, ...]) -> JobState | None:
        """How a job stands; None when there is none. Its `total` is 0 while it waits for its turn."""
        running = self._running.get(key)
        return None if running is None else running.state

    def close(self) -> None:
        """Stops everything and waits for it."""
        self._closed = True
        for running in self._running.values():
            running.stop.set()
        self._running.clear()
        self._pool.shutdown(wait=True, cancel_futures=True)
        self._background.shutdown(wait=True, cancel_futures=True)

    def _run_next(self) -> None:
        """Runs the job in the background whose turn it is."""
        with self._lock:
            _, _, running = heapq.heappop(self._waiting)
        self._run(running)

    def _run(self, running: _Running) -> None:
        with self._lock:
            self._at_work += 1
        try:
            self._work_on(running)
        finally:
            running.ended.set()
            running.before = ()
            with self._lock:
                self._at_work -= 1

    def _work_on(self, running: _Running) -> None:
        result, sentence = None, None
        running.begin()
        for each in running.before:
            # One that has not begun yet ends as soon as it does: waiting for it could wait for this very thread.
            while each.begun.is_set() and not each.ended.wait(_LOOK_AGAIN_S):
                if running.stop.is_set():
                    return
        if running.stop.is_set():
            return
        try:
            with stopped_by(running.stop.is_set):
                result = running.job.work(running)
        except CancelledError:
            return
        except ClevrinError as error:
            sentence = str(error)
        except Exception:
            log.exception("job %s failed", running.job.what)
            sentence = f"{running.job.what} failed for a reason that was not foreseen; the log file has the details."
        if not self._closed:
            self._finished.emit(running, result, sentence)

    def _on_job_progressed(self, running: _Running) -> None:
        if not running.job.quiet:
            self._tell.start()

    def _on_job_finished(self, running: _Running, result: Any, sentence: str | None) -> None:
        if self._closed or self._running.get(running.job.key) is not running:
            return  # stopped, or overtaken by a newer one
        del self._running[running.job.key]
        if sentence is None:
            running.job.done(result)
        elif running.job.failed is not None:
            running.job.failed(sentence)
        self._tell.start()
