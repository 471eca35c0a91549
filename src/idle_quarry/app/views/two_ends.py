"""The two ends: what comes in and what goes out, and between them the working formats, ranked by what they cost."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QFontMetrics, QPainter
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.desk import Desk
from idle_quarry.app.drawing import draw_link
from idle_quarry.app.sizes import sized
from idle_quarry.app.theme import theme
from idle_quarry.app.widgets.basics import button, label, offer_readings
from idle_quarry.app.work import Ticket
from idle_quarry.errors import QuarryError
from idle_quarry.path.registry import deliveries
from idle_quarry.path.template import Delivered, Source
from idle_quarry.path.two_ends import Suggestion, delivery_from_words, source_from_words, suggested, taken_up
from idle_quarry.signal.words import format_words

_SUGGESTION = Qt.ItemDataRole.UserRole
_STANDARD = Qt.ItemDataRole.UserRole


def _work(sources: tuple[Source, ...], outs: tuple[Delivered, ...], _ticket: Ticket) -> list[Suggestion]:
    return suggested(sources, outs)


class TwoEnds(QWidget):
    """Sources at the left, deliveries beside them, ranked working formats at the right."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._ticket: Ticket | None = None
        self._ends: tuple[tuple[Source, ...], tuple[Delivered, ...]] = ((), ())
        self._later = QTimer(self, singleShot=True, interval=120)
        self._later.timeout.connect(self._rank)
        self._build()

    def _build(self) -> None:
        self.sources = QTreeWidget()
        self.sources.setHeaderLabels(["Comes in", "Share %"])
        self.sources.setRootIsDecorated(False)
        self.sources.setAccessibleName("Sources and their shares")
        self.sources.header().setStretchLastSection(False)
        self.sources.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.sources.header().resizeSection(1, theme.px(66))
        self.sources.itemChanged.connect(lambda *_: self._later.start())
        self.deliveries = QListWidget()
        self.deliveries.setAccessibleName("Deliveries")
        self.deliveries.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.deliveries.setTextElideMode(Qt.TextElideMode.ElideRight)
        for each in deliveries().values():
            item = QListWidgetItem(each.name)
            item.setToolTip(each.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked)
            item.setData(_STANDARD, each.id)
            self.deliveries.addItem(item)
        self.deliveries.itemChanged.connect(lambda _item: self._later.start())
        self.another_in, self.another_out = (
            QLineEdit(placeholderText="another, such as 1080i25"),
            QLineEdit(placeholderText="another, such as 1080p25"),
        )
        self.another_in.setAccessibleName("Another source in words")
        self.another_out.setAccessibleName("Another delivery in words")
        self.another_in.returnPressed.connect(self._add_source)
        self.another_out.returnPressed.connect(self._add_delivery)
        self.refusal = label(role="refusal", wrap=True)
        self.refusal.hide()
        self.ranking = QListWidget()
        self.ranking.setItemDelegate(_RankDelegate(self.ranking))
        self.ranking.setAccessibleName("Working formats, best first")
        self.ranking.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.ranking.currentItemChanged.connect(lambda *_: self._show_reasons())
        self.take_button = button("Start a template from it", self.take, main=True)
        self.take_button.setEnabled(False)
        self._head = label("Choose what comes in and what goes out.", "dust", wrap=True)
        self._reasons = label("", wrap=True)
        self._reasons.setAlignment(Qt.AlignmentFlag.AlignTop)
        around = QScrollArea()
        around.setWidgetResizable(True)
        around.setWidget(self._reasons)
        row = QHBoxLayout(self)
        sized(row).setContentsMargins(12, 6, 12, 8)
        sized(row).setSpacing(12)
        left, middle, right = QVBoxLayout(), QVBoxLayout(), QVBoxLayout()
        left.addWidget(self.sources, 1)
        left.addWidget(self.another_in)
        middle.addWidget(label("Goes out", "dust"))
        middle.addWidget(self.deliveries, 1)
        middle.addWidget(self.another_out)
        top = QHBoxLayout()
        top.addWidget(self._head, 1)
        top.addWidget(self.take_button)
        right.addLayout(top)
        right.addWidget(self.refusal)
        both = QHBoxLayout()
        both.addWidget(self.ranking, 5)
        both.addWidget(around, 6)
        right.addLayout(both, 1)
        row.addLayout(left, 22)
        row.addLayout(middle, 20)
        row.addLayout(right, 58)

    # -- the ends --------------------------------------------------------------------------------------

    def set_sources(self, shares: list[tuple[str, float]]) -> None:
        """Take formats in words with their shares in per cent as what comes in."""
        self.sources.blockSignals(True)
        self.sources.clear()
        for words, share in shares:
            self._source_item(words, f"{share:.3g}")
        self.sources.blockSignals(False)
        self._later.start()

    def _source_item(self, words: str, share: str) -> None:
        item = QTreeWidgetItem([words, share])
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsUserCheckable)
        item.setCheckState(0, Qt.CheckState.Checked)
        item.setToolTip(0, words)
        self.sources.addTopLevelItem(item)

    def _add_source(self) -> None:
        try:
            found = source_from_words(self.another_in.text())
        except QuarryError as error:
            self._refuse(error)
            offer_readings(error, self.another_in, self._add_source)
            return
        self._source_item(format_words(found.format), f"{found.share:g}" if found.share else "")
        self.another_in.clear()
        self._later.start()

    def _add_delivery(self) -> None:
        text = self.another_out.text()
        try:
            found = delivery_from_words(text)
        except QuarryError as error:
            self._refuse(error)
            offer_readings(error, self.another_out, self._add_delivery)
            return
        item = QListWidgetItem(found.name)
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
        item.setData(_STANDARD, text)
        item.setCheckState(Qt.CheckState.Checked)
        self.deliveries.addItem(item)
        self.another_out.clear()
        self._later.start()

    def _refuse(self, error: QuarryError) -> None:
        self.refusal.setText(str(error))
        self.refusal.show()

    def ends(self) -> tuple[tuple[Source, ...], tuple[Delivered, ...]]:
        """Return what is chosen on both sides. Raises `QuarryError` for what cannot be understood."""
        sources: list[Source] = []
        for n in range(self.sources.topLevelItemCount()):
            item = self.sources.topLevelItem(n)
            if item is not None and item.checkState(0) == Qt.CheckState.Checked:
                share = item.text(1).strip()
                sources.append(source_from_words(item.text(0) + (f"={share}" if share else ""), sources))
        whole = sum(source.share for source in sources)
        if whole > 100:  # shares are of all clips: those that are left make the whole
            sources = [s.model_copy(update={"share": s.share * 100 / whole}) for s in sources]
        outs: list[Delivered] = []
        for n in range(self.deliveries.count()):
            entry = self.deliveries.item(n)
            if entry.checkState() == Qt.CheckState.Checked:
                outs.append(delivery_from_words(entry.data(_STANDARD), outs))
        return tuple(sources), tuple(outs)

    # -- the ranking -----------------------------------------------------------------------------------

    def _rank(self) -> None:
        self.refusal.hide()
        if self._ticket is not None:
            self._ticket.cancel()
        try:
            sources, outs = self.ends()
        except QuarryError as error:
            self._refuse(error)
            return
        self._ends = (sources, outs)
        if not sources or not outs:
            self._arrived([])
            return
        self._ticket = self.desk.workers.start(partial(_work, sources, outs), self._arrived, self._refuse)

    def _arrived(self, found: list[Suggestion]) -> None:
        self._ticket = None
        self.ranking.clear()
        for place, each in enumerate(found, 1):
            item = QListWidgetItem(f"{place}. {format_words(each.working, fields=True)}: {each.grade}")
            item.setData(_SUGGESTION, each)
            self.ranking.addItem(item)
        if found:
            self._head.setText(
                f"{len(found)} working formats, best first: broken links, then loss (0 is none, 1 a whole source gone), then data."
            )
            self.ranking.setCurrentRow(0)
        else:
            self._head.setText("Choose what comes in and what goes out.")
        self._show_reasons()

    def chosen(self) -> Suggestion | None:
        """Return the chosen working format, or None."""
        item = self.ranking.currentItem()
        found = item.data(_SUGGESTION) if item is not None else None
        return found if isinstance(found, Suggestion) else None

    def _show_reasons(self) -> None:
        found = self.chosen()
        self.take_button.setEnabled(found is not None)
        if found is None:
            self._reasons.setText("")
            return
        self._reasons.setText("\n\n".join(f"{text[0].upper()}{text[1:]}." for text in found.reasons))

    def take(self) -> None:
        """Open a new template in the chosen working format."""
        found = self.chosen()
        if found is None:
            return
        try:
            template = taken_up(found, *self._ends, f"New in {format_words(found.working)}")
        except QuarryError as error:
            self._refuse(error)
            return
        self.desk.open_new(template)


