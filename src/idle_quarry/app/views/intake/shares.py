"""The left edge of Intake: how much of the material is what, by share of duration; a format chosen filters the rows."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFontMetrics, QPainter
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.counting import counted
from idle_quarry.media.report import FormatTotal
from idle_quarry.path.strip_words import in_two

_TOTAL = Qt.ItemDataRole.UserRole


class Shares(QListWidget):
    """Formats and their shares; `chosen` says a format in words, "" for all."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setItemDelegate(_ShareDelegate(self))
        self.setAccessibleName("Shares of the material by format")
        sized(self).setFixedWidth(214)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.currentItemChanged.connect(self._changed)

    def show_totals(self, totals: list[FormatTotal], clips: int) -> None:
        """Fill the edge anew; the chosen format stays where it is still there."""
        item = self.currentItem()
        number_format = item.data(_TOTAL).format if item is not None and item.data(_TOTAL) else ""
        self.blockSignals(True)
        self.clear()
        everything = QListWidgetItem(f"All, {clips} clips")
        self.addItem(everything)
        self.setCurrentItem(everything)
        for total in totals:
            result = QListWidgetItem(f"{total.share * 100:.0f} % {total.format}, {counted(total.count, 'clip')}")
            result.setData(_TOTAL, total)
            result.setToolTip(f"{total.format}: {counted(total.count, 'clip')}, {total.seconds:.1f} s")
            self.addItem(result)
            if total.format == number_format:
                self.setCurrentItem(result)
        self.blockSignals(False)
        current = self.currentItem()
        if number_format and (current is None or current.data(_TOTAL) is None):
            self.chosen.emit("")

    def _changed(self, current: QListWidgetItem | None) -> None:
        total = current.data(_TOTAL) if current is not None else None
        self.chosen.emit(total.format if total is not None else "")


class _ShareDelegate(QStyledItemDelegate):
    """Draws a share: its length as a bar, per cent and format, how many clips."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(theme.px(160), theme.px(56 if index.data(_TOTAL) else 30))

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        rect = QRectF(option.rect)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if chosen:
            painter.fillRect(rect, theme.colour("ledge"))
            painter.fillRect(QRectF(rect.left(), rect.top(), 3, rect.height()), theme.colour("lichen"))
        total: FormatTotal | None = index.data(_TOTAL)
        left, width = rect.left() + theme.px(12), rect.width() - theme.px(20)
        painter.setFont(theme.font(13 if total is None else 12, bold=total is not None))
        painter.setPen(theme.colour("chalk"))
        if total is None:
            painter.drawText(rect.adjusted(theme.px(12), 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, str(index.data()))
            return
        bar = QRectF(left, rect.top() + theme.px(5), width, theme.px(5))
        painter.fillRect(bar, theme.colour("seam"))
        painter.fillRect(
            QRectF(bar.left(), bar.top(), max(2.0, bar.width() * total.share), bar.height()), theme.colour("sage")
        )
        line = theme.px(18)
        first = QRectF(left, bar.bottom() + theme.px(3), width, line)
        head, coded = in_two(total.format)
        text = QFontMetrics(painter.font()).elidedText(head, Qt.TextElideMode.ElideRight, int(width))
        painter.drawText(first, Qt.AlignmentFlag.AlignVCenter, text)
        painter.setFont(theme.font(12))
        painter.setPen(theme.colour("dust"))
        count = counted(total.count, "clip")
        words = " · ".join(part for part in (f"{total.share * 100:.0f} %", count, coded) if part)
        painter.drawText(first.translated(0, line - theme.px(1)), Qt.AlignmentFlag.AlignVCenter, words)
