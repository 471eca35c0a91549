"""The two ends: what comes in and what goes out, and between them the working formats, ranked by what they cost."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt
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

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.drawing.marks import draw_link
from idle_quarry.app.models.intake.two_ends import End, TwoEnds
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.templates.readings import offer_readings
from idle_quarry.errors import QuarryError
from idle_quarry.path.beginning.two_ends import Suggestion

_SUGGESTION = Qt.ItemDataRole.UserRole
_CHECKED, _OPEN = Qt.CheckState.Checked, Qt.CheckState.Unchecked


class TwoEndsPanel(QWidget):
    """Sources at the left, deliveries beside them, ranked working formats at the right."""

    guide_section = "From two ends"

    def __init__(self, model: TwoEnds) -> None:
        super().__init__()
        self.model = model
        self.sources = QTreeWidget()
        self.sources.setHeaderLabels(["Comes in", "Share %"])
        self.sources.setRootIsDecorated(False)
        self.sources.setAccessibleName("Sources and their shares")
        self.sources.header().setStretchLastSection(False)
        self.sources.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        sized(self.sources).setColumnWidth(1, 66)
        self.sources.itemChanged.connect(self._source_changed)
        self.deliveries = QListWidget()
        self.deliveries.setAccessibleName("Deliveries")
        self.deliveries.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.deliveries.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.deliveries.itemChanged.connect(self._out_changed)
        self.another_in = QLineEdit(placeholderText="another, such as 576i25 4:3=20")
        self.another_out = QLineEdit(placeholderText="another, such as 1080p25")
        self.another_in.setAccessibleName("Another source in words")
        self.another_out.setAccessibleName("Another delivery in words")
        self.another_in.returnPressed.connect(self._add_source)
        self.another_out.returnPressed.connect(self._add_out)
        self.refusal = label(role="refusal", wrap=True)
        self.refusal.hide()
        self.ranking = QListWidget()
        self.ranking.setItemDelegate(_RankDelegate(self.ranking))
        self.ranking.setAccessibleName("Working formats, best first")
        self.ranking.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.ranking.currentRowChanged.connect(self._rank_chosen)
        self.take_button = button("Start a template from it", model.take, main=True)
        self.head = label("", "dust", wrap=True)
        self.reasons = label("", wrap=True)
        self.reasons.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._build()
        model.ends_changed.connect(self._show_ends)
        model.ranked.connect(self._show_ranking)
        model.refused.connect(self._refuse)
        self._show_ends()
        self._show_ranking()

    def _build(self) -> None:
        around = QScrollArea()
        around.setWidgetResizable(True)
        around.setWidget(self.reasons)
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
        top.addWidget(self.head, 1)
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

    # -- the ends ----------------------------------------------------------------------------------------------

    def _show_ends(self) -> None:
        self.refusal.hide()
        self.sources.blockSignals(True)
        self.sources.clear()
        for end in self.model.sources:
            item = QTreeWidgetItem([end.name, end.share])
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(0, _state(end))
            item.setToolTip(0, end.words)
            self.sources.addTopLevelItem(item)
        self.sources.blockSignals(False)
        self.deliveries.blockSignals(True)
        self.deliveries.clear()
        for end in self.model.outs:
            out = QListWidgetItem(end.name)
            out.setFlags(out.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            out.setCheckState(_state(end))
            self.deliveries.addItem(out)
        self.deliveries.blockSignals(False)

    def _source_changed(self, item: QTreeWidgetItem) -> None:
        index = self.sources.indexOfTopLevelItem(item)
        self.model.set_source(index, item.text(0), item.text(1), on=item.checkState(0) == _CHECKED)

    def _out_changed(self, item: QListWidgetItem) -> None:
        self.model.set_out(self.deliveries.row(item), on=item.checkState() == _CHECKED)

    def _add_source(self) -> None:
        self._add(self.another_in, self.model.add_source, self._add_source)

    def _add_out(self) -> None:
        self._add(self.another_out, self.model.add_out, self._add_out)

    def _add(self, line: QLineEdit, add: Callable[[str], None], again: Callable[[], None]) -> None:
        try:
            add(line.text())
        except QuarryError as error:
            self._refuse(error)
            offer_readings(error, line, again)
            return
        line.clear()

    def _refuse(self, error: QuarryError) -> None:
        self.refusal.setText(str(error))
        self.refusal.show()

    # -- the ranking -------------------------------------------------------------------------------------------

    def _show_ranking(self) -> None:
        self.refusal.hide()
        self.ranking.blockSignals(True)
        self.ranking.clear()
        for place, suggestion in enumerate(self.model.ranking, 1):
            item = QListWidgetItem(f"{place}. {suggestion.words}: {suggestion.grade}")
            item.setData(_SUGGESTION, suggestion)
            self.ranking.addItem(item)
        self.ranking.setCurrentRow(0 if self.model.ranking else -1)
        self.ranking.blockSignals(False)
        self.head.setText(self.model.head_words())
        self._show_reasons()

    def _rank_chosen(self, row: int) -> None:
        self.model.choose(row)
        self._show_reasons()

    def _show_reasons(self) -> None:
        self.take_button.setEnabled(self.model.chosen is not None)
        self.reasons.setText(self.model.reason_words())


def _state(end: End) -> Qt.CheckState:
    return _CHECKED if end.on else _OPEN


class _RankDelegate(QStyledItemDelegate):
    """Draws a working format: its place, grade by form, loss as a bar, data an hour."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(theme.px(220), theme.px(42))

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        suggestion: Suggestion = index.data(_SUGGESTION)
        rect = QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(rect, theme.colour("ledge"))
            painter.fillRect(QRectF(rect.left(), rect.top(), 3, rect.height()), theme.colour("lichen"))
        y = rect.top() + theme.px(12)
        left = rect.left() + theme.px(12)
        draw_link(painter, [QPointF(left, y), QPointF(left + theme.px(28), y)], suggestion.grade)
        text = QRectF(left + theme.px(38), rect.top() + theme.px(2), rect.width() - theme.px(54), theme.px(20))
        painter.setFont(theme.font(13, bold=index.row() == 0))
        painter.setPen(theme.colour("chalk"))
        words = f"{index.row() + 1}. {suggestion.words}"
        shown = QFontMetrics(painter.font()).elidedText(words, Qt.TextElideMode.ElideRight, int(text.width()))
        painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, shown)
        cost = suggestion.cost
        broken = f"broken {cost.broken * 100:.0f} % · " if cost.broken else ""
        painter.setFont(theme.font(12))
        painter.setPen(theme.colour("oxide" if broken else "dust"))
        below = text.translated(0, theme.px(18))
        value = f"{broken}loss {cost.loss:.2f} · {cost.gb_per_hour:,.0f} GB an hour".replace(",", "\u2009")
        value = QFontMetrics(painter.font()).elidedText(value, Qt.TextElideMode.ElideRight, int(below.width()))
        painter.drawText(below, Qt.AlignmentFlag.AlignVCenter, value)
