"""Words of others in plain files: on one line where a line means something, and never as a formula in a table."""

import re

_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_QUOTED = re.compile(r"'+[=+\-@\t\r]")


def one_line(text: str) -> str:
    """A text without line breaks, nor other characters that nobody sees."""
    return " ".join("".join(each if each.isprintable() else " " for each in text).split())


def readable(text: str) -> str:
    """A text that can be written: what a file system has that is no text (a name of any bytes) with marks for it."""
    return "".join("\ufffd" if "\ud800" <= each <= "\udfff" else each for each in text)


def cell(text: str) -> str:
    """A text as the cell of a table: one that a spreadsheet would take for a formula has a quote before it."""
    return f"'{text}" if _FORMULA.match(text) else text


def cell_text(text: str) -> str:
    """The text that `cell` made a cell of."""
    return text[1:] if _QUOTED.match(text) else text
