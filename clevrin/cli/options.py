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


def within(low: float, high: float) -> Callable[[str], float]:
    """Reads the number of an option: finite, and in a range that is named where it is left."""

    def read(text: str) -> float:
        return number(str(text), low, high)

    read.__name__ = "number"  # as the help has it
    return read


def number(text: str, low: float, high: float) -> float:
    """The number that a text is. Raises `BadParameter` for what is none, or is not in its range."""
    try:
        value = float(text)
    except ValueError as error:
        raise typer.BadParameter(f"'{text[:40]}' is not a number from {low:g} to {high:g}") from error
    if not low <= value <= high:  # what is no number at all is neither
        raise typer.BadParameter(f"{value:g} is not within {low:g} to {high:g}")
    return value


HowSteady = Literal["none", "float", "lock-off"]
"""Whether a take is held as well, by commands that are about something else."""
Media = Annotated[Path, typer.Argument(help="A footage file.", show_default=False)]
Out = Annotated[Path, typer.Option("--out", help="The file to write.")]
Json = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
