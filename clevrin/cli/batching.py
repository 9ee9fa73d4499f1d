"""A table of commands, run several at once: each in a process of its own, so that none takes others with it."""

import contextlib
import csv
import io
import os
import shlex
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass, replace
from itertools import pairwise
from pathlib import Path

from clevrin.core.document.files import SUFFIX, load, read_text
from clevrin.core.errors import ClevrinError
from clevrin.core.media.finding import FILM_SUFFIXES
from clevrin.core.outputs import check_output
from clevrin.core.paths import is_file
from clevrin.core.plain_text import cell, readable

_CORES_EACH = 2
"""A job measures or renders on about so many cores."""
_FORBIDDEN = ("batch", "open", "demo")
_OUT = ("--out", "--to", "--report")
_LOOK_EVERY_S = 0.5


@dataclass(frozen=True, kw_only=True)
class Job:
    """A row of the table: its number in the file, and the words of the command. `wrong`: why it cannot be run."""

    line: int
    words: tuple[str, ...]
    wrong: str = ""


@dataclass(frozen=True, kw_only=True)
class Result:
    """What came of a job: its exit code, how long it took, and what it said last."""

    job: Job
    code: int
    seconds: float
    said: str


def read_jobs(table: Path) -> tuple[Job, ...]:
    """The jobs of a table: `command` and `words` columns, or a column for each option.

    The first row names the columns: `command`, `arguments` (as one types them), and any option without its dashes.
    An empty cell is left out; `yes` is an option without a value. A row that makes no sense is a job that fails.
    Raises `ClevrinError` for what is no such table.
    """
    try:
        rows = list(csv.reader(io.StringIO(read_text(table, "a table of jobs").lstrip("\ufeff"))))
    except csv.Error as error:
        raise ClevrinError(f"{table.name} cannot be read as CSV: {error}.") from error
    head = [each.strip() for each in rows[0]] if rows else []
    if "command" not in head:
        raise ClevrinError(f"{table.name} is no table of jobs: its first row has no column named command.")
    found = []
    for number, row in enumerate(rows[1:], start=2):
        if any(cell.strip() for cell in row):
            found.append(
                _job(number, dict(zip(head, (cell.strip() for cell in row), strict=False)), len(row) > len(head))
            )
    if not found:
        raise ClevrinError(f"{table.name} has no jobs in it.")
    return tuple(found)


def _job(line: int, cells: dict[str, str], too_many: bool) -> Job:
    command = cells.pop("command", "")
    if not command or command in _FORBIDDEN or too_many:
        why = "has more cells than columns" if too_many else f"cannot run {command!r}" if command else "has no command"
        return Job(line=line, words=(command,), wrong=f"Row {line} {why}.")
    try:
        words = [command, *shlex.split(cells.pop("arguments", ""))]
    except ValueError:
        return Job(line=line, words=(command,), wrong=f"Row {line} has a quotation mark that is not closed.")
    for name, value in cells.items():
        if value:
            words += [f"--{name}"] if value == "yes" else [f"--{name}", value]
    return Job(line=line, words=tuple(words))


def check_results(out: Path, table: Path, jobs: tuple[Job, ...]) -> None:
    """Raises `ClevrinError` where what came of the jobs may not be written: over what they use, or write to."""
    if any(each.absolute() == out.absolute() for job in jobs for each in _outputs(job.words)):
        raise ClevrinError(f"{out.name} is what a row writes to: choose another name.")
    check_output(out, [table, *films_of(jobs)])


def films_of(jobs: tuple[Job, ...]) -> Iterator[Path]:
    """Every file that a row names, and the media of the projects among them: nothing may be written over these."""
    for word in dict.fromkeys(word for job in jobs for word in job.words[1:]):
        path = Path(word.partition("=")[2] if word.startswith("--") else word)
        if is_file(path):
            yield path
            if path.suffix == SUFFIX:
                with contextlib.suppress(ClevrinError):
                    yield from load(path).media


def _written_once(jobs: tuple[Job, ...]) -> tuple[Job, ...]:
    """The jobs, where one that writes to what a row before it writes to is one that fails."""
    by_place: dict[Path, int] = {}
    found = []
    for job in jobs:
        places = {each.absolute() for each in _outputs(job.words)}
        before = next((by_place[each] for each in sorted(places) if each in by_place), None)
        if before is not None and not job.wrong:
            job = replace(job, wrong=f"Row {job.line} writes to what row {before} writes to.")
        by_place |= {each: job.line for each in places if each not in by_place}
        found.append(job)
    return tuple(found)


