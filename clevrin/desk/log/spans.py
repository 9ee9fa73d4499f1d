"""The spans of a take as a short list in the sheet: choose one, and name it."""

from PySide6.QtWidgets import QWidget

from clevrin.core.document import NamedSpan, Take
from clevrin.desk.widgets.plain_table import PlainRow, PlainTable

_MOST_ROWS = 4


class SpanList(PlainTable):
    """One row a span: its name, which can be typed over, its frames and its length."""

    def __init__(self, parent: QWidget | None = None) -> None:
        help_text = "The spans that were chosen. Double click a name to change it."
        super().__init__("spans of the take", help_text, columns=3, most_rows=_MOST_ROWS, parent=parent)

    def show_spans(self, take: Take | None, chosen: NamedSpan | None) -> None:
        """Shows the spans of a take; none: nothing is listed."""
        rows = [_row(each, take) for each in take.spans] if take is not None else []
        self.show_rows(rows, chosen.id if chosen is not None else None)


def _row(each: NamedSpan, take: Take) -> PlainRow:
    span = each.span
    length = f"{float(span.frames / take.facts.rate):.2f} s"
    return PlainRow(id=each.id, words=(each.name, f"{span.first}–{span.end - 1}", length))