class _RankDelegate(QStyledItemDelegate):
    """Draws a working format: its place, grade by form, loss as a bar, data an hour."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(theme.px(220), theme.px(42))

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        found: Suggestion = index.data(_SUGGESTION)
        rect = QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, theme.colour("ledge"))
            painter.fillRect(QRectF(rect.left(), rect.top(), 3, rect.height()), theme.colour("lichen"))
        y = rect.top() + theme.px(12)
        left = rect.left() + theme.px(12)
        draw_link(painter, [QPointF(left, y), QPointF(left + theme.px(28), y)], found.grade)
        text = QRectF(left + theme.px(38), rect.top() + theme.px(2), rect.width() - theme.px(54), theme.px(20))
        painter.setFont(theme.font(13, bold=index.row() == 0))
        painter.setPen(theme.colour("chalk"))
        words = f"{index.row() + 1}. {format_words(found.working, fields=True)}"
        shown = QFontMetrics(painter.font()).elidedText(words, Qt.TextElideMode.ElideRight, int(text.width()))
        painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, shown)
        cost = found.cost
        broken = f"broken {cost.broken * 100:.0f} % · " if cost.broken else ""
        painter.setFont(theme.font(12))
        painter.setPen(theme.colour("oxide" if broken else "dust"))
        below = text.translated(0, theme.px(18))
        said = f"{broken}loss {cost.loss:.2f} · {cost.gb_per_hour:,.0f} GB an hour".replace(",", "\u2009")
        said = QFontMetrics(painter.font()).elidedText(said, Qt.TextElideMode.ElideRight, int(below.width()))
        painter.drawText(below, Qt.AlignmentFlag.AlignVCenter, said)
