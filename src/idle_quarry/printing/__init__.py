"""HTML pages as PDF, drawn by Qt; needs no window and no screen, and may be called on any thread."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path


def write_pdf(html: str, path: Path) -> None:
    """Write `html` as a PDF of A4 pages, its title and the page's number at the foot of each.

    Raises `OSError` where the file cannot be written.
    """
    from PySide6.QtCore import QThread
    from PySide6.QtGui import QGuiApplication

    app = QGuiApplication.instance()
    if app is None:
        if sys.platform.startswith("linux"):
            os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        app = QGuiApplication([])
        _keep.append(app)
        load_fonts()
    with path.open("wb"):
        pass  # Qt reports a refused path only in its log
    if QThread.currentThread() is app.thread():
        _write(html, path)
    else:
        _on_a_thread_of_qt(lambda: _write(html, path))


def _on_a_thread_of_qt(act: Callable[[], None]) -> None:
    """Call `act` on a thread that Qt began, and wait: laying out text starts timers, which other threads have none
    of.
    """
    from PySide6.QtCore import QThread

    class Thread(QThread):
        def run(self) -> None:
            try:
                act()
            except Exception as error:
                failed.append(error)

    failed: list[Exception] = []
    thread = Thread()
    thread.start()
    thread.wait()
    if failed:
        raise failed[0]


def _write(html: str, path: Path) -> None:
    from PySide6.QtCore import QMarginsF, QRectF, QSizeF, Qt
    from PySide6.QtGui import QFont, QPageLayout, QPageSize, QPainter, QPdfWriter, QTextDocument

    writer = QPdfWriter(str(path))
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(10, 10, 10, 8), QPageLayout.Unit.Millimeter)
    writer.setResolution(150)
    document = QTextDocument()
    document.documentLayout().setPaintDevice(writer)
    document.setDocumentMargin(0)
    document.setHtml(html)
    foot = QFont("B612")
    foot.setPointSizeF(7)
    width, height = writer.width(), writer.height()
    line = writer.resolution() * 14 / 72
    document.setPageSize(QSizeF(width, height - line))
    title = document.metaInformation(QTextDocument.MetaInformation.DocumentTitle)
    writer.setTitle(title)
    pages = document.pageCount()
    painter = QPainter(writer)
    for page in range(pages):
        if page:
            writer.newPage()
        painter.save()
        painter.translate(0, -page * (height - line))
        document.drawContents(painter, QRectF(0, page * (height - line), width, height - line))
        painter.restore()
        painter.setFont(foot)
        box = QRectF(0, height - line, width, line)
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom, title)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, f"page {page + 1} of {pages}")
    painter.end()


def load_fonts() -> None:
    """Make the program's own type known to Qt."""
    from PySide6.QtGui import QFontDatabase

    for entry in files("idle_quarry").joinpath("fonts").iterdir():
        if entry.name.endswith(".otf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


_keep: list[object] = []
