"""Who takes the time: a table of what each file and each test cost, in seconds of the processor.

Seconds of the processor and not of the clock, since two workers share a machine; the time of child processes
counts for the test that waited for them.
"""

import os
from collections import defaultdict
from pathlib import Path

import pytest

_NAME = "processor_s"
_FILES, _TESTS = 30, 40


def _spent_s() -> float:
    times = os.times()
    return times.user + times.system + times.children_user + times.children_system


class Costs:
    """Asks each test what it took, and writes the ranking at the end of the run."""

    def __init__(self, out: Path | None) -> None:
        self._out = out
        self._of_test: dict[str, float] = {}

    @pytest.hookimpl(wrapper=True, tryfirst=True)
    def pytest_runtest_setup(self, item: pytest.Item):
        item.stash[_started] = _spent_s()
        return (yield)

    @pytest.hookimpl(wrapper=True, trylast=True)
    def pytest_runtest_teardown(self, item: pytest.Item):
        try:
            return (yield)
        finally:
            item.user_properties.append((_NAME, _spent_s() - item.stash[_started]))

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        if report.when == "teardown":
            self._of_test[report.nodeid] = dict(report.user_properties).get(_NAME, 0.0)

    def pytest_terminal_summary(self, terminalreporter: pytest.TerminalReporter) -> None:
        if self._out is not None and self._of_test:
            self._out.write_text(ranking(self._of_test))
            terminalreporter.write_line(f"what each test cost stands in {self._out}")


_started = pytest.StashKey[float]()


def ranking(of_test: dict[str, float]) -> str:
    """The files and the tests that took the most, as a page in Markdown."""
    of_file: dict[str, list[float]] = defaultdict(list)
    for name, spent in of_test.items():
        of_file[name.split("::")[0]].append(spent)
    whole = sum(of_test.values())
    lines = [
        "# What the tests cost",
        "",
        f"{len(of_test)} tests took {whole:.0f} s of the processor, child processes among them. "
        "`make test-costs` writes this page anew.",
        "",
        "| file | tests | s | share |",
        "|---|---|---|---|",
    ]
    ranked = sorted(of_file.items(), key=lambda item: -sum(item[1]))
    lines += [f"| {file} | {len(each)} | {sum(each):.1f} | {sum(each) / whole:.1%} |" for file, each in ranked[:_FILES]]
    lines += ["", "| test | s |", "|---|---|"]
    dearest = sorted(of_test.items(), key=lambda item: -item[1])[:_TESTS]
    lines += [f"| {name.removeprefix('tests/')} | {spent:.1f} |" for name, spent in dearest]
    return "\n".join(lines) + "\n"
