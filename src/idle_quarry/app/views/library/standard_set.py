"""The standard set of a house: what it makes and where it keeps its work, and the templates that follow from that."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from idle_quarry.app.appearance.sizes import sized
from idle_quarry.app.desk import Desk
from idle_quarry.app.models.library.standard_set import delivery_words, raster_words, territory_titles
from idle_quarry.app.widgets.basic.buttons import button
from idle_quarry.app.widgets.basic.labels import label
from idle_quarry.app.widgets.basic.pages import page_head
from idle_quarry.app.widgets.basic.progress_bar import ProgressBar
from idle_quarry.app.widgets.basic.tables import words_list
from idle_quarry.app.widgets.basic.tinted import tint

_ROLES = {"stop": "refusal", "caution": "caution", "note": "dust"}
_TOLD = (
    "The standard templates that fit are put on the house shelf as drafts, to be looked at and approved. "
    "What is there stays as it is."
)


class StandardSetPage(QWidget):
    """One plain panel; nothing is put on a shelf before the button, and what is there is never touched."""

    guide_section = "Begin a house"

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.model = desk, desk.standard_set
        self.territories = {ident: QCheckBox(title) for ident, title in territory_titles().items()}
        self.rasters = {lines: QCheckBox(words) for lines, words in raster_words().items()}
        self.deliveries = {ident: QCheckBox(words) for ident, words in delivery_words().items()}
        self.folder = QLineEdit(self.model.folder)
        self.folder.setAccessibleName("Folder where work is kept")
        self.folder.setPlaceholderText("a folder on a fast disk of its own, such as /media/work")
        self.measure_button = button("Measure the disk", self.model.measure)
        self.progress = ProgressBar()
        self.verdicts = QVBoxLayout()
        self.list = words_list()
        self.list.setAccessibleName("Templates that will be made")
        self.sum = label(role="dust", wrap=True)
        self.none = label("", "dust")
        self.make_button = button("Put them on the house shelf", self.model.make, main=True)
        self._soon = QTimer(self, singleShot=True, interval=250)  # while somebody types a folder's name
        self._soon.timeout.connect(lambda: self.model.keep_work_in(self.folder.text()))
        self._build()
        self.first_focus = next(iter(self.territories.values()))
        for ident, box in self.territories.items():
            box.toggled.connect(lambda checked, ident=ident: self.model.choose(territory=ident, on=checked))
        for lines, box in self.rasters.items():
            box.toggled.connect(lambda checked, lines=lines: self.model.choose(lines=lines, on=checked))
        for ident, box in self.deliveries.items():
            box.setChecked(True)
            box.toggled.connect(partial(self.model.want, ident))
        self.folder.textChanged.connect(lambda _text: self._soon.start())
        self.model.offered_changed.connect(self._show_chosen)
        self.model.offered_changed.connect(self._show_offered)
        self.model.listed.connect(self._show_list)
        self.model.judged.connect(self._show_verdicts)
        self.model.measuring_changed.connect(self._show_measuring)
        self._show_offered()
        self._show_list()
        self._show_verdicts()

    def _build(self) -> None:
        back = button("Back to the shelf", self.desk.shelf.back, tip="Esc")
        head = page_head(
            label("What does this house make?", "title"), label(_TOLD, "dust", wrap=True), back, self.make_button
        )
        columns = QHBoxLayout()
        sized(columns).setContentsMargins(24, 8, 24, 0)
        sized(columns).setSpacing(28)
        columns.addLayout(_column("Who watches it", list(self.territories.values())))
        columns.addLayout(_column("In which rasters", list(self.rasters.values())))
        holder = QWidget()
        inside = QVBoxLayout(holder)
        inside.setContentsMargins(0, 0, 0, 0)
        sized(inside).setSpacing(6)
        for box in self.deliveries.values():
            inside.addWidget(box)
        inside.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(holder)
        outs = QVBoxLayout()
        sized(outs).setSpacing(6)
        outs.addWidget(label("What is delivered", "head"))
        outs.addWidget(self.none)
        outs.addWidget(scroll, 1)
        columns.addLayout(outs, 1)
        where = QVBoxLayout()
        sized(where).setContentsMargins(24, 10, 24, 0)
        sized(where).setSpacing(4)
        where.addWidget(label("Where work is kept", "head"))
        row = QHBoxLayout()
        row.addWidget(self.folder, 1)
        row.addWidget(button("Choose", self._choose))
        row.addWidget(self.measure_button)
        where.addLayout(row)
        where.addWidget(self.progress)
        where.addLayout(self.verdicts)
        below = QVBoxLayout()
        sized(below).setContentsMargins(24, 8, 24, 12)
        below.addWidget(label("What will be put on the house shelf", "head"))
        below.addWidget(self.sum)
        below.addWidget(self.list, 1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addLayout(head)
        outer.addLayout(columns, 3)
        outer.addLayout(where)
        outer.addLayout(below, 3)

    # -- showing -------------------------------------------------------------------------------------------------

    def _show_chosen(self) -> None:
        for ident, box in self.territories.items():
            box.setChecked(ident in self.model.territories)
        for lines, box in self.rasters.items():
            box.setChecked(lines in self.model.lines)

    def _show_offered(self) -> None:
        """Show the deliveries of the chosen territories and rasters."""
        fit = set(self.model.offered())
        for ident, box in self.deliveries.items():
            box.setVisible(ident in fit)
        some = self.model.territories and self.model.lines
        self.none.setVisible(not fit)
        self.none.setText(
            "Nothing is delivered to them in these rasters: choose others."
            if some
            else "Choose who watches it, and in which rasters."
        )

    def _show_list(self) -> None:
        self.list.clear()
        for row in self.model.rows:
            item = QListWidgetItem(row.text)
            tint(item, "dust" if row.there else "")
            self.list.addItem(item)
        self.sum.setText(self.model.sum_words())
        self.sum.setVisible(bool(self.model.sum_words()))

    def _show_verdicts(self) -> None:
        """Say what is to be said of the folder; a place that will not do keeps the button shut."""
        while self.verdicts.count():
            item = self.verdicts.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for verdict in self.model.verdicts():
            self.verdicts.addWidget(
                label(verdict.text, _ROLES[verdict.severity] if self.model.begun else "dust", wrap=True)
            )
        self.make_button.setText(self.model.verb_words())
        self.make_button.setAccessibleName(self.model.verb_words())
        self.make_button.setEnabled(self.model.can_be_made)
        self.measure_button.setEnabled(self.model.can_be_measured)

    def _show_measuring(self, what: str, share: float) -> None:
        ticket = self.model.ticket
        if not what or ticket is None:
            self.progress.hide()
        elif self.progress.isHidden():
            self.progress.begin(what, ticket.cancel)
        else:
            self.progress.step(what, share)
        self.measure_button.setEnabled(self.model.can_be_measured)

    def _choose(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Where work is kept", self.folder.text())
        if name:
            self.folder.setText(name)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.desk.shelf.back()
        else:
            super().keyPressEvent(event)


def _column(title: str, boxes: list[QCheckBox]) -> QVBoxLayout:
    layout = QVBoxLayout()
    sized(layout).setSpacing(6)
    layout.addWidget(label(title, "head"))
    for box in boxes:
        layout.addWidget(box)
    layout.addStretch(1)
    return layout
