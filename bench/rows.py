"""The table that `make bench` prints."""

from dataclasses import dataclass


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
