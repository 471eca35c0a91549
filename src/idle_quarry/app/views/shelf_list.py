"""The list of templates: rows that are small path strips at one scale, found as you type."""

from __future__ import annotations

from collections import OrderedDict
from time import perf_counter

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    QRectF,
    QSize,
    Qt,
    QTimer,
    Signal,
)
from PySide6.QtGui import QFontMetrics, QPainter, QPen
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from idle_quarry.app.desk import Desk
from idle_quarry.app.theme import theme
from idle_quarry.app.widgets.mini_strip import MINI_SCALE
from idle_quarry.app.widgets.strip import paint_mini_strip
from idle_quarry.errors import QuarryError
from idle_quarry.library import Library, Revision, Search, Summary
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.strip_words import in_two

Index = QModelIndex | QPersistentModelIndex
SUMMARY = Qt.ItemDataRole.UserRole
#: Templates read at once, and such pages kept: what is kept grows with what is looked at.
_PAGE, _PAGES = 32, 24


class ShelfModel(QAbstractListModel):
    """The templates that match what was typed and filtered: their ids, and the pages of them that are looked at."""

    def __init__(self, library: Library) -> None:
        super().__init__()
        self._library = library
        self._ids: list[str] = []
        self._pages: OrderedDict[int, dict[str, Summary]] = OrderedDict()
        self.search = Search()

    def find(self, search: Search) -> None:
        """Show the templates that match. Raises `LibraryError`."""
        found = self._library.identities(search)
        self.beginResetModel()
        self.search, self._ids = search, found
        self._pages.clear()
        self.endResetModel()

    @property
    def shown(self) -> int:
        """How many match."""
        return len(self._ids)

    def row_of(self, template_id: str) -> int | None:
        return self._ids.index(template_id) if template_id in self._ids else None

    def at(self, row: int) -> Summary | None:
        """Return the template of a row, or None where the library changed under it."""
        number = row // _PAGE
        if number not in self._pages:
            try:
                page = self._library.these(self._ids[number * _PAGE : (number + 1) * _PAGE])
                self._pages[number] = {each.id: each for each in page}
            except QuarryError:
                return None
            while len(self._pages) > _PAGES:
                self._pages.popitem(last=False)
        self._pages.move_to_end(number)
        return self._pages[number].get(self._ids[row])

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008  (Qt's own signature)
        return 0 if parent.isValid() else len(self._ids)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (SUMMARY, Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return None
        each = self.at(index.row())
        if role == SUMMARY or each is None:
            return each
        out = ", ".join(each.deliveries) or "nothing yet"
        return f"{each.name}, {each.shelf} shelf, {each.latest.state}, {each.working}, delivers {out}"


class ShelfDelegate(QStyledItemDelegate):
    """Paints a row: the strip, then name, shelf, and what it is.

    A path that was not worked out yet is left out at first and drawn a moment later: typing never waits for it.
    """

    #: A path was worked out: the rows are to be painted again.
    worked_out = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._known: OrderedDict[str, Evaluation | None] = OrderedDict()
        self._wanted: OrderedDict[str, Revision] = OrderedDict()
        self._next = QTimer(self, singleShot=True, interval=0)
        self._next.timeout.connect(self._work_out)

    def _evaluation(self, revision: Revision) -> tuple[bool, Evaluation | None]:
        """Return whether a revision's path is known, and the path; None where it cannot be read."""
        if revision.hash in self._known:
            self._known.move_to_end(revision.hash)
            return True, self._known[revision.hash]
        self._wanted[revision.hash] = revision
        self._wanted.move_to_end(revision.hash, last=False)  # what was painted last is looked at now
        while len(self._wanted) > 2 * _PAGE:
            self._wanted.popitem()
        self._next.start()
        return False, None

    def _work_out(self) -> None:
        """Work out paths for a few milliseconds, then let the window breathe."""
        end = perf_counter() + 0.012
        while self._wanted and perf_counter() < end:
            key, revision = self._wanted.popitem(last=False)
            try:
                self._known[key] = self._desk.evaluation(revision.template_id, revision.number, revision.hash)
            except QuarryError:
                self._known[key] = None
        while len(self._known) > _PAGE * _PAGES:
            self._known.popitem(last=False)
        self.worked_out.emit()
        if self._wanted:
            self._next.start()

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(theme.px(400), theme.px(66))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        each: Summary | None = index.data(SUMMARY)
        if each is None:
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
        known, evaluation = self._evaluation(each.latest)
        if evaluation is not None:
            paint_mini_strip(painter, evaluation, strip, MINI_SCALE * theme.percent / 100)
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
        grade = evaluation.worst_grade if evaluation is not None else ""
        worst = f"worst link {grade}" if grade else "cannot be read" if known or each.damaged else ""
        painter.setPen(theme.colour("dust"))
        gap = " · "
        room = width - small.horizontalAdvance(gap + worst)
        first = (
            small.elidedText(f"{in_two(each.working)[0]} · {each.territory}", Qt.TextElideMode.ElideRight, room) + gap
        )
        painter.drawText(x, rect.top() + theme.px(39), first)
        painter.setPen(theme.grade(grade) if grade else theme.colour("oxide"))
        painter.drawText(x + small.horizontalAdvance(first), rect.top() + theme.px(39), worst)
        painter.setPen(theme.colour("dust"))
        out = f"{standing_words(each)} · delivers {', '.join(each.deliveries) or 'nothing yet'}"
        painter.drawText(x, rect.top() + theme.px(56), small.elidedText(out, Qt.TextElideMode.ElideRight, width))


def standing_words(each: Summary) -> str:
    """Return where a template stands: "house, approved 3, draft 4 by Odo"."""
    latest = each.latest
    if each.shelf == "own":
        return "own"
    words = ["house"]
    if each.approved is not None:
        words.append(f"approved {each.approved}")
    if each.approved != latest.number:
        words.append(f"{latest.state} {latest.number} by {latest.author}")
    if each.drafts > 1:
        words.append(f"{each.drafts} drafts")
    return ", ".join(words)
