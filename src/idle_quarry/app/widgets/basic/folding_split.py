"""Two parts beside one another, or below one another where there is no room for that."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QSplitter

from idle_quarry.app.appearance.theme import theme


class FoldingSplit(QSplitter):
    """A splitter that lies across where it is at least `beside` wide (at 100 % of text size), else upright."""

    def __init__(self, beside: int) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self._beside = beside
        self.setChildrenCollapsible(False)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        across = self.width() >= theme.px(self._beside)
        wanted = Qt.Orientation.Horizontal if across else Qt.Orientation.Vertical
        if self.orientation() != wanted:
            self.setOrientation(wanted)
            self.setSizes([1000, 1000])
