"""What is shown, on paper: the view in front on a page of A4, in the colours of a bright room."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMarginsF, QPoint, QRectF, Qt
from PySide6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter
from PySide6.QtWidgets import QFileDialog, QWidget

from idle_quarry.app.appearance.theme import BRIGHTNESSES, theme
from idle_quarry.app.desk import Desk
from idle_quarry.errors import QuarryError
from idle_quarry.files import written_whole

_HEAD = 22  # the height of the line on top, in the view's own pixels


def ask_print(view: QWidget, what: str, desk: Desk) -> None:
    """Ask for a file, and print the view to it; `what` names what it shows."""
    start = str(Path.home() / f"{what.replace('/', '-')}.pdf")
    chosen, _kind = QFileDialog.getSaveFileName(view, "Print what is shown", start, "PDF (*.pdf)")
    if not chosen:
        return
    try:
        print_shown(view, what, Path(chosen))
    except QuarryError as error:
        desk.refuse(error)
    else:
        desk.say(f"Printed to {chosen}.")


def print_shown(view: QWidget, title: str, path: Path) -> None:
    """Write the view as one page of a PDF file, lines and letters as such, with `title` and the day above it.

    Raises `QuarryError` where the file cannot be written; nothing half-written stays.
    """
    worn = theme.scheme.name
    try:
        theme.wear(BRIGHTNESSES[-1], theme.percent)
        written_whole(path, _page(view, title))
    except OSError as error:
        raise QuarryError(f"{path} could not be written: {error.strerror or error}. Choose another place.") from error
    finally:
        theme.wear(worn, theme.percent)


def _page(view: QWidget, title: str) -> bytes:
    held = QBuffer()
    held.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(held)
    writer.setTitle(title)
    writer.setCreator("Idle Quarry")
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    turned = view.width() > view.height()
    writer.setPageOrientation(QPageLayout.Orientation.Landscape if turned else QPageLayout.Orientation.Portrait)
    writer.setPageMargins(QMarginsF(10, 10, 10, 10), QPageLayout.Unit.Millimeter)
    painter = QPainter(writer)
    scale = min(writer.width() / view.width(), writer.height() / (view.height() + _HEAD))
    painter.scale(scale, scale)
    painter.setFont(theme.font(11))
    painter.setPen(Qt.GlobalColor.black)
    line = QRectF(0, 0, view.width(), _HEAD - 4)
    painter.drawText(line, Qt.AlignmentFlag.AlignLeft, title)
    painter.drawText(line, Qt.AlignmentFlag.AlignRight, f"{date.today()}")
    view.render(painter, QPoint(0, _HEAD))
    painter.end()
    return bytes(held.data().data())
