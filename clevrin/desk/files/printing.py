"""Reports as pages and prints: a page of HTML becomes a PDF by Qt, in a process of its own that needs no screen."""

import os
import subprocess
import sys
import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

from clevrin.core.errors import MediaError
from clevrin.core.outputs import put

if TYPE_CHECKING:
    from clevrin.core.document import Project
    from clevrin.core.progress import Progress
    from clevrin.core.render.reports.quality_checks import ReelMark
    from clevrin.core.render.sources import Sources

_DPI = 144
_MARGIN_MM = 14
_LONGEST_S = 120
_TEXT_PT = 9


def report_to(
    project: "Project", path: Path, never: Iterable[Path], sources: "Sources", progress: "Progress"
) -> "tuple[ReelMark, ...]":
    """Writes the report of a reel, as a page or, where the name says so, as a print; returns what is to be looked at.

    `never`: files that are not written over. Raises as `write_report` and `print_page` do.
    """
    from clevrin.core.delivery.report import write_report

    if path.suffix.lower() != ".pdf":
        return write_report(project, path, sources, progress)
    with tempfile.TemporaryDirectory() as folder:
        page = Path(folder) / "report.html"
        marks = write_report(project, page, sources, progress, plain=True)
        print_page(page, path, never)
        return marks


def print_page(page: Path, path: Path, never: Iterable[Path] = ()) -> None:
    """Writes a page, a file of HTML, as a PDF of A4 sheets; it is whole or absent. Raises `MediaError`."""
    with put(path, never) as part:
        command = [sys.executable, "-m", "clevrin.desk.files.printing", str(page), str(part)]
        try:
            subprocess.run(
                command,
                env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
                capture_output=True,
                check=True,
                timeout=_LONGEST_S,
            )
        except (subprocess.CalledProcessError, subprocess.TimeoutExpired) as error:
            raise MediaError(f"{path.name} could not be printed; write the report as .html instead.") from error


def main(page: Path, path: Path) -> None:
    """What the process does."""
    from PySide6.QtCore import QMarginsF
    from PySide6.QtGui import QFont, QGuiApplication, QPageLayout, QPageSize, QPdfWriter, QTextDocument

    from clevrin.desk.widgets import theme

    _application = QGuiApplication(sys.argv[:1])
    theme.load_fonts()
    writer = QPdfWriter(str(path))
    margins = QMarginsF(_MARGIN_MM, _MARGIN_MM, _MARGIN_MM, _MARGIN_MM)
    sheet = QPageSize(QPageSize.PageSizeId.A4)
    writer.setPageLayout(QPageLayout(sheet, QPageLayout.Orientation.Portrait, margins, QPageLayout.Unit.Millimeter))
    writer.setResolution(_DPI)
    document = QTextDocument()
    document.setDefaultFont(QFont(theme.FAMILY, _TEXT_PT))  # Qt 6.11 takes no typeface from a page's body
    document.setHtml(page.read_text(encoding="utf-8"))
    document.setPageSize(writer.pageLayout().paintRectPixels(_DPI).size().toSizeF())
    document.print_(writer)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
