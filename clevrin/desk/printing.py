"""A page of HTML as PDF, by Qt."""

import os
import sys
from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import QMarginsF
from PySide6.QtGui import QGuiApplication, QPageLayout, QPageSize, QPdfWriter, QTextDocument

from clevrin.core.outputs import put

_DPI = 144


def print_page(page: str, path: Path, never: Iterable[Path] = ()) -> None:
    """Writes a page as a PDF of A4 sheets; it is whole or absent. Needs no screen. Raises `MediaError`."""
    if QGuiApplication.instance() is None:
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        QGuiApplication(sys.argv[:1])
    with put(path, never) as part:
        writer = QPdfWriter(str(part))
        writer.setPageLayout(
            QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait, QMarginsF(14, 14, 14, 14))
        )
        writer.setResolution(_DPI)
        document = QTextDocument()
        document.setHtml(page)
        document.setPageSize(writer.pageLayout().paintRectPixels(_DPI).size().toSizeF())
        document.print_(writer)
