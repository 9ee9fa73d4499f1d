"""Runs the application many times over and kills it in the middle of random edits; says what each next start finds.

A process of its own: it has all modules loaded and forks for each run, so that a run costs a window, not an import.
Arguments: a folder for the runs, and how many. Prints one JSON object a line: seed, what the victim said last
(changes and state), and what is found.
"""

import contextlib
import hashlib
import json
import os
import random
import signal
import sys
import time
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from clevrin.core.document import Project
from clevrin.core.document.files import load, save
from clevrin.core.document.journal import left_behind
from clevrin.core.document.keeping import journal_folder
from clevrin.demo.project import plain_demo
from clevrin.desk.shell.rail import STEPS
from clevrin.desk.shell.window import MainWindow
from clevrin.desk.widgets import theme
from tests.desk.wandering import Wanderer

_MOST_S = 30


def state_of(project: Project) -> str:
    return hashlib.sha256(project.model_dump_json().encode()).hexdigest()[:16]


def victim(seed: int, folder: Path, out: int) -> None:
    """Opens the window on a project and edits until it is killed; says each state as soon as it is there."""
    os.environ["XDG_DATA_HOME"] = str(folder / "data")
    os.environ["XDG_CONFIG_HOME"] = str(folder / "config")
    application = QApplication([])
    theme.apply(application)
    window = MainWindow()
    window.show()
    window.projects.open(folder / "kite-day.clevrin")
    for step in STEPS:
        getattr(window, step.id)  # the benches are made, as after some minutes of work
    wanderer, chance = Wanderer(window, seed), random.Random(seed)

    def edit() -> None:
        kind = chance.random()
        if kind < 0.1:
            window.session.undo()
        elif kind < 0.15:
            window.session.redo()
        elif kind < 0.2:
            window.session.save()
        else:
            wanderer.edit()
        journal = window.session.autosave.journal
        os.write(out, f"{journal.changes} {state_of(window.session.project)}\n".encode())

    timer = QTimer()
    timer.timeout.connect(edit)
    timer.start(2)
    application.exec()


def one_run(seed: int, folder: Path, project: Project) -> dict:
    folder.mkdir(parents=True)
    save(project, folder / "kite-day.clevrin")
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(reading)
        with contextlib.suppress(BaseException):
            victim(seed, folder, writing)
        os._exit(1)
    os.close(writing)
    said = b""
    while said.count(b"\n") <= seed % 3:  # so many edits have been made, and another one is being made
        said += os.read(reading, 65536)
    time.sleep(random.Random(seed).uniform(0, 0.1))
    os.kill(child, signal.SIGKILL)
    while block := os.read(reading, 65536):
        said += block
    os.close(reading)
    os.waitpid(child, 0)
    whole = [line.split() for line in said.decode().splitlines() if len(line.split()) == 2]
    os.environ["XDG_DATA_HOME"] = str(folder / "data")
    written = [_changes_in(file) for file in journal_folder().glob("*.journal")]
    found = left_behind(journal_folder())
    result = {"seed": seed, "edits": len(whole), "changes": int(whole[-1][0]), "state": whole[-1][1]}
    if found:
        return {**result, "found": len(found), "written": written[0], "found_state": state_of(found[0].project)}
    # All of it had been saved at that instant: then the file has it.
    return {**result, "found": 0, "found_state": state_of(load(folder / "kite-day.clevrin"))}


def _changes_in(journal: Path) -> int:
    """How many changes stand in a journal as whole lines."""
    *whole, _ = journal.read_bytes().split(b"\n")
    return sum(b'{"change"' in line for line in whole)


def main(folder: Path, runs: int) -> None:
    project = plain_demo()
    until = time.monotonic() + _MOST_S * runs
    for seed in range(runs):
        if time.monotonic() > until:
            sys.exit("too slow")
        print(json.dumps(one_run(seed, folder / str(seed), project)), flush=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
