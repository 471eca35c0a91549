"""HTML pages as PDF, drawn by Qt; needs no window and no screen."""

from __future__ import annotations

import os
import sys
from importlib.resources import files
from pathlib import Path


def write_pdf(html: str, path: Path) -> None:
    """Write `html` as a PDF of A4 pages. Raises `OSError` where the file cannot be written."""
    from PySide6.QtCore import QMarginsF
    from PySide6.QtGui import QGuiApplication, QPageLayout, QPageSize, QPdfWriter, QTextDocument

    if QGuiApplication.instance() is None:
        if sys.platform.startswith("linux"):
            os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        _keep.append(QGuiApplication([]))
        load_fonts()
    with path.open("wb"):
        pass  # Qt reports a refused path only in its log
    writer = QPdfWriter(str(path))
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(14, 14, 14, 14), QPageLayout.Unit.Millimeter)
    writer.setResolution(150)
    document = QTextDocument()
    document.setHtml(html)
    document.print_(writer)


def load_fonts() -> None:
    """Make the program's own type known to Qt."""
    from PySide6.QtGui import QFontDatabase

    for entry in files("idle_quarry").joinpath("fonts").iterdir():
        if entry.name.endswith(".otf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


_keep: list[object] = []
