"""The list of templates: rows that are small path strips at one scale, found as you type."""

from __future__ import annotations

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetrics, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from idle_quarry.app.desk import Desk
from idle_quarry.app.theme import theme
from idle_quarry.app.widgets.strip import paint_mini_strip
from idle_quarry.errors import QuarryError
from idle_quarry.library import Summary

Index = QModelIndex | QPersistentModelIndex
SUMMARY = Qt.ItemDataRole.UserRole
#: Pixels a line of all small strips: 2160 lines are 36 pixels.
MINI_SCALE = 0.0165


class ShelfModel(QAbstractListModel):
    """The templates that match what was typed and filtered."""

    def __init__(self) -> None:
        super().__init__()
        self._all: list[Summary] = []
        self.shown: list[Summary] = []
        self._words: tuple[str, ...] = ()
        self._territory: str | None = None
        self._lines: int | None = None

    def take(self, summaries: list[Summary]) -> None:
        """Replace all templates."""
        self._all = summaries
        self.find(" ".join(self._words), self._territory, self._lines)

    def find(self, text: str, territory: str | None, lines: int | None) -> None:
        """Show the templates that have every word of `text`, of a territory and a number of lines where given."""
        words = tuple(text.lower().split())
        longer = len(words) == len(self._words) and all(
            new.startswith(old) for new, old in zip(words, self._words, strict=True)
        )
        same_filters = (territory, lines) == (self._territory, self._lines)
        # what did not match a shorter word will not match a longer one
        pool = self.shown if longer and same_filters and self.shown and words != self._words else self._all
        self._words, self._territory, self._lines = words, territory, lines
        found = [
            each
            for each in pool
            if (territory is None or each.territory == territory)
            and (lines is None or each.lines == lines)
            and each.matches(words)
        ]
        self.beginResetModel()
        self.shown = found
        self.endResetModel()

    @property
    def count(self) -> int:
        return len(self._all)

    def lines_present(self) -> list[int]:
        return sorted({each.lines for each in self._all})

    def row_of(self, template_id: str) -> int | None:
        return next((i for i, each in enumerate(self.shown) if each.id == template_id), None)

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  (Qt's own signature)
        return 0 if parent.isValid() else len(self.shown)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        each = self.shown[index.row()]
        if role == SUMMARY:
            return each
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return f"{each.name}, {each.shelf} shelf, {each.working}, delivers {', '.join(each.deliveries) or 'nothing yet'}"
        return None


class ShelfDelegate(QStyledItemDelegate):
    """Paints a row: the strip, then name, shelf, and what it is."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(theme.px(400), theme.px(66))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        each: Summary = index.data(SUMMARY)
        rect: QRect = option.rect
        state = option.state
        if state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, theme.colour("ledge"))
            painter.fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), theme.colour("lichen"))
        painter.setPen(QPen(theme.colour("bench"), 1))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        strip_width = min(theme.px(400), int(rect.width() * 0.52))
        strip = QRectF(rect.left() + theme.px(8), rect.top() + theme.px(6), strip_width, rect.height() - theme.px(12))
        try:
            evaluation = self._desk.evaluation(each.id, each.latest.number, each.latest.hash)
            paint_mini_strip(painter, evaluation, strip, MINI_SCALE * theme.percent / 100)
            grade = evaluation.worst_grade
        except QuarryError:
            grade = None
        x = int(strip.right()) + theme.px(14)
        width = rect.right() - x - theme.px(10)
        painter.setFont(theme.font(13, bold=True))
        painter.setPen(theme.colour("chalk"))
        metrics = QFontMetrics(painter.font())
        name = metrics.elidedText(each.name, Qt.TextElideMode.ElideRight, width - theme.px(60))
        painter.drawText(x, rect.top() + theme.px(21), name)
        if each.default:
            painter.setFont(theme.font(11))
            painter.setPen(theme.colour("lichen"))
            painter.drawText(x + metrics.horizontalAdvance(name) + theme.px(8), rect.top() + theme.px(21), "default")
        painter.setFont(theme.font(12))
        small = QFontMetrics(painter.font())
        worst = "cannot be read" if grade is None else f"worst link {grade}"
        painter.setPen(theme.colour("dust"))
        first = f"{each.working} · {each.territory} · "
        first = small.elidedText(first, Qt.TextElideMode.ElideRight, width - small.horizontalAdvance(worst))
        painter.drawText(x, rect.top() + theme.px(39), first)
        painter.setPen(theme.grade(grade) if grade else theme.colour("oxide"))
        painter.drawText(x + small.horizontalAdvance(first), rect.top() + theme.px(39), worst)
        painter.setPen(theme.colour("dust"))
        out = f"{'house' if each.shelf == 'house' else 'own'} · delivers {', '.join(each.deliveries) or 'nothing yet'}"
        painter.drawText(x, rect.top() + theme.px(56), small.elidedText(out, Qt.TextElideMode.ElideRight, width))
