"""What several commands take."""

from collections.abc import Callable, Iterable
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Literal

import typer


def choices(name: str, words: Iterable[str]) -> type[StrEnum]:
    """The words that an option may be, as typer takes them."""
    return StrEnum(name, {word.replace(" ", "_").replace("-", "_"): word for word in words})  # type: ignore[return-value]


def hyphened(word: str) -> str:
    """Words that an option may be are taken with spaces, hyphens and underscores."""
    return word.replace(" ", "-").replace("_", "-")


def meant(text: str, words: Iterable[str]) -> str:
    """The one of these words that was meant, whether typed with spaces or hyphens; else the text as it is."""
    return next((word for word in words if hyphened(word) == hyphened(text)), text)


def within(low: float, high: float) -> Callable[[float], float]:
    """Checks a number's range, and says it where it is left."""

    def check(value: float) -> float:
        if not low <= value <= high:
            raise typer.BadParameter(f"{value:g} is not within {low:g} to {high:g}")
        return value

    return check


HowSteady = Literal["none", "float", "lock-off"]
"""Whether a take is held as well, by commands that are about something else."""
Media = Annotated[Path, typer.Argument(help="A footage file.", show_default=False)]
Out = Annotated[Path, typer.Option("--out", help="The file to write.")]
Json = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
