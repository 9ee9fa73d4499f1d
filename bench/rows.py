"""The table that `make bench` prints and writes down."""

import os
import re
from dataclasses import dataclass
from datetime import date
from pathlib import Path

_HEAD = """# Figures

Written by `make bench`: each part when it was last run. An aim that was missed is marked; a row without an aim is there
to be compared. The plain way is the method of a general library, in the same run. Times on machines that others share
wander.
"""
_MARKS = {True: "", False: "**missed**", None: ""}


@dataclass(frozen=True)
class Row:
    """One figure: what, the target in words, what was measured, and whether it is met (None: no target)."""

    what: str
    target: str
    measured: str
    met: bool | None = None


def print_rows(title: str, rows: list[Row]) -> None:
    print(f"\n{title}")
    width = max(len(row.what) for row in rows)
    for row in rows:
        mark = {True: "ok", False: "MISSED", None: ""}[row.met]
        print(f"  {row.what:<{width}}  {row.target:>14}  {row.measured:>30}  {mark}", flush=True)


def write_figures(page: Path, title: str, rows: list[Row]) -> None:
    """Puts a part's rows into a page in place of those that stand there, with the day and the machine."""
    text = page.read_text(encoding="utf-8") if page.exists() else _HEAD
    lines = [
        f"## {title}",
        "",
        f"{date.today().isoformat()}, {_machine()}",
        "",
        "| | aim | measured | |",
        "|---|---|---|---|",
    ]
    cells = ((row.what, row.target, row.measured, _MARKS[row.met]) for row in rows)
    lines += ["| " + " | ".join(each.replace("|", "\\|") for each in row) + " |" for row in cells]
    section = "\n".join(lines) + "\n"
    before = re.compile(rf"^## {re.escape(title)}\n.*?(?=^## |\Z)", re.MULTILINE | re.DOTALL)
    if before.search(text):
        text = before.sub(lambda _: section + "\n", text).rstrip() + "\n"
    else:
        text = f"{text.rstrip()}\n\n{section}"
    page.write_text(text, encoding="utf-8")


def _machine() -> str:
    """The processor and how many cores of it."""
    names = re.findall(r"^model name\s*: (.*)$", Path("/proc/cpuinfo").read_text(), re.MULTILINE)
    return f"{' '.join(names[0].split()) if names else 'a processor'}, {os.cpu_count()} cores"
