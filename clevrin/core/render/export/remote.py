"""Segments made on other machines: tasks of a scheduler (Dask's own) that the user has started, with its workers.

Plans are made here, where everything is measured; a worker needs Clevrin and the media. What a worker makes comes back
as the bytes of a segment, and is put where it would have been made: so nothing else is different, and a worker that
dies costs the segment that it was at, which another one makes.
"""

import os
import tempfile
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import cv2

from clevrin import __version__
from clevrin.core.closing import Closes
from clevrin.core.document import Project, Take
from clevrin.core.errors import ClevrinError, MediaError
from clevrin.core.media.probe import fingerprint
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.outputs import put
from clevrin.core.progress import Progress, Silent, check, step
from clevrin.core.render.export.path_mapping import away, here
from clevrin.core.render.export.remote_door import ANSWERS_WITHIN_S, Certificates, client_of
from clevrin.core.render.export.segment_maker import SegmentTask, make_segment
from clevrin.core.render.measured.measurement_needs import TraceNeed
from clevrin.core.render.measured.measurement_store import MeasurementStore
from clevrin.core.render.resolving.hold_request import HoldRequest
from clevrin.core.render.sources import Sources

ROOT_NAME = "CLEVRIN_ROOT"
"""The environment's name of the folder under which media lie, on each machine."""
_LOOK_EVERY_S = 0.02
_NOBODY_FOR_S = 30.0
_WAITING_EACH = 2
"""So many segments are on their way for each worker: their plans and bytes are held here."""
_CORES_EACH = 2
"""A segment keeps as many busy: laying pictures, and coding them. More workers on a machine are not quicker."""
_FEW = 3


def own_root() -> Path | None:
    """The root of media on this machine, as its environment says."""
    named = os.environ.get(ROOT_NAME)
    return Path(named) if named else None


@dataclass(frozen=True)
class _Wanted:
    """A file that a worker must have: its place, and what it is known by (None: it only must be there)."""

    path: str
    fingerprint: str | None


