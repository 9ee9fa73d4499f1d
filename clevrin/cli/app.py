"""All commands in one table; the contract that scripts rely on.

A command's module is imported when that command is asked for: no command waits for the imports of the others.
"""

from collections.abc import Mapping
from importlib import import_module
from typing import Annotated, Any

import typer
from typer.core import TyperCommand, TyperGroup
from typer.main import get_command_from_info
from typer.models import CommandInfo

from clevrin.cli.options import hyphened
from clevrin.cli.terminal import print_line
from clevrin.cli.version import version_line

COMMANDS = {
    "trace": "measuring",
    "whips": "measuring",
    "beats": "measuring",
    "verdict": "measuring",
    "track": "measuring",
    "cache": "measuring",
    "area": "areas",
    "hold": "steadying",
    "chart": "steadying",
    "lend": "steadying",
    "rig": "steadying",
    "reframe": "reframing",
    "pace": "pacing",
    "join": "joining",
    "assemble": "assembling",
    "render": "finishing",
    "mix": "finishing",
    "report": "finishing",
    "batch": "finishing",
    "desktop": "finishing",
    "hand-on": "finishing",
    "open": "opening",
    "demo": "opening",
    "probe": "probing",
    "match": "matching",
    "export-otio": "exchanging",
    "import-otio": "exchanging",
    "export-takes": "exchanging",
    "import-takes": "exchanging",
}
"""Each command and the module in which the function of its name stands: hyphens are underscores there."""


class _Loaded(Mapping[str, TyperCommand]):
    """The commands by name, each imported when it is looked up."""

    def __init__(self) -> None:
        self._made: dict[str, TyperCommand] = {}

    def __getitem__(self, name: str) -> TyperCommand:
        if name not in self._made:
            module = import_module(f"clevrin.cli.{COMMANDS[name]}")
            # `open` would hide what Python calls so.
            function = getattr(module, {"open": "open_files"}.get(name, name.replace("-", "_")))
            made = get_command_from_info(
                CommandInfo(name=name, callback=function), pretty_exceptions_short=False, rich_markup_mode=None
            )
            assert isinstance(made, TyperCommand)
            self._made[name] = made
        return self._made[name]

    def __iter__(self) -> Any:
        return iter(COMMANDS)

    def __len__(self) -> int:
        return len(COMMANDS)


class LazyGroup(TyperGroup):
    """The group of all commands: it knows their names, and loads the one that is asked for."""

    def __init__(self, **fields: Any) -> None:
        super().__init__(**fields)
        self.commands = _Loaded()  # type: ignore[assignment]

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        """Lists them with their whole first sentences, over several lines where there is no room in one."""
        with formatter.section("Commands"):
            formatter.write_dl([(name, each.get_short_help_str(limit=400)) for name, each in self.commands.items()])


# Help is printed as it is written: the letters between two colons are no picture, and brackets no colour.
app = typer.Typer(
    cls=LazyGroup,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"token_normalize_func": hyphened},
)


def _say_version(wanted: bool) -> None:
    if wanted:
        print_line(version_line())
        raise typer.Exit


@app.callback(invoke_without_command=True)
def window(
    context: typer.Context,
    version: Annotated[
        bool, typer.Option("--version", help="Say which version this is.", is_eager=True, callback=_say_version)
    ] = False,
) -> None:
    """Camera motion for film-makers: measure it, calm it, and cut takes together where their whips agree."""
    if context.invoked_subcommand is None:
        from clevrin.desk.shell.application import run

        raise typer.Exit(run())
