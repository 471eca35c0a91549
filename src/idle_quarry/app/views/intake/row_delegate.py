"""A row of Intake: a small picture, the ribbon of its motion, two lines a cell, the verdict by its form."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QPointF, QRect, QRectF, Qt
from PySide6.QtGui import QFontMetrics, QPainter, QPixmap
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.marks import draw_link, draw_severity
from idle_quarry.app.drawing.ribbon import draw_ribbon
from idle_quarry.app.models.intake.rows import CLIP, MOTION, ROW, VERDICT, ClipCell, ClipRow, ClipRows
from idle_quarry.app.models.table_rows import Index
from idle_quarry.path.matching import Match


class RowDelegate(QStyledItemDelegate):
    """Draws a row: a small picture, the ribbon of its motion, two lines a cell, the verdict by its form."""

    def __init__(self, model: ClipRows, parent: object) -> None:
        super().__init__(parent)  # type: ignore[arg-type]
        self._model = model
        self._pictures: dict[Path, tuple[bytes, QPixmap]] = {}

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        row: ClipRow = index.data(ROW)
        source = index
        proxy = index.model()
        if proxy is not self._model:
            source = proxy.mapToSource(index)  # type: ignore[attr-defined]
        cell = self._model.cell(source)
        rect = option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, theme.colour("ledge"))
        column = index.column()
        left = rect.left() + theme.px(6)
        if column == CLIP:
            left = self._picture(painter, rect, row)
        elif column == MOTION and row.clip is not None and row.clip.measured and row.clip.measured.fields:
            ribbon = QRectF(left, rect.top() + theme.px(5), rect.width() - theme.px(14), theme.px(12))
            draw_ribbon(painter, ribbon, row.clip.measured.fields, row.clip.declared.frames)
            self._text(painter, rect, left, ClipCell("", f"{cell.first}"), lower=True)
            return
        elif column == VERDICT and row.match is not None:
            left = self._mark(painter, rect, row.match)
        self._text(painter, rect, left, cell)

    def _picture(self, painter: QPainter, rect: QRect, row: ClipRow) -> int:
        room = QRectF(rect.left() + theme.px(6), rect.top() + theme.px(3), theme.px(62), rect.height() - theme.px(6))
        painter.fillRect(room, theme.colour("surround"))
        if row.picture:
            known = self._pictures.get(row.path)
            if known is None or known[0] is not row.picture:
                pixmap = QPixmap()
                pixmap.loadFromData(row.picture)
                known = self._pictures[row.path] = (row.picture, pixmap)
            size = known[1].size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRectF(0, 0, size.width(), size.height())
            place.moveCenter(room.center())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(place.toRect(), known[1])
        return int(room.right()) + theme.px(9)

    def _mark(self, painter: QPainter, rect: QRect, match: Match) -> int:
        worst = next((s for s in ("stop", "caution") if any(f.severity == s for f in match.findings)), None)
        y = rect.center().y()
        draw_link(painter, [QPointF(rect.left() + 6, y), QPointF(rect.left() + theme.px(34), y)], match.grade)
        if worst:
            draw_severity(painter, QPointF(rect.left() + theme.px(44), y), worst, theme.px(8))
        return rect.left() + theme.px(56)

    def _text(self, painter: QPainter, rect: QRect, left: int, cell: ClipCell, *, lower: bool = False) -> None:
        width = rect.right() - left - theme.px(4)
        half = rect.height() // 2
        lines = [(cell.first, "chalk", rect.top()), (cell.second, "oxide" if cell.wrong else "dust", rect.top() + half)]
        if not cell.second and not lower:
            lines = [(cell.first, "chalk", rect.top() + half // 2)]
        for text, role, top in lines:
            if not text:
                continue
            font = theme.font(13 if role == "chalk" else 12)
            painter.setFont(font)
            painter.setPen(theme.colour(role))
            place = QRect(left, top, width, half)
            shown = QFontMetrics(font).elidedText(text, Qt.TextElideMode.ElideRight, width)
            painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