def run_jobs(jobs: tuple[Job, ...], at_once: int | None, tell: Callable[[str], None]) -> tuple[Result, ...]:
    """Runs them all, and gives what came of each in their order; `tell` is given a line as each ends."""
    jobs = _written_once(jobs)
    room = at_once or max(1, (os.cpu_count() or 1) // _CORES_EACH)
    done: dict[int, Result] = {}
    with ThreadPoolExecutor(room, thread_name_prefix="batch") as pool:
        waiting = {pool.submit(_run, job): number for number, job in enumerate(jobs)}
        for future in as_completed(waiting):
            result = done[waiting[future]] = future.result()
            words = "done" if result.code == 0 else f"failed: {result.said}"
            tell(f"{len(done)}/{len(jobs)}  row {result.job.line}  {readable(result.job.words[0])}  {words}")
    return tuple(done[number] for number in range(len(jobs)))


def _run(job: Job) -> Result:
    if job.wrong:
        return Result(job=job, code=2, seconds=0.0, said=job.wrong)
    began = time.monotonic()
    try:
        ran = subprocess.run(
            [sys.executable, "-m", "clevrin", *job.words], capture_output=True, text=True, errors="replace", check=False
        )
    except (OSError, ValueError) as error:  # words too long to be passed on, or with a character of number 0
        return Result(job=job, code=2, seconds=0.0, said=f"Row {job.line} cannot be run: {error}.")
    lines = (ran.stderr if ran.returncode else ran.stdout).strip().splitlines()
    said = " ".join(each.strip(" \u2502") for each in lines[-3:] if each.strip(" \u2502\u256d\u256e\u2570\u256f\u2500"))
    return Result(job=job, code=ran.returncode, seconds=time.monotonic() - began, said=said[:500])


def results_csv(results: tuple[Result, ...]) -> str:
    """What came of each job, a row each."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(["row", "command", "exit", "seconds", "said"])
    for each in results:
        writer.writerow(
            [
                each.job.line,
                cell(readable(shlex.join(each.job.words))),
                each.code,
                f"{each.seconds:.1f}",
                cell(readable(each.said)),
            ]
        )
    return text.getvalue()


class FolderWatch:
    """Films that come into a folder: each is told once, when it has not grown for a while."""

    def __init__(self, folder: Path, settles_s: float = 2.0, clock: Callable[[], float] = time.monotonic) -> None:
        """Raises `ClevrinError` for what is no folder."""
        if not folder.is_dir():
            raise ClevrinError(f"{folder} is no folder that could be watched.")
        self._folder, self._settles_s, self._clock = folder, settles_s, clock
        self._seen: dict[Path, tuple[tuple[int, int], float]] = {}
        self._told: dict[Path, tuple[int, int]] = {}

    def arrived(self) -> tuple[Path, ...]:
        """The films that have come, or became others, since it was asked the last time."""
        now, found = self._clock(), []
        for path in sorted(self._folder.iterdir()):
            if path.suffix.lower() not in FILM_SUFFIXES or path.name.startswith("."):
                continue
            try:
                there = path.stat()
            except OSError:
                continue
            stamp = there.st_size, there.st_mtime_ns
            known = self._seen.get(path)
            if known is None or known[0] != stamp:
                self._seen[path] = stamp, now
            elif now - known[1] >= self._settles_s and stamp[0] and self._told.get(path) != stamp:
                self._told[path] = stamp
                found.append(path)
        return tuple(found)


def jobs_for(jobs: tuple[Job, ...], film: Path, folder: Path) -> tuple[Job, ...]:
    """The jobs of a table for one film: {file} is its path, {name} its name without an ending.

    A job that would write into the folder that is watched is one that fails.
    """
    found = []
    for job in jobs:
        words = tuple(each.replace("{file}", str(film)).replace("{name}", film.stem) for each in job.words)
        wrong = job.wrong
        if not wrong and any(_lies_in(each, folder) for each in _outputs(words)):
            wrong = f"Row {job.line} writes into the folder that is watched."
        found.append(replace(job, words=words, wrong=wrong))
    return tuple(found)


def _outputs(words: tuple[str, ...]) -> Iterator[Path]:
    """Where a command writes to."""
    for word, after in pairwise((*words, "")):
        name, equals, value = word.partition("=")
        if name in _OUT:
            yield Path(value if equals else after)


def _lies_in(out: Path, folder: Path) -> bool:
    return out.absolute().parent.resolve() == folder.resolve()


def watch_folder(
    jobs: tuple[Job, ...],
    folder: Path,
    at_once: int | None,
    tell: Callable[[str], None],
    done: Callable[[tuple[Result, ...]], None],
    idle_s: float | None = None,
) -> tuple[Result, ...]:
    """Runs the jobs of a table for each film that comes into a folder, until nothing has come for `idle_s` seconds.

    None: until it is interrupted. `done` is given all results whenever there are more.
    """
    watch, idle_since = FolderWatch(folder), time.monotonic()
    results: list[Result] = []
    while idle_s is None or time.monotonic() - idle_since < idle_s:
        films = watch.arrived()
        for film in films:
            tell(readable(film.name))
            results += run_jobs(jobs_for(jobs, film, folder), at_once, tell)
            done(tuple(results))
        if films:
            idle_since = time.monotonic()
        else:
            time.sleep(_LOOK_EVERY_S)
    return tuple(results)
