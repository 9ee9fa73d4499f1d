"""How soon commands and the window are there, in processes of their own, beside Python's own start."""

import os
import subprocess
import sys
import tempfile
import time
from statistics import median

from bench.rows import Row
from clevrin.demo.footage_maker import FOOTAGE

_TIMES = 5
_WINDOW = "import clevrin.desk.shell.window"
_CHILD = "import clevrin.core.render.export.child_process"


def starting_rows() -> list[Row]:
    probe = ["-m", "clevrin", "probe", str(FOOTAGE / "hill.mp4"), "--json"]
    python = _seconds(["-c", "pass"])
    rows = [Row("Python alone", "", f"{python:.2f} s")]
    for what, words, aim in (
        ("clevrin --version", ["-m", "clevrin", "--version"], 0.15),
        ("clevrin probe", probe, 0.6),
        ("a process that renders", ["-c", _CHILD], 1.0),
        ("the window's imports", ["-c", _WINDOW], 1.5),
    ):
        taken = _seconds(words)
        rows.append(Row(what, f"{aim:g} s", f"{taken:.2f} s: {taken / python:.1f} times Python", taken < aim))
    return rows


def _seconds(words: list[str]) -> float:
    """The median of some runs, the first of which is not counted: it compiles what was not compiled."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {**os.environ, "PYTHONDONTWRITEBYTECODE": "", "XDG_CACHE_HOME": folder}
        found = []
        for _ in range(_TIMES + 1):
            begun = time.perf_counter()
            subprocess.run([sys.executable, *words], env=environment, check=True, capture_output=True)
            found.append(time.perf_counter() - begun)
    return median(found[1:])
