"""Proof, codecs: every codec that can hold a format as a table, and what the chosen one takes away."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.appearance.theme import theme
from idle_quarry.app.models.proof.codec_rows import COLUMNS, CodecRow
from idle_quarry.app.models.proof.codec_runs import GAIN, CodecRuns
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.progress_bar import ProgressBar
from idle_quarry.app.widgets.basic.tinted import tint, tinted
from idle_quarry.app.widgets.pictures.loss_picture import LossPicture

_CODEC = Qt.ItemDataRole.UserRole


class CodecsPage(QWidget):
    """Shows the codecs of the model, and forwards."""

    def __init__(self, model: CodecRuns) -> None:
        super().__init__()
        self.model = model
        self.use_box, self.material_box = QComboBox(), QComboBox()
        self.use_box.setAccessibleName("What the codec is for")
        self.use_box.activated.connect(lambda _i: model.look_at(self.use_box.currentData()))
        self.material_box.setAccessibleName("Clip or chart to code")
        self.material_box.activated.connect(lambda _i: model.code(self.material_box.currentData()))
        self.run_button = button("Run all codecs", model.run, main=True)
        self.one_button = button("Run the chosen one", lambda: model.run(only=model.chosen), quiet=True)
        self.take_button = button("Use this codec", model.take)
        self.progress = ProgressBar()
        sized(self.progress).setContentsMargins(12, 0, 12, 0)
        self.table = _table()
        self._rows: list[CodecRow] = []  #: as they are shown
        self.table.itemSelectionChanged.connect(self._selected)
        self.loss = LossPicture()
        self.foot = label(role="dust", wrap=True)
        sized(self.foot).setContentsMargins(12, 0, 12, 6)
        self._build()
        model.offered_changed.connect(self._show_offered)
        model.rows_changed.connect(self._show_rows)
        model.chosen_changed.connect(self._show_chosen)
        model.running_changed.connect(self._show_running)
        model.progressed.connect(self.progress.step)

    def _build(self) -> None:
        tools = QHBoxLayout()
        sized(tools).setContentsMargins(12, 4, 12, 0)
        for widget in (label("Codecs for", "dust"), self.use_box, label("seen on", "dust"), self.material_box):
            tools.addWidget(widget)
        tools.addStretch(1)
        tools.addWidget(self.one_button)
        tools.addWidget(self.run_button)
        side = QWidget()
        beside = QVBoxLayout(side)
        sized(beside).setContentsMargins(4, 0, 12, 6)
        beside.addWidget(self.loss, 1)
        beside.addWidget(self.take_button)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(self.table)
        split.addWidget(side)
        split.setSizes([theme.px(912), theme.px(348)])
        split.setStretchFactor(1, 1)
        split.setChildrenCollapsible(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        sized(column).setSpacing(4)
        column.addLayout(tools)
        column.addWidget(self.progress)
        column.addWidget(split, 1)
        column.addWidget(self.foot)

    def _show_offered(self) -> None:
        self.use_box.clear()
        for words, name in self.model.uses():
            self.use_box.addItem(words, name)
        self.use_box.setCurrentIndex(max(0, self.use_box.findData(self.model.use)))
        self.material_box.clear()
        for name, ident in self.model.materials():
            self.material_box.addItem(name, ident)
        self.material_box.setCurrentIndex(max(0, self.material_box.findData(self.model.material)))

    def _show_rows(self) -> None:
        rows = self.model.rows()
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        for number, row in enumerate(rows):
            before = self._rows[number] if number < len(self._rows) else None
            for column, (text, role) in enumerate(row.cells):
                # each item that is set has its column measured anew: a result that comes changes one row of thirty
                if before is not None and (before.codec, before.own, before.cells[column]) == (
                    row.codec,
                    row.own,
                    (text, role),
                ):
                    continue
                item = QTableWidgetItem(text)
                item.setData(_CODEC, row.codec)
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                tint(item, role, bold=not column and row.own, size=12 if column else 13)
                self.table.setItem(number, column, item)
        self._rows = rows
        ids = [row.codec for row in rows]
        if self.model.chosen in ids:
            self.table.selectRow(ids.index(self.model.chosen))
        self.table.blockSignals(False)
        self.foot.setText(self.model.state_words())
        self._show_chosen()

    def _selected(self) -> None:
        items = self.table.selectedItems()
        self.model.choose(str(items[0].data(_CODEC)) if items else None)

    def _show_chosen(self) -> None:
        model = self.model
        self.one_button.setEnabled(model.chosen is not None and not model.running)
        self.take_button.setVisible(model.can_be_taken)
        self.loss.show_loss(*model.loss(), GAIN)

    def _show_running(self) -> None:
        running = self.model.running
        for widget in (self.run_button, self.one_button, self.use_box, self.material_box):
            widget.setEnabled(not running)
        if running:
            self.progress.begin("coding", self.model.cancel)
        else:
            self.progress.hide()


def _table() -> QTableWidget:
    result = QTableWidget(0, len(COLUMNS))
    result.setHorizontalHeaderLabels(list(COLUMNS))
    for index, text in enumerate(COLUMNS.values()):
        head = result.horizontalHeaderItem(index)
        assert head is not None
        head.setToolTip(text)
        edge = Qt.AlignmentFlag.AlignLeft if index == 0 else Qt.AlignmentFlag.AlignRight
        head.setTextAlignment(edge | Qt.AlignmentFlag.AlignVCenter)
    result.verticalHeader().hide()
    sized(result.verticalHeader()).setDefaultSectionSize(24)
    tinted(result)
    result.setShowGrid(False)
    result.setAlternatingRowColors(True)
    result.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    result.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    result.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    result.setAccessibleName("Codecs, lowest data rate first")
    header = result.horizontalHeader()
    header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    header.setStretchLastSection(False)
    return result
