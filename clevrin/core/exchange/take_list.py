"""The take list as CSV: a row for each span of each take, for spreadsheets and for log notes made elsewhere.

Reading a list gives the takes of a project the marks, notes and spans that stand in it. Takes are known by their
fingerprints, or by name where the column is missing.
"""

import csv
import io
from collections.abc import Iterable

from clevrin.core.document import NamedSpan, Project, Span, Take
from clevrin.core.document.files import making_sense
from clevrin.core.document.model import Worth
from clevrin.core.errors import DocumentError
from clevrin.core.pace.timecode import timecode
from clevrin.core.plain_text import cell, cell_text

COLUMNS = (
    "take",
    "file",
    "fingerprint",
    "rate",
    "frames",
    "width",
    "height",
    "worth",
    "note",
    "span",
    "first",
    "last",
    "from",
    "seconds",
)
_WORTHS: dict[str, Worth] = {"": None, "keep": "keep", "maybe": "maybe", "drop": "drop"}


def take_list_csv(takes: Iterable[Take]) -> str:
    """The list as text; `first` and `last` are frames, both of them in the span. A take without spans has one row."""
    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    for take in takes:
        facts = take.facts
        shared = {
            "take": cell(take.name),
            "file": cell(take.path),
            "fingerprint": take.fingerprint,
            "rate": str(facts.rate),
            "frames": facts.frames,
            "width": facts.width,
            "height": facts.height,
            "worth": take.worth or "",
            "note": cell(take.note),
        }
        for each in take.spans or (None,):
            row: dict[str, object] = {"span": "", "first": "", "last": "", "from": "", "seconds": ""}
            if each is not None:
                row = {
                    "span": cell(each.name),
                    "first": each.span.first,
                    "last": each.span.end - 1,
                    "from": timecode(each.span.first, float(facts.rate)),
                    "seconds": f"{float(each.span.frames / facts.rate):.3f}",
                }
            writer.writerow({**shared, **row})
    return out.getvalue()


def with_take_list(project: Project, text: str) -> Project:
    """The project with the marks, notes and spans of a list; takes that are not in it stay as they are.

    Raises `DocumentError` naming the row for a list that cannot be read, or that concerns none of the takes.
    """
    rows = _rows(text)
    by_print = {take.fingerprint: take for take in project.takes}
    by_name = {take.name: take for take in project.takes}
    listed: dict[str, list[tuple[int, dict[str, str]]]] = {}
    for number, row in rows:
        take = by_print.get(row.get("fingerprint", "")) or by_name.get(row.get("take", ""))
        if take is not None:
            listed.setdefault(take.id, []).append((number, row))
    if not listed:
        raise DocumentError("The list concerns none of the takes of this project.")
    takes = tuple(_listed(take, listed[take.id]) if take.id in listed else take for take in project.takes)
    return project.changed(takes=takes)


def _rows(text: str) -> list[tuple[int, dict[str, str]]]:
    try:
        reader = csv.DictReader(io.StringIO(text.lstrip("\ufeff")), strict=True)
        rows = [(number, dict(row)) for number, row in enumerate(reader, start=2)]
    except csv.Error as error:
        raise DocumentError(f"The list cannot be read as CSV: {error}.") from error
    if not rows or not {"take", "fingerprint"} & set(rows[0][1]):
        raise DocumentError("The list has no column “take” or “fingerprint”.")
    return [
        (n, {key: cell_text((value or "").strip()) for key, value in row.items() if key is not None}) for n, row in rows
    ]


def _listed(take: Take, rows: list[tuple[int, dict[str, str]]]) -> Take:
    head, first = rows[0]
    worth = first.get("worth", take.worth or "")
    if worth not in _WORTHS:
        raise DocumentError(f"Row {head}, column worth: “{worth[:40]}” is none of keep, maybe, drop.")
    spans: list[NamedSpan] = []
    for number, row in rows:
        if row.get("first"):
            with making_sense(f"Row {number}, column span"):
                spans.append(_span(take, number, row, {each.id for each in spans}))
    with making_sense(f"Row {head}, column note"):
        take = take.changed(note=first.get("note", take.note))
    with making_sense(f"Rows of {take.name}, from row {head} on"):
        return take.changed(worth=_WORTHS[worth], spans=tuple(spans))


def _span(take: Take, number: int, row: dict[str, str], used: set[str]) -> NamedSpan:
    """A span of a row; one that the take has by that name stays that one, if it is not in `used` already."""
    try:
        first, last = int(row["first"]), int(row["last"])
    except (ValueError, KeyError) as error:
        raise DocumentError(f"Row {number}: “first” and “last” must be frames.") from error
    if not 0 <= first <= last < take.facts.frames:
        raise DocumentError(
            f"Row {number}: frames {first} to {last} are no span of {take.name}, which has {take.facts.frames}."
        )
    name = row.get("span") or str(first)
    known = next((each for each in take.spans if each.name == name and each.id not in used), None)
    span = Span(first=first, end=last + 1)
    return known.changed(span=span) if known is not None else NamedSpan(name=name, span=span)
