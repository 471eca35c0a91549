"""Labels by the role of their text."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QLabel,
    QSizePolicy,
)

from idle_quarry.app.appearance.roles import as_role


def label(text: str = "", role: str = "", *, wrap: bool = False) -> QLabel:
    """Return a label; roles are dust, title, head, refusal, good."""
    result = QLabel(text)
    result.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        as_role(result, role)
    result.setWordWrap(wrap)
    return result


class OneLine(QLabel):
    """A label of one line that gives way: what has no room ends in dots, and the whole stands in its tip."""

    def __init__(self, role: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        if role:
            as_role(self, role)

    def setText(self, text: str) -> None:
        if text == self.text():
            return
        super().setText(text)
        self.setToolTip(text)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
