"""What several commands take."""

from pathlib import Path
from typing import Annotated

import typer

Media = Annotated[Path, typer.Argument(help="A footage file.", show_default=False)]
Out = Annotated[Path, typer.Option("--out", help="The file to write.")]
Json = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
