"""A command as a script would run it."""

import sys

import pytest

from clevrin.cli import main


@pytest.fixture
def clevrin(monkeypatch, capsys):
    """Runs a command: (exit code, standard output, standard error)."""

    def run(*words: object) -> tuple[int, str, str]:
        monkeypatch.setattr(sys, "argv", ["clevrin", *map(str, words)])
        with pytest.raises(SystemExit) as ended:
            main()
        out, err = capsys.readouterr()
        return ended.value.code or 0, out, err

    return run
