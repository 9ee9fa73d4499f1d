"""The commands that open the window."""

from pathlib import Path
from typing import Annotated

import typer


def open_files(
    files: Annotated[
        list[Path] | None, typer.Argument(help="A project, a timeline, takes or folders.", show_default=False)
    ] = None,
) -> None:
    """Opens the window with a project, with footage files and folders of them as takes, or as it was left."""
    from clevrin.core.document.earlier_versions import last_good_copy
    from clevrin.core.document.files import SUFFIX, load
    from clevrin.core.errors import ClevrinError
    from clevrin.core.paths import is_there
    from clevrin.desk.shell.application import run

    files = files or []  # the entry in a desktop's menu names none
    for file in files:
        if not is_there(file):
            raise ClevrinError(f"{file} is not there.")
        if file.suffix == SUFFIX and last_good_copy(file) is None:
            load(file)  # a file that cannot be opened is told here, before there is a window
    raise typer.Exit(run(files))


def demo(
    fresh: Annotated[bool, typer.Option(help="Forget earlier changes to the demo.")] = False,
    in_between: Annotated[bool, typer.Option("--in-between", help="The second one: words, edges, doors.")] = False,
) -> None:
    """Opens the window with the demo project, Kite day on Gable Hill, or with the one of what lies in between."""
    from clevrin.demo.measured import lay_out
    from clevrin.demo.project import demo_file, tricks_file
    from clevrin.desk.shell.application import run

    raise typer.Exit(run([(tricks_file if in_between else demo_file)(fresh=fresh)], play=True, prepare=lay_out))
