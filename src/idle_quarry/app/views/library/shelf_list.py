"""A row of the list of templates: the path as a small strip at one scale, then name, shelf, and what it is."""

from __future__ import annotations

from PySide6.QtCore import QRect, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetrics, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.mini_strip import paint_mini_strip
from idle_quarry.app.models.library.rows import SUMMARY, Index, ShelfPaths, standing_words
from idle_quarry.app.widgets.templates.mini_strip import MINI_SCALE
from idle_quarry.library import Summary
from idle_quarry.path.strip_words import in_two


class ShelfDelegate(QStyledItemDelegate):
    """Paints a row; a path that was not worked out yet is left out at first and drawn a moment later."""

    def __init__(self, paths: ShelfPaths) -> None:
        super().__init__()
        self._paths = paths

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(theme.px(400), theme.px(66))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        summary: Summary | None = index.data(SUMMARY)
        if summary is None:
            return
        rect: QRect = option.rect
        state = option.state
        if state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, theme.colour("ledge"))
            painter.fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), theme.colour("lichen"))
        painter.setPen(QPen(theme.colour("bench"), 1))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        strip_width = min(theme.px(400), int(rect.width() * 0.52))
        strip = QRectF(rect.left() + theme.px(8), rect.top() + theme.px(6), strip_width, rect.height() - theme.px(12))
        known, evaluation = self._paths.of(summary.latest)
        if evaluation is not None:
            paint_mini_strip(painter, evaluation, strip, MINI_SCALE * theme.percent / 100)
        x = int(strip.right()) + theme.px(14)
        width = rect.right() - x - theme.px(10)
        painter.setFont(theme.font(13, bold=True))
        painter.setPen(theme.colour("chalk"))
        metrics = QFontMetrics(painter.font())
        name = metrics.elidedText(summary.name, Qt.TextElideMode.ElideRight, width - theme.px(60))
        painter.drawText(x, rect.top() + theme.px(21), name)
        if summary.default:
            painter.setFont(theme.font(12))
            painter.setPen(theme.colour("lichen"))
            painter.drawText(x + metrics.horizontalAdvance(name) + theme.px(8), rect.top() + theme.px(21), "default")
        painter.setFont(theme.font(12))
        small = QFontMetrics(painter.font())
        grade = evaluation.worst_grade if evaluation is not None else ""
        worst = f"worst link {grade}" if grade else "cannot be read" if known or summary.damaged else ""
        painter.setPen(theme.colour("dust"))
        gap = " · "
        room = width - small.horizontalAdvance(gap + worst)
        first = (
            small.elidedText(f"{in_two(summary.working)[0]} · {summary.territory}", Qt.TextElideMode.ElideRight, room)
            + gap
        )
        painter.drawText(x, rect.top() + theme.px(39), first)
        painter.setPen(theme.grade(grade) if grade else theme.colour("oxide"))
        painter.drawText(x + small.horizontalAdvance(first), rect.top() + theme.px(39), worst)
        painter.setPen(theme.colour("dust"))
        out = f"{standing_words(summary)} · delivers {', '.join(summary.deliveries) or 'nothing yet'}"
        painter.drawText(x, rect.top() + theme.px(56), small.elidedText(out, Qt.TextElideMode.ElideRight, width))
