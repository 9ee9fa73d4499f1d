"""How many actions of the hand whole jobs take, counted in the real window as the tests do them (`tests/jobs`)."""

import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

from bench.rows import Row
from tests.jobs.jobs import JOBS

_ROOT = Path(__file__).parent.parent


def jobs_rows(folder: Path) -> list[Row]:
    report = folder / "jobs.xml"
    words = [sys.executable, "-m", "pytest", "-q", "-n", "2", "--soak", "tests/jobs", f"--junitxml={report}"]
    subprocess.run(words, cwd=_ROOT, stdout=subprocess.DEVNULL, check=False)
    counted: dict[str, int] = {}
    for case in ElementTree.parse(report).iter("testcase"):
        id = case.get("name", "").partition("[")[2].rstrip("]")
        for each in case.iter("property"):
            if each.get("name") == "actions":
                counted[id] = int(each.get("value", "0"))
    rows = []
    for job in JOBS:
        took = counted.get(job.id)
        told = "not done" if took is None else f"{took}, before {job.before}"
        rows.append(Row(job.words, f"{job.aim}", told, took is not None and took <= job.aim))
    total = sum(counted.values())
    before, aim = (sum(getattr(job, name) for job in JOBS) for name in ("before", "aim"))
    rows.append(Row(f"all {len(JOBS)} of them", f"{aim}", f"{total}, before {before}", total <= aim))
    return rows
