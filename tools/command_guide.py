"""Writes docs/guide/commands.md and the man page: every command with its options, from the commands' own help.

`make guide` calls it.
"""

from enum import Enum
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

import typer

from clevrin import __version__
from clevrin.cli.app import app
from clevrin.cli.menu_entry import MAN_PAGE

PAGE = Path(__file__).parent.parent / "docs" / "guide" / "commands.md"
_HEAD = """# Commands

Made by `make guide` from the commands' own help; `clevrin COMMAND --help` says the same.

Progress goes to standard error, results to standard output or to `--out`. Exit 0: done; 1: could not, and one line says
why; 2: wrong usage; 130: interrupted, and what was measured is kept. `--json` prints one JSON object and nothing else.
"""


def page() -> str:
    """The whole page."""
    commands: dict[str, Any] = typer.main.get_command(app).commands  # type: ignore[attr-defined]
    parts = [_HEAD]
    parts += [_section(name, command) for name, command in sorted(commands.items())]
    return "\n".join(parts)


def _section(name: str, command: Any) -> str:
    arguments = [p for p in command.params if p.param_type_name == "argument"]
    options = [p for p in command.params if p.param_type_name == "option" and p.name != "help"]
    words = " ".join(["clevrin", name, *(_argument(each) for each in arguments)])
    lines = [f"## {name}", "", f"    {words}{' [options]' if options else ''}", "", (command.help or "").strip(), ""]
    rows = [(f"`{_argument(each)}`", getattr(each, "help", None) or "", "") for each in arguments]
    rows += [(f"`{_names(each)}`", each.help or "", _default(each)) for each in options]
    if rows:
        lines += ["| | | default |", "|---|---|---|"]
        lines += ["| " + " | ".join(cell.replace("|", "\\|") for cell in row) + " |" for row in rows]
        lines.append("")
    return "\n".join(lines)


def man_page() -> str:
    """The same as a page for man(1), in roff."""
    commands: dict[str, Any] = typer.main.get_command(app).commands  # type: ignore[attr-defined]
    lines = [
        f'.TH CLEVRIN 1 "" "Clevrin {__version__}" "Commands"',
        ".SH NAME",
        "clevrin \\- measures how a camera moves, calms it, and joins takes into one move",
        ".SH SYNOPSIS",
        ".B clevrin",
        "[\\fICOMMAND\\fR] [\\fIOPTIONS\\fR]",
        ".SH DESCRIPTION",
        "Without a command the window opens with the last project. Results go to standard output or to \\-\\-out,",
        "progress and sentences about what went wrong to standard error.",
        ".SH COMMANDS",
    ]
    for name, command in sorted(commands.items()):
        arguments = [p for p in command.params if p.param_type_name == "argument"]
        options = [p for p in command.params if p.param_type_name == "option" and p.name != "help"]
        words = " ".join([name, *(_argument(each) for each in arguments)])
        lines += [f".SS {_roff(words)}", _roff((command.help or "").strip())]
        for each in options:
            said = f" (default: {_default(each)})" if _default(each) and _default(each) != "needed" else ""
            lines += [".TP", f".B {_roff(_names(each))}", _roff(f"{each.help or ''}{said}")]
    lines += [
        ".SH ENVIRONMENT",
        ".TP",
        ".B CLEVRIN_ROOT",
        "The folder under which media lie on this machine, where several machines make one render.",
        ".SH EXIT STATUS",
        "0: done; 1: could not, and one line says why; 2: wrong usage; 130: interrupted, what was measured is kept.",
    ]
    return "\n".join(lines) + "\n"


def _roff(text: str) -> str:
    """Text as roff has it: hyphens as they are typed, and no line that begins like a command."""
    plain = " ".join(text.split()).replace("\\", "\\e").replace("-", "\\-")
    return f"\\&{plain}" if plain.startswith((".", "'")) else plain


def _argument(each: Any) -> str:
    name = (each.name or "").upper()
    return f"{name}..." if each.nargs == -1 else name


def _names(option: Any) -> str:
    names = "/".join([*option.opts, *option.secondary_opts])
    if option.is_flag:
        return names
    kind = option.type_descriptor.annotation
    if isinstance(kind, type) and issubclass(kind, Enum):
        return f"{names} {'|'.join(str(each.value) for each in kind)}"
    if get_origin(kind) is Literal:
        return f"{names} {'|'.join(get_args(kind))}"
    words = {Path: "FILE", float: "NUMBER", int: "NUMBER", str: "TEXT"}.get(kind, "TEXT")
    return f"{names} {words}{' (several)' if option.multiple else ''}"


def _default(option: Any) -> str:
    if option.required:
        return "needed"
    if option.is_flag or option.default is None:
        return ""
    value = option.default
    return str(getattr(value, "value", value))


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
    MAN_PAGE.write_text(man_page(), encoding="utf-8")