class Machines(Closes):
    """The workers of a scheduler, as a maker of segments. Close it, or use it in a `with`."""

    def __init__(self, address: str, root: Path | None = None, certificates: Certificates | None = None) -> None:
        """`root`: under which media lie here; None: as the environment says, or they lie at the same places everywhere.

        `certificates`: for an address of tls://. Raises `ClevrinError` where nobody answers within 15 s, one side does
        not trust the other, or the scheduler has no workers.
        """
        self._address, self._root = address, root or own_root()
        self._client: Any = client_of(address, certificates)
        self._places: dict[Any, tuple[Path, int, Callable[[int], None]]] = {}
        self._progress: Progress = Silent()
        self._workers: list[str] = []
        if not self._threads():
            self.close()
            raise ClevrinError(f"The scheduler at {address} has no workers: start one with dask worker {address}.")

    def close(self) -> None:
        """Leaves the scheduler; what was not finished is taken back."""
        self._take_back()
        with suppress(Exception):
            self._client.close(timeout=ANSWERS_WITHIN_S)

    def _take_back(self) -> None:
        for future in list(self._places):
            with suppress(Exception):  # it may be gone
                future.cancel()
        self._places.clear()

    def prepare(self, project: Project, progress: Progress) -> None:
        """Asks every worker whether it has this version of Clevrin, and the takes and files that a reel shows.

        Raises `MediaError` with what they lack.
        """
        self._progress = progress
        self._take_back()  # of a render that was stopped
        wanted = [_Wanted(take.path, take.fingerprint) for take in project.shown_takes]
        wanted += [_Wanted(str(path), None) for path in project.pinned_files]
        asked = away(tuple(wanted), self._root)
        answers = self._client.run(_what_lacks, asked, __version__, on_error="return")
        wrong = [f"{worker}: {_said(answer)}" for worker, answer in sorted(answers.items()) if answer]
        if wrong:
            raise MediaError(f"{len(wrong)} of {len(answers)} workers cannot: {'; '.join(wrong[:_FEW])}.")
        self._workers = self._shared_out()

    def _shared_out(self) -> list[str]:
        """The workers that are used first: as many on each machine as make it quicker. The others stand by."""
        cores = self._client.run(os.cpu_count)
        on_host: dict[str | None, list[str]] = {}
        for worker in sorted(cores):
            on_host.setdefault(urlsplit(worker).hostname, []).append(worker)
        chosen: list[str] = []
        for workers in on_host.values():
            used = workers[: max(1, cores[workers[0]] // _CORES_EACH)]
            self._client.run(cv2.setNumThreads, max(1, cores[workers[0]] // len(used)), workers=used)
            chosen += used
        return chosen

    def measure(self, project: Project, store: MeasurementStore, progress: Progress) -> None:
        """Has the takes whose shots are held measured by workers, where they are not yet, and puts it into a store.

        Raises `MediaError` for a take that cannot be measured, `CancelledError`.
        """
        requests = (HoldRequest.of(project, shot) for shot in project.reel.shots)
        moving = {each.take.id: each.take for each in requests if each.needs_trace or each.needs_course}
        missing = [each for each in moving.values() if each.facts.frames > 1 and store.trace(each) is None]
        waiting = {self._send(_traced, away(take, self._root)): take for take in missing}
        total = sum(take.facts.frames for take in missing)
        done = 0
        try:
            while waiting:
                for future in self._ended(waiting, progress):
                    take = waiting.pop(future)
                    store.remembered.put(TraceNeed(take=take).key, _result(future))
                    done += take.facts.frames
                    step(progress, done, total)
        finally:
            for future in waiting:
                future.cancel()

    def make(self, task: SegmentTask, place: Path, told: Callable[[int], None]) -> None:
        """Has a segment made; waits while as many are on their way as there is room for."""
        sent = self._send(_made, away(task, self._root))
        self._places[sent] = place, len(task.plans), told
        while len(self._places) >= _WAITING_EACH * max(1, len(self._workers)):
            self._fetch()

    def _send(self, work: Callable[..., Any], given: Any) -> Any:
        """Has something done by one of the workers that are used, or by another one where none of them is left."""
        workers = self._workers or None
        return self._client.submit(work, given, pure=False, workers=workers, allow_other_workers=workers is not None)

    def finish(self) -> None:
        while self._places:
            self._fetch()

    def _fetch(self) -> None:
        """Puts what has been made into its place."""
        for future in self._ended(self._places, self._progress):
            place, frames, told = self._places.pop(future)
            made = _result(future)
            with put(place) as part:
                part.write_bytes(made)
            told(frames)

    def _ended(self, waiting: Any, progress: Progress) -> list[Any]:
        """Those of some futures that have ended, at least one. Raises `CancelledError`, and where no worker is left."""
        nobody_s = 0.0
        while True:
            check(progress)
            ended = [future for future in waiting if future.done()]
            if ended:
                return ended
            time.sleep(_LOOK_EVERY_S)
            nobody_s = 0.0 if self._threads() else nobody_s + _LOOK_EVERY_S
            if nobody_s > _NOBODY_FOR_S:
                raise MediaError(f"No worker is left at {self._address}: what is finished is kept, and can go on.")

    def _threads(self) -> int:
        """How many segments are made at once."""
        try:
            return sum(self._client.nthreads().values())
        except Exception as error:  # the library has many for one that has gone
            raise MediaError(f"The scheduler at {self._address} has gone: what is finished is kept.") from error


def _result(future: Any) -> Any:
    """What a worker answers. Raises `MediaError` with its sentence, or with why there is none."""
    try:
        return future.result()
    except ClevrinError:
        raise
    except Exception as error:
        name = type(error).__name__
        if name == "KilledWorker":
            raise MediaError("A segment killed every worker that tried it: see the log of the workers.") from error
        raise MediaError(f"A worker failed: {name}: {error}") from error


def _said(answer: object) -> str:
    """What a worker lacks, in words."""
    if isinstance(answer, ImportError):
        return "it has no Clevrin"
    return str(answer)


# What workers do


def _what_lacks(wanted: tuple[_Wanted, ...], version: str) -> str:
    """What this machine lacks for a render; "" for nothing."""
    if version != __version__:
        return f"it has Clevrin {__version__}, not {version}"
    root = own_root()
    lacks = [Path(each.path).name for each in (here(each, root) for each in wanted) if not _is_there(each)]
    if not lacks:
        return ""
    more = f" and {len(lacks) - _FEW} more" if len(lacks) > _FEW else ""
    return f"it has no {', '.join(lacks[:_FEW])}{more}, or other ones (its {ROOT_NAME} is {root or 'not set'})"


def _is_there(wanted: _Wanted) -> bool:
    path = Path(wanted.path)
    if not path.is_file():
        return False
    return wanted.fingerprint is None or fingerprint(path) == wanted.fingerprint


def _made(task: SegmentTask) -> bytes:
    """The bytes of a segment that is made on this machine."""
    task = here(task, own_root())
    with tempfile.TemporaryDirectory(prefix="clevrin-") as folder, Sources.of(_store(), onward=True) as sources:
        place = Path(folder) / "segment"
        make_segment(task, place, sources.films, lambda _: None)
        return place.read_bytes()


def _traced(take: Take) -> Trace:
    return _store().measure(here(take, own_root()), Silent())


_kept: list[MeasurementStore] = []
_lock = threading.Lock()


def _store() -> MeasurementStore:
    """What this process knows of takes: a worker does many segments of one."""
    with _lock:
        if not _kept:
            _kept.append(MeasurementStore())
        return _kept[0]
