"""Rendering in a process of its own: the memory that it takes goes back when it ends, and nothing else waits for it.

The process is handed a request on its standard input and answers with lines of JSON; it stops when its input is closed,
and so when who started it is gone.
"""

import contextlib
import json
import os
import pickle
import select
import subprocess
import sys
import threading
import traceback
from pathlib import Path
from typing import IO, Any

from clevrin.core.errors import CancelledError, ClevrinError, MediaError
from clevrin.core.media.door import stopped_by
from clevrin.core.progress import Progress, check, step, tell
from clevrin.core.render.export.export import ExportRequest, export_reel
from clevrin.core.render.sources import Sources
from clevrin.core.shelf import Shelf

_LOOK_EVERY_S = 0.05
_ENDS_WITHIN_S = 1.5
"""How long a stopped process may take to put away what it has begun; after that it is killed."""


def export_apart(request: ExportRequest, shelf: Path, progress: Progress, troubles: set[str] | None = None) -> Path:
    """The same as `export_reel`, made by another process; `shelf`: the folder of what is measured.

    Costs half a second more than making it here. Raises the same errors with the same sentences, `MediaError` where
    the process ended before its time, and `RuntimeError` with its traceback for what was not foreseen there.
    """
    command = [sys.executable, "-m", "clevrin.core.render.export.child_process"]
    with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as process:
        try:
            assert process.stdin is not None
            with contextlib.suppress(BrokenPipeError):  # its last line says why
                pickle.dump((request, shelf), process.stdin)
                process.stdin.flush()
            return _answer(process, request, progress, troubles)
        finally:
            _end(process)


def _answer(
    process: subprocess.Popen[bytes], request: ExportRequest, progress: Progress, troubles: set[str] | None
) -> Path:
    assert process.stdout is not None
    waiting = b""
    while True:
        ready, _, _ = select.select([process.stdout], [], [], _LOOK_EVERY_S)
        check(progress)
        if not ready:
            continue
        piece = process.stdout.read1(65536)  # type: ignore[attr-defined]
        if not piece:
            code = process.wait()
            raise MediaError(f"Rendering {request.path.name} broke off ({code}): its process was ended from outside.")
        *lines, waiting = (waiting + piece).split(b"\n")
        for line in lines:
            told = json.loads(line)
            if "done" in told:
                step(progress, told["done"], told["total"])
            elif "doing" in told:
                tell(progress, told["doing"])
            elif "sentence" in told:
                raise MediaError(told["sentence"])
            elif "traceback" in told:
                raise RuntimeError(told["traceback"])
            else:
                if troubles is not None:
                    troubles.update(told["troubles"])
                return Path(told["written"])


def _end(process: subprocess.Popen[bytes]) -> None:
    """Has a process end: by itself, so that nothing half made stays, or else by force."""
    assert process.stdin is not None
    with contextlib.suppress(OSError):
        process.stdin.close()
    try:
        process.wait(_ENDS_WITHIN_S)
    except subprocess.TimeoutExpired:
        process.kill()


class _Told:
    """Progress that is told to who started this process; stopped when nobody is there any more."""

    def __init__(self, answers: IO[str], questions: int) -> None:
        self._answers = answers
        self._gone = threading.Event()
        threading.Thread(target=self._watch, args=(questions,), name="watching", daemon=True).start()

    def _watch(self, questions: int) -> None:
        # Not by way of the buffered file: Python aborts at its end where a thread still waits in one.
        while os.read(questions, 4096):
            pass
        self._gone.set()

    def report(self, done: int, total: int) -> None:
        self.tell(done=done, total=total)

    def doing(self, words: str) -> None:
        self.tell(doing=words)

    def cancelled(self) -> bool:
        return self._gone.is_set()

    def tell(self, **what: Any) -> None:
        try:
            print(json.dumps(what), file=self._answers, flush=True)
        except BrokenPipeError:
            self._gone.set()


def main() -> None:
    """What the process does."""
    request, shelf = pickle.load(sys.stdin.buffer)  # from who started it: nobody else has this end of the pipe
    told, troubles = _Told(sys.stdout, sys.stdin.fileno()), set[str]()
    try:
        with stopped_by(told.cancelled), Sources.of(Shelf(shelf), onward=True) as sources:
            written = export_reel(request, sources, told, troubles)
        told.tell(written=str(written), troubles=sorted(troubles))
    except CancelledError:
        pass
    except ClevrinError as error:
        told.tell(sentence=str(error))
    except Exception:
        told.tell(traceback=traceback.format_exc())


if __name__ == "__main__":
    main()
