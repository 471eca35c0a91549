"""A strip without texts, for a row of a table."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.mini_strip import paint_mini_strip
from idle_quarry.path.evaluation import Evaluation

#: Pixels a line of all small strips: 2160 lines are 36 pixels.
MINI_SCALE = 0.0165


class MiniStrip(QWidget):
    """One evaluation, drawn small at the scale of all small strips."""

    def __init__(self, evaluation: Evaluation) -> None:
        super().__init__()
        self._evaluation = evaluation
        self.setAccessibleName(f"path, worst link {evaluation.worst_grade}")

    def sizeHint(self) -> QSize:
        return QSize(theme.px(260), theme.px(58))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        inside = QRectF(self.rect()).adjusted(theme.px(4), theme.px(5), -theme.px(4), -theme.px(5))
        paint_mini_strip(painter, self._evaluation, inside, MINI_SCALE * theme.percent / 100)
