"""The program's icon."""

from __future__ import annotations

from importlib.resources import files

from PySide6.QtCore import Qt
from PySide6.QtGui import QIcon, QPainter, QPixmap

from idle_quarry.app.appearance.theme import theme


def icon() -> QIcon:
    """Return the program's icon."""
    pixmap = QPixmap()
    data = files("idle_quarry.app.icons").joinpath("idle-quarry.svg").read_bytes()
    if not pixmap.loadFromData(data, "SVG"):  # Qt without its SVG part: the window's own frame, drawn
        pixmap = QPixmap(64, 64)
        pixmap.fill(theme.colour("ground"))
        painter = QPainter(pixmap)
        painter.setPen(theme.colour("lichen"))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(10, 22, 26, 20)
        painter.end()
    return QIcon(pixmap)
